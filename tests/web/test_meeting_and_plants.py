"""Through the pages: measures of a plant, its correction, lists named in an encounter, positions, and lists of references."""

import io
import re

from flask import Flask

from tender_ledger.storage.database import run
from tests.conftest import OWNER, READER, RECORDER, SignedIn


def test_a_measure_is_kept_with_its_words_and_one_that_cannot_be_read_stays_in_its_field(sign_in: SignedIn):
    client = sign_in(RECORDER)
    told = {"character": "leaf stalk length", "words": "three quarters of an inch"}
    assert client.post("/study/VELDRA/plants/5/features", data=told).status_code == 303
    page = client.get("/study/VELDRA/plants/5").text
    assert "leaf stalk length" in page
    assert "1.91\u2009cm" in page
    wrong = client.post("/study/VELDRA/plants/5/features", data={**told, "words": "rather long"})
    assert (wrong.status_code, "“rather long” is no measure" in wrong.text, 'value="rather long"' in wrong.text) == (
        422,
        True,
        True,
    )
    remove = re.search(r'action="(/study/VELDRA/plants/features/\d+/remove)"', page)
    assert remove is not None
    assert client.post(remove[1], data={"version": "1"}).location == "/study/VELDRA/plants/5"
    assert "three quarters" not in client.get("/study/VELDRA/plants/5").text
    assert client.post(remove[1], data={"version": "2"}).status_code == 404


def test_a_plant_is_corrected_and_both_versions_are_shown_to_who_comes_late(sign_in: SignedIn):
    client = sign_in(RECORDER)
    form = {"growth_form": "herb", "habitat": "wet meadow", "origin": "native", "management": "tolerated", "version": "1"}
    assert client.post("/study/VELDRA/plants/5/correct", data=form).status_code == 303
    page = client.get("/study/VELDRA/plants/5").text
    assert all(f"<span>{said}</span>" in page for said in ("herb", "wet meadow", "native", "tolerated"))
    late = client.post("/study/VELDRA/plants/5/correct", data={**form, "habitat": "dry bank"})
    assert (late.status_code, "wet meadow" in late.text, 'value="dry bank"' in late.text) == (409, True, True)
    assert client.post("/study/VELDRA/plants/5/correct", data={**form, "version": "2", "stage_id": "1"}).status_code == 422


def test_a_list_is_looked_at_before_it_is_kept(sign_in: SignedIn):
    client = sign_in(RECORDER)
    assert '<option value="ONS-03">' in client.get("/study/VELDRA/encounters/2/list").text
    told = {"informant": "ons-03", "text": "lipa\nvitta\nLipa\nunheard", "client_key": "7b0f7c9e-6f0a-4c0e-9a53-0f6a3a8f4a55"}
    looked = client.post("/study/VELDRA/encounters/2/list", data={**told, "do": "look"}).text
    assert "4 names, 1 of them named before" in looked
    assert "named before, at 1" in looked
    assert "near vitte" in looked
    assert client.post("/study/VELDRA/encounters/2/list", data={**told, "do": "keep", "plant-4": "+"}).status_code == 303
    kept = client.get("/study/VELDRA/encounters/2").text
    assert "List of ONS-03, 4 names" in kept
    assert [re.sub(r"<[^>]+>", "", one) for one in re.findall(r'<li><span class="local">(.*?)</span>', kept)] == [
        "lipa", "vitta", "Lipa", "unheard",
    ]  # fmt: skip
    assert "Enter a list" not in sign_in(READER).get("/study/VELDRA/encounters/2").text


def test_the_position_comes_into_the_form_and_nothing_typed_is_lost(sign_in: SignedIn):
    client = sign_in(RECORDER)
    page = client.post("/study/VELDRA/encounters/new", data={"title": "Half typed", "place": "by the ford", "take": "position"})
    assert (page.status_code, 'value="Half typed"' in page.text, 'value="by the ford"' in page.text) == (200, True, True)
    first = re.search(r'name="latitude"[^>]*value="([\d.]+)"', page.text)
    again = client.post("/study/VELDRA/encounters/new", data={"take": "position"}).text
    assert first is not None
    assert f'value="{first[1]}"' not in again
    form = {"kind": "walk", "title": "Walk", "day": "2026-06-01", "community_id": "1", "place": "by the ford", "latitude": "47,5"}
    assert "A position needs both" in client.post("/study/VELDRA/encounters/new", data=form).text
    made = client.post("/study/VELDRA/encounters/new", data={**form, "longitude": "-31.25"}).location
    assert "47.50° N, 31.25° W" in client.get(made).text


def test_a_list_of_references_is_brought_in_and_what_failed_is_told(app: Flask, sign_in: SignedIn):
    client = sign_in(OWNER)
    told = {"file": (io.BytesIO(b"@book{a, author={Tarrant, O.}, title={Wells}, year=1902}\n@book{b, title={Cut"), "list.bib")}
    page = client.post("/study/VELDRA/people/sources/import", data=told).text
    assert "1 source came in:" in page
    assert "TARRANT-1902" in page
    assert "list.bib, line 2" in page
    people = client.get("/study/VELDRA/people").text
    assert "Tarrant, O. (1902) <i>Wells</i>." in people
    pasted = client.post("/study/VELDRA/people/sources/import", data={"text": "nothing"})
    assert (pasted.status_code, "no list of references" in pasted.text) == (422, True)
    form = client.get("/study/VELDRA/people/sources/TARRANT-1902/correct").text
    assert 'value="Tarrant, O."' in form


def test_a_real_study_has_no_simulated_receiver(sign_in: SignedIn):
    client = sign_in(RECORDER)
    assert "simulated receiver" in client.get("/study/VELDRA/encounters/new").text
    run("UPDATE study SET invented = false")
    assert "receiver" not in client.get("/study/VELDRA/encounters/new").text
    page = client.post("/study/VELDRA/encounters/new", data={"title": "Half typed", "take": "position"})
    assert page.status_code == 422  # it is taken for what Enter does everywhere: an encounter, to be recorded
    assert re.search(r'name="latitude"[^>]*value="[\d.]+"', page.text) is None


def test_a_redetermination_is_looked_at_before_it_is_recorded(sign_in: SignedIn):
    client = sign_in(OWNER)
    form = {"taxon": "Tilia cordata", "qualifier": "none", "basis": "specimen", "confidence": "sure"}
    looked = client.post("/study/VELDRA/plants/4/determinations", data=form)
    assert looked.status_code == 200
    assert "See what it would move" in client.get("/study/VELDRA/plants/4").text
    told = re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", looked.text))
    assert "Plantago lanceolata would be Tilia cordata" in told
    assert "Plantago lanceolata UR 38 0 −38" in told
    assert "<i>Plantago</i> <i>lanceolata</i>" in client.get("/study/VELDRA/plants/4").text
    near = client.post("/study/VELDRA/plants/4/determinations", data={**form, "taxon": "Tilia cordatta"})
    assert (near.status_code, "Near it: Tilia cordata (without t)" in near.text) == (422, True)
    assert sign_in(RECORDER).post("/study/VELDRA/plants/4/determinations", data=form).status_code == 403
    assert client.post("/study/VELDRA/plants/4/determinations", data={**form, "do": "keep"}).status_code == 303
    assert "<i>Tilia</i> <i>cordata</i>" in client.get("/study/VELDRA/plants/4").text


def test_what_was_entered_by_mistake_is_taken_back_from_its_own_page_with_undo(sign_in: SignedIn):
    client = sign_in(RECORDER)
    made = client.post("/study/VELDRA/plants/new", data={"name": "by mistake"}).location
    number = made.rsplit("/", 1)[1]
    page = client.get(made).text
    name = re.search(r'action="(/study/VELDRA/plants/names/\d+/remove)"', page)
    assert name is not None
    assert client.post(name[1], data={"version": "7"}).status_code == 409
    assert client.post(name[1], data={"version": "1"}).location == made
    gone = client.post(f"{made}/remove", data={"version": "1"}, follow_redirects=True).text
    assert f"P-{int(number):03d} is taken back." in gone
    assert client.get(made).status_code == 404
    undo = re.search(r'action="(/study/VELDRA/acts/\d+/undo|[^"]+undo[^"]*)"', gone)
    assert undo is not None
    client.post(undo[1])
    assert client.get(made).status_code == 200
    stays = client.post("/study/VELDRA/plants/1/remove", data={"version": "1"})
    assert (stays.status_code, "so it stays" in stays.text) == (422, True)
    assert client.post("/study/VELDRA/encounters/2/remove", data={"version": "1"}).status_code == 422
    owner = sign_in(OWNER)
    assert owner.post("/study/VELDRA/people/holders/ONS-03/remove", data={"version": "1"}).status_code == 422
    assert "take the plant back" not in owner.get("/study/VELDRA/plants/1").text
    assert "taken back" not in owner.get("/study/VELDRA/encounters/2").text


def test_a_name_of_no_checklist_is_refused_first_and_then_kept_as_written(sign_in: SignedIn):
    client = sign_in(RECORDER)
    made = client.post("/study/VELDRA/plants/new", data={"growth_form": "herb"}).location
    said = {"taxon": "Ambrosina imaginaria", "qualifier": "none", "basis": "photo", "confidence": "likely"}
    refused = client.post(f"{made}/determinations", data=said)
    assert refused.status_code == 422
    assert all(text in refused.text for text in ("Or keep it as written below", 'name="as_written"', "Bring a checklist"))
    assert client.post(f"{made}/determinations", data={**said, "as_written": "y", "family": "Araceae"}).status_code == 303
    page = client.get(made).text
    assert all(text in page for text in ("imaginaria", "Araceae", "not in a checklist"))
