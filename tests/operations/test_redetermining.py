"""A redetermination moves what its preview said, on a real study; a determination can be taken off, and a genus stays one."""

import pytest

from tender_ledger.core.indices.moving import difference
from tender_ledger.core.rules import CountingRules
from tender_ledger.operations import plants
from tender_ledger.operations.errors import NotFound, Refused
from tender_ledger.operations.history import undo_act
from tender_ledger.operations.reckoning import reckon_study
from tender_ledger.operations.redetermining import preview_determination
from tender_ledger.standins.names_service import ChecklistNames
from tender_ledger.storage.database import value
from tender_ledger.storage.queries import acts
from tender_ledger.storage.queries import plants as queries
from tests.factories import SmallStudy

NAMES = ChecklistNames()


@pytest.fixture
def small(empty_db: str) -> SmallStudy:
    """Three holders told of a willow and of a birch."""
    made = SmallStudy()
    willow, birch = made.plant("Salix caprea"), made.plant("Betula pendula")
    for code, told in (("X-01", ("food", "materials")), ("X-02", ("food",)), ("X-03", ("medicines",))):
        talk = made.encounter(made.holder(code))
        for category in told:
            made.report(talk, code, willow, category)
        made.report(talk, code, birch, "food")
    return made


def determine(small: SmallStudy, number: int, taxon: str) -> None:
    plants.determine_plant(small.scope, number, NAMES, taxon=taxon, qualifier="none", basis="specimen", confidence="sure")


@pytest.mark.parametrize("taxon", ["Betula pendula", "Malva sylvestris", "Salix caprea", "Salix", ""])
def test_what_moves_is_what_the_preview_said(small: SmallStudy, taxon: str):
    rules = CountingRules()
    before = reckon_study(small.scope, rules).result
    acts_before = len(acts.acts(small.scope))
    said = preview_determination(small.scope, 1, NAMES, rules, taxon=taxon)
    assert len(acts.acts(small.scope)) == acts_before
    assert (said.before, said.after, len(said.shown)) == ("Salix caprea", taxon, 4)
    determine(small, 1, taxon)
    after = reckon_study(small.scope, rules).result
    assert repr(said.moved) == repr(difference(before, after))
    assert bool(said.moved.taxa) == (taxon != "Salix caprea")
    undo_act(small.scope, acts.acts(small.scope, limit=1)[0]["id"])
    assert difference(before, reckon_study(small.scope, rules).result).taxa == ()


def test_what_is_not_shown_is_counted_in_the_preview_and_not_listed(small: SmallStudy):
    small.agree("X-01", may_show=False, may_publish_verbatim=False)
    for code in ("X-04", "X-05"):  # who told nothing that moves; with them enough are hidden to be counted
        small.encounter(small.holder(code, may_show=False, may_publish_verbatim=False))
    reviewer = small.person("reviewer")
    said = preview_determination(reviewer, 1, NAMES, CountingRules(), taxon="Malva sylvestris")
    assert len(said.shown) == 2
    moved = next(one for one in said.moved.taxa if one.name == "Malva sylvestris")
    assert moved.after["ur"] == 4


def test_a_determination_is_taken_off_and_the_plant_waits_again(small: SmallStudy):
    determine(small, 1, "")
    found = queries.plant(small.scope, 1)
    assert found is not None
    assert (found["taxon"], found["determination_id"] is not None) == (None, True)
    assert value(f"SELECT ({queries.count_undetermined(small.scope)})", study=small.scope.study_id, day=small.scope.day,
                 person=small.scope.viewer.person_id, owner=True, number=None) == 1  # fmt: skip
    assert [one["taxon"] for one in queries.determinations(small.scope, found["id"])] == [None, "Salix caprea"]
    bare = small.plant()
    with pytest.raises(Refused, match="needs no determination"):
        determine(small, bare, " ")


def test_a_genus_is_kept_as_a_genus(small: SmallStudy):
    determine(small, 1, "Salix")
    found = queries.plant(small.scope, 1)
    assert found is not None
    assert (found["taxon"], found["rank"], found["family"]) == ("Salix", "genus", "Salicaceae")


def test_a_name_nearly_written_is_refused_with_what_differs(small: SmallStudy):
    with pytest.raises(Refused, match=r"Near it: Salix caprea \(without a\)"):
        determine(small, 1, "Salix capraea")
    with pytest.raises(Refused, match="The checklist has no"):
        preview_determination(small.scope, 1, NAMES, CountingRules(), taxon="Nulla planta")
    with pytest.raises(NotFound):
        preview_determination(small.scope, 99, NAMES, CountingRules(), taxon="Salix alba")
