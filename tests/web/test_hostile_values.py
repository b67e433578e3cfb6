"""What no client should send gets an answer that says what is wrong, and loses nothing of what was typed."""

import io
import re

import pytest
from flask.testing import FlaskClient

from tender_ledger.core.limits import LINE, WORDS
from tender_ledger.storage.database import value
from tests.conftest import SignedIn

KEY = "7b0f7c9e-6f0a-4c0e-9a53-0f6a3a8f4a11"


@pytest.fixture
def client(sign_in: SignedIn) -> FlaskClient:
    return sign_in()


def test_a_note_that_is_too_long_is_refused_beside_its_slot_and_stays_there(client: FlaskClient):
    reports = value("SELECT count(*) FROM use_report")
    typed = {
        "client_key": KEY,
        "informant": "ONS-01",
        "plant": "P-001",
        "category": "medicines",
        "basis": "own practice",
        "note": "n" * (WORDS + 1),
        "steps-0-method": "dried",
        "steps-0-lasts": "d" * (LINE + 1),
    }
    answer = client.post("/study/VELDRA/encounters/1/reports", data=typed)
    assert answer.status_code == 422
    assert "It has 20,001 characters; at most 20,000 are kept here." in answer.text
    assert typed["note"] in answer.text
    answer = client.post("/study/VELDRA/encounters/1/reports", data=typed | {"note": "short"})
    assert answer.status_code == 422
    assert "It has 501 characters; at most 500 are kept here." in answer.text
    assert value("SELECT count(*) FROM use_report") == reports


def test_every_field_says_how_much_it_takes(client: FlaskClient):
    page = client.get("/study/VELDRA/plants/new").text
    assert "at most 500 characters" in re.sub(r"\s", " ", page)
    desk = client.get("/study/VELDRA/encounters/1").text
    assert desk.count('data-most="') == desk.count('class="slot ')
    assert 'data-most="20000"' in desk


@pytest.mark.parametrize("address", ["/study/VELDRA%00", "/study/VELDRA/reckoning?margin=%00", "/study/VELDRA/reports?q=a%01b"])
def test_control_characters_are_named_in_a_refusal(client: FlaskClient, address: str):
    answer = client.get(address)
    assert answer.status_code == 400
    assert "control character U+000" in answer.text


def test_a_control_character_in_a_form_is_refused_and_nothing_is_saved(client: FlaskClient):
    before = value("SELECT count(*) FROM encounter")
    answer = client.post("/study/VELDRA/encounters/new", data={"client_key": KEY, "title": "a\x00b", "from_day": "2026-05-01"})
    assert answer.status_code == 400
    assert "U+0000" in answer.text
    assert value("SELECT count(*) FROM encounter") == before


def test_a_field_without_a_name_is_refused(client: FlaskClient):
    body = b"--x\r\nContent-Disposition: form-data\r\n\r\na\r\n--x--\r\n"
    answer = client.post("/study/VELDRA/encounters/new", data=body, content_type="multipart/form-data; boundary=x")
    assert answer.status_code == 400
    assert "A field was sent without its name." in answer.text


@pytest.mark.parametrize(
    ("path", "typed", "table"),
    [
        ("invitations", {"role": "reader", "meant_for": "m" * (LINE + 1)}, "invitation"),
        ("people/holders/ONS-01/reveal", {"reason": "r" * (WORDS + 1)}, "disclosure"),
        ("people/holders/ONS-01/name", {"name": "n" * (LINE + 1)}, "holder_identity"),
    ],
)
def test_a_text_that_is_kept_outside_the_history_has_a_length_too(
    client: FlaskClient, path: str, typed: dict[str, str], table: str
):
    before = value(f"SELECT count(*) FROM {table}")
    answer = client.post(f"/study/VELDRA/{path}", data={"version": "1", **typed})
    assert answer.status_code == 422
    assert "This is too long. It has" in answer.text
    assert value(f"SELECT count(*) FROM {table}") == before


def test_a_code_of_a_study_that_is_too_long_is_refused(client: FlaskClient):
    before = value("SELECT count(*) FROM study")
    answer = client.post("/studies/new", data={"code": "ZZ" * 17, "title": "a walk", "zone": "UTC"})
    assert answer.status_code == 422
    assert "32 at most" in answer.text
    assert value("SELECT count(*) FROM study") == before


@pytest.mark.parametrize("cell", ["\x00", "yes\x00", "two\x0blines", "\ud800".encode("utf-8", "surrogatepass").decode("latin-1")])
def test_a_table_of_answers_with_control_characters_is_read_without_them(client: FlaskClient, cell: str):
    table = f'informant,"asked{cell}","two\nlines"\nONS-01,"{cell}",no\nONS-02,yes,no\n'
    sent = {"title": "Answers", "alternatives": "2", "file": (io.BytesIO(table.encode()), "answers.csv")}
    assert client.post("/study/VELDRA/reckoning/questionnaires", data=sent).status_code in (303, 422)
    kept = value("SELECT questions FROM questionnaire ORDER BY id DESC LIMIT 1")
    assert not any(ord(letter) < 32 and letter != "\n" for letter in kept)
    assert "two lines" in kept or "asked" not in kept


@pytest.mark.parametrize("number", ["9" * 5_000, "²", "9223372036854775808", "2147483648", "-1", "٣"])
def test_an_address_with_a_number_that_no_record_has_leads_nowhere(client: FlaskClient, number: str):
    assert client.get(f"/study/VELDRA/plants/{number}").status_code == 404


@pytest.mark.parametrize("version", ["abc", "²", "9" * 5_000, "", "-1", str(2**63)])
def test_a_version_that_is_none_is_a_stale_one(client: FlaskClient, version: str):
    answer = client.post("/study/VELDRA/plants/1/remove", data={"version": version})
    assert answer.status_code in (409, 422)


@pytest.mark.parametrize("key", ["zz", "0", "é" * 40, "f" * 63])
def test_a_session_key_that_is_no_hexadecimal_number_leads_nowhere(client: FlaskClient, key: str):
    assert client.post(f"/account/sessions/{key}/end").status_code in (303, 404)


def test_an_address_that_is_too_long_is_refused(client: FlaskClient):
    assert client.get("/study/VELDRA/reports?q=" + "a" * 2_001).status_code == 400


def test_names_in_an_address_do_not_change_where_links_lead(client: FlaskClient):
    page = client.get("/study/VELDRA/reckoning/indices?_external=1&_scheme=x&view=y&_anchor=z&study=OTHER").text
    assert 'href="x:' not in page
    assert "/study/OTHER/" not in page


MALFORMED = (
    "[" * 100_000, '{"items": 3}', "[null, 1, [], {}]", '[{"title": {"a": 1}}]', '[{"title": "T", "author": "Marrow"}]',
    '[{"title": "T", "author": [null]}]', '[{"title": "T", "author": [{"family": {"a": 1}}]}]',
    '[{"title": "T", "issued": "1964"}]',
    '[{"title": "T", "issued": {"date-parts": 3}}]', '[{"title": "T", "issued": {"date-parts": [[]]}}]',
    '[{"title": "T", "issued": {"date-parts": [["x", null]]}}]', '[{"title": "T", "issued": {"date-parts": [[1e400]]}}]',
    '[{"title": "T", "volume": NaN}]', '[{"title": "T", "DOI": ["10.1"]}]', '[{"title": "T", "page": true}]',
)  # fmt: skip


@pytest.mark.parametrize("text", MALFORMED)
def test_malformed_references_are_told_and_never_fail(client: FlaskClient, text: str):
    file = (io.BytesIO(text.encode()), "sources.json")
    answer = client.post("/study/VELDRA/people/sources/import", data={"file": file})
    assert answer.status_code in (200, 303, 422)
    assert client.get("/study/VELDRA/people").status_code == 200
