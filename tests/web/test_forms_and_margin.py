"""The life of forms and of the margin: what was typed stays, refusals stand beside their fields, both versions are shown."""

import re
import uuid
from typing import Any

import pytest
from flask import Flask

from tender_ledger.operations import accounts
from tender_ledger.storage.database import value
from tests.conftest import OWNER, PASSWORD, READER, RECORDER, REVIEWER, SignedIn


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
        assert len(re.findall(r'<input[^>]* name="may_\w+"', page)) == 7
        assert re.findall(r"<input checked[^>]*may_", page) == []
