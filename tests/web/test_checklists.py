"""Checklists through the pages: brought, looked up, told what was left out, taken back."""

import io
import re

from tender_ledger.core.rules import CountingRules
from tender_ledger.core.terms import Scope
from tender_ledger.operations import reckoning, studies
from tender_ledger.operations.history import undo_act
from tender_ledger.storage.queries import acts
from tests.conftest import OWNER, READER, SignedIn, scope_for

LISTS = "/study/VELDRA/plants/checklists"
TAXA = (b"taxonID,scientificName,taxonRank,family,acceptedNameUsageID\n1,Teucrium montanum L.,species,Lamiaceae,\n"
        b"2,Salix caprea L.,species,Salicaceae,\n3,Teucrium supinum L.,species,,9\n")  # fmt: skip


def form(data: bytes = TAXA, **said: str) -> dict[str, object]:
    return {"title": "Hills and <b>shore</b>", "edition": "2026", "citation": "", **said, "file": (io.BytesIO(data), "taxa.csv")}


def test_a_taxon_file_is_brought_and_looked_up_and_taken_back(sign_in: SignedIn):
    client = sign_in(OWNER)
    assert client.post(LISTS, data=form()).location == LISTS
    page = client.get(LISTS).text
    assert all(
        said in page for said in ("Hills and &lt;b&gt;shore", "1 row of the file was left out", "acceptedNameUsageID", "Undo")
    )
    assert client.get("/study/VELDRA/plants/taxa?q=te mo").json == [{"l": "Teucrium montanum", "c": "Lamiaceae", "n": ""}]
    remove = re.search(r'action="(/study/VELDRA/plants/checklists/\d+/remove)"', page)
    assert remove is not None
    assert client.post(remove[1], data={"version": "1"}).status_code == 303
    assert client.get("/study/VELDRA/plants/taxa?q=te mo").json == []
    assert client.post(remove[1], data={"version": "1"}).status_code == 409


def test_what_is_no_taxon_file_is_refused_beside_its_field_and_nothing_typed_is_lost(sign_in: SignedIn):
    wrong = sign_in(OWNER).post(LISTS, data=form(b"name;family\nSalix;Salicaceae\n"))
    assert wrong.status_code == 422
    assert 'id="file-error"' in wrong.text
    assert "taxa.csv, line 1: A required column is missing. Found: name, family. Expected: scientificName." in wrong.text
    assert 'value="2026"' in wrong.text
    assert 'name="file"' not in sign_in(READER).get(LISTS).text


def test_a_plant_determined_by_the_new_list_counts_with_those_of_the_old_one(sign_in: SignedIn):
    """P-009 is Salix caprea by the shipped list; P-036, determined as the same by the study's own, joins it."""
    client, scope = sign_in(OWNER), scope_for(OWNER)
    rules = studies.rules_in_force(scope)
    assert rules is not None
    said = {"taxon": "Salix caprea", "qualifier": "none", "basis": "photo", "confidence": "sure", "do": "keep"}
    assert client.post("/study/VELDRA/plants/36/determinations", data=said).status_code == 303
    by_the_shipped_list = reports_by_taxon(scope, rules)
    undo_act(scope, acts.acts(scope, limit=1)[0]["id"])
    assert reports_by_taxon(scope, rules)["Salix caprea"] < by_the_shipped_list["Salix caprea"]
    client.post(LISTS, data=form())
    assert client.post("/study/VELDRA/plants/36/determinations", data=said).status_code == 303
    assert reports_by_taxon(scope, rules) == by_the_shipped_list


def reports_by_taxon(scope: Scope, rules: CountingRules) -> dict[str, int]:
    found = reckoning.reckon_study(scope, rules).result
    return {taxon: int(ur) for taxon, ur in zip(found.taxa, found.ur, strict=True)}
