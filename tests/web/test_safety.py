"""Cookies, headers, error pages and the log: what a browser is told, and what nobody is."""

import io
import json
import logging

import pytest
from flask import Flask
from peewee import OperationalError
from playhouse.pool import MaxConnectionsExceeded

from tender_ledger.formats.isolation import Busy
from tender_ledger.storage.database import rows, value
from tender_ledger.web.app import create_app
from tests.conftest import OWNER, PASSWORD, SignedIn, settings


def cookies(app: Flask, address: str) -> dict[str, str]:
    answer = app.test_client().post("/sign-in", data={"email": OWNER, "password": PASSWORD}, base_url=address)
    found = [value for name, value in answer.headers if name == "Set-Cookie"]
    return {one.partition("=")[0]: one for one in found}


def test_the_cookies_here_and_behind_https(app: Flask, demo_db: str):
    here = cookies(app, "http://localhost")
    assert set(here) == {"tender", "tender-device"}
    for one in here.values():
        assert "HttpOnly" in one
        assert "SameSite=Lax" in one
        assert "Secure" not in one
    secure = create_app(settings(demo_db, TENDER_PUBLIC="https://ledger.example"))
    secure.config["WTF_CSRF_ENABLED"] = False
    there = cookies(secure, "https://ledger.example")
    assert set(there) == {"__Host-tender", "__Host-tender-device"}
    for one in there.values():
        assert "Secure" in one
        assert "Path=/;" in f"{one};"
        assert "Domain" not in one


def test_guesses_elsewhere_do_not_keep_a_known_device_out_and_are_told(app: Flask):
    own, stranger = app.test_client(), app.test_client()
    own.post("/sign-in", data={"email": OWNER, "password": PASSWORD})
    own.post("/sign-out")
    for _ in range(12):
        answer = stranger.post("/sign-in", data={"email": OWNER, "password": "wrong"})
    assert answer.status_code == 429
    assert int(answer.headers["Retry-After"]) >= 1
    assert stranger.post("/sign-in", data={"email": OWNER, "password": PASSWORD}).status_code == 429
    answer = own.post("/sign-in", data={"email": OWNER, "password": PASSWORD}, follow_redirects=True)
    assert answer.status_code == 200
    assert "13 attempts to sign in as you failed since you last did." in answer.text


def test_the_policy_lets_nothing_run_from_within_a_page(sign_in: SignedIn):
    answer = sign_in().get("/study/VELDRA/reckoning")
    policy = answer.headers["Content-Security-Policy"]
    assert "default-src 'none'" in policy
    assert "unsafe" not in policy
    assert "<style" not in answer.text
    assert " style=" not in answer.text
    assert "<script>" not in answer.text
    assert answer.headers["Cache-Control"] == "no-store"
    assert answer.headers["X-Frame-Options"] == "DENY"
    assert answer.headers["X-Content-Type-Options"] == "nosniff"


def test_signing_out_ends_the_session_and_another_can_be_ended(sign_in: SignedIn):
    first, second = sign_in(), sign_in()
    keys = {bytes(one["token_sha256"]).hex() for one in rows("SELECT token_sha256 FROM person_session WHERE ended_at IS NULL")}
    assert len(keys) == 2
    first.post("/sign-out")
    assert first.get("/account").status_code == 302
    assert second.get("/account").status_code == 200
    third = sign_in()
    for key in keys:
        third.post(f"/account/sessions/{key}/end")
    assert second.get("/account").status_code == 302
    assert third.get("/account").status_code == 200


def test_a_wrong_password_keeps_the_address_and_too_many_are_stopped(app: Flask):
    client = app.test_client()
    answer = client.post("/sign-in", data={"email": OWNER, "password": "wrong"})
    assert answer.status_code == 422
    assert f'value="{OWNER}"' in answer.text
    assert "do not belong together" in answer.text
    for _ in range(8):
        answer = client.post("/sign-in", data={"email": OWNER, "password": "wrong"})
    assert answer.status_code == 429
    assert "then try again. Nobody is locked out" in answer.text


@pytest.mark.parametrize(
    "then",
    [
        "https://evil.example/",
        "//evil.example",
        "/\\evil.example",
        "javascript:alert(1)",
        "/\t/evil.example",
        "/\n/evil.example",
        "/\r\n/evil.example",
        "\t//evil.example",
        " //evil.example",
        "/ok\\..\\x",
        "",
        "ok",
    ],
)
def test_after_signing_in_one_stays_here(app: Flask, then: str):
    answer = app.test_client().post("/sign-in", query_string={"then": then}, data={"email": OWNER, "password": PASSWORD})
    assert answer.headers["Location"] == "/"


def test_after_signing_in_one_goes_where_one_wanted(app: Flask):
    answer = app.test_client().post(
        "/sign-in", query_string={"then": "/study/VELDRA/people?a=b"}, data={"email": OWNER, "password": PASSWORD}
    )
    assert answer.headers["Location"] == "/study/VELDRA/people?a=b"


@pytest.mark.parametrize("host", ["evil.example", "ledger.example.evil.example", "127.0.0.1.evil.example", "evil.example:80"])
def test_requests_for_another_host_are_not_answered(demo_db: str, host: str):
    made = create_app(settings(demo_db, TENDER_PUBLIC="https://ledger.example", TENDER_HOSTS="other.example, third.example"))
    client = made.test_client()
    for address in ("/sign-in", "/", "/study/VELDRA/people"):
        assert client.get(address, headers={"Host": host}).status_code == 400, address
    for known in ("ledger.example", "third.example", "localhost", "127.0.0.1:8460"):
        assert client.get("/sign-in", headers={"Host": known}).status_code == 200, known


def test_the_link_of_an_invitation_is_at_the_public_address_whatever_the_request_says(demo_db: str):
    made = create_app(settings(demo_db, TENDER_PUBLIC="http://ledger.example:8000/", TENDER_HOSTS="other.example"))
    made.config["WTF_CSRF_ENABLED"] = False
    client = made.test_client()
    client.post("/sign-in", data={"email": OWNER, "password": PASSWORD}, headers={"Host": "other.example"})
    sent = {"role": "reader", "meant_for": "the new student"}
    answer = client.post("/study/VELDRA/invitations", data=sent, headers={"Host": "other.example"})
    assert 'value="http://ledger.example:8000/join/' in answer.text
    assert "other.example" not in answer.text


def test_a_public_address_that_is_none_is_refused(demo_db: str):
    with pytest.raises(ValueError, match="which is no address"):
        create_app(settings(demo_db, TENDER_PUBLIC="ledger.example"))


def test_error_pages_have_their_own_words_and_fragments(app: Flask, sign_in: SignedIn, monkeypatch: pytest.MonkeyPatch):
    app.config["PROPAGATE_EXCEPTIONS"] = False
    client = sign_in()
    missing = client.get("/study/VELDRA/plants/999")
    assert missing.status_code == 404
    assert "There is nothing here for you" in missing.text
    fragment = client.get("/study/VELDRA/plants/999", headers={"HX-Request": "true"})
    assert "<html" not in fragment.text
    large = client.post("/study/VELDRA/encounters/2/draft", data={"words": "x" * 3_000_000})
    assert large.status_code == 413
    assert "may hold 2 MB" in large.text

    def broken(*_: object) -> None:
        raise RuntimeError("ONS-01 said something")

    monkeypatch.setattr("tender_ledger.storage.queries.plants.plants", broken)
    failed = client.get("/study/VELDRA/plants")
    assert failed.status_code == 500
    assert "Number of the request" in failed.text
    assert "ONS-01 said" not in failed.text


@pytest.mark.parametrize("why", [OperationalError("no server"), MaxConnectionsExceeded("all in use")], ids=["gone", "busy"])
def test_a_database_that_is_gone_or_busy_is_said_and_not_ready(
    app: Flask, sign_in: SignedIn, monkeypatch: pytest.MonkeyPatch, why: Exception
):
    client = sign_in()

    def gone() -> bool:
        raise why

    with monkeypatch.context() as patch:
        patch.setattr("tender_ledger.web.requests.open_connection", gone)
        patch.setattr("tender_ledger.storage.database.open_connection", gone)
        answer = client.get("/study/VELDRA/plants")
        assert (answer.status_code, "The database does not answer" in answer.text) == (503, True)
        assert answer.headers["Retry-After"] == "5"
        assert client.get("/ready").status_code == 503
        assert client.get("/health").status_code == 200


def test_readers_of_files_that_are_all_at_work_are_said_and_nothing_is_begun(sign_in: SignedIn, monkeypatch: pytest.MonkeyPatch):
    def busy(*_arguments: object, **_named: object) -> None:
        raise Busy

    monkeypatch.setattr("tender_ledger.operations.sources.isolated", busy)
    file = (io.BytesIO(b'[{"title": "T"}]'), "sources.json")
    answer = sign_in().post("/study/VELDRA/people/sources/import", data={"file": file})
    assert (answer.status_code, answer.headers["Retry-After"]) == (503, "10")
    assert "Nothing was begun of yours" in answer.text


def test_ready_says_so(app: Flask):
    assert app.test_client().get("/ready").text == "ready\n"


def test_a_log_line_has_route_person_status_and_time_and_nothing_that_was_said(
    sign_in: SignedIn, caplog: pytest.LogCaptureFixture
):
    log = logging.getLogger("tender_ledger.requests")
    log.addHandler(caplog.handler)
    try:
        client = sign_in()
        client.get("/study/VELDRA/people/holders/ONS-01?margin=secret")
        client.post("/study/VELDRA/encounters/2/draft", data={"words": "It closes a cut"})
    finally:
        log.removeHandler(caplog.handler)
    lines = [json.loads(record.message) for record in caplog.records if record.name == log.name]
    assert [one["route"] for one in lines] == ["account.sign_in", "people.holder", "encounters.draft"]
    assert set(lines[1]) == {"request", "route", "method", "person", "status", "ms", "db_ms", "statements"}
    assert lines[1]["person"] == value("SELECT id FROM person WHERE email_fold = %(e)s", e=OWNER)
    text = caplog.text
    for secret in ("ONS-01", "closes a cut", "secret", OWNER, PASSWORD):
        assert secret not in text
