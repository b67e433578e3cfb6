"""Tests by relabelling informants, the silent ones too: exact where the relabellings can be counted, else drawn."""

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tender_ledger.core.tally.table import Bools, Ints

Floats = npt.NDArray[np.float64]
_MOST_STEPS = 10_000_000  # cells x informants of the exact count
DRAWN = 9_999


@dataclass(frozen=True)
class Test:
    """A difference of means and its p: two-sided by size of the difference, and by doubling the smaller tail.

    `relabellings` are all of them where `exact`, else those drawn. p is NaN where a group is empty.
    """

    difference: float
    p: float
    p_doubled: float
    exact: bool
    relabellings: int


def difference_of_means(values: Ints | Floats, first: Bools, *, seed: int = 1) -> Test:
    """The mean of the first group less that of the rest, tested by all relabellings that keep the group sizes.

    p = share |T*| >= |T| (the identity included), ties compared in whole numbers; where it is drawn, (1 + #) / (B + 1), so
    never 0. Whole-numbered values are counted exactly: the number of ways to choose the group with each sum. Source:
    Fisher 1935; Pitman 1937. Misleads over many taxa at once: adjust for their number.
    """
    n, size = len(values), int(first.sum())
    if not 0 < size < n:
        return Test(math.nan, math.nan, math.nan, False, 0)
    difference = float(values[first].mean() - values[~first].mean())
    whole = np.asarray(values, dtype=np.int64)
    if np.array_equal(whole, values):
        ways = _ways_to_sum(whole, size)
        if ways is not None:
            return _exact(whole, first, ways, difference)
    return _drawn(np.asarray(values, dtype=np.float64), first, difference, np.random.default_rng(seed))


def _ways_to_sum(values: Ints, size: int) -> Floats | None:
    """The number of subsets of `size` values with each sum, from 0 to that of all; None where that would take too long.

    Counted as shares of all subsets, so that no number grows beyond what a float holds exactly enough.
    """
    size = min(size, len(values) - size)
    told = np.sort(values[values > 0])[::-1]
    total = int(told.sum())
    if (size + 1) * (total + 1) * max(len(told), 1) > _MOST_STEPS or len(values) > 900:
        return None
    ways = np.zeros((size + 1, total + 1))
    ways[0, 0] = 1.0
    for value in told:
        ways[1:, value:] += ways[:-1, : total + 1 - value].copy()
    silent = len(values) - len(told)
    rest = np.array([float(math.comb(silent, size - k)) for k in range(size + 1)])
    return np.asarray(rest @ ways)


def _exact(values: Ints, first: Bools, ways: Floats, difference: float) -> Test:
    n, size, total = len(values), int(first.sum()), int(values.sum())
    small = min(size, n - size)
    chosen = first if size <= n - size else ~first
    observed = int(values[chosen].sum())
    sums = np.arange(total + 1)
    scaled = sums * n - total * small  # (mean of the chosen less mean of the rest) times small (n - small)
    reached = observed * n - total * small
    all_ways = float(ways.sum())
    p = float(ways[np.abs(scaled) >= abs(reached)].sum()) / all_ways
    tail = min(float(ways[scaled >= reached].sum()), float(ways[scaled <= reached].sum())) / all_ways
    return Test(difference, min(p, 1.0), min(2 * tail, 1.0), True, math.comb(n, size))


def _drawn(values: Floats, first: Bools, difference: float, rng: np.random.Generator) -> Test:
    size = int(first.sum())
    centred = values - values.mean()
    reached = float(centred[first].sum())
    distinct, times = np.unique(centred, return_counts=True)
    sums = rng.multivariate_hypergeometric(times, size, DRAWN, method="marginals") @ distinct  # how often each value is chosen
    slack = 1e-9 * max(float(np.abs(centred).sum()), 1.0)
    above, below = int((sums >= reached - slack).sum()), int((sums <= reached + slack).sum())
    both = int((np.abs(sums) >= abs(reached) - slack).sum())
    return Test(difference, (1 + both) / (DRAWN + 1), min(2 * (1 + min(above, below)) / (DRAWN + 1), 1.0), False, DRAWN)


def holm(p: Floats) -> Floats:
    """Holm's adjusted p: step-down Bonferroni, controlling the chance of any false finding. Holm 1979. NaN stay NaN."""
    return _adjusted(p, lambda ranked, m: np.maximum.accumulate(ranked * (m - np.arange(m))))


def benjamini_hochberg(p: Floats) -> Floats:
    """Benjamini & Hochberg's adjusted p: step-up, controlling the expected share of false findings. 1995. NaN stay NaN."""
    return _adjusted(p, lambda ranked, m: np.minimum.accumulate((ranked * m / np.arange(1, m + 1))[::-1])[::-1])


def _adjusted(p: Floats, step: Callable[[Floats, int], Floats]) -> Floats:
    result = np.full(len(p), np.nan)
    there = np.flatnonzero(~np.isnan(p))
    order = there[np.argsort(p[there], kind="stable")]
    result[order] = np.minimum(step(p[order], len(order)), 1.0) if len(order) else []
    return result
