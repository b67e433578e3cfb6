"""Properties and links of plants: recorded with who told them, never counted, hidden and erased with their tellers."""

import uuid

import pytest

from tender_ledger.core.rules import CountingRules
from tender_ledger.operations import beside_uses, people, reports
from tender_ledger.operations.errors import Conflict, NotFound, Refused
from tender_ledger.operations.reckoning import reckon_study
from tender_ledger.operations.typed_report import TypedReport
from tender_ledger.storage.database import value
from tender_ledger.storage.queries import plants, told
from tests.factories import SmallStudy


@pytest.fixture
def small(empty_db: str) -> SmallStudy:
    made = SmallStudy()
    talk = made.encounter(made.holder("X-01"), made.holder("X-02"))
    first, second = made.plant("Salix caprea"), made.plant("Betula pendula")
    made.report(talk, "X-01", first)
    made.report(talk, "X-02", second)
    return made


SAID = {
    "encounter": "1",
    "informant": "X-01",
    "part": "bark",
    "property": "bitter",
    "basis": "own practice",
    "words": "It bites.",
}
LINK = {"encounter": "1", "informant": "X-01", "kind": "antidote", "other": "P-002", "words": "After it, this."}


def of(small: SmallStudy, number: int) -> tuple[list[str], list[tuple[str, int, int]]]:
    plant = plants.plant(small.scope, number)
    assert plant is not None
    claims, links = told.claims(small.scope, plant_id=plant["id"]), told.links(small.scope, plant_id=plant["id"])
    return [one["property"] for one in claims], [(one["kind"], one["plant"], one["other"]) for one in links]


def test_a_property_and_a_link_stand_with_their_plants_and_count_nowhere(small: SmallStudy):
    rules = CountingRules()
    before = reckon_study(small.scope, rules).result
    made = beside_uses.claim_property(small.scope, 1, SAID)
    beside_uses.link_plants(small.scope, 1, LINK)
    assert of(small, 1) == (["bitter"], [("antidote", 1, 2)])
    assert of(small, 2) == ([], [("antidote", 1, 2)])
    after = reckon_study(small.scope, rules).result
    assert (list(before.ur), before.n) == (list(after.ur), after.n)
    (claim,) = told.claims(small.scope, claim_id=made)
    assert (claim["informant"], claim["part"], claim["basis"], claim["words"]) == ("X-01", "bark", "own practice", "It bites.")
    with pytest.raises(Conflict):
        beside_uses.remove_claim(small.scope, made, 7)
    assert beside_uses.remove_claim(small.scope, made, 1) == 1
    assert of(small, 1)[0] == []
    with pytest.raises(NotFound):
        beside_uses.remove_claim(small.scope, made, 2)


@pytest.mark.parametrize(
    ("wrong", "field"),
    [({"encounter": "9"}, "encounter"), ({"encounter": ""}, "encounter"), ({"informant": "X-09"}, "informant"),
     ({"property": ""}, "property"), ({"part": "wing"}, "part"), ({"basis": "rumour of rumours"}, "basis")],
)  # fmt: skip
def test_what_is_missing_or_unknown_is_refused_at_its_field(small: SmallStudy, wrong: dict[str, str], field: str):
    with pytest.raises(Refused) as refused:
        beside_uses.claim_property(small.scope, 1, {**SAID, **wrong})
    assert list(refused.value.errors) == [field]


@pytest.mark.parametrize(
    ("wrong", "field"), [({"other": "P-001"}, "other"), ({"other": "P-099"}, "other"), ({"kind": "cousin"}, "kind")]
)
def test_a_link_needs_two_plants_and_a_kind(small: SmallStudy, wrong: dict[str, str], field: str):
    with pytest.raises(Refused) as refused:
        beside_uses.link_plants(small.scope, 1, {**LINK, **wrong})
    assert list(refused.value.errors) == [field]


def test_what_is_told_goes_with_its_teller(small: SmallStudy):
    beside_uses.claim_property(small.scope, 1, SAID)
    beside_uses.link_plants(small.scope, 1, LINK)
    small.withdraw("X-01")
    assert of(small, 2) == ([], [])
    people.erase_holder(small.scope, "X-01", "X-01")
    assert value("SELECT (SELECT count(*) FROM property_claim) + (SELECT count(*) FROM plant_link)") == 0
    assert value("SELECT count(*) FROM change WHERE entity IN ('property_claim', 'plant_link')") == 0


def test_a_link_to_a_plant_that_may_not_be_seen_is_not_seen(small: SmallStudy):
    """P-003 came with what X-02 told, and goes from sight with them; X-01 linked it."""
    typed = TypedReport(informant="X-02", plant="+ hidden one", category="food")
    reports.record_report(small.scope, 1, typed, str(uuid.uuid4()))
    beside_uses.link_plants(small.scope, 1, {**LINK, "other": "P-003"})
    assert of(small, 1)[1] == [("antidote", 1, 3)]
    small.withdraw("X-02")
    assert of(small, 1)[1] == []
