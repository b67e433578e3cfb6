"""What informants know beside who they are: measures of knowledge against age and years, and between groups."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.special import bdtr

from tender_ledger.core.groups.likeness import midranks, spearman
from tender_ledger.core.indices.informants import InformantCounts
from tender_ledger.core.resampling.jackknife import ends_of_shares
from tender_ledger.core.resampling.quantiles import MOST_UNDEFINED, only_pair, weighted_ends
from tender_ledger.core.tally.table import Ints

Floats = npt.NDArray[np.float64]
MEASURES = ("taxa", "citations", "uses", "categories")
DRAWN = 9_999
RESAMPLED = 1_000


def measures(counts: InformantCounts) -> Mapping[str, Ints | Floats]:
    """What an informant knows, by short name: taxa, (taxon, category), (taxon, use), categories, and SD."""
    return {
        "taxa": counts.taxa,
        "citations": counts.citations,
        "uses": counts.uses,
        "categories": counts.categories,
        "sd": counts.sd,
    }


@dataclass(frozen=True)
class Tie:
    """A rank correlation, or a difference between groups, with a p from `drawn` relabellings; NaN where undefined.

    `ends`: 95 % of the correlation in 1,000 resamples of the informants, None where it is undefined in more than 5 % of them;
    of a difference from leaving out each informant, None where that leaves a group empty.
    """

    value: float
    p: float
    n: int
    drawn: int = DRAWN
    ends: tuple[float, float] | None = None


def tie_of_ranks(x: Floats, y: Floats, *, drawn: int = DRAWN, seed: int = 1) -> Tie:
    """Spearman's correlation of two measures of the same informants, tested by relabelling one of them.

    p = (1 + #) / (B + 1) over |r*| >= |r|. Source: Spearman 1904. Misleads where few are old: one of them moves it far.
    """
    there = ~(np.isnan(x) | np.isnan(y))
    x, y = x[there], y[there]
    r = spearman(x, y)
    if math.isnan(r):
        return Tie(math.nan, math.nan, len(x), 0)
    a, b = midranks(x), midranks(y)
    a, b = a - a.mean(), b - b.mean()
    rng = np.random.default_rng(seed)
    relabelled = rng.permuted(np.tile(a, (drawn, 1)), axis=1) @ b
    reached = int((np.abs(relabelled) >= abs(float(a @ b)) - 1e-9 * max(float(np.abs(a) @ np.abs(b)), 1.0)).sum())
    return Tie(r, (1 + reached) / (drawn + 1), len(x), drawn, ends=_resampled_ties(x, y, rng))


def _resampled_ties(x: Floats, y: Floats, rng: np.random.Generator) -> tuple[float, float] | None:
    places = rng.integers(0, len(x), (RESAMPLED, len(x)))
    a, b = (_ranks_of_rows(values, places) for values in (x, y))
    with np.errstate(invalid="ignore"):
        values = (a * b).sum(axis=1) / np.sqrt((a**2).sum(axis=1) * (b**2).sum(axis=1))
    there = values[~np.isnan(values)]
    return weighted_ends(there, np.ones(len(there))) if len(there) >= (1 - MOST_UNDEFINED) * RESAMPLED else None


def _ranks_of_rows(values: Floats, places: Ints) -> Floats:
    """The midranks within each row of the values at those places, shape (rows, n), less their mean."""
    distinct, codes = np.unique(values, return_inverse=True)
    rows, width = codes[places], len(distinct)
    counts = np.bincount((rows + np.arange(len(rows))[:, None] * width).ravel(), minlength=len(rows) * width).reshape(-1, width)
    ranks = counts.cumsum(axis=1) - (counts - 1) / 2
    return np.asarray(np.take_along_axis(ranks, rows, axis=1) - (places.shape[1] + 1) / 2)


def difference_between(values: Ints | Floats, groups: Ints, *, drawn: int = DRAWN, seed: int = 1) -> Tie:
    """Kruskal and Wallis' H of a measure over groups (codes, -1: none), tested by relabelling; 1952.

    H = 12 / (n (n + 1)) sum R_g^2 / n_g - 3 (n + 1) over midranks, without correction for ties, which relabelling needs not.
    NaN for fewer than two groups with somebody. Misleads where groups differ in spread alone.
    """
    there = groups >= 0
    ranks, codes = midranks(np.asarray(values, dtype=np.float64)[there]), groups[there]
    sizes = np.bincount(codes) if len(codes) else np.zeros(0, dtype=np.int64)
    if (sizes > 0).sum() < 2:
        return Tie(math.nan, math.nan, int(there.sum()), 0)
    rng = np.random.default_rng(seed)
    n, filled = len(ranks), np.flatnonzero(sizes)
    relabelled = rng.permuted(np.tile(ranks, (drawn, 1)), axis=1)
    order = np.concatenate([np.flatnonzero(codes == group) for group in filled])
    edges = np.concatenate([[0], np.cumsum(sizes[filled])[:-1]])

    def h(rows: Floats) -> Floats:
        sums = np.add.reduceat(rows[:, order], edges, axis=1)
        return np.asarray(12 / (n * (n + 1)) * (sums**2 / sizes[filled]).sum(axis=1) - 3 * (n + 1))

    value = float(h(ranks[None, :])[0])
    ends = _difference_ends(value, ranks, np.searchsorted(filled, codes), sizes[filled])
    return Tie(value, (1 + int((h(relabelled) >= value - 1e-9).sum())) / (drawn + 1), n, drawn, ends)


def _difference_ends(value: float, ranks: Floats, groups: Ints, sizes: Ints) -> tuple[float, float] | None:
    """The 95 % ends of H from H / (n - 1), the share of the spread of ranks between the groups, without each informant.

    Whoever ranks above the one left out moves down by a place, whoever ranks equal by half a place.
    """
    n = len(ranks)
    if sizes.min() < 2 or n < 3:
        return None
    member = np.eye(len(sizes))[groups]
    distinct, place = np.unique(ranks, return_inverse=True)
    at = np.stack([np.bincount(place, weights=one, minlength=len(distinct)) for one in member.T], axis=1)
    above = at[::-1].cumsum(axis=0)[::-1] - at
    sums = ranks @ member - above[place] - at[place] / 2 - member * (ranks[:, None] - 0.5)
    without = 12 / ((n - 1) * n) * (sums**2 / (sizes - member)).sum(axis=1) - 3 * n
    share = only_pair(ends_of_shares(np.array([value / (n - 1)]), without[:, None] / (n - 2)))
    return None if share is None else (share[0] * (n - 1), share[1] * (n - 1))


def median_ends(values: Sequence[float]) -> tuple[float, float] | None:
    """The values between which the median lies in at least 95 %, by the binomial distribution of those below it.

    None for fewer than six, where even the lowest and highest do not hold it so often. Source: Thompson 1936, Ann Math Stat
    7:122-128 (from memory). Exact for any distribution; misleads where values are tied, by being wider.
    """
    n, ordered = len(values), sorted(values)
    outer = int(np.searchsorted(bdtr(np.arange(n), n, 0.5), 0.025, side="right")) - 1  # the last with P(X <= k) <= 2.5 %
    return (ordered[outer], ordered[n - 1 - outer]) if outer >= 0 else None


def seriated(told: npt.NDArray[np.bool_]) -> tuple[Ints, Ints]:
    """Orders of the rows and columns of a 0/1 matrix by reciprocal averaging, so that what belongs together stands together.

    Each row is placed at the mean place of its columns, each column at that of its rows, until the first axis beyond the
    trivial one is found (correspondence analysis; Hirschfeld 1935, Hill 1973). Empty rows and columns stand last.
    """
    rows, columns = told.any(axis=1), told.any(axis=0)
    matrix = told[np.ix_(rows, columns)].astype(np.float64)
    order_rows, order_columns = (np.concatenate([np.flatnonzero(one), np.flatnonzero(~one)]) for one in (rows, columns))
    if min(matrix.shape, default=0) < 2:
        return order_rows, order_columns
    a, b = np.sqrt(matrix.sum(axis=1)), np.sqrt(matrix.sum(axis=0))
    scaled = matrix / a[:, None] / b[None, :] - np.outer(a, b) / matrix.sum()
    left, _values, right = np.linalg.svd(scaled, full_matrices=False)
    x, y = left[:, 0] / a, right[0] / b
    turn = -1 if x[int(matrix.sum(axis=1).argmax())] > 0 else 1  # whoever tells most stands in the first half
    first, second = np.argsort(turn * np.round(x, 9), kind="stable"), np.argsort(turn * np.round(y, 9), kind="stable")
    return (np.concatenate([np.flatnonzero(rows)[first], np.flatnonzero(~rows)]),
            np.concatenate([np.flatnonzero(columns)[second], np.flatnonzero(~columns)]))  # fmt: skip
