"""The history of any record: every change with before and after, and nothing in it that the viewer may not know."""

import re

import pytest
from flask import Flask

from tender_ledger.core.rights import Role
from tender_ledger.operations import encounters, plants, reports
from tender_ledger.operations.typed_report import TypedReport
from tender_ledger.standins.names_service import ChecklistNames
from tender_ledger.storage.database import rows, value
from tender_ledger.storage.queries import acts as act_queries
from tender_ledger.storage.queries import encounters as encounter_queries
from tender_ledger.web.app import create_app
from tender_ledger.web.study.changes import ENTITIES
from tests.conftest import OWNER, READER, RECORDER, SignedIn, scope_for, settings
from tests.factories import PASSWORD, SmallStudy


def page_of(url: str, email: str, address: str) -> tuple[int, str]:
    app = create_app(settings(url))
    app.config.update(TESTING=True, WTF_CSRF_ENABLED=False)
    client = app.test_client()
    assert client.post("/sign-in", data={"email": email, "password": PASSWORD}).status_code == 303
    answer = client.get(address)
    return answer.status_code, re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", answer.text.partition("<main")[2]))


@pytest.mark.parametrize("entity", ENTITIES)
def test_every_kind_of_record_has_its_history(app: Flask, sign_in: SignedIn, entity: str):
    """Of the demo, for its owner: a page that names the act, the person and the fields."""
    found = rows(
        """SELECT c.record_id, p.name FROM change c JOIN act a ON a.id = c.act_id JOIN person p ON p.id = a.person_id
           WHERE c.entity = %(entity)s AND (c.entity <> 'community_restriction') ORDER BY c.id LIMIT 1""",
        entity=entity,
    )
    if entity in (
        "community_restriction",
        "vocabulary_term",
        "publishing_rule",
        "sign_in_rule",
    ):  # a guardian's alone, or the demo has none
        assert found == []
        return
    page = sign_in(OWNER).get(f"/study/VELDRA/history/{entity}/{found[0]['record_id']}")
    assert page.status_code == 200, entity
    assert found[0]["name"] in page.text
    assert len(re.findall(r'<tr><th scope="row">', page.text)) >= 1
    assert not re.search(
        r"\b\w+_id\b|None|\{", re.sub(r"(?s)<[^>]*>", " ", page.text.partition("<main")[2].partition("<footer")[0])
    )


def test_what_is_of_no_kind_or_not_there_is_not_found(sign_in: SignedIn):
    for address in ("act/1", "plant/999999", "person/1", "use_report/0"):
        assert sign_in(OWNER).get(f"/study/VELDRA/history/{address}").status_code == 404
    assert sign_in(RECORDER).get("/study/VELDRA/history/membership/1").status_code == 403


def test_a_correction_stands_with_before_and_after_and_is_undone_from_there(sign_in: SignedIn):
    client = sign_in(OWNER)
    form = {"name": "Onsmere", "place": "Down by the ford", "version": "1"}
    assert client.post("/study/VELDRA/people/communities/ONS/correct", data=form).status_code == 303
    number = value("SELECT id FROM community WHERE code = 'ONS'")
    address = f"/study/VELDRA/history/community/{number}"
    page = client.get(address).text
    assert '<tr><th scope="row">place</th><td>Upland herding village</td><td>Down by the ford</td></tr>' in page
    assert '<tr><th scope="row">languages</th><td>Onsic</td><td>–</td></tr>' in page
    undo = re.search(r'action="(/study/VELDRA/history/\d+/undo)"', page)
    assert undo is not None
    assert client.post(undo[1], data={"back": address}).location == address
    assert "<td>Down by the ford</td><td>Upland herding village</td>" in client.get(address).text
    assert "Undo" not in re.sub(r"(?s)<header.*?</header>", "", sign_in(READER).get(address).text)


def test_a_plants_history_has_its_names_and_determinations(empty_db: str):
    small = SmallStudy()
    number = small.plant("Salix caprea", name="vitte")
    plants.determine_plant(small.scope, number, ChecklistNames(), taxon="Salix alba", qualifier="cf", basis="photo",
                           confidence="doubtful")  # fmt: skip
    status, page = page_of(empty_db, small.email, f"/study/{small.code}/history/plant/{value('SELECT max(id) FROM plant')}")
    assert status == 200
    assert page.index("Salix alba") < page.index("Salix caprea")
    assert "is the one that counts yes no" in page
    assert "vitte" in page


def test_a_report_that_was_moved_says_from_which_plant(empty_db: str):
    small = SmallStudy()
    first, second = small.plant(name="one"), small.plant(name="two")
    talk = small.encounter(small.holder("X-01"))
    made = small.report(talk, "X-01", first, "food", words="As told.", purpose="flour")
    reports.correct_report(small.scope, made, 1, TypedReport(informant="X-01", plant=f"P-{second:03d}", category="medicines",
                                                             purpose="fever", words="As told."))  # fmt: skip
    _status, page = page_of(empty_db, small.email, f"/study/{small.code}/history/use_report/{made}")
    assert "plant P-001 P-002" in page
    assert "use food: flour medicines: fever" in page


def test_somebody_hidden_is_in_no_history_of_an_encounter(empty_db: str):
    """Somebody who is not shown came to a talk of two: others see neither the correction nor that there was one."""
    small = SmallStudy()
    shown, hidden = small.holder("X-01"), small.holder("X-02", may_show=False, may_publish_verbatim=False)
    talk = small.encounter(shown)
    number = encounter_queries.encounters(small.scope)[0]["id"]
    reviewer = small.person(Role.REVIEWER)
    email = str(value("SELECT email FROM person WHERE id = %(id)s", id=reviewer.viewer.person_id))
    pages = (f"/study/{small.code}/history/encounter/{number}", f"/study/{small.code}/history")
    before = [page_of(empty_db, email, page) for page in pages]
    values = {"kind": "interview", "title": "A talk", "day": "3 May 2026", "community_id": small.community}
    encounters.correct_encounter(small.scope, talk, 1, values, [(shown, "teller"), (hidden, "present")])
    assert [page_of(empty_db, email, page) for page in pages] == before
    encounters.correct_encounter(small.scope, talk, 2, {**values, "title": "The talk"}, [(shown, "teller")])
    _status, page = page_of(empty_db, email, pages[0])
    assert "title A talk The talk" in page
    assert "X-02" not in page
    assert "who was there X-01 (teller) X-01" not in page


def test_the_history_stands_in_pages_of_a_hundred_down_to_the_first_act(sign_in: SignedIn):
    client = sign_in(OWNER)
    acts, page, pages = 0, client.get("/study/VELDRA/history").text, 1
    while True:
        acts += page.count("<tr><td")
        older = re.search(r'href="([^"]+)">The hundred before', page)
        if older is None:
            break
        page, pages = client.get(older[1]).text, pages + 1
    assert acts == len(act_queries.acts(scope_for(), limit=10_000)) > 200
    assert pages == -(-acts // 100)
    assert client.get("/study/VELDRA/history?page=99999999999").status_code == 200
