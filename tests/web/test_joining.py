"""Members and invitations on the pages, and what a link shows to whom."""

import re

from flask import Flask

from tender_ledger.operations import accounts
from tender_ledger.storage.database import value
from tests.conftest import PASSWORD, READER, SignedIn

MEMBERS = "/study/VELDRA/members"


def link_of(sign_in: SignedIn, role: str = "reader") -> str:
    """The path of a new invitation, read off the answer that shows it."""
    answer = sign_in().post("/study/VELDRA/invitations", data={"role": role, "meant_for": "the new student"})
    found = re.search(r'value="http://localhost(/join/[\w-]+)"', answer.text)
    assert found, answer.text
    return found[1]


def test_a_link_is_shown_once_and_joins_somebody_new(app: Flask, sign_in: SignedIn):
    address = link_of(sign_in, "recorder")
    assert address not in sign_in().get(MEMBERS).text
    assert "the new student" in sign_in().get(MEMBERS).text
    client = app.test_client()
    page = client.get(address)
    assert "Veldra Hills" in page.text
    assert "no-store" in page.headers["Cache-Control"]
    wrong = client.post(address, data={"email": "new@x.example", "name": "", "password": PASSWORD})
    assert wrong.status_code == 422
    joined = client.post(address, data={"email": "new@x.example", "name": "N. Ew", "password": PASSWORD})
    assert (joined.status_code, joined.location) == (303, "/study/VELDRA/")
    assert client.get("/study/VELDRA/people").status_code == 200
    assert client.get(address).status_code == 404  # it worked once
    assert app.test_client().get(address).location.startswith("/sign-in")
    assert "taken by N. Ew" in sign_in().get(MEMBERS).text


def test_somebody_who_signs_in_here_joins_as_who_they_are(app: Flask, sign_in: SignedIn):
    accounts.add_person("out@side.example", "O. Utside", PASSWORD)
    address, client = link_of(sign_in), sign_in("out@side.example")
    assert "Join as O. Utside" in client.get(address).text
    assert client.post(address).location == "/study/VELDRA/"
    assert client.get("/study/VELDRA/").status_code == 200


def test_a_link_that_is_not_open_tells_a_visitor_nothing(app: Flask, sign_in: SignedIn):
    address, client = link_of(sign_in), app.test_client()
    sign_in().post("/study/VELDRA/invitations/1/revoke")
    for one in (address, "/join/never-was", "/join/x"):
        for method in ("GET", "POST"):
            answer = client.open(one, method=method)
            assert (answer.status_code, answer.location) == (302, "/sign-in")


def test_an_owner_takes_roles_away_and_the_last_owner_stays(sign_in: SignedIn):
    client = sign_in()
    owner, reader = (value("SELECT id FROM membership WHERE role = %(r)s", r=role) for role in ("owner", "reader"))
    refused = client.post(f"{MEMBERS}/{owner}/remove", data={"version": "1"})
    assert refused.status_code == 422
    assert "A study needs somebody who owns it." in refused.text
    assert client.post(f"{MEMBERS}/{reader}/remove", data={"version": "1"}).status_code == 303
    assert sign_in(READER).get("/study/VELDRA/").status_code == 404
    assert "took a role away" in client.get("/study/VELDRA/history").text


def test_the_account_page_changes_the_password_and_tells_of_failed_attempts(app: Flask, sign_in: SignedIn):
    client = sign_in(READER)
    app.test_client().post("/sign-in", data={"email": READER, "password": "wrong"})
    assert "1 attempt to sign in as you failed" in client.get("/account").text
    wrong = client.post("/account/password", data={"current": "wrong", "new": "another long one"})
    assert wrong.status_code == 422
    assert "This is not the present password." in wrong.text
    assert client.post("/account/password", data={"current": PASSWORD, "new": "another long one"}).status_code == 303
    assert client.get("/account").status_code == 200
    again = app.test_client().post("/sign-in", data={"email": READER, "password": "another long one"})
    assert again.status_code == 303
