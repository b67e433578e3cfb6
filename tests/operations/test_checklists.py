"""Checklists that a study brings in: names looked up there first, taken back, brought again; what they place otherwise."""

import pytest

from tender_ledger.core.names import find_name
from tender_ledger.core.names.matching import match_name
from tender_ledger.operations import checklists, plants
from tender_ledger.operations.errors import Conflict, Refused
from tender_ledger.operations.history import undo_act
from tender_ledger.operations.study_names import names_of_study
from tender_ledger.standins.names_service import ChecklistNames
from tender_ledger.storage.database import value
from tender_ledger.storage.queries import acts
from tender_ledger.storage.queries import checklists as queries
from tender_ledger.storage.queries import plants as plant_queries
from tests.factories import SmallStudy

BEHIND = ChecklistNames()
TAXA = b"""taxonID\tscientificName\tscientificNameAuthorship\ttaxonRank\tfamily\tacceptedNameUsageID\ttaxonomicStatus
1\tSalix cinerea L.\tL.\tspecies\tSalicaceae\t\taccepted
2\tSalix caprea L.\tL.\tspecies\tSalicaceae\t1\tsynonym
3\tTeucrium montanum L.\tL.\tspecies\tLamiaceae\t\taccepted
4\tTeucrium montanum Vill.\tVill.\tspecies\tLamiaceae\t\taccepted
5\tTeucrium supinum L.\tL.\tspecies\tLamiaceae\t99\tsynonym
6\tGalium verum subsp. wirtgenii (F.W.Schultz) Oborny\t(F.W.Schultz) Oborny\tsubspecies\tRubiaceae\t\taccepted
"""
STATED = {"title": "Plants of Xanmere", "edition": "2026"}


@pytest.fixture
def small(empty_db: str) -> SmallStudy:
    return SmallStudy()


def brought(small: SmallStudy, data: bytes = TAXA, **stated: str) -> int:
    return checklists.bring_checklist(small.scope, data, **{**STATED, **stated})


def test_names_are_looked_up_in_the_studys_list_first_and_then_behind_it(small: SmallStudy):
    brought(small)
    names = names_of_study(small.scope, BEHIND)
    found = find_name(names, "salix CAPREA")
    assert found is not None
    assert (found.accepted, found.key > 0) == ("Salix cinerea", True)
    behind = find_name(names, "Plantago lanceolata")
    assert behind is not None
    assert (behind.family, behind.key) == ("Plantaginaceae", 0)
    assert [one.name for one in names.suggest("sal cap")] == ["Salix caprea"]
    assert [one.name for one in names.suggest("g v su w")] == ["Galium verum subsp. wirtgenii"]
    assert match_name(names, "Salix")  # a genus of both lists is one name
    assert find_name(names, "Rubiaceae") is not None


def test_what_is_near_in_the_studys_list_is_told_and_not_taken(small: SmallStudy):
    brought(small)
    match = match_name(names_of_study(small.scope, BEHIND), "Salix cinnerea")
    assert match.name is None
    assert [(one.name, how) for one, how in match.near][:1] == [("Salix cinerea", "without n")]


def test_a_name_of_two_authors_must_be_written_with_its_author(small: SmallStudy):
    brought(small)
    names = names_of_study(small.scope, BEHIND)
    number = small.plant()
    said = {"qualifier": "none", "basis": "specimen", "confidence": "sure"}
    with pytest.raises(Refused, match=r"more than once: Teucrium montanum \(of L\.\); Teucrium montanum \(of Vill\.\)"):
        plants.determine_plant(small.scope, number, names, taxon="Teucrium montanum", **said)
    plants.determine_plant(small.scope, number, names, taxon="Teucrium montanum Vill.", **said)
    found = plant_queries.plant(small.scope, number)
    assert found is not None
    assert (found["taxon"], found["authorship"], found["family"]) == ("Teucrium montanum", "Vill.", "Lamiaceae")


def test_what_leads_nowhere_is_kept_with_its_line(small: SmallStudy):
    brought(small, TAXA + b"7\tSalix alba\n")
    (one,) = queries.checklists(small.scope)
    assert [(row["line"], row["column"]) for row in one["left_out"]] == [(6, "acceptedNameUsageID"), (8, "")]
    # Four accepted names and a synonym; the genera Salix, Teucrium, Galium and the three families are added.
    assert (one["names"], one["synonyms"], one["families"], one["left_out_count"]) == (11, 1, 3, 2)


def test_determinations_stay_and_what_is_placed_otherwise_is_told(small: SmallStudy):
    for taxon in ("Salix caprea", "Plantago lanceolata"):
        small.plant(taxon)
    before = plant_queries.counted_plants(small.scope)
    brought(small)
    assert plant_queries.counted_plants(small.scope) == before
    found = checklists.placed_otherwise(names_of_study(small.scope, BEHIND), plant_queries.plants(small.scope))
    assert [(one["taxon"], one["now"].accepted) for one in found] == [("Salix caprea", "Salix cinerea")]
    assert checklists.placed_otherwise(BEHIND, plant_queries.plants(small.scope)) == []


def test_a_checklist_is_taken_back_undone_and_brought_again_without_a_second_copy_of_its_names(small: SmallStudy):
    made = brought(small)
    kept = value("SELECT count(*) FROM taxon")
    with pytest.raises(Conflict):
        checklists.remove_checklist(small.scope, made, 7)
    checklists.remove_checklist(small.scope, made, 1)
    assert names_of_study(small.scope, BEHIND) is BEHIND
    undo_act(small.scope, acts.acts(small.scope, limit=1)[0]["id"])
    assert [one["id"] for one in queries.checklists(small.scope)] == [made]
    with pytest.raises(Refused, match="of this title and edition already"):
        brought(small)
    undo_act(small.scope, acts.acts(small.scope, limit=1)[0]["id"])
    brought(small)
    assert value("SELECT count(*) FROM taxon") == kept


def test_the_latest_list_is_asked_first(small: SmallStudy):
    brought(small)
    brought(small, b"scientificName,taxonRank,family\nSalix caprea L.,species,Salicaceae\n", edition="2027")
    found = find_name(names_of_study(small.scope, BEHIND), "Salix caprea")
    assert found is not None
    assert found.accepted == ""


def test_another_study_knows_nothing_of_it(small: SmallStudy):
    brought(small)
    other = SmallStudy()
    assert queries.checklists(other.scope) == []
    assert names_of_study(other.scope, BEHIND) is BEHIND


@pytest.mark.parametrize(
    ("data", "stated", "field"),
    [(b"scientificName\n\n", {}, "file"), (b"name\nSalix\n", {}, "file"), (TAXA, {"title": " "}, "title"),
     (TAXA, {"edition": ""}, "edition"),
     (b" " * (checklists.LARGEST_FILE + 1), {}, "file")],
)  # fmt: skip
def test_what_cannot_be_taken_is_refused_at_its_field(small: SmallStudy, data: bytes, stated: dict[str, str], field: str):
    with pytest.raises(Refused) as refused:
        brought(small, data, **stated)
    assert list(refused.value.errors) == [field]
    assert queries.checklists(small.scope) == []
