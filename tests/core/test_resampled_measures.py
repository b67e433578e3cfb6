"""Intervals of what is no index of a taxon: pairs of groups, free lists, shares of parts, ties of knowledge with age."""

import csv
import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from tender_ledger.core.consensus.model import answers_of, consensus
from tender_ledger.core.consensus.resampled import LEAST_QUESTIONS, consensus_ends
from tender_ledger.core.freelists.salience import mean_bias, salience, salience_ends
from tender_ledger.core.groups.likeness import bray_curtis
from tender_ledger.core.groups.ordination import average_tree, joins_found_again
from tender_ledger.core.indices.parts import shares_ends, shares_told
from tender_ledger.core.knowledge import tie_of_ranks
from tender_ledger.core.resampling.bootstrap import rank_bands, resampled_sums
from tender_ledger.core.resampling.drawing import draw, every_resample
from tender_ledger.core.resampling.means import PerInformant
from tender_ledger.core.resampling.pairs import difference_ends, gap_ends, resampled_distances, resampled_group
from tender_ledger.core.resampling.quantiles import Z, weighted_ends
from tests.conftest import REFERENCE
from tests.core.test_further_intervals import rows_of, tally_of

LISTS = [["a", "b", "c"], ["b", "a"], ["a"], ["c", "b", "a"], ["c", "a"], []]


def example():
    return tally_of(rows_of("reports.csv"), rows_of("informants.csv"), {})


def test_the_difference_of_two_groups_has_the_ends_of_two_means():
    """As scipy has it of two samples of unequal spread, with the normal factor in place of Student's."""
    tally = example()
    x, y = (tally.table.informants.community == at for at in (0, 1))
    one, other = (resampled_group(tally, members, ()) for members in (x, y))
    own = np.bincount(tally.reports.informant, minlength=8).astype(float)
    test = stats.ttest_ind(own[x], own[y], equal_var=False)
    middle = own[x].mean() - own[y].mean()
    reach = Z * middle / test.statistic
    assert difference_ends(one, other) == pytest.approx((middle - reach, middle + reach))
    assert difference_ends(resampled_group(tally, np.arange(8) == 0, ()), other) is None


def test_groups_have_ends_of_their_own_and_of_their_differences():
    tally, at = example(), example().taxa.names.index("Mentha spicata")
    everybody, x = np.ones(8, dtype=bool), tally.table.informants.community == 0
    one, other = (resampled_group(tally, members, ()) for members in (everybody, x))
    own = np.bincount(tally.reports.informant[tally.reports.taxon == at], minlength=8).astype(float)
    low, high = one.ends("ci")
    reach = Z * stats.sem(own)
    assert (low[at], high[at]) == pytest.approx((max(own.mean() - reach, 0), own.mean() + reach))
    assert np.isnan(other.ends("ci")[0]).all()  # four holders: nothing can be said
    low, high = gap_ends(one, other, "ci")
    reach = Z * math.hypot(stats.sem(own), stats.sem(own[x]))
    middle = own.mean() - own[x].mean()
    assert (low[at], high[at]) == pytest.approx((middle - reach, middle + reach))
    estimate, error = one.agreement
    low, high = one.ends("icf")
    there = ~np.isnan(error)
    np.testing.assert_allclose(low[there], (estimate - Z * error)[there])
    np.testing.assert_allclose(high[there], np.minimum(estimate + Z * error, 1)[there])
    gap = gap_ends(one, other, "icf")[0]
    assert np.isnan(gap).tolist() == np.isnan(one.agreement[1] + other.agreement[1]).tolist()


def test_a_tree_says_in_how_many_resamples_its_groups_are_joined():
    near, far = 0.1, 0.9
    apart = np.array([[0, near, far, far], [near, 0, far, far], [far, far, 0, near], [far, far, near, 0]])
    turned = apart[np.ix_([0, 2, 1, 3], [0, 2, 1, 3])]  # 0 with 2, 1 with 3
    tree = average_tree(apart)
    assert joins_found_again(tree, np.stack([apart, apart, apart, turned])) == [0.75, 0.75, pytest.approx(np.nan, nan_ok=True)]
    assert joins_found_again(average_tree(np.zeros((1, 1))), np.zeros((2, 1, 1))) == []


def test_joins_of_tied_distances_are_no_support():
    """Where every distance is the same any tree does; where two pairs tie apart from each other, each is one."""
    even = 1 - np.eye(4)
    assert joins_found_again(average_tree(even), np.stack([even] * 5))[:2] == [0, 0]
    between = np.array([[0, 1, 1, 5], [1, 0, 3, 5], [1, 3, 0, 5], [5, 5, 5, 0]], dtype=float)  # 0 is as near to 1 as to 2
    assert joins_found_again(average_tree(between), np.stack([between]))[:2] == [0, 1]


@given(st.integers(0, 10**6), st.integers(3, 7))
def test_without_ties_the_joins_are_those_of_the_usual_program(seed: int, n: int):
    drawn = np.random.default_rng(seed).random((n, n))
    distances = (drawn + drawn.T) / 2
    np.fill_diagonal(distances, 0)
    assert joins_found_again(average_tree(distances), distances[None])[:-1] == [1.0] * (n - 2)


def test_distances_in_resamples_are_those_of_each_pair():
    tally = example()
    groups = [resampled_group(tally, tally.table.informants.community == at, replicates=50, seed=at) for at in (0, 1)]
    found = resampled_distances(groups)
    again = [bray_curtis(one, other) for one, other in zip(groups[0].values("ci"), groups[1].values("ci"), strict=True)]
    np.testing.assert_allclose(found[:, 0, 1], np.nan_to_num(again, nan=1.0))
    assert (found[:, 0, 0] == 0).all()


def test_the_ends_of_salience_are_those_of_all_resampled_lists():
    drawn = every_resample(6)
    ends = salience_ends(LISTS, drawn)
    smith, sutrop = [], []
    for weights in drawn.weights.astype(int):
        lists = [one for one, times in zip(LISTS, weights, strict=True) for _time in range(times)]
        again = salience(lists)
        smith.append(again.smith_s(6)[again.items.index("a")] if "a" in again.items else 0.0)
        sutrop.append(again.sutrop(6)[again.items.index("a")] if "a" in again.items else np.nan)
    assert ends["smith"]["a"] == pytest.approx(weighted_ends(np.array(smith), drawn.shares()))
    named = ~np.isnan(sutrop)
    assert ends["sutrop"]["a"] == pytest.approx(weighted_ends(np.array(sutrop)[named], drawn.shares()[named]))
    # a stands first, second, first, third, second: Student's interval of the mean, its error taken of the logarithm.
    places = np.array([1, 2, 1, 3, 2])
    low, high = stats.t.interval(0.95, 4, math.log(places.mean()), stats.sem(places) / places.mean())
    assert ends["mean"]["a"] == pytest.approx((math.exp(low), math.exp(high)))
    assert all(set(one) == {"a"} for one in ends.values())  # b and c were named by three


def test_the_ends_of_a_share_are_those_of_leaving_out_each_informant():
    tally = tally_of(rows_of("reports.csv"), rows_of("informants.csv"), {})
    parts = tally.table.parts
    assert parts is not None
    told = shares_told(tally, parts, "category")
    low, high = shares_ends(tally, parts, "category")
    row, leaf = told.of.index("MED"), told.labels.index("leaf")
    assert told.informants[row] >= 5
    left = [shares_told(tally, parts, "category", np.arange(8) != one).shares[row, leaf] for one in range(8)]
    angles = np.arcsin(np.sqrt(left))
    error = math.sqrt(7 / 8 * ((angles - angles.mean()) ** 2).sum())
    reach = float(stats.t.ppf(0.975, told.informants[row] - 1)) * error
    angle = math.asin(math.sqrt(told.shares[row, leaf]))
    expected = (math.sin(max(angle - reach, 0)) ** 2, math.sin(min(angle + reach, math.pi / 2)) ** 2)
    assert (low[row, leaf], high[row, leaf]) == pytest.approx(expected)
    assert np.isnan(low[told.informants < 5]).all()


def test_a_rank_is_told_from_another_by_the_test_of_their_difference():
    """Three taxa of 40 informants: two told alike, one told by nearly all; beside scipy's paired comparison."""
    rng = np.random.default_rng(3)
    own = (rng.random((40, 3)) < (0.3, 0.32, 0.95)).astype(np.int64)
    who, taxon = np.nonzero(own)
    order = np.argsort(taxon, kind="stable")
    values = PerInformant(taxon[order], who[order], np.ones(len(who), dtype=np.int64), 3, 40)
    drawn = draw(np.zeros(40, dtype=np.int64), 50, 1)
    bands = rank_bands(values, resampled_sums(drawn, values), None, drawn)
    assert (bands.low.tolist(), bands.high.tolist()) == ([2, 2, 1], [3, 3, 1])
    assert stats.ttest_rel(own[:, 2], own[:, 0]).pvalue < 0.025 < stats.ttest_rel(own[:, 0], own[:, 1]).pvalue
    assert bands.in_first.tolist() == [1, 1, 1]


def test_a_tie_has_an_interval_unless_resamples_leave_it_undefined():
    x = np.arange(12, dtype=np.float64)
    tie = tie_of_ranks(x, x + np.array([0, 3] * 6))
    assert tie.ends is not None
    assert -1 <= tie.ends[0] <= tie.value <= tie.ends[1] <= 1
    y, rng = np.array([1.0, 1, 4, 2, 2, 6, 4, 4, 9, 7, 9, 9]), np.random.default_rng(5)
    rng.permuted(np.tile(x, (99, 1)), axis=1)  # what the relabellings take of the generator
    again = [float(stats.spearmanr(x[at], y[at]).statistic) for at in rng.integers(0, 12, (1000, 12))]
    by_hand = weighted_ends(np.array(again), np.ones(1000))
    assert tie_of_ranks(x, y, drawn=99, seed=5).ends == pytest.approx(by_hand)
    assert tie_of_ranks(np.array([1.0, 2, 2, 2]), np.array([1.0, 1, 1, 2])).ends is None  # a resample is often constant
    alike = draw(np.zeros(5, dtype=np.int64), 50, 1)
    assert salience_ends([["a"]] * 5, alike)["smith"]["a"] == (1.0, 1.0)


def test_the_mean_category_bias_has_the_interval_of_student():
    # B of the lists: a first of three 1, a second of two 0, none with a alone or without a.
    lists = [["a", "b", "c"], ["b", "a"], ["a"], ["c"], ["a", "c", "b", "d"], ["c", "a", "b"], ["c", "a", "b", "d"]]
    bias = mean_bias(lists, {"a": True})
    each = [1, 0, 1, 1 / 2, 2 / 3]
    assert (bias.value, bias.lists) == (pytest.approx(np.mean(each)), 5)
    low, high = stats.t.interval(0.95, 4, np.mean(each), stats.sem(each))
    assert bias.ends == pytest.approx((low, min(high, 1)))
    few = mean_bias(lists[:-1], {"a": True})
    assert (few.lists, few.ends) == (4, None)
    alone = mean_bias([["a"], []], {"a": True})
    assert (np.isnan(alone.value), alone.lists, alone.ends) == (True, 0, None)


def test_competences_have_the_ends_of_resampled_questions():
    with (REFERENCE / "consensus-answers.csv").open(encoding="utf-8") as file:
        head, *rows = csv.reader(file)
    found = consensus(answers_of([row[0] for row in rows], head[1:], [row[1:] for row in rows]))
    ends = consensus_ends(found, replicates=300, seed=4)
    again = consensus_ends(found, replicates=300, seed=4)
    assert (ends.low == again.low).all()
    assert (ends.low < found.competence).all()
    assert (found.competence < ends.high).all()
    assert ends.mean[0] < found.competence.mean() < ends.mean[1]
    # By hand: the analysis of each resample written out as a questionnaire, each drawn question as a question of its own.
    drawn = draw(np.zeros(len(head) - 1, dtype=np.int64), 300, seed=4)
    by_hand = []
    for weights in drawn.weights.astype(int):
        places = [at for at, times in enumerate(weights) for _time in range(times)]
        given = [[row[1 + at] for at in places] for row in rows]
        by_hand.append(consensus(answers_of([row[0] for row in rows], [str(at) for at in range(len(places))], given,
                                            found.answers.alternatives)))  # fmt: skip
    shares = np.full(300, 1 / 300)
    for at in range(len(rows)):
        expected = weighted_ends(np.array([one.competence[at] for one in by_hand]), shares)
        assert (ends.low[at], ends.high[at]) == pytest.approx(expected, abs=1e-5)
    assert ends.fits == np.mean([one.ratio >= 3 for one in by_hand])


def test_competences_have_no_ends_where_resamples_often_leave_a_pair_without_a_question():
    rng = np.random.default_rng(2)
    known = rng.choice(["a", "b"], 44, p=(0.8, 0.2))
    given = [[answer if rng.random() < 0.8 else "b" for answer in known] for _informant in range(4)]
    # The first two have one question in common, which (43/44)^44 of the resamples lack.
    given[0][1:22], given[1][22:] = [""] * 21, [""] * 22
    found = consensus(answers_of(["i", "j", "k", "l"], [f"q{at}" for at in range(44)], given))
    ends = consensus_ends(found, replicates=200)
    assert np.isnan(ends.low).all()
    assert np.isnan(ends.mean).all()


def test_competences_of_few_questions_have_no_ends():
    with (REFERENCE / "consensus-answers.csv").open(encoding="utf-8") as file:
        head, *rows = csv.reader(file)
    found = consensus(answers_of([row[0] for row in rows], head[1:LEAST_QUESTIONS], [row[1:LEAST_QUESTIONS] for row in rows]))
    ends = consensus_ends(found, replicates=100)
    assert np.isnan(ends.low).all()
    assert np.isnan(ends.mean).all()
    assert 0 <= ends.fits <= 1
