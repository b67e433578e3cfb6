"""Tables drawn at random: every index against its definition, and everything that is computed of a table, without a crash."""

import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tender_ledger.core.analysis import parts_of
from tender_ledger.core.consensus.model import answers_of, consensus
from tender_ledger.core.groups.grouping import by_community, distances_between, told_by_group
from tender_ledger.core.groups.ordination import average_tree, principal_coordinates
from tender_ledger.core.indices.reckoning import reckon
from tender_ledger.core.messages import InputRefused
from tender_ledger.core.resampling.bootstrap import bootstrap
from tender_ledger.core.rules import parse_rules
from tender_ledger.core.sampling.accumulation import coverage, curve_ends, expected_curve, informants_for
from tender_ledger.core.sampling.incidence import THINGS, incidences
from tender_ledger.core.sampling.richness import chao2_bias_corrected, jackknife1
from tender_ledger.core.tally.counting import Tally, count
from tender_ledger.formats.reckoning_files import read_answers, read_flora, read_free_lists
from tender_ledger.formats.report_table import read_report_table
from tender_ledger.formats.result_document import result_document
from tender_ledger.formats.sheet import write_sheet
from tests.core.brute_force import brute_further
from tests.core.test_counting_properties import BASES, COLUMNS, ROSTER, ROWS

PLACES = st.integers(1, 10)
CHOICES = st.fixed_dictionaries({
    "unit": st.sampled_from(["category", "use", "use_part"]), "repeat": st.sampled_from(["once", "each_event"]),
    "mixtures": st.sampled_from(["each", "share", "own_taxon", "drop"]), "n": st.sampled_from(["roster", "reporting"]),
    "undetermined": st.sampled_from(["drop", "lump", "each_own"]), "resample": st.sampled_from(["all", "within_community"]),
})  # fmt: skip


def tally_of(rows: list[dict[str, str]], places: int = 1, **rules: Any) -> Tally:
    """The rows under the rules, the informants of ROSTER spread over so many communities."""
    people = [{"informant": who, "community": f"C{at % places}", "kind": kind} for at, (who, kind) in enumerate(ROSTER.items())]
    columns = (*COLUMNS, "mixture")
    mixed = [{**row, "mixture": "M" if row["use"] == "tea" else ""} for row in rows]
    table = read_report_table(write_sheet(columns, mixed), write_sheet(("informant", "community", "kind"), people))
    return count(table, parse_rules(rules))


@settings(max_examples=100)
@given(rows=ROWS, bases=st.sampled_from(BASES))
def test_every_index_against_its_definition(rows: list[dict[str, str]], bases: list[str]):
    tally = tally_of(rows, basis=bases)
    r = reckon(tally)
    document, expected = result_document(r), brute_further(rows, ROSTER, bases=set(bases))
    names = {"CV": "CV_category", "RI": "RI_pardo_category", "FL": "FL_category", "UC": "use_consensus"}
    for part in ("taxa", "categories"):
        assert sorted(document[part]) == sorted(expected[part])
        for name, values in expected[part].items():
            for key, value in values.items():
                found = document[part][name][names.get(key, key)]
                assert found == (None if value is None else pytest.approx(value, abs=1e-12)), (name, key)


@settings(max_examples=120)
@given(rows=ROWS, places=PLACES, rules=CHOICES, silent=st.booleans())
def test_nothing_crashes_and_everything_keeps_its_bounds(
    rows: list[dict[str, str]], places: int, rules: dict[str, Any], silent: bool
):
    tally = tally_of([] if silent else rows, places, **rules)
    r = reckon(tally)
    flora = {"": 3, "Betulaceae": 5}
    parts = parts_of(tally, r, lists=[["a", "b"], []], flora=flora, replicates="exact" if places == 1 else 40)
    document = result_document(r, parts)
    for values in document["taxa"].values():
        assert values["FL_category"] is None or 0 <= values["FL_category"] <= 100
        assert values["RI_pardo_use"] is None or 0 < values["RI_pardo_use"] <= 1
        assert 1 <= values["UD"] <= values["NU_category"] + 1e-9
        assert values["CI"] is None or sum(values["CI_components"].values()) == pytest.approx(values["CI"])
    for pair in parts.pairs:
        assert math.isnan(pair.jaccard) or pair.sorensen == pytest.approx(2 * pair.jaccard / (1 + pair.jaccard))
        assert all(0 < one.test.p <= 1 or math.isnan(one.test.p) for one in pair.taxa)
    distances = distances_between(told_by_group(tally, by_community(tally)))
    assert len(average_tree(distances).order) == len(principal_coordinates(distances).points) == len(distances)
    for interval in parts.uncertainty.taxa.values() if parts.uncertainty else ():
        shown = ~np.isnan(interval.low)
        assert (interval.low[shown] <= interval.high[shown]).all()


@settings(max_examples=60)
@given(rows=ROWS, things=st.sampled_from(THINGS))
def test_the_listening_curve(rows: list[dict[str, str]], things: str):
    found = incidences(tally_of(rows), things)
    curve = expected_curve(found)
    assert len(curve) == found.units
    if found.observed:
        assert curve[0] == pytest.approx(found.u / found.units)
        assert curve[-1] == pytest.approx(found.observed)
        assert (np.diff(curve) >= -1e-9).all()
        last = curve[-1] - curve[-2] if found.units > 1 else math.nan
        assert math.isnan(last) or last == pytest.approx(found.q1 / found.units)
        assert 0 <= coverage(found) <= 1
        assert chao2_bias_corrected(found).value >= found.observed - 1e-9
        low, high = curve_ends(found)
        assert found.units < 2 or ((low <= curve + 1e-9) & (curve <= high + 1e-9) & (low >= 0)).all()
        assert jackknife1(found).value == pytest.approx(found.observed + found.q1 * (found.units - 1) / found.units)
    wanted = informants_for(found)
    assert wanted.more is None or 0 <= wanted.more <= found.units
    assert wanted.more is not None or wanted.why


@settings(max_examples=40)
@given(rows=ROWS, seed=st.integers(0, 9))
def test_a_seed_gives_the_same_resamples_and_a_silent_holder_is_drawn_too(rows: list[dict[str, str]], seed: int):
    tally = tally_of(rows)
    one, again = (bootstrap(tally, replicates=30, seed=seed, exact_means=False) for _ in range(2))
    for name, interval in one.taxa.items():
        np.testing.assert_array_equal(interval.low, again.taxa[name].low)
    assert one.n == tally.n == 4
    np.testing.assert_array_equal(one.categories.undefined, again.categories.undefined)


@settings(max_examples=40)
@given(rows=st.lists(st.lists(st.sampled_from(["", "yes", "no"]), min_size=4, max_size=4), max_size=6))
def test_any_answers_are_analysed_or_refused(rows: list[list[str]]):
    try:
        found = consensus(answers_of([f"I{at}" for at in range(len(rows))], list("abcd"), rows, 2))
    except InputRefused:
        return  # too few informants, or two without a common question
    assert found.fits == bool(found.key)
    assert found.fits or found.refused


@pytest.mark.parametrize(("read", "text", "told"), [
    (read_free_lists, "informant,position,item\nA,0,birch\n", "freelists, line 2, column position"),
    (read_free_lists, "informant,position,item\nA,1,birch\nA,1,lime\n", "position twice"),
    (read_free_lists, "informant,position,item\n,1,birch\n", "No informant"),
    (read_flora, "family,flora\nBetulaceae,many\n", "flora, line 2, column flora"),
    (read_flora, "family,flora\nBetulaceae,3\nBetulaceae,4\n", "stands twice"),
    (read_flora, "family\nBetulaceae\n", "required column is missing"),
    (read_answers, "informant\nA\n", "no questions"),
    (read_answers, "informant,q\nA,yes\nA,no\n", "informant stands twice"),
])  # fmt: skip
def test_files_with_errors_say_what_and_where(read: Any, text: str, told: str):
    with pytest.raises(InputRefused) as refused:
        read(text.encode())
    assert told in "; ".join(str(problem) for problem in refused.value.problems)
