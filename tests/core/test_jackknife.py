"""Intervals from leaving out each informant in turn: the expected curve, coverage, F and R2, H; and of the median."""

import math

import numpy as np
import pytest
from scipy import stats

from tender_ledger.core.groups.permanova import jaccard_distances, permanova
from tender_ledger.core.knowledge import difference_between, median_ends
from tender_ledger.core.resampling.jackknife import ends_of_shares, jackknife_errors
from tender_ledger.core.resampling.quantiles import Z
from tender_ledger.core.sampling.accumulation import coverage, coverage_ends, curve_ends, expected_curve, informants_for
from tender_ledger.core.sampling.incidence import Incidences


def told_by(told):
    """The incidences of a table (informants, things) of who told what, straight from the definitions."""
    y = told.sum(axis=0)
    most = max(int(y.max(initial=0)), 3)
    own = [[int(row.sum()), *(int((row & (y == k)).sum()) for k in range(1, most + 1))] for row in told]
    return Incidences(y[y > 0], len(told), np.array(own))


def spread_of(values):
    """The jackknife error as Efron & Tibshirani 1993 write it, in a loop."""
    mean = sum(values) / len(values)
    return math.sqrt((len(values) - 1) / len(values) * sum((one - mean) ** 2 for one in values))


def ends_by_angle(value, without):
    angle, reach = math.asin(math.sqrt(value)), Z * spread_of([math.asin(math.sqrt(one)) for one in without])
    return math.sin(max(angle - reach, 0)) ** 2, math.sin(min(angle + reach, math.pi / 2)) ** 2


def without(rows, at):
    return np.delete(rows, at, axis=0)


@pytest.fixture
def told():
    rng = np.random.default_rng(5)
    return rng.random((14, 40)) < np.exp(rng.normal(-2, 1, 40)).clip(0, 0.9)


def test_the_jackknife_error_of_a_mean_is_its_standard_error():
    values = np.array([3.0, 1, 4, 1, 5, 9, 2, 6])
    means = (values.sum() - values) / 7
    assert jackknife_errors(means[:, None])[0] == pytest.approx(stats.sem(values))
    assert math.isnan(jackknife_errors(np.array([[1.0]]))[0])
    distinct, times = np.unique(means, return_counts=True)
    assert jackknife_errors(distinct[:, None], times)[0] == pytest.approx(stats.sem(values))


def test_ends_of_shares_stay_between_0_and_1_and_spread_to_neither_where_nobody_matters():
    low, high = ends_of_shares(np.array([0.02, 0.98, 0.5]), np.array([[0.0, 1, 0.5], [0.1, 0.9, 0.5], [0.0, 1, 0.5]]))
    assert (low >= 0).all()
    assert (high <= 1).all()
    assert (low[2], high[2]) == pytest.approx((0.5, 0.5))


def test_coverage_without_each_informant_is_counted_anew(told):
    ends = coverage_ends(told_by(told))
    assert ends == pytest.approx(
        ends_by_angle(coverage(told_by(told)), [coverage(told_by(without(told, at))) for at in range(14)])
    )


def test_coverage_has_no_interval_where_one_informant_told_everything():
    told = np.zeros((3, 4), dtype=bool)
    told[0] = True
    assert coverage_ends(told_by(told)) is None


def test_the_interval_of_coverage_holds_the_share_that_was_heard():
    # Invented: 60 plants known by unlike shares of the people; the share of all mentions that what was heard makes up is known.
    held = 0
    for seed in range(200):
        rng = np.random.default_rng(seed)
        known = np.exp(rng.normal(-2.2, 1.2, 60)).clip(0, 0.95)
        told = rng.random((20, 60)) < known
        low, high = coverage_ends(told_by(told)) or (0.0, 1.0)
        held += low <= known[told.any(axis=0)].sum() / known.sum() <= high
    assert held >= 180  # 95 % would be 190


def test_the_curve_has_ends_from_the_curves_without_each_informant(told):
    low, high = curve_ends(told_by(told))
    curve = expected_curve(told_by(told))
    others = [expected_curve(told_by(without(told, at))) for at in range(14)]
    for t in range(13):
        reach = Z * spread_of([one[t] for one in others])
        assert (low[t], high[t]) == pytest.approx((curve[t] - reach, curve[t] + reach))
    assert high[13] - curve[13] == pytest.approx(high[12] - curve[12])  # 13 others cannot be drawn 14 at a time
    assert np.isnan(curve_ends(told_by(told[:1]))).all()


def test_holders_still_wanted_are_the_fewest_that_reach_the_goal(told):
    """Chao et al. 2014, step by step; all of the tables have Q2 > 0."""
    of = told_by(told)
    top = (of.units - 1) * of.q1
    for goal in (0.5, 0.8, 0.9, 0.95, 0.99):
        expected = [1 - of.q1 / of.u * (top / (top + 2 * of.q2)) ** (m + 1) for m in range(of.units + 1)]
        assert informants_for(of, goal).more == next((m for m, share in enumerate(expected) if share >= goal), None)


def test_f_and_r2_have_ends_from_r2_without_each_informant():
    rng = np.random.default_rng(2)
    told, groups = rng.random((13, 9)) < 0.5, np.array([0] * 4 + [1] * 5 + [2] * 4)
    told[:, 0] = True

    def r2(rows, of):
        squares = jaccard_distances(rows) ** 2
        within = sum(squares[np.ix_(of == one, of == one)].sum() / 2 / (of == one).sum() for one in np.unique(of))
        return 1 - within / (squares.sum() / 2 / len(of))

    found = permanova(told, groups, drawn=19)
    expected = ends_by_angle(r2(told, groups), [r2(without(told, at), without(groups, at)) for at in range(13)])
    assert found.r2_ends == pytest.approx(expected)
    assert found.f_ends == pytest.approx(tuple(end / (1 - end) * 10 / 2 for end in expected))
    assert found.f_ends[0] <= found.f <= found.f_ends[1]
    assert permanova(told[:9], np.array([0] * 8 + [1])).r2_ends is None  # without the one, a group is empty


def test_h_has_ends_from_h_without_each_informant():
    values, groups = np.array([1.0, 3, 3, 5, 8, 8, 2, 9, 4, 8, 7, 3]), np.array([0] * 4 + [1] * 4 + [2] * 4)

    def share(x, of):
        ranks, n = stats.rankdata(x), len(x)
        return (12 / (n * (n + 1)) * sum(ranks[of == one].sum() ** 2 / (of == one).sum() for one in range(3)) - 3 * (n + 1)) / (
            n - 1
        )

    found = difference_between(values, groups)
    expected = ends_by_angle(share(values, groups), [share(without(values, at), without(groups, at)) for at in range(12)])
    assert found.ends == pytest.approx(tuple(11 * end for end in expected))
    assert difference_between(values[:5], groups[:5]).ends is None


def test_the_median_lies_between_values_by_their_order():
    # Thompson 1936; of 20 values the 6th and the 15th, with 95.9 %, as tables of the sign test have it (common practice).
    assert median_ends(list(range(1, 21))) == (6, 15)
    assert median_ends([4, 1, 3, 2, 6, 5]) == (1, 6)
    assert median_ends([1, 2, 3, 4, 5]) is None
    assert stats.binom.cdf(5, 20, 0.5) <= 0.025 < stats.binom.cdf(6, 20, 0.5)
