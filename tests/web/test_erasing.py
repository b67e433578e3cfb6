"""Erasing on the page: asked for once more, gone from every page of everybody, and a line that says only that it happened."""

import re

from flask import Flask

from tender_ledger.storage.queries import erasures
from tender_ledger.web.app import create_app
from tests.conftest import OWNER, PASSWORD, READER, RECORDER, REVIEWER, SignedIn, settings
from tests.web.test_routes import routes

HOLDER = "/study/VELDRA/people/holders/ONS-03"


def n_of(client) -> int:
    found = re.search(r"N = (\d+)", client.get("/study/VELDRA/reckoning").text)
    assert found
    return int(found[1])


def test_erasing_asks_for_the_code_and_then_nobody_finds_them(app: Flask, sign_in: SignedIn):
    client = sign_in(RECORDER)
    before = n_of(client)
    wrong = client.post(f"{HOLDER}/erase", data={"typed": "ONS-04"})
    assert wrong.status_code == 422
    assert "Type the holder’s code as it stands above" in wrong.text
    assert n_of(client) == before
    gone = client.post(f"{HOLDER}/erase", data={"typed": "ons-03"})
    assert gone.status_code == 303
    page = client.get("/study/VELDRA/people").text
    assert "Erased, for good" in page
    assert "Undo" not in page.partition('class="notice"')[2].partition("</div>")[0]
    assert n_of(client) == before - 1
    assert client.get(HOLDER).status_code == 404
    for email in (OWNER, RECORDER, REVIEWER, READER):
        viewer = sign_in(email)
        for endpoint, method, address in routes(app):
            if method == "GET" and endpoint not in ("static", "account.sign_in"):
                assert b"ONS-03" not in viewer.get(address).data, (email, endpoint)
    assert "an erased holder" in sign_in().get("/study/VELDRA/people").text
    assert "an erased holder" not in sign_in(READER).get("/study/VELDRA/people").text
    history = sign_in().get("/study/VELDRA/history").text
    line = history[history.index("erased a holder") :].partition("</tr>")[0]
    assert "Undo" not in line


def test_the_list_of_erasures_is_kept_in_the_state_folder(demo_db: str, tmp_path):
    made = create_app(settings(demo_db, TENDER_STATE=str(tmp_path)))
    made.config.update(TESTING=True, WTF_CSRF_ENABLED=False)
    client = made.test_client()
    client.post("/sign-in", data={"email": OWNER, "password": PASSWORD})
    client.post(f"{HOLDER}/erase", data={"typed": "ONS-03"})
    kept = (tmp_path / "erasures.json").read_text()
    assert '"holder_id"' in kept
    assert "ONS-03" not in kept
    assert (tmp_path / "erasures.json").stat().st_mode & 0o777 == 0o600


def test_a_restored_database_serves_nobody_before_it_is_settled_who_was_erased(demo_db: str):
    erasures.wait()
    made = create_app(settings(demo_db))
    made.config.update(TESTING=True, WTF_CSRF_ENABLED=False)
    client = made.test_client()
    for address in ("/", "/sign-in", "/study/VELDRA/people"):
        answer = client.get(address)
        assert (answer.status_code, "Nobody is served yet" in answer.text) == (503, True)
    assert client.post("/sign-in", data={"email": OWNER, "password": PASSWORD}).status_code == 503
    assert client.get("/health").status_code == 200
    assert (client.get("/ready").status_code, "not settled who was erased" in client.get("/ready").text) == (503, True)
    erasures.confirm()
    assert client.get("/ready").status_code == 200
    assert client.post("/sign-in", data={"email": OWNER, "password": PASSWORD}).status_code == 303
