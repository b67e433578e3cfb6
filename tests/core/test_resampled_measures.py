"""Intervals of what is no index of a taxon: pairs of groups, free lists, shares of parts, ties of knowledge with age."""

import csv
from itertools import product

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tender_ledger.core.consensus.model import answers_of, consensus
from tender_ledger.core.consensus.resampled import consensus_ends
from tender_ledger.core.freelists.salience import mean_bias, salience, salience_ends
from tender_ledger.core.groups.grouping import by_community
from tender_ledger.core.groups.likeness import bray_curtis, jaccard, sorensen
from tender_ledger.core.groups.ordination import average_tree, joins_found_again
from tender_ledger.core.indices.parts import shares_ends, shares_told
from tender_ledger.core.knowledge import tie_of_ranks
from tender_ledger.core.resampling.bootstrap import resampled_agreement
from tender_ledger.core.resampling.drawing import draw, every_resample
from tender_ledger.core.resampling.pairs import gap_ends, pair_ends, resampled_distances, resampled_group
from tender_ledger.core.resampling.quantiles import ends_where_defined, weighted_ends
from tests.conftest import REFERENCE
from tests.core.test_further_intervals import rows_of, tally_of

LISTS = [["a", "b", "c"], ["b", "a"], ["c"], []]


def example():
    return tally_of(rows_of("reports.csv"), rows_of("informants.csv"), {})


def test_the_ends_of_a_pair_are_near_those_of_all_its_resamples():
    # Communities X and Y of four: all 35 x 35 pairs of different resamples, each as often as drawings give it.
    tally, (x, y) = example(), (example().table.informants.community == at for at in (0, 1))
    told = np.zeros((8, len(tally.taxa.names)))
    np.add.at(told, (tally.citations.informant, tally.citations.taxon), 1.0)
    drawn = every_resample(4)
    values: dict[str, list[float]] = {name: [] for name in ("jaccard", "sorensen", "bray", "difference")}
    shares = []
    for (one, p), (other, q) in product(zip(drawn.weights, drawn.shares(), strict=True), repeat=2):
        first, second = one @ told[x], other @ told[y]
        values["jaccard"].append(jaccard(first > 0, second > 0))
        values["sorensen"].append(sorensen(first > 0, second > 0))
        values["bray"].append(bray_curtis(first / 4, second / 4))
        values["difference"].append((first.sum() - second.sum()) / 4)
        shares.append(p * q)
    one, other = (resampled_group(tally, members, replicates=4000, seed=seed) for members, seed in ((x, 3), (y, 4)))
    found = pair_ends(one, other)
    for name, column in values.items():
        there = ~np.isnan(column)
        low, high = weighted_ends(np.array(column)[there], np.array(shares)[there])
        assert found[name] == pytest.approx((low, high), abs=0.13 if name != "difference" else 0.26), name
    names = by_community(tally).names
    assert names == ("X", "Y")
    at = tally.taxa.names.index("Mentha spicata")
    low, high = gap_ends(one, other, "ci")
    assert low[at] <= (told[x, at].sum() - told[y, at].sum()) / 4 <= high[at]


def test_groups_have_ends_of_their_own_and_of_their_differences():
    # Communities X and Y of four, by all 35 x 35 pairs of different resamples.
    tally = example()
    x, y = (tally.table.informants.community == at for at in (0, 1))
    one, other = (resampled_group(tally, members, replicates=20_000, seed=seed) for members, seed in ((x, 1), (y, 2)))
    drawn, at = every_resample(4), tally.taxa.names.index("Mentha spicata")
    own = np.zeros((8, 1))
    np.add.at(own, (tally.reports.informant[tally.reports.taxon == at], 0), 1.0)
    means = [(drawn.weights @ own[members]).ravel() / 4 for members in (x, y)]
    low, high = one.ends("ci")
    assert (low[at], high[at]) == weighted_ends(means[0], drawn.shares())
    gaps = (means[0][:, None] - means[1][None, :]).ravel()
    low, high = gap_ends(one, other, "ci")
    assert (low[at], high[at]) == pytest.approx(weighted_ends(gaps, np.outer(drawn.shares(), drawn.shares()).ravel()), abs=0.25)
    icf = resampled_agreement(tally, x, np.where(x, np.cumsum(x) - 1, -1), drawn)
    low, high = ends_where_defined(icf, drawn.shares())
    np.testing.assert_allclose(one.ends("icf"), (low, high), atol=0.05)
    assert np.isnan(gap_ends(one, other, "icf")[0]).tolist() == (
        np.isnan(one.icf - other.icf).mean(axis=0) > 0.05).tolist()  # fmt: skip
    alone = resampled_group(tally, np.arange(8) == 0, replicates=20)
    told_once = [
        np.sum(tally.reports.category[tally.reports.informant == 0] == at) < 2 for at in range(len(tally.table.categories))
    ]
    assert any(told_once)
    assert np.isnan(alone.icf).all(axis=0).tolist() == told_once  # a report drawn twice agrees with nobody


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
    drawn = every_resample(4)
    found = salience_ends(LISTS, drawn)
    smith, sutrop = [], []
    for weights in drawn.weights.astype(int):
        lists = [one for one, times in zip(LISTS, weights, strict=True) for _time in range(times)]
        again = salience(lists)
        smith.append(again.smith_s(4)[again.items.index("a")] if "a" in again.items else 0.0)
        sutrop.append(again.sutrop(4)[again.items.index("a")] if "a" in again.items else np.nan)
    assert found["smith"]["a"] == pytest.approx(weighted_ends(np.array(smith), drawn.shares()))
    # 4 lists, 2 with a: (1/2)^4 = 6.25 % of the drawings have none, more than 5 %, so Sutrop's index has no interval.
    assert np.isnan(sutrop).any()
    assert "a" not in found["sutrop"]
    assert salience_ends([["a"], ["a", "b"]], every_resample(2))["mean"]["a"] == (1.0, 1.0)


def test_the_ends_of_a_share_are_those_of_all_resamples():
    tally = tally_of(rows_of("reports.csv"), rows_of("informants.csv"), {})
    drawn, parts = every_resample(8), tally.table.parts
    assert parts is not None
    told = shares_told(tally, parts, "category")
    low, high = shares_ends(tally, parts, "category", drawn)
    row, leaf = told.of.index("MED"), told.labels.index("leaf")
    own = np.zeros((8, len(told.labels)))
    for one in range(8):
        among = np.arange(8) == one
        own[one] = shares_told(tally, parts, "category", among).counts[row][:-1]
    counts = drawn.weights @ own
    there = counts.sum(axis=1) > 0
    values = counts[there, leaf] / counts[there].sum(axis=1)
    assert (low[row, leaf], high[row, leaf]) == pytest.approx(weighted_ends(values, drawn.shares()[there]))
    assert low[row, leaf] <= told.shares[row, leaf] <= high[row, leaf]


def test_a_tie_has_an_interval_unless_resamples_leave_it_undefined():
    x = np.arange(12, dtype=np.float64)
    tie = tie_of_ranks(x, x + np.array([0, 3] * 6))
    assert tie.ends is not None
    assert -1 <= tie.ends[0] <= tie.value <= tie.ends[1] <= 1
    assert tie_of_ranks(np.array([1.0, 2, 2, 2]), np.array([1.0, 1, 1, 2])).ends is None  # a resample is often constant
    alike = draw(np.zeros(3, dtype=np.int64), 50, 1)
    assert salience_ends([["a"], ["a"], ["a"]], alike)["smith"]["a"] == (1.0, 1.0)


def test_the_mean_category_bias_has_the_ends_of_all_resampled_lists():
    # B of the lists: a first of three 1, a second of two 0, none with a alone or without a.
    lists, drawn = [["a", "b", "c"], ["b", "a"], ["a"], ["c"], ["a", "c", "b", "d"]], every_resample(5)
    found = mean_bias(lists, {"a": True}, drawn)
    assert (found.value, found.lists) == (pytest.approx(2 / 3), 3)
    values = [np.nan if not (w[0] + w[1] + w[4]) else (w[0] + w[4]) / (w[0] + w[1] + w[4]) for w in drawn.weights.astype(float)]
    there = ~np.isnan(values)
    assert found.ends == pytest.approx(weighted_ends(np.array(values)[there], drawn.shares()[there]))
    alone = mean_bias([["a"], []], {"a": True}, every_resample(2))
    assert (np.isnan(alone.value), alone.lists, alone.ends) == (True, 0, None)
    assert mean_bias([["a", "b"], [], []], {"a": True}, every_resample(3)).ends is None  # (2/3)^3 of the resamples have none


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
    assert ends.ratio == pytest.approx(weighted_ends(np.array([one.ratio for one in by_hand]), shares), rel=1e-3)
    assert ends.fits == np.mean([one.ratio >= 3 for one in by_hand])


def test_competences_have_no_ends_where_resamples_often_leave_a_pair_without_a_question():
    given = [["a", "a", "b", ""], ["a", "b", "b", "a"], ["a", "", "", "a"], ["b", "a", "b", "a"]]
    found = consensus(answers_of(["i", "j", "k", "l"], ["p", "q", "r", "s"], given))
    ends = consensus_ends(found, replicates=200)
    assert np.isnan(ends.low).all()  # i and k have one question in common, which (3/4)^4 of the resamples lack
    assert np.isnan(ends.mean).all()
