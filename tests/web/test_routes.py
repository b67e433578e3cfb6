"""Every route of the application's own table: who reaches it, what it answers, what leaks nowhere."""

import io
import re
from typing import Any

import pytest
from flask import Flask
from flask.testing import FlaskClient

from tender_ledger.core.rights import Right, Role, may
from tender_ledger.operations import accounts, studies
from tender_ledger.storage.database import ask_always, ask_once, rows, run, snapshot, value
from tender_ledger.storage.models import Plant
from tests.conftest import GUARDIAN, OWNER, PASSWORD, READER, RECORDER, REVIEWER, SignedIn

OPEN = {"account.sign_in", "account.sign_in_code", "static", "health", "ready"}
ROLES = {OWNER: Role.OWNER, RECORDER: Role.RECORDER, REVIEWER: Role.REVIEWER, READER: Role.READER, GUARDIAN: Role.GUARDIAN}
ARGUMENTS: dict[str, Any] = {
    "study": "VELDRA",
    "code": "ONS-01",
    "number": 1,
    "report": 1,
    "act": 5,
    "agreement": 3,
    "name": "reports.csv",
    "name_id": 1,
    "key": "00",
    "table": 1,
    "kind": "csv",
    "membership": 4,
    "invitation": 1,
    "restriction": 1,
    "permit": 1,
    "checklist": 1,
    "dispute": 1,
    "mark": 1,
    "claim": 1,
    "link": 1,
    "feature": 1,
    "picture": 1,
    "specimen": 1,
    "size": "small",
    "free_list": 1,
    "entity": "community",
    "record": 1,
    "token": "not-open",
    "view": "heard",
    "flora": 1,
    "block": "taxa",
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
    "encounters.same_again": Right.RECORD,
    "encounters.remove": Right.RECORD,
    "people.remove_holder": Right.RECORD,
    "plants.remove": Right.RECORD,
    "plants.remove_name": Right.RECORD,
    "giveback.download": Right.EXPORT,
    "imports.bring": Right.IMPORT,
    "imports.brought": Right.IMPORT,
    "imports.failing": Right.IMPORT,
    "imports.land": Right.IMPORT,
    "imports.let_go": Right.IMPORT,
    "imports.match": Right.IMPORT,
    "imports.match_again": Right.IMPORT,
    "imports.mend": Right.IMPORT,
    "imports.read_again": Right.IMPORT,
    "reckoning.ladder_file": Right.EXPORT,
    "reckoning.analysis_file": Right.EXPORT,
    "reckoning.answer_key": Right.EXPORT,
    "reckoning.frozen_file": Right.EXPORT,
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
    "checklists.bring": Right.IMPORT,
    "checklists.remove": Right.IMPORT,
    "specimens.labels": Right.RECORD,
    "specimens.new_specimen": Right.RECORD,
    "specimens.correct_specimen": Right.RECORD,
    "specimens.remove_specimen": Right.RECORD,
    "plants.remove_picture": Right.RECORD,
    "plants.determine": Right.REDETERMINE,
    "reports.correct": Right.RECORD,
    "reports.remove": Right.RECORD,
    "worklist.decide": Right.SETTLE,
    "worklist.reopen": Right.SETTLE,
    "worklist.caution": Right.RECORD,
    "worklist.remove_caution": Right.RECORD,
    "ledger.row": Right.RECORD,
    "ledger.bulk": Right.BULK_EDIT,
    "beside.claim": Right.RECORD,
    "beside.remove_claim": Right.RECORD,
    "beside.link": Right.RECORD,
    "beside.unlink": Right.RECORD,
    "full.report": Right.RECORD,
    "full.duplicate": Right.RECORD,
    "full.split": Right.RECORD,
    "full.merge": Right.RECORD,
    "full.dispute": Right.RECORD,
    "full.settle": Right.RECORD,
    "reckoning.set_rules": Right.SET_RULES,
    "reckoning.save_rules": Right.SET_RULES,
    "reckoning.bring_flora": Right.IMPORT,
    "reckoning.remove_flora": Right.IMPORT,
    "reckoning.score_use": Right.SETTLE,
    "reckoning.make_questionnaire": Right.RECORD,
    "reckoning.correct_questionnaire": Right.RECORD,
    "reckoning.enter_answers": Right.RECORD,
    "reckoning.remove_questionnaire": Right.RECORD,
    "reckoning.freeze": Right.SET_RULES,
    "reckoning.remove_frozen": Right.SET_RULES,
    "reckoning.remove_rules": Right.SET_RULES,
    "reckoning.cancel_computation": Right.CANCEL,
    "study.add_member": Right.ADMINISTER,
    "study.record_permit": Right.ADMINISTER,
    "study.add_category": Right.ADMINISTER,
    "study.correct_permit": Right.ADMINISTER,
    "study.say_choice": Right.ADMINISTER,
    "study.invite": Right.ADMINISTER,
    "study.ask_second_factor": Right.ADMINISTER,
    "study.members": Right.ADMINISTER,
    "study.remove_role": Right.ADMINISTER,
    "study.revoke": Right.ADMINISTER,
    "study.undo": Right.UNDO_OTHERS,
    "giveback.minimum": Right.ADMINISTER,
}


def routes(app: Flask) -> list[tuple[str, str, str]]:
    """(endpoint, method, address) of every route."""
    found = []
    for rule in app.url_map.iter_rules():
        arguments = {name: ARGUMENTS.get(name, "x") for name in rule.arguments}
        if rule.endpoint == "people.community" or "communities" in rule.rule:
            arguments = {**arguments, "code": "ONS"} if "code" in arguments else arguments
        if rule.endpoint.startswith(("full.", "ledger.")) and "report" in arguments:
            arguments = {**arguments, "report": 2}  # the first is taken back on the way
        if rule.endpoint == "reckoning.remove_rules":
            arguments = {**arguments, "number": 2}  # the first are in force
        if rule.endpoint == "study.undo":  # an owner's act that a reviewer may undo
            arguments = {**arguments, "act": value("SELECT max(id) FROM act WHERE operation = 'freeze_reckoning'")}
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
    assert writing - {"search.find"} <= set(NEEDS)  # it reads: what is looked for is to stand in no address


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


def queries_of(client: FlaskClient, address: str, monkeypatch: pytest.MonkeyPatch) -> int:
    """How many statements an address asks when what is kept until the next writing is kept."""
    from tender_ledger.storage.database import database

    asked, plain = [], database.obj.execute_sql

    def counted(sql: str, *rest: Any, **more: Any) -> Any:
        asked.append(sql)
        return plain(sql, *rest, **more)

    assert client.get(address).status_code == 200
    with monkeypatch.context() as patch:
        patch.setattr(database.obj, "execute_sql", counted)
        assert client.get(address).status_code == 200
    return len(asked)


BUDGET = 15  # statements of a page
PAGES = (
    "people", "people/holders/ONS-02", "people/communities/ONS", "encounters", "encounters/1", "encounters/new", "plants",
    "plants/names", "plants/checklists", "reports", "reports/5/full", "reports/import", "worklist", "reckoning",
    "reckoning?show=categories", "reckoning?show=ladder", "reckoning?group=ONS&with=KEL", "reckoning/indices", "reckoning/heard",
    "reckoning/groups", "reckoning/holders", "reckoning/matrix", "reckoning/lists",
    "reckoning/parts", "give-back", "history", "members", "glossary",
)  # fmt: skip
# Pages that ask more, with how many; what they ask for is bounded, and does not grow with the study.
BEYOND = {"plants/1": 23, "reports/5": 17, "reckoning?margin=ci:Sambucus nigra": 28}


@pytest.mark.parametrize(("page", "most"), [*((page, BUDGET) for page in PAGES), *BEYOND.items()])
def test_a_page_asks_a_fixed_number_of_questions(sign_in: SignedIn, monkeypatch: pytest.MonkeyPatch, page: str, most: int):
    assert queries_of(sign_in(), f"/study/VELDRA/{page}", monkeypatch) <= most


def test_within_a_request_the_same_is_asked_once_until_something_is_written(demo_db: str):
    counted = "SELECT count(*) FROM plant"
    ask_once()
    try:
        before = value(counted)
        Plant.insert(study_id=1, number=9001).execute()
        assert value(counted) == before + 1
        run("INSERT INTO plant (study_id, number) VALUES (1, 9002)")
        assert value(counted) == before + 2
        with snapshot():
            assert value(counted) == before + 2
        rows("INSERT INTO plant (study_id, number) VALUES (1, 9003) RETURNING id")
        assert value(counted) == before + 3
    finally:
        ask_always()


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


@pytest.mark.parametrize("left_out", [(), ("kind", "taxon"), ("community_id", "plant"), ("version", "form"), ("client_key",)])
def test_nothing_that_is_sent_makes_the_server_fail(app: Flask, sign_in: SignedIn, left_out: tuple[str, ...]):
    """Some are left out two at a time, to be quick."""
    client, guardian = sign_in(OWNER), sign_in(GUARDIAN)
    sent = {**{name: value for name, value in HOSTILE.items() if name not in left_out}, "study": "x"}
    good = {"version": "1", "client_key": "7b0f7c9e-6f0a-4c0e-9a53-0f6a3a8f4a44", "qualifier": "none", "basis": "photo"}
    for endpoint, method, address in routes(app):
        if method == "POST" and endpoint not in ("account.sign_out", "account.sign_in"):
            for data in (sent, {**sent, **good}):
                restricting = NEEDS.get(endpoint) is Right.RESTRICT
                answer = (
                    guardian.post(address.replace("ONS", "KEL"), data=data) if restricting else client.post(address, data=data)
                )
                shown = ("encounters.enter_list", "encounters.new", "encounters.same_again", "plants.determine")
                looked = (200,) if endpoint in shown else ()
                assert answer.status_code in (*looked, 204, 303, 400, 404, 409, 422), (endpoint, answer.status_code)


def test_nothing_that_is_asked_makes_the_server_fail(app: Flask, sign_in: SignedIn):
    client = sign_in(OWNER)
    asked = {"margin": "ci:\x00", "sort": "\x00", "group": "x", "page": "-3", "q": "\x00", "all": "x"}
    for endpoint, method, address in routes(app):
        if method == "GET":
            assert client.get(address, query_string=asked).status_code < 500, endpoint
