"""Groups of holders: by who they are, and by the encounters in which they told."""

from datetime import date

import pytest

from tender_ledger.core.rules import CountingRules
from tender_ledger.core.terms import Purpose
from tender_ledger.operations import analyses, effort, grouped
from tender_ledger.operations.errors import NotFound
from tender_ledger.operations.reckoning import reports_behind
from tender_ledger.storage.database import value
from tests.conftest import scope_for
from tests.factories import SmallStudy

RULES = CountingRules()
DAY = date(2025, 6, 1)


@pytest.fixture
def twice(empty_db: str) -> SmallStudy:
    """H-1 tells of the willow in May and of the lime in July on a walk, H-2 of the willow in July; H-3 is silent in May."""
    small = SmallStudy()
    one, two, silent = (small.holder(code) for code in ("H-1", "H-2", "H-3"))
    may = small.encounter(one, silent, day="2025-05-04")
    july = small.encounter(one, two, day="2025-07-10", kind="walk")
    willow, lime = small.plant("Salix caprea"), small.plant("Tilia cordata")
    small.report(may, "H-1", willow, category="medicines", purpose="fever")
    small.report(july, "H-1", lime, category="food", purpose="tea")
    small.report(july, "H-2", willow, category="medicines", purpose="fever")
    return small


@pytest.mark.parametrize(("by", "names"), [("period", ["before", "since"]), ("kind", ["interview", "walk"])])
def test_what_was_told_in_a_period_or_kind_of_encounter_counts_there(twice: SmallStudy, by: str, names: list[str]):
    body = grouped.groups(twice.scope, RULES, by=by, since=DAY).body or {}
    assert (body["names"], body["n"], body["both"], body["none"]) == (names, [2, 2], 1, 0)
    # Before: H-1 and the silent H-3; since: H-1 and H-2. CI of each over its own N.
    assert body["ci"] == {names[0]: {"Salix caprea": 0.5}, names[1]: {"Salix caprea": 0.5, "Tilia cordata": 0.5}}
    assert body["fc"] == {"Salix caprea": 2, "Tilia cordata": 1}  # people, each once
    pair = body["pairs"][0]
    assert (pair["jaccard"], pair["A"], pair["B"], pair["shared"]) == (0.5, 1, 2, 1)
    assert pair["means"] == [0.5, 1.0]


def test_the_reports_behind_a_group_are_those_of_its_encounters(twice: SmallStudy):
    for by, name, taxa in (("period", "before", ["Salix caprea"]), ("kind", "walk", ["Salix caprea", "Tilia cordata"]),
                           ("community", "", [])):  # fmt: skip
        behind = reports_behind(twice.scope, RULES, **grouped.behind_groups(twice.scope, RULES, by, DAY, name))
        assert (behind.counted, len(behind.shown)) == (len(taxa), len(taxa)), by


def test_groups_of_nothing_known_are_refused(twice: SmallStudy):
    with pytest.raises(NotFound):
        grouped.groups(twice.scope, RULES, by="shoe size")


def test_reports_behind_a_family_a_holder_and_a_part(twice: SmallStudy):
    assert reports_behind(twice.scope, RULES, family="Salicaceae").counted == 2
    assert reports_behind(twice.scope, RULES, informants=frozenset({"H-1"})).counted == 2
    assert reports_behind(twice.scope, RULES, informants=frozenset()).counted == 0
    assert reports_behind(twice.scope, RULES, names=("parts", "")).counted == 0
    small = twice
    small.report(small.encounter(small.holder("H-4"), day="2025-08-01"), "H-4", 1, category="food", purpose="soup", parts="leaf")
    assert reports_behind(small.scope, RULES, names=("parts", "leaf")).counted == 1
    assert reports_behind(small.scope, RULES, names=("parts", "root")).counted == 0
    assert reports_behind(small.scope, RULES, names=("preparations", "")).counted == 0


def test_what_may_not_be_published_is_in_no_group_that_leaves_the_study(twice: SmallStudy):
    body = grouped.groups(twice.scope, RULES, by="kind", purpose=Purpose.PUBLISHED).body or {}
    inside = grouped.groups(twice.scope, RULES, by="kind").body or {}
    assert sum(body["n"]) <= sum(inside["n"])


def test_things_told_by_one_are_named_and_words_are_not(twice: SmallStudy):
    body = analyses.listening(twice.scope, RULES).body or {}
    assert (body["taxa"]["ones"], body["taxa"]["twos"]) == ([["Tilia cordata", ""]], [["Salix caprea", ""]])
    assert body["citations"]["ones"] == [["Tilia cordata", "food"]]
    assert "ones" not in body["uses"]


def test_an_occupation_that_few_have_makes_no_group(twice: SmallStudy):
    for code in ("H-4", "H-5"):
        twice.encounter(twice.holder(code), day="2025-09-01")
    value("UPDATE holder SET occupation = 'miller' WHERE code IN ('H-1', 'H-2', 'H-3') RETURNING id")
    value("UPDATE holder SET occupation = 'the only smith' WHERE code = 'H-4' RETURNING id")
    body = grouped.groups(twice.scope, RULES, by="occupation").body or {}
    assert (body["names"], body["n"], body["none"]) == (["miller"], [3], 2)


def test_two_communities_side_by_side_have_the_ends_of_their_pair(demo_db: str):
    body = grouped.sides(scope_for(), RULES, "ONS", "KEL").body or {}
    pairs = (grouped.groups(scope_for(), RULES).body or {})["pairs"]
    turned = next(pair for pair in pairs if {pair["first"], pair["second"]} == {"ONS", "KEL"})
    sign = 1 if turned["first"] == "ONS" else -1
    assert {taxon: sorted(sign * end for end in ends) for taxon, ends in turned["difference_ends"].items()} == {
        taxon: pytest.approx(ends, abs=0.1) for taxon, ends in body["ci"].items() if taxon in turned["difference_ends"]
    }
    assert set(body) == {"rfc", "ci", "uv", "icf", "seed"}
    assert all(low <= high for name in ("rfc", "ci", "uv", "icf") for low, high in body[name].values())


def test_a_group_alone_has_no_pair_and_no_tree(twice: SmallStudy):
    body = grouped.groups(twice.scope, RULES, by="gender").body or {}
    assert (body["pairs"], body["joined_again"]) == ([], [])


@pytest.mark.usefixtures("beside")
def test_the_ends_of_the_first_page_are_those_of_the_whole_computation(demo_db: str, monkeypatch: pytest.MonkeyPatch):
    scope = scope_for()
    ends, whole = analyses.ends_of_values(scope, RULES).body or {}, analyses.uncertainty(scope, RULES).body or {}
    shown = {taxon: one["ci"][:2] for taxon, one in whole["taxa"].items() if one["ci"][0] is not None}
    assert ends["ci"] == {taxon: pytest.approx(two, rel=1e-8) for taxon, two in shown.items()}
    assert 0 < len(shown) < len(whole["taxa"])  # told by fewer than five, a plant has none
    assert ends["uva"] == {taxon: pytest.approx(two, rel=1e-8) for taxon, two in whole["further"]["taxa"]["uva"].items()}
    monkeypatch.setattr(effort, "of_uncertainty", lambda _size, _replicates: 60.0)
    asked = analyses.ends_of_values(scope, RULES, group="ONS")
    assert (asked.body, asked.state) == (None, "not begun")
    assert analyses.ends_of_values(scope, RULES, group="ONS", begin=True).state == "working"
