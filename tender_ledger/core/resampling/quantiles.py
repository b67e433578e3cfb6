"""Percentile ends of resampled values: the smallest value that at least a share p of the resamples does not exceed."""

import math
from statistics import NormalDist

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]
ALPHA = 0.05
Z = NormalDist().inv_cdf(1 - ALPHA / 2)
MOST_UNDEFINED = 0.05  # no interval where more of the resamples are undefined
_SLACK = 1e-12  # what a sum of shares may fall short of p by rounding


def ends_of_columns(values: npt.NDArray[np.float32] | Floats, alpha: float = ALPHA) -> tuple[Floats, Floats]:
    """The alpha/2 and 1 - alpha/2 ends of every column of (resamples, columns), rows equally likely."""
    rows = len(values)
    low = max(math.ceil(round(rows * alpha / 2, 9)) - 1, 0)
    high = max(math.ceil(round(rows * (1 - alpha / 2), 9)) - 1, 0)
    sorted_there = np.partition(values, (low, high), axis=0)
    return sorted_there[low].astype(np.float64), sorted_there[high].astype(np.float64)


def weighted_ends(values: Floats, shares: Floats, alpha: float = ALPHA) -> tuple[float, float]:
    """The ends of one column whose rows have the probabilities `shares`, which need not sum to 1."""
    order = np.argsort(values, kind="stable")
    summed = np.cumsum(shares[order])
    summed /= summed[-1]
    low, high = (int(np.searchsorted(summed, p - _SLACK)) for p in (alpha / 2, 1 - alpha / 2))
    last = len(values) - 1
    return float(values[order[min(low, last)]]), float(values[order[min(high, last)]])


def only_pair(ends: tuple[Floats, Floats]) -> tuple[float, float] | None:
    """The ends of the one column there is, None where they are undefined."""
    low, high = float(ends[0][0]), float(ends[1][0])
    return None if math.isnan(low) or math.isnan(high) else (low, high)


def ends_where_defined(values: Floats, shares: Floats | None = None) -> tuple[Floats, Floats]:
    """The ends of every column of (resamples, columns) over its defined rows, whose probabilities are `shares` (None: equal).

    NaN where more than 5 % of them are undefined.
    """
    shares = np.full(len(values), 1 / max(len(values), 1)) if shares is None else shares
    low, high = np.full(values.shape[1], np.nan), np.full(values.shape[1], np.nan)
    if not len(values):
        return low, high
    undefined = np.isnan(values)
    whole = ~undefined.any(axis=0) & bool((shares == shares[0]).all())  # these have their ends at fixed places
    if whole.any():
        low[whole], high[whole] = ends_of_columns(values[:, whole])
    for at in np.flatnonzero(~whole & (shares @ undefined <= MOST_UNDEFINED)):
        defined = ~undefined[:, at]
        low[at], high[at] = weighted_ends(values[defined, at], shares[defined])
    return low, high
