"""Signing in with a second factor, on the pages: set up, asked for, recovered from, taken away, demanded of owners."""

import re
from datetime import UTC, datetime

import pyotp
import pytest
from flask import Flask
from flask.testing import FlaskClient

from tests.conftest import PASSWORD, READER, SignedIn

NOW = 1_800_000_000


def at(monkeypatch: pytest.MonkeyPatch, seconds: int) -> None:
    monkeypatch.setattr("tender_ledger.operations.second_factor.clock.now", lambda: datetime.fromtimestamp(seconds, UTC))


def set_up(client: FlaskClient, monkeypatch: pytest.MonkeyPatch) -> tuple[pyotp.TOTP, list[str]]:
    at(monkeypatch, NOW)
    page = client.post("/account/second-factor")
    assert page.status_code == 200
    assert "<svg" in page.text
    secret = re.search(r'<p class="code">([A-Z2-7]{32})</p>', page.text)
    assert secret
    generator = pyotp.TOTP(secret[1])
    answer = client.post("/account/second-factor/confirm", data={"code": generator.at(NOW)})
    codes = re.findall(r'<li class="code">([0-9a-f-]+)</li>', answer.text)
    assert len(codes) == 10
    return generator, codes


def test_after_the_password_the_code_is_asked_for_and_opens(app: Flask, sign_in: SignedIn, monkeypatch: pytest.MonkeyPatch):
    generator, codes = set_up(sign_in(READER), monkeypatch)
    client = app.test_client()
    answer = client.post("/sign-in?then=/study/VELDRA/plants", data={"email": READER, "password": PASSWORD})
    assert answer.location == "/sign-in/code?then=/study/VELDRA/plants"
    assert client.get("/study/VELDRA/plants").status_code == 302  # the password alone opens nothing
    at(monkeypatch, NOW + 300)
    wrong = client.post(answer.location, data={"code": "000000"})
    assert wrong.status_code == 422
    assert "not the code of now" in wrong.text
    assert client.post(answer.location, data={"code": generator.at(NOW + 300)}).location == "/study/VELDRA/plants"
    assert client.get("/study/VELDRA/plants").status_code == 200
    other = app.test_client()
    other.post("/sign-in", data={"email": READER, "password": PASSWORD})
    assert other.post("/sign-in/code", data={"code": generator.at(NOW + 300)}).status_code == 422  # each code once
    assert other.post("/sign-in/code", data={"code": codes[3]}).status_code == 303


def test_the_page_of_the_code_leads_back_without_a_password_and_after_five_minutes(
    app: Flask, sign_in: SignedIn, monkeypatch: pytest.MonkeyPatch
):
    assert app.test_client().get("/sign-in/code").location == "/sign-in"
    _generator, codes = set_up(sign_in(READER), monkeypatch)
    client = app.test_client()
    client.post("/sign-in", data={"email": READER, "password": PASSWORD})
    with client.session_transaction() as cookie:
        cookie["halfway"] = cookie["halfway"] | {"until": 0}
    assert client.post("/sign-in/code", data={"code": codes[0]}).location == "/sign-in"


def test_a_wrong_code_takes_nothing_into_use(sign_in: SignedIn):
    client = sign_in(READER)
    client.post("/account/second-factor")
    answer = client.post("/account/second-factor/confirm", data={"code": "123456"})
    assert answer.status_code == 422
    assert "Not in use." in client.get("/account").text


def test_it_is_taken_away_by_a_code(app: Flask, sign_in: SignedIn, monkeypatch: pytest.MonkeyPatch):
    client = sign_in(READER)
    _generator, codes = set_up(client, monkeypatch)
    assert "10 recovery codes are left" in client.get("/account").text
    assert client.post("/account/second-factor/remove", data={"code": "no"}).status_code == 422
    assert client.post("/account/second-factor/remove", data={"code": codes[0]}).status_code == 303
    assert sign_in(READER).get("/study/VELDRA/plants").status_code == 200


def test_a_study_that_asks_its_owners_lets_none_in_without(app: Flask, sign_in: SignedIn, monkeypatch: pytest.MonkeyPatch):
    client = sign_in()
    refused = client.post("/study/VELDRA/members/second-factor", data={"needed": "y", "version": "0"})
    assert refused.status_code == 422
    assert "of your own first" in refused.text
    _generator, codes = set_up(client, monkeypatch)
    assert client.post("/study/VELDRA/members/second-factor", data={"needed": "y", "version": "0"}).status_code == 303
    assert "Owners sign in with a second factor." in client.get("/study/VELDRA/members").text
    client.post("/account/second-factor/remove", data={"code": codes[0]})
    answer = client.get("/study/VELDRA/plants", follow_redirects=True)
    assert "This study asks its owners to sign in with a second factor." in answer.text
    assert client.post("/study/VELDRA/plants/1/remove", data={"version": "1"}).location == "/account"
    assert sign_in(READER).get("/study/VELDRA/plants").status_code == 200
    set_up(client, monkeypatch)
    assert client.get("/study/VELDRA/plants").status_code == 200
