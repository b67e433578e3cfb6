"""PERMANOVA over distances between informants: do groups tell of different plants."""

import math
from dataclasses import dataclass
from itertools import combinations

import numpy as np
import numpy.typing as npt

from tender_ledger.core.resampling.jackknife import ends_of_shares
from tender_ledger.core.resampling.quantiles import only_pair
from tender_ledger.core.tally.table import Bools, Ints

Floats = npt.NDArray[np.float64]
_SLACK = 1e-10


@dataclass(frozen=True)
class Permanova:
    """F, R2 and p over `n` informants; `left_out` told nothing and have no distance. NaN where undefined (`why` says it).

    `f_ends`, `r2_ends`: 95 %, from R2 without each informant, None where there is no interval. They are about the F and R2 of as
    many informants: both rise as these get fewer, R2 by (a - 1) / (N - 1) where groups do not differ at all.
    """

    f: float
    r2: float
    p: float
    exact: bool
    relabellings: int
    n: int
    left_out: int
    why: str = ""
    f_ends: tuple[float, float] | None = None
    r2_ends: tuple[float, float] | None = None


def jaccard_distances(told: Bools) -> Floats:
    """1 - c / (A + B - c) between the rows of (informants, taxa); every row must have something."""
    shared = told.astype(np.float64) @ told.T.astype(np.float64)
    size = told.sum(axis=1)
    return np.asarray(1 - shared / (size[:, None] + size[None, :] - shared))


def permanova(told: Bools, groups: Ints, *, drawn: int = 9_999, seed: int = 1,
              most_exact: int = 20_000) -> Permanova:  # fmt: skip
    """F = [(SST - SSW) / (a - 1)] / [SSW / (N - a)], R2 = 1 - SSW / SST over Jaccard distances of informants.

    SST = sum_{i<j} d^2 / N, SSW = sum over groups of sum d^2 / n_g. `told` is (informants, taxa), `groups` their numbers.
    p over all relabellings where there are at most `most_exact` (for two groups), else (1 + #) / (B + 1). Source: Anderson 2001,
    Austral Ecol 26:32-46. Misleads where groups differ in how widely their members scatter, not in where they lie.
    """
    with_some = told.any(axis=1)
    left_out = int((~with_some).sum())
    told, groups = told[with_some], np.unique(groups[with_some], return_inverse=True)[1]
    n, a = len(groups), int(groups.max(initial=-1)) + 1
    if a < 2 or n <= a:
        return Permanova(
            math.nan, math.nan, math.nan, False, 0, n, left_out, "It takes two groups with more informants than groups."
        )
    squares = jaccard_distances(told) ** 2
    total = squares.sum() / 2 / n
    within = _within(squares, groups[None, :], a)[0]
    if total < _SLACK:
        return Permanova(math.nan, math.nan, math.nan, False, 0, n, left_out, "All informants tell of the same taxa.")
    f = ((total - within) / (a - 1)) / (within / (n - a)) if within > _SLACK else math.inf
    labels, exact = _relabellings(groups, a, drawn, seed, most_exact)
    reached = int((_within(squares, labels, a) <= within + _SLACK).sum())
    p = reached / len(labels) if exact else (1 + reached) / (len(labels) + 1)
    r2 = float(1 - within / total)
    ends = _r2_ends(r2, squares, groups, a)
    f_ends = None if ends is None or ends[1] >= 1 else (_f_of(ends[0], n, a), _f_of(ends[1], n, a))
    return Permanova(float(f), r2, p, exact, len(labels), n, left_out, "", f_ends, ends)


def _f_of(r2: float, n: int, a: int) -> float:
    return r2 / (1 - r2) * (n - a) / (a - 1)


def _r2_ends(r2: float, squares: Floats, groups: Ints, a: int) -> tuple[float, float] | None:
    """The 95 % ends of R2 from leaving out each informant; None where that leaves a group empty, or all alike.

    Drawn with replacement, an informant would be at distance 0 from himself, and groups would seem closer than they are.
    """
    n, sizes = len(groups), np.bincount(groups, minlength=a)
    if sizes.min() < 2:
        return None
    to_group = squares @ np.eye(a)[groups]
    inner = np.array([to_group[groups == group, group].sum() / 2 for group in range(a)])
    own = to_group[np.arange(n), groups]
    total = (squares.sum() / 2 - to_group.sum(axis=1)) / (n - 1)
    within = (inner / sizes).sum() - (inner / sizes)[groups] + (inner[groups] - own) / (sizes[groups] - 1)
    if total.min() < _SLACK:
        return None
    return only_pair(ends_of_shares(np.array([r2]), (1 - within / total)[:, None]))


def _within(squares: Floats, labels: Ints, groups: int) -> Floats:
    """SSW of every row of labels (relabellings, N)."""
    total = np.zeros(len(labels))
    for group in range(groups):
        flags = (labels == group).astype(np.float64)
        total += ((flags @ squares) * flags).sum(axis=1) / 2 / flags.sum(axis=1)
    return total


def _relabellings(groups: Ints, a: int, drawn: int, seed: int, most_exact: int) -> tuple[Ints, bool]:
    n, size = len(groups), int((groups == 0).sum())
    if a == 2 and math.comb(n, size) <= most_exact:
        labels = np.ones((math.comb(n, size), n), dtype=np.int64)
        for row, chosen in enumerate(combinations(range(n), size)):
            labels[row, list(chosen)] = 0
        return labels, True
    rng = np.random.default_rng(seed)
    return rng.permuted(np.tile(groups, (drawn, 1)), axis=1), False
