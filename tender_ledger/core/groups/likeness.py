"""How alike two groups are in what they told: shared taxa, set and quantity likeness, rank correlation."""

import math

import numpy as np
import numpy.typing as npt

from tender_ledger.core.tally.table import Bools, Ints

Floats = npt.NDArray[np.float64]


def jaccard(first: Bools, second: Bools) -> float:
    """c / (A + B - c): c shared, A and B the totals of each; NaN where both are empty. Jaccard 1901.

    Misleads between groups of unequal size: the larger has heard more rare things.
    """
    shared, either = int((first & second).sum()), int((first | second).sum())
    return shared / either if either else math.nan


def sorensen(first: Bools, second: Bools) -> float:
    """2c / (A + B) = 2J / (1 + J); NaN where both are empty. Sorensen 1948."""
    both = int(first.sum()) + int(second.sum())
    return 2 * int((first & second).sum()) / both if both else math.nan


def bray_curtis(first: Floats | Ints, second: Floats | Ints) -> float:
    """The distance sum |x - y| / sum (x + y), in [0, 1]; NaN where all is 0. Bray & Curtis 1957.

    On UR it mixes in the sizes of the groups; on CI, each over its own N, it does not.
    """
    total = float((first + second).sum())
    return float(np.abs(first - second).sum()) / total if total else math.nan


def midranks(values: Floats) -> Floats:
    """Ranks from 1 for the lowest, equals with the mean of their places."""
    distinct, place, times = np.unique(np.round(values, 12), return_inverse=True, return_counts=True)
    last = np.cumsum(times)
    return np.asarray((last - (times - 1) / 2)[place.reshape(-1)]) if len(distinct) else np.zeros(0)


def spearman(first: Floats, second: Floats) -> float:
    """Rank correlation: Pearson's of the midranks; NaN for fewer than two values or where one side is constant.

    The short formula with 6 sum d^2 is wrong with ties. Spearman 1904. Misleads over shared taxa alone: what one group does
    not tell at all is left out.
    """
    if len(first) < 2:
        return math.nan
    x, y = midranks(first), midranks(second)
    x, y = x - x.mean(), y - y.mean()
    below = math.sqrt(float(x @ x) * float(y @ y))
    return float(x @ y) / below if below else math.nan
