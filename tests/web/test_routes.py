"""Every route of the application's own table: who reaches it, what it answers, what leaks nowhere."""

import io
import re
import uuid
from typing import Any

import pytest
from flask import Flask
from flask.testing import FlaskClient

from tender_ledger.core.rights import Right, Role, may
from tender_ledger.operations import accounts, studies
from tender_ledger.storage.database import value
from tests.conftest import GUARDIAN, OWNER, PASSWORD, READER, RECORDER, REVIEWER, SignedIn

OPEN = {"account.sign_in", "static", "health", "ready"}
ROLES = {OWNER: Role.OWNER, RECORDER: Role.RECORDER, REVIEWER: Role.REVIEWER, READER: Role.READER, GUARDIAN: Role.GUARDIAN}
ARGUMENTS: dict[str, Any] = {
    "study": "VELDRA",
    "code": "ONS-01",
    "number": 1,
    "report": 1,
    "act": 5,
    "agreement": 3,
    "name": "reports.csv",
    "key": "00",
    "table": 1,
    "kind": "csv",
    "membership": 4,
    "invitation": 1,
    "restriction": 1,
    "permit": 1,
    "feature": 1,
    "picture": 1,
    "specimen": 1,
    "size": "small",
    "free_list": 1,
    "entity": "community",
    "record": 1,
    "token": "not-open",
}

# Where the addresses here lead to a community that the guardian of Kelvasund does not stand for.
OF_ANOTHER = {"people.agree", "people.agree_for_community", "people.erase", "people.restrict"}

# What each writing or reserved route needs, by the table of rights; every other route of a study needs only membership.
NEEDS = {
    "encounters.new": Right.RECORD,
    "encounters.correct": Right.RECORD,
    "encounters.record_report": Right.RECORD,
    "encounters.enter_list": Right.RECORD,
    "encounters.take_list_back": Right.RECORD,
    "encounters.record_asking": Right.RECORD,
    "encounters.draft": Right.RECORD,
    "giveback.download": Right.EXPORT,
    "imports.bring": Right.IMPORT,
    "imports.brought": Right.IMPORT,
    "imports.failing": Right.IMPORT,
    "imports.land": Right.IMPORT,
    "imports.let_go": Right.IMPORT,
    "imports.read_again": Right.IMPORT,
    "reckoning.ladder_file": Right.EXPORT,
    "people.agree": Right.AGREE,
    "people.agree_for_community": Right.AGREE,
    "people.withdraw": Right.AGREE,
    "people.erase": Right.AGREE,
    "people.restrict": Right.RESTRICT,
    "people.release": Right.RESTRICT,
    "people.new_holder": Right.RECORD,
    "people.correct_holder": Right.RECORD,
    "people.new_source": Right.RECORD,
    "people.correct_source": Right.RECORD,
    "people.import_sources": Right.RECORD,
    "people.new_community": Right.ADMINISTER,
    "people.correct_community": Right.ADMINISTER,
    "people.new_language": Right.ADMINISTER,
    "people.new_dialect": Right.ADMINISTER,
    "people.keep_name": Right.REVEAL,
    "people.reveal_name": Right.REVEAL,
    "plants.new": Right.RECORD,
    "plants.name": Right.RECORD,
    "plants.correct": Right.RECORD,
    "plants.measure": Right.RECORD,
    "plants.remove_feature": Right.RECORD,
    "plants.keep_picture": Right.RECORD,
    "plants.new_specimen": Right.RECORD,
    "plants.correct_specimen": Right.RECORD,
    "plants.remove_specimen": Right.RECORD,
    "plants.remove_picture": Right.RECORD,
    "plants.determine": Right.REDETERMINE,
    "reports.correct": Right.RECORD,
    "reports.remove": Right.RECORD,
    "reckoning.set_rules": Right.SET_RULES,
    "study.add_member": Right.ADMINISTER,
    "study.record_permit": Right.ADMINISTER,
    "study.correct_permit": Right.ADMINISTER,
    "study.say_choice": Right.ADMINISTER,
    "study.invite": Right.ADMINISTER,
    "study.members": Right.ADMINISTER,
    "study.remove_role": Right.ADMINISTER,
    "study.revoke": Right.ADMINISTER,
    "study.undo": Right.UNDO_OTHERS,
}


def routes(app: Flask) -> list[tuple[str, str, str]]:
    """(endpoint, method, address) of every route."""
    found = []
    for rule in app.url_map.iter_rules():
        arguments = {name: ARGUMENTS.get(name, "x") for name in rule.arguments}
        if rule.endpoint == "people.community" or "communities" in rule.rule:
            arguments = {**arguments, "code": "ONS"} if "code" in arguments else arguments
        if "sources/<" in rule.rule:
            arguments = {**arguments, "code": "HB-1931"}
        with app.test_request_context():
            address = app.url_map.bind("localhost").build(rule.endpoint, arguments)
        found += [(rule.endpoint, method, address) for method in sorted((rule.methods or set()) & {"GET", "POST"})]
    return found


def brought_anew(client: FlaskClient, address: str) -> str:
    """The address with the number of a table that was just brought: it is its bringer's alone, and may be let go."""
    table = (io.BytesIO(b"informant,community,category\nONS-01,ONS,\n,,\nONS-99,,food\n"), "reports.csv")
    made = client.post("/study/VELDRA/reports/import", data={"reports": table, "may_record": "y"})
    return address.replace("/import/1", f"/import/{made.location.rsplit('/', 1)[1]}")


def form_of(endpoint: str) -> dict[str, str]:
    """Enough of a form that a route gets as far as asking for the right."""
    return {
        "client_key": "7b0f7c9e-6f0a-4c0e-9a53-0f6a3a8f4a11",
        "version": "1",
        "withdrawn_on": "2026-06-01",
        "agreed_on": "2026-06-01",
        **dict.fromkeys(("may_record", "may_count", "may_show"), "y"),
        "form": "oral",
    }


def test_without_a_session_every_route_answers_the_same_whether_it_is_there_or_not(app: Flask):
    client = app.test_client()
    closed = [one for one in routes(app) if one[0] not in OPEN]
    assert len(closed) > 50
    for endpoint, method, address in [
        *closed,
        ("", "GET", "/study/NOWHERE/people"),
        ("", "GET", "/nothing"),
        ("", "POST", "/study/VELDRA"),
    ]:
        answer = client.open(address, method=method)
        assert answer.status_code == 302, (endpoint, address)
        assert answer.headers["Location"].partition("?")[0] == "/sign-in"
    assert client.get("/study/VELDRA/people", headers={"HX-Request": "true"}).headers["HX-Redirect"].startswith("/sign-in")


def test_outside_the_study_nothing_is_there_for_any_method(app: Flask, sign_in: SignedIn):
    accounts.add_person("out@side.example", "O. Utside", PASSWORD)
    client = sign_in("out@side.example")
    for endpoint, method, address in routes(app):
        if "/study/" in address:
            assert client.open(address, method=method).status_code == 404, (endpoint, address)
    for method in ("PUT", "DELETE", "PATCH"):
        assert client.open("/study/VELDRA/people", method=method).status_code == 404
    there, not_there = client.get("/study/VELDRA/people").text, client.get("/study/NOWHERE/people").text
    assert re.sub("csrf.*?>", "", there) == re.sub("csrf.*?>", "", not_there)


@pytest.mark.parametrize("email", ROLES)
def test_each_role_reaches_what_the_table_gives_it(app: Flask, sign_in: SignedIn, email: str):
    client, role = sign_in(email), frozenset({ROLES[email]})
    seen = set()
    for endpoint, method, address in routes(app):
        if "/study/" not in address:
            continue
        seen.add(endpoint)
        address = brought_anew(client, address) if endpoint.startswith("imports.") and may(role, Right.IMPORT) else address
        if endpoint == "study.revoke":  # there must be one to be revoked
            client.post("/study/VELDRA/invitations", data={"role": "reader"})
        answer = client.open(address, method=method, data=form_of(endpoint) if method == "POST" else None)
        needed = NEEDS.get(endpoint)
        if needed is not None and (not may(role, needed) or (role == {Role.GUARDIAN} and endpoint in OF_ANOTHER)):
            assert answer.status_code == 403, (endpoint, method, answer.status_code)
            assert "you need to be an" in answer.text or "you need to be a " in answer.text
        else:
            assert answer.status_code in (200, 204, 303, 409, 422), (endpoint, method, answer.status_code)
    assert set(NEEDS) <= seen


def test_every_writing_route_of_a_study_is_in_the_table_of_rights(app: Flask):
    writing = {endpoint for endpoint, method, address in routes(app) if method == "POST" and "/study/" in address}
    assert writing <= set(NEEDS)


def test_a_forged_request_changes_nothing(app: Flask, sign_in: SignedIn):
    client, before = sign_in(), value("SELECT revision FROM study")
    app.config["WTF_CSRF_ENABLED"] = True
    for endpoint, method, address in routes(app):
        if method == "POST":
            assert client.post(address, data=form_of(endpoint)).status_code == 400, endpoint
    assert value("SELECT revision FROM study") == before


def test_what_a_member_may_not_see_is_on_no_page_of_anybody(app: Flask, sign_in: SignedIn):
    """ONS-09 withdrew, TAR-06 is counted and not shown, TAR-07 has no agreement on file."""
    for email in ROLES:
        client = sign_in(email)
        for endpoint, method, address in routes(app):
            if method != "GET" or endpoint in ("static", "account.sign_in"):
                continue
            text = client.get(address).get_data().decode(errors="replace")
            for code in ("ONS-09", "TAR-06"):
                allowed = email == OWNER and endpoint == "people.list_people"  # the owner keeps the terms
                assert allowed or code not in text, (email, endpoint, code)
            if email in (REVIEWER, READER, GUARDIAN):
                assert "TAR-07" not in text, (email, endpoint)


def test_the_margin_alone_is_the_margin_of_the_page(sign_in: SignedIn):
    client, address = sign_in(), "/study/VELDRA/reckoning?margin=ci:Plantago%20lanceolata"
    page = client.get(address).text
    margin = client.get(address, headers={"HX-Request": "true", "HX-Target": "aside#margin"}).text
    assert margin.startswith('<aside id="margin"')
    assert margin.strip() in page
    assert "<math" in margin


def test_a_sealed_holders_page_is_the_owners_alone(sign_in: SignedIn):
    assert "Sealed" in sign_in(OWNER).get("/study/VELDRA/people/holders/ONS-09").text
    for email in (RECORDER, REVIEWER, READER):
        assert sign_in(email).get("/study/VELDRA/people/holders/ONS-09").status_code == 404


def test_record_form_without_scripts_redirects_and_an_error_keeps_what_was_typed(sign_in: SignedIn):
    client = sign_in(RECORDER)
    typed = {
        "client_key": "7b0f7c9e-6f0a-4c0e-9a53-0f6a3a8f4a12",
        "informant": "ONS-03",
        "plant": "P-001",
        "category": "foo",
        "words": "ŋelʷa, always",
    }
    answer = client.post("/study/VELDRA/encounters/2/reports", data=typed)
    assert answer.status_code == 422
    assert 'value="ŋelʷa, always"' in answer.text
    assert "can be food, food additives" in answer.text
    assert typed["client_key"] in answer.text
    answer = client.post("/study/VELDRA/encounters/2/reports", data={**typed, "category": "food"})
    assert answer.status_code == 303
    page = client.get(answer.headers["Location"]).text
    assert "ŋelʷa, always" in page
    assert "Undo" in page


def test_a_correction_in_place_and_its_conflict(sign_in: SignedIn):
    first, second = sign_in(RECORDER), sign_in(OWNER)
    htmx = {"HX-Request": "true", "HX-Target": "li#r2"}
    form = first.get("/study/VELDRA/reports/2/correct", headers=htmx).text
    assert form.strip().startswith('<li id="r2">')
    slots = dict(re.findall(r'name="(\w+)" value="([^"]*)"', form))
    saved = second.post("/study/VELDRA/reports/2/correct", data={**slots, "note": "as the owner heard it"}, headers=htmx)
    assert (saved.status_code, "as the owner heard it" in saved.text) == (200, True)
    late = first.post("/study/VELDRA/reports/2/correct", data={**slots, "note": "as I heard it"}, headers=htmx)
    assert late.status_code == 409
    assert "as the owner heard it" in late.text
    assert "as I heard it" in late.text
    mine = dict(re.findall(r'name="(\w+)" value="([^"]*)"', late.text))
    assert first.post("/study/VELDRA/reports/2/correct", data=mine, headers=htmx).status_code == 200
    assert "as I heard it" in first.get("/study/VELDRA/reports/2").text


def test_rules_tried_out_change_this_page_and_no_other(sign_in: SignedIn):
    client = sign_in(READER)
    tried = client.get("/study/VELDRA/reckoning?informants=sources&basis=own&basis=hearsay&basis=read&unit=use").text
    assert "one report a holder, plant and specific use" in tried
    assert "holders and sources" in tried
    assert "Tried out in this window only" in tried
    assert "Tried out" not in client.get("/study/VELDRA/reckoning").text
    assert client.get("/study/VELDRA/reckoning?basis=rumour").status_code == 422
    nothing_ticked = client.get("/study/VELDRA/reckoning?tried=yes&unit=use")
    assert (nothing_ticked.status_code, "a list of at least one" in nothing_ticked.text) == (422, True)


def test_rules_put_in_force_are_an_act_that_can_be_undone(sign_in: SignedIn):
    client = sign_in(REVIEWER)
    assert (
        client.post("/study/VELDRA/reckoning/rules", data={"unit": "use", "informants": "holders", "basis": ["own"]}).status_code
        == 303
    )
    assert "specific use" in client.get("/study/VELDRA/reckoning").text
    act = value("SELECT max(id) FROM act")
    assert client.post(f"/study/VELDRA/history/{act}/undo").status_code == 303
    assert "plant and category" in client.get("/study/VELDRA/reckoning").text


def test_setting_up_a_study_from_nothing_to_a_first_number(app: Flask, sign_in: SignedIn):
    accounts.add_person("new@study.example", "N. Ew", PASSWORD)
    client = sign_in("new@study.example")
    assert "You work in no study yet" in client.get("/").text
    assert client.post("/studies/new", data={"code": "new", "title": "New study", "zone": "UTC"}).status_code == 303
    at = "/study/NEW"
    for page in ("people", "encounters", "plants", "reports", "reckoning", "give-back", "history"):
        assert client.get(f"{at}/{page}").status_code == 200, page
    steps: list[tuple[str, dict[str, Any]]] = [
        ("people/languages/new", {"code": "qaa", "name": "Onsic"}),
        ("people/communities/new", {"code": "AA", "name": "Aamere", "latitude": "47,5", "longitude": "−30"}),
        ("people/holders/new", {"code": "aa-01", "community_id": str(value("SELECT max(id) FROM community")), "birth": "1950s"}),
        (
            "people/holders/AA-01/agreements",
            {"agreed_on": "2026-06-01", "form": "oral", "may_record": "y", "may_count": "y", "may_show": "y"},
        ),
        ("people/sources/new", {"code": "BK-1", "kind": "book", "title": "A book"}),
    ]
    for address, data in steps:
        if "community_id" in data:
            data["community_id"] = str(value("SELECT max(id) FROM community"))
        answer = client.post(f"{at}/{address}", data=data)
        assert answer.status_code == 303, (address, answer.text)
    community, informant = (
        value("SELECT max(id) FROM community"),
        value("SELECT min(id) FROM informant WHERE study_id = (SELECT max(id) FROM study)"),
    )
    met = {
        "kind": "walk",
        "title": "First walk",
        "day": "about June 2026",
        "community_id": str(community),
        "informants": [str(informant)],
    }
    assert client.post(f"{at}/encounters/new", data=met).headers["Location"].endswith("/encounters/1")
    told = {
        "client_key": "7b0f7c9e-6f0a-4c0e-9a53-0f6a3a8f4a13",
        "informant": "AA-01",
        "plant": "+ wiṯoi",
        "category": "materials",
    }
    assert client.post(f"{at}/encounters/1/reports", data=told).status_code == 303
    named = {"taxon": "Salix caprea", "qualifier": "none", "basis": "photo", "confidence": "likely"}
    assert client.post(f"{at}/plants/1/determinations", data=named).status_code == 303
    page = client.get(f"{at}/reckoning?margin=ci:Salix%20caprea").text
    assert "Use values of 1 plant<" in page
    assert "wiṯoi" in page


def test_a_refused_form_says_what_would_be_right_beside_its_field(sign_in: SignedIn):
    client = sign_in()
    answer = client.post("/study/VELDRA/people/holders/new", data={"code": "ONS-01", "community_id": "1", "birth": ""})
    assert (answer.status_code, "The study has a holder with this code already." in answer.text) == (422, True)
    answer = client.post("/study/VELDRA/people/holders/new", data={"code": "ONS-77", "community_id": "1", "birth": "long ago"})
    assert "“long ago” is no year or decade" in answer.text
    answer = client.post(
        "/study/VELDRA/people/communities/new", data={"code": "QQ", "name": "Q", "latitude": "north", "longitude": ""}
    )
    assert "is no number of degrees" in answer.text
    answer = client.post(
        "/study/VELDRA/people/communities/new", data={"code": "QQ", "name": "Q", "latitude": "99", "longitude": "1"}
    )
    assert "Latitude lies between -90 and 90 degrees." in answer.text
    answer = client.post(
        "/study/VELDRA/plants/1/determinations",
        data={"taxon": "Nulla planta", "qualifier": "none", "basis": "photo", "confidence": "sure"},
    )
    assert "The checklist has no “Nulla planta”" in answer.text


def queries_of(client: FlaskClient, address: str, monkeypatch: pytest.MonkeyPatch) -> int:
    from tender_ledger.storage.database import database

    asked, plain = [], database.obj.execute_sql

    def counted(sql: str, *rest: Any, **more: Any) -> Any:
        asked.append(sql)
        return plain(sql, *rest, **more)

    with monkeypatch.context() as patch:
        patch.setattr(database.obj, "execute_sql", counted)
        assert client.get(address).status_code == 200
    return len(asked)


@pytest.mark.parametrize(
    ("page", "most"), [("people", 12), ("encounters", 8), ("plants", 8), ("reports", 10), ("reckoning", 28), ("encounters/2", 14)]
)
def test_a_page_asks_a_fixed_number_of_questions(sign_in: SignedIn, monkeypatch: pytest.MonkeyPatch, page: str, most: int):
    assert queries_of(sign_in(), f"/study/VELDRA/{page}", monkeypatch) <= most


def test_the_study_of_another_is_not_reached_through_its_records(app: Flask, sign_in: SignedIn):
    person = accounts.add_person("two@study.example", "T. Wo", PASSWORD)
    studies.create_study(person, code="TWO", title="Second")
    client = sign_in("two@study.example")
    for address in ("reports/1", "plants/1", "encounters/1", "people/holders/ONS-01", "people/communities/ONS"):
        assert client.get(f"/study/TWO/{address}").status_code == 404
    assert client.post("/study/TWO/history/5/undo").status_code == 404


HOSTILE: dict[str, Any] = {
    "code": "\x00",
    "community_id": "x",
    "language_id": "999999",
    "languages": ["y"],
    "informants": ["999999"],
    "kind": "feast",
    "day": "2026",
    "title": "T\x00",
    "name": "N",
    "place": "\x00",
    "gender": "x",
    "chosen": "x",
    "birth": "9999",
    "form": "x",
    "agreed_on": "2026-06-01",
    "withdrawn_on": "2026-06-01",
    "version": "99999999999999999999",
    "client_key": "no key",
    "taxon": "Salix caprea",
    "qualifier": "x",
    "basis": "x",
    "confidence": "x",
    "informant": "\x00",
    "plant": "P-99999999999999999999",
    "category": "\x00",
    "start": "9" * 40,
    "words": "\x00",
    "latitude": "1e999",
    "longitude": "nan",
    "unit": "x",
    "informants_": "x",
    "reason": "\x00",
    "back": "//evil",
}


@pytest.mark.parametrize("left_out", ["", "kind", "community_id", "version", "client_key", "taxon", "form", "plant"])
def test_nothing_that_is_sent_makes_the_server_fail(app: Flask, sign_in: SignedIn, left_out: str):
    client, guardian = sign_in(OWNER), sign_in(GUARDIAN)
    sent = {**{name: value for name, value in HOSTILE.items() if name != left_out}, "study": "x"}
    good = {"version": "1", "client_key": "7b0f7c9e-6f0a-4c0e-9a53-0f6a3a8f4a44", "qualifier": "none", "basis": "photo"}
    for endpoint, method, address in routes(app):
        if method == "POST" and endpoint not in ("account.sign_out", "account.sign_in"):
            for data in (sent, {**sent, **good}):
                restricting = NEEDS.get(endpoint) is Right.RESTRICT
                answer = (
                    guardian.post(address.replace("ONS", "KEL"), data=data) if restricting else client.post(address, data=data)
                )
                looked = (200,) if endpoint in ("encounters.enter_list", "encounters.new", "plants.determine") else ()
                assert answer.status_code in (*looked, 204, 303, 400, 404, 409, 422), (endpoint, answer.status_code)
        elif method == "GET":
            answer = client.get(
                address, query_string={"margin": "ci:\x00", "sort": "\x00", "group": "x", "page": "-3", "q": "\x00", "all": "x"}
            )
            assert answer.status_code < 500, endpoint


def test_what_is_told_on_narrow_terms_is_taken_by_the_whole_code_and_not_shown(app: Flask, sign_in: SignedIn):
    """TAR-06 may be recorded and counted and not shown: the recorder who met them still writes it down."""
    client = sign_in(RECORDER)
    met = value(
        """SELECT e.number FROM encounter e JOIN encounter_informant x ON x.encounter_id = e.id
           JOIN informant i ON i.id = x.informant_id JOIN holder h ON h.id = i.holder_id WHERE h.code = 'TAR-06'"""
    )
    page = client.get(f"/study/VELDRA/encounters/{met}")
    assert (page.status_code, "TAR-06" in page.text) == (200, False)
    assert sign_in(READER).get(f"/study/VELDRA/encounters/{met}").status_code == 404
    told = {
        "client_key": "7b0f7c9e-6f0a-4c0e-9a53-0f6a3a8f4a77",
        "informant": "tar-06",
        "plant": "P-001",
        "category": "food",
        "note": "narrowly told",
    }
    before = value("SELECT count(*) FROM use_report")
    answer = client.post(
        f"/study/VELDRA/encounters/{met}/reports", data=told, headers={"HX-Request": "true", "HX-Target": "div#desk"}
    )
    assert (answer.status_code, value("SELECT count(*) FROM use_report")) == (200, before + 1)
    assert "Under its teller&#39;s terms it is not shown" in answer.text
    assert "narrowly told" not in answer.text
    wrong = client.post(
        f"/study/VELDRA/encounters/{met}/reports", data={**told, "informant": "TAR-0", "client_key": str(uuid.uuid4())}
    )
    assert wrong.status_code == 422
    assert "TAR-06" not in wrong.text


@pytest.mark.parametrize("address", ["encounters/2", "people/holders/ONS-02", "people/communities/ONS"])
def test_a_form_drawn_from_an_older_version_shows_both_and_keeps_what_was_typed(sign_in: SignedIn, address: str):
    first, second = sign_in(OWNER), sign_in(OWNER)
    page = first.get(f"/study/VELDRA/{address}/correct").text
    fields = dict(re.findall(r'<input[^>]* name="(\w+)"[^>]*? value="([^"]*)"', page))
    chosen = dict(re.findall(r'<select[^>]* name="(\w+)">.*?<option selected value="([^"]*)"', page, re.S))
    ticked = re.findall(r'<input checked [^>]*name="(\w+)"[^>]*value="(\d+)"', page)
    form = {**fields, **chosen, **{name: [value for of, value in ticked if of == name] for name, _ in ticked}}
    changed = "birth" if "holders" in address else "title" if "encounters" in address else "place"
    other, mine = ("1951", "1952") if changed == "birth" else ("As the other says", "As I say")
    assert second.post(f"/study/VELDRA/{address}/correct", data={**form, changed: other}).status_code == 303
    late = first.post(f"/study/VELDRA/{address}/correct", data={**form, changed: mine})
    assert late.status_code == 409
    assert "Somebody saved this meanwhile" in late.text
    assert other in late.text
    assert f'value="{mine}"' in late.text
    newer = re.search(r'name="version"[^>]* value="(\d+)"', late.text)
    assert newer is not None
    assert first.post(f"/study/VELDRA/{address}/correct", data={**form, changed: mine, "version": newer[1]}).status_code == 303


def test_nothing_is_agreed_to_in_advance(sign_in: SignedIn):
    """No box of a new agreement is ticked before somebody has said so."""
    for address in ("people/holders/ONS-01", "people/communities/ONS"):
        page = sign_in(RECORDER).get(f"/study/VELDRA/{address}").text
        assert len(re.findall(r'<input[^>]* name="may_\w+"', page)) == 6
        assert re.findall(r"<input checked[^>]*may_", page) == []
