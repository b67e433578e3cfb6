"""What was made by mistake is taken back where nothing hangs on it, with undo; names as written where no checklist has them."""

import pytest

from tender_ledger.core.rules import CountingRules
from tender_ledger.operations import plants, removing
from tender_ledger.operations.errors import Conflict, NotFound, Refused
from tender_ledger.operations.history import undo_act
from tender_ledger.operations.reckoning import reckon_study
from tender_ledger.operations.redetermining import preview_determination
from tender_ledger.standins.names_service import ChecklistNames
from tender_ledger.storage.database import value
from tender_ledger.storage.queries import encounters, people
from tender_ledger.storage.queries import plants as queries
from tests.factories import SmallStudy, latest_act


@pytest.fixture
def small(empty_db: str) -> SmallStudy:
    return SmallStudy()


def version(small: SmallStudy, number: int) -> int:
    found = queries.plant(small.scope, number)
    assert found is not None
    return int(found["version"])


def test_a_plant_of_which_nothing_was_told_is_taken_back_and_comes_back(small: SmallStudy):
    number = small.plant("Plantago major", "plata")
    with pytest.raises(Conflict):
        removing.remove_plant(small.scope, number, 99)
    removing.remove_plant(small.scope, number, version(small, number))
    assert queries.plant(small.scope, number) is None
    assert small.plant() == number + 1  # its number stays taken
    undo_act(small.scope, value("SELECT id FROM act WHERE operation = 'remove_plant'"))
    found = queries.plant(small.scope, number)
    assert found is not None
    assert [name["name"] for name in found["names"]] == ["plata"]
    with pytest.raises(NotFound):
        removing.remove_plant(small.scope, 77, 1)


def test_what_something_hangs_on_stays(small: SmallStudy):
    talk = small.encounter(small.holder("H-1"))
    number = small.plant("Plantago major", "plata")
    small.asking(talk, "H-1", number)
    found = queries.plant(small.scope, number)
    encounter, holder = encounters.encounter(small.scope, talk), people.holder(small.scope, "H-1")
    assert found is not None
    assert encounter is not None
    assert holder is not None
    for remove in (
        lambda: removing.remove_plant(small.scope, number, found["version"]),
        lambda: removing.remove_encounter(small.scope, talk, encounter["version"]),
        lambda: removing.remove_holder(small.scope, "H-1", holder["version"]),
    ):
        with pytest.raises(Refused, match="stays"):
            remove()
    attested = value("SELECT id FROM informant")
    plants.name_plant(small.scope, number, name="zelna", language_id=None, attested=[(attested, encounter["id"], holder["id"])])
    names = {name["name"]: name for name in (queries.plant(small.scope, number) or {})["names"]}
    with pytest.raises(Refused, match="Somebody used this name"):
        removing.remove_name(small.scope, names["zelna"]["id"], names["zelna"]["version"])
    assert removing.remove_name(small.scope, names["plata"]["id"], names["plata"]["version"]) == number
    assert [name["name"] for name in (queries.plant(small.scope, number) or {})["names"]] == ["zelna"]
    assert value("SELECT count(*) FROM asking WHERE removed_at IS NULL") == 1


def test_an_empty_encounter_and_a_holder_never_heard_are_taken_back(small: SmallStudy):
    small.holder("H-1")
    small.holder("H-2")
    talk = small.encounter()
    holder, encounter = people.holder(small.scope, "H-2"), encounters.encounter(small.scope, talk)
    assert holder is not None
    assert encounter is not None
    removing.remove_encounter(small.scope, talk, encounter["version"])
    removing.remove_holder(small.scope, "H-2", holder["version"])
    assert encounters.encounters(small.scope) == []
    assert [one["code"] for one in people.holders(small.scope)] == ["H-1"]
    assert people.holder(small.scope, "H-2") is None
    assert reckon_study(small.scope, CountingRules()).result.n <= 1
    undo_act(small.scope, latest_act(small.scope))
    assert [one["code"] for one in people.holders(small.scope)] == ["H-1", "H-2"]


def test_a_name_that_no_checklist_has_is_kept_as_written_and_marked(small: SmallStudy):
    talk = small.encounter(small.holder("H-1"))
    number = small.plant()
    small.report(talk, "H-1", number)
    said = {"qualifier": "none", "basis": "photo", "confidence": "likely"}
    with pytest.raises(Refused, match="keep it as written"):
        plants.determine_plant(small.scope, number, ChecklistNames(), taxon="Ambrosina imaginaria", **said)
    written = plants.WithWritten(ChecklistNames(), small.scope, "Ambrosina imaginaria", "Araceae")
    preview = preview_determination(small.scope, number, written, CountingRules(), taxon="Ambrosina imaginaria")
    assert (preview.after, value("SELECT count(*) FROM taxon WHERE name LIKE 'Ambrosina%%'")) == ("Ambrosina imaginaria", 0)
    plants.determine_plant(small.scope, number, ChecklistNames(), taxon="Ambrosina imaginaria", as_written=True,
                           family="Araceae", **said)  # fmt: skip
    found = queries.plant(small.scope, number)
    assert found is not None
    assert (found["taxon"], found["rank"], found["family"], found["unlisted"]) == (
        "Ambrosina imaginaria", "species", "Araceae", True)  # fmt: skip
    assert reckon_study(small.scope, CountingRules()).result.taxa == ("Ambrosina imaginaria",)
    plants.determine_plant(small.scope, number, ChecklistNames(), taxon="Salix caprea", as_written=True, **said)
    listed = queries.plant(small.scope, number)
    assert listed is not None
    assert (listed["taxon"], listed["family"], listed["unlisted"]) == ("Salix caprea", "Salicaceae", False)


def test_letters_find_species_before_genera_and_families():
    ranks = [one.rank for one in ChecklistNames().suggest("s", 400)]
    assert ranks.index("genus") > len(ranks) - 1 - ranks[::-1].index("species")
    assert {"species", "genus"} <= set(ranks)
