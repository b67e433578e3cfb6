"""Every rule of the worklist: what raises it, what does not although it is near, and that nothing crashes on nothing."""

from dataclasses import replace
from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tender_ledger.core.worklist import Caution, EncounterFacts, Facts, HolderFacts, PlantFacts, ReportFacts
from tender_ledger.core.worklist.rules import RULES, find_all, is_strong_claim

DAY = date(2026, 6, 1)
TOLD = ReportFacts(1, "X-01", 4, taxon="Salix caprea", encounter=1, category="medicines", purpose="fever", parts=("bark",),
                   methods=("decoction",), applications=("drunk",), stage="dormant", basis="own", dose="a cup")  # fmt: skip
HELLEBORE = Caution(7, "Veratrum album", "poisonous_part", "stops the heart", "tables", part="rhizome")
ELDER = Caution(8, "Sambucus nigra", "poisonous_raw", "vomiting", "tables", part="fruit", asks="cooked")
GENUS = Caution(9, "Salix", "interaction", "thins the blood", "tables")
WALK = EncounterFacts(1, date(2026, 5, 3), date(2026, 5, 3), 1.0, 1.0, ("X-01",))


def report(**changed: object) -> Facts:
    return Facts(DAY, reports=[replace(TOLD, **changed)], cautions=[HELLEBORE, ELDER, GENUS])  # type: ignore[arg-type]


def twice(**changed: object) -> Facts:
    return Facts(DAY, reports=[TOLD, replace(TOLD, id=2, **changed)])  # type: ignore[arg-type]


def plants(*found: PlantFacts) -> Facts:
    return Facts(DAY, plants=found)


def walk(**changed: object) -> Facts:
    holders = [HolderFacts("X-01", True, born=1950)]
    return Facts(DAY, encounters=[replace(WALK, **changed)], holders=holders, region=[(1.2, 1.1)])  # type: ignore[arg-type]


# Of every rule: facts that raise it, and facts that are near and do not.
CASES = {
    "no_agreement": (Facts(DAY, holders=[HolderFacts("X-01", False, reports=2)]), Facts(DAY, holders=[
        HolderFacts("X-01", True, reports=2), HolderFacts("X-02", False)])),
    "agreement_ended": (Facts(DAY, holders=[HolderFacts("X-01", False, date(2026, 5, 1), reports=1)]),
                        Facts(DAY, holders=[HolderFacts("X-01", True, date(2026, 5, 1), reports=1)])),
    "undetermined": (plants(PlantFacts(1, reports=1)), plants(PlantFacts(1), PlantFacts(2, "Salix caprea", reports=3))),
    "homonym": (plants(PlantFacts(1, "Salix caprea", ("Vesta",)), PlantFacts(2, "Salix alba", ("vestá",))),
                plants(PlantFacts(1, "Salix caprea", ("vesta",)), PlantFacts(2, "Salix caprea", ("vesta",)))),
    "near_names": (plants(PlantFacts(1, "Salix caprea", ("plātak",)), PlantFacts(2, "Salix alba", ("platako",))),
                   plants(PlantFacts(1, "Salix caprea", ("platak", "platako")), PlantFacts(2, "Salix alba", ("vesta",)))),
    "no_category": (report(category=""), report()),
    "no_part": (report(parts=()), report(parts=(), stance="denies")),
    "part_and_stage": (report(parts=("seed",), stage="flowering"), report(parts=("seed",), stage="ripe_fruit")),
    "told_twice": (twice(), twice(purpose="cough")),
    "hearsay_as_own": (report(words="They say it draws."), report(words="They say it draws.", basis="hearsay")),
    "strong_claim": (report(purpose="cancer"), report(purpose="cancer", stance="denies")),
    "caution_met": (report(taxon="Veratrum album", parts=("rhizome",)), report(taxon="Veratrum album", parts=("leaf",))),
    "dose_missing": (report(taxon="Veratrum album", dose=""), report(taxon="Veratrum album", dose="", applications=("on_skin",))),
    "step_missing": (report(taxon="Sambucus nigra", parts=("fruit",)),
                     report(taxon="Sambucus nigra", parts=("fruit",), methods=("cooked",))),
    "outside": (walk(latitude=5.0), walk(latitude=2.5)),
    "impossible_day": (walk(first=date(2026, 6, 2), last=date(2026, 6, 2)), walk(first=DAY, last=DAY)),
}  # fmt: skip


@pytest.mark.parametrize(
    "other",
    [
        {"outcome": "none"},
        {"stance": "denies"},
        {"basis": "hearsay"},
        {"methods": ("ash",)},
        {"stage": "flowering"},
        {"encounter": 9},
        {"applications": ("on_skin",)},
        {"dose": "three drops"},
    ],
)
def test_what_differs_in_anything_that_is_told_is_no_repeat(other: dict[str, object]):
    assert "told_twice" in codes(twice())
    assert "told_twice" not in codes(twice(**other))


def codes(facts: Facts) -> set[str]:
    return {item.rule for item in find_all(facts)}


def test_every_rule_has_its_cases():
    assert list(CASES) == [rule.code for rule in RULES] or set(CASES) == {rule.code for rule in RULES}
    assert all(rule.title and rule.fix.endswith(".") for rule in RULES)


@pytest.mark.parametrize("code", CASES)
def test_a_rule_is_raised_and_is_not_by_what_is_near(code: str):
    raising, near = CASES[code]
    (item,) = (one for one in find_all(raising) if one.rule == code)
    assert item.reason
    assert item.records
    assert code not in codes(near)


@pytest.mark.parametrize(
    ("facts", "code"),
    [(walk(first=date(1300, 1, 1), last=date(1300, 1, 1)), "impossible_day"),
     (walk(first=date(1949, 1, 1), last=date(1949, 1, 1)), "impossible_day"),
     (report(taxon="Salix alba"), "caution_met"), (report(parts=("flower",), stage="ripe_fruit"), "part_and_stage"),
     (report(purpose="cough", words="My uncle had a tumor."), "strong_claim")],
)  # fmt: skip
def test_other_ways_to_raise_a_rule(facts: Facts, code: str):
    assert code in codes(facts)


@pytest.mark.parametrize(
    ("purpose", "strong"),
    [("epilepsy", True), ("Bringing on a miscarriage", True), ("stroke", True), ("sunstroke", False), ("against tumours", True),
     ("skilled hands", False), ("keeping moths away", False), ("snakebite", True)],
)  # fmt: skip
def test_strong_claims_are_known_by_whole_words(purpose: str, strong: bool):
    assert is_strong_claim(purpose) is strong


def test_what_is_kept_of_a_decision_on_names_tells_no_name():
    (item,) = (one for one in find_all(CASES["homonym"][0]) if one.rule == "homonym")
    assert "vesta" not in item.about
    assert item.about.startswith("plants 1 2 ")


def test_a_distance_is_that_of_the_haversine():
    """One degree of latitude is 111.19 km on a sphere of 6371 km (arithmetic: 2 pi 6371 / 360)."""
    (item,) = (one for one in find_all(walk(latitude=5.2, longitude=1.1)) if one.rule == "outside")
    assert "445 km" in item.reason


WORDS = st.text("abcdeč ", max_size=8)


TAXA = st.sampled_from(("", "Salix alba", "Salix"))
PLANTS = st.builds(PlantFacts, st.integers(1, 9), TAXA, st.tuples(WORDS, WORDS), st.integers(0, 3))
REPORTS = st.builds(ReportFacts, st.integers(1, 9), st.just("X-01"), st.integers(1, 9), TAXA, words=WORDS, purpose=WORDS,
                    stage=st.sampled_from(("", "odd", "dormant")))  # fmt: skip


@given(
    st.lists(PLANTS, max_size=6, unique_by=lambda one: one.number), st.lists(REPORTS, max_size=6, unique_by=lambda one: one.id)
)
def test_no_item_is_found_twice_whatever_is_recorded(found: list[PlantFacts], reports: list[ReportFacts]):
    items = find_all(Facts(DAY, plants=found, reports=reports, cautions=[GENUS]))
    keys = [(item.rule, item.about) for item in items]
    assert len(keys) == len(set(keys))
    assert find_all(Facts(DAY)) == []
