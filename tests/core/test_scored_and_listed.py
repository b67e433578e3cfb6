"""Indices that the worked example has no scores or categories for: significance, category bias, popularity, seriation.

Worked by hand from the formulas as published: Turner 1988 (Am Anthropol 90:272-290), da Silva, Andrade & Albuquerque 2006 (Field
Methods 18:98-108), Robbins & Nolan 1997; B is also the Mann-Whitney U over k (n - k), checked with scipy 1.17.1.
"""

import math

import numpy as np
import pytest
import scipy.stats

from tender_ledger.core.freelists.salience import category_bias
from tender_ledger.core.indices.composite import cultural_significance, cultural_significance_of_citations
from tender_ledger.core.indices.fidelity import popularity_line, popularity_threshold, relative_popularity
from tender_ledger.core.knowledge import difference_between, seriated, tie_of_ranks
from tender_ledger.core.messages import InputRefused


def test_significance_by_hand():
    assert cultural_significance([(5, 4, 2), (3, 2, 0.5)]) == 43
    assert cultural_significance([]) == 0
    assert cultural_significance_of_citations([(2, 2, 1), (1, 1, 2)], 3, 6) == 3
    assert math.isnan(cultural_significance_of_citations([], 3, 6))
    for wrong in ([(6, 4, 2)], [(5, 0, 2)], [(5, 4, 3)]):
        with pytest.raises(InputRefused, match="outside its scale"):
            cultural_significance(wrong)


@pytest.mark.parametrize(("members", "expected"), [("ab", 1.0), ("cd", 0.0), ("ad", 0.5), ("", math.nan), ("abcd", math.nan)])
def test_the_bias_of_a_category(members: str, expected: float):
    found = category_bias(["a", "b", "b", "c", "d"], dict.fromkeys(members, True))
    assert math.isnan(found) if math.isnan(expected) else found == expected


@pytest.mark.parametrize("seed", range(5))
def test_the_bias_is_mann_whitney(seed: int):
    flags = np.random.default_rng(seed).random(11) < 0.4
    flags[:2] = [True, False]
    items = [f"item {at}" for at in range(11)]
    ours = category_bias(items, dict(zip(items, flags.tolist(), strict=True)))
    ranks = np.arange(1, 12)
    theirs = scipy.stats.mannwhitneyu(ranks[~flags], ranks[flags]).statistic  # others later than members
    assert ours == pytest.approx(theirs / (flags.sum() * (~flags).sum()))


def test_the_threshold_by_hand():
    # FC 6, 4, 4, 3, 2, 1 and uses 4, 4, 3, 3, 2, 1: least squares 2.800, 1.048, 17/24 and 1.152 for T of 2, 3, 4 and 6.
    fc, uses = np.array([6, 4, 4, 3, 2, 1]), np.array([4, 4, 3, 3, 2, 1])
    assert popularity_threshold(uses, fc) == 4
    intercept, slope = popularity_line(uses, fc, 4)
    squares = ((uses - intercept - slope * np.minimum(fc, 4)) ** 2).sum()
    assert squares == pytest.approx(17 / 24)
    assert relative_popularity(uses, fc).rpl.tolist() == [1, 1, 1, 0.75, 0.5, 0.25]
    assert relative_popularity(uses, fc, 6).rpl.tolist() == pytest.approx([1, 4 / 6, 4 / 6, 3 / 6, 2 / 6, 1 / 6])
    assert relative_popularity(np.array([1, 2]), np.array([3, 3])).threshold == 0


def test_ties_with_age_and_between_groups():
    rng = np.random.default_rng(3)
    age, known = rng.integers(20, 90, 30).astype(float), rng.integers(0, 12, 30).astype(float)
    found, theirs = tie_of_ranks(age, known), scipy.stats.spearmanr(age, known)
    assert found.value == pytest.approx(theirs.statistic)
    assert found.p == pytest.approx(theirs.pvalue, abs=0.03)
    groups = rng.integers(0, 3, 30)
    between, kruskal = difference_between(known, groups), scipy.stats.kruskal(*(known[groups == one] for one in range(3)))
    ties = scipy.stats.tiecorrect(scipy.stats.rankdata(known))
    assert between.value == pytest.approx(kruskal.statistic * ties)  # ours has no correction for ties
    assert between.p == pytest.approx(kruskal.pvalue, abs=0.03)
    assert math.isnan(tie_of_ranks(np.array([1.0]), np.array([2.0])).p)
    assert math.isnan(difference_between(known, np.zeros(30, dtype=int)).p)


def test_seriation_brings_blocks_together_and_leaves_nothing_out():
    told = np.zeros((7, 6), dtype=bool)
    told[np.ix_([0, 2, 4], [1, 3, 5])] = True
    told[np.ix_([1, 3], [0, 2])] = True
    told[5, [0, 1]] = True
    rows, columns = seriated(told)
    assert sorted(rows.tolist()) == list(range(7))
    assert sorted(columns.tolist()) == list(range(6))
    assert rows[-1] == 6  # told nothing
    order = [{0: "A", 2: "A", 4: "A", 1: "B", 3: "B", 5: "between"}[one] for one in rows[:-1].tolist()]
    assert order in (["A"] * 3 + ["between"] + ["B"] * 2, ["B"] * 2 + ["between"] + ["A"] * 3)
