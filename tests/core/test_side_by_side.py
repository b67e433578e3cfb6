"""Communities side by side, filters that change no value, ranks, and what a published figure holds back."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tender_ledger.core.indices.comparison import compare_categories, compare_taxa
from tender_ledger.core.indices.ranking import RANKED_FROM, ranked_in_a_ladder, ranks, values_of_taxa
from tender_ledger.core.indices.reckoning import Reckoning, reckon
from tender_ledger.core.indices.selection import Selection, select
from tender_ledger.core.rules import CountingRules
from tender_ledger.core.tally.counting import Tally, count
from tender_ledger.formats.report_table import read_report_table
from tender_ledger.formats.sheet import write_sheet
from tests.conftest import REFERENCE

COLUMNS = ("informant", "community", "taxon", "family", "category", "use")
FAMILIES = {"Betula pendula": "Betulaceae", "Salix caprea": "Salicaceae", "Malva sylvestris": "Malvaceae"}
COMMUNITIES = {"A1": "X", "A2": "X", "A3": "X", "B1": "Y", "B2": "Y"}
ROWS = st.lists(
    st.builds(
        lambda who, taxon, category, use: {"informant": who, "community": COMMUNITIES[who], "taxon": taxon,
                                           "family": FAMILIES[taxon], "category": category, "use": use},
        st.sampled_from([*COMMUNITIES]), st.sampled_from([*FAMILIES]), st.sampled_from(["food", "medicines", "fuels"]),
        st.sampled_from(["tea", "soup", "smoke"]),
    ),
    max_size=40,
)  # fmt: skip


def tally_of(rows: list[dict[str, str]], communities: dict[str, str] = COMMUNITIES) -> Tally:
    people = [{"informant": who, "community": where} for who, where in communities.items()]
    told = [{"basis": "own", **row} for row in rows]
    return count(read_report_table(write_sheet((*COLUMNS, "basis"), told), write_sheet(("informant", "community"), people)),
                 CountingRules())  # fmt: skip


def alone(rows: list[dict[str, str]], community: str) -> Reckoning:
    """The community as a study of its own."""
    there = {who: where for who, where in COMMUNITIES.items() if where == community}
    return reckon(tally_of([row for row in rows if row["community"] == community], there))


@settings(max_examples=80)
@given(rows=ROWS, index=st.sampled_from(["rfc", "ci", "uv"]))
def test_each_side_has_the_values_of_that_community_as_a_study_of_its_own(rows: list[dict[str, str]], index: str):
    whole = reckon(tally_of(rows))
    compared = compare_taxa(whole.by_community["X"], whole.by_community["Y"], index)
    for side, community, n in ((compared.first, "X", 3), (compared.second, "Y", 2)):
        own = alone(rows, community)
        assert side.n == own.n == n
        expected = dict(zip(own.taxa, values_of_taxa(own)[index], strict=True))
        for at, taxon in enumerate(compared.taxa):
            assert side.values[at] == pytest.approx(expected.get(taxon, 0.0), abs=1e-12)
    np.testing.assert_allclose(compared.difference, compared.first.values - compared.second.values, atol=1e-12)
    in_x, in_y = ({row["taxon"] for row in rows if row["community"] == one} for one in "XY")
    assert (compared.shared, compared.only_first, compared.only_second) == (len(in_x & in_y), len(in_x - in_y), len(in_y - in_x))


def test_side_by_side_turned_round_is_the_same_with_the_sign_turned():
    r = reckon(count(read_report_table((REFERENCE / "reports.csv").read_bytes(), (REFERENCE / "informants.csv").read_bytes()),
                     CountingRules()))  # fmt: skip
    first, second = list(r.by_community.values())[:2]
    np.testing.assert_array_equal(compare_taxa(first, second, "ci").difference, -compare_taxa(second, first, "ci").difference)
    forth, back = compare_categories(first, second), compare_categories(second, first)
    np.testing.assert_array_equal(forth.difference, -back.difference)
    np.testing.assert_array_equal(np.isnan(forth.difference), np.isnan(first.icf) | np.isnan(second.icf))


def test_counts_of_groups_of_unequal_size_are_not_set_side_by_side():
    r = reckon(tally_of([]))
    with pytest.raises(ValueError, match="ur"):
        compare_taxa(r, r, "ur")


@settings(max_examples=80)
@given(
    rows=ROWS,
    family=st.sampled_from(["", *FAMILIES.values(), "Rosaceae"]),
    category=st.sampled_from(["", "food", "fuels", "nothing"]),
    community=st.sampled_from(["", "X", "Y", "Z"]),
)
def test_a_filter_shows_what_one_and_the_same_report_meets_and_changes_no_value(rows, family: str, category: str, community: str):
    tally = tally_of(rows)
    before = values_of_taxa(reckon(tally))
    chosen = select(tally, Selection(family, category, community=community))
    meets = [row for row in rows if family in ("", row["family"]) and category in ("", row["category"])
             and community in ("", row["community"])]  # fmt: skip
    assert {tally.taxa.names[at] for at in np.flatnonzero(chosen.taxa)} == {row["taxon"] for row in meets}
    assert {tally.table.categories[at] for at in np.flatnonzero(chosen.categories)} == {row["category"] for row in meets}
    after = values_of_taxa(reckon(tally))
    assert all(np.array_equal(before[name], after[name], equal_nan=True) for name in before)


def test_a_filter_by_part_needs_the_identities_of_reports():
    with pytest.raises(ValueError, match="part"):
        select(tally_of([]), Selection(part="leaf"))


@given(st.lists(st.one_of(st.just(float("nan")), st.integers(0, 5).map(float)), max_size=30))
def test_ranks_are_those_of_a_race(values: list[float]):
    """Equals share the better rank: pandas' rank (3.1, method "min") of the falling values; 0 where undefined."""
    expected = pd.Series(values, dtype=float).rank(method="min", ascending=False).fillna(0)
    assert ranks(np.array(values)).tolist() == expected.tolist()


def test_values_that_differ_only_by_how_they_were_added_up_share_a_rank():
    assert 0.1 + 0.2 != 0.3
    rows = [
        {"informant": who, "community": "X", "taxon": taxon, "family": "", "category": category, "use": ""}
        for who in ("A1", "A2", "A3") for taxon in ("Betula pendula", "Salix caprea") for category in ("food", "fuels")
    ]  # fmt: skip
    values = values_of_taxa(reckon(tally_of(rows)))["ci"]
    assert ranks(values[values > 0]).tolist() == [1, 1]


def test_who_is_told_by_few_stands_apart_from_the_ranked():
    told_by = {"Betula pendula": RANKED_FROM, "Salix caprea": RANKED_FROM - 1}
    rows = [{"informant": f"A{at}", "community": "X", "taxon": taxon, "family": "", "category": "food", "use": ""}
            for taxon, told in told_by.items() for at in range(told)]  # fmt: skip
    r = reckon(tally_of(rows, {f"A{at}": "X" for at in range(RANKED_FROM)}))
    assert dict(zip(r.taxa, ranked_in_a_ladder(r).tolist(), strict=True)) == {"Betula pendula": True, "Salix caprea": False}
