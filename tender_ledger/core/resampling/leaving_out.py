"""Leaving each unit out in turn (the jackknife), for values that drawing with replacement would bias.

Whoever is drawn twice shares everything with himself: what one alone told is then told by two, and distances shrink to 0.
"""

import numpy as np
import numpy.typing as npt

from tender_ledger.core.resampling.quantiles import Z
from tender_ledger.core.tally.table import Ints

Floats = npt.NDArray[np.float64]


def jackknife_errors(without: Floats, times: Ints | None = None) -> Floats:
    """sqrt((N - 1) / N sum_i (th_-i - mean)^2) of every column of (units, columns); NaN where a value is, or N is below 2.

    `times` is of how many units each row is the value. Source: Efron & Tibshirani 1993.
    """
    times = np.ones(len(without), dtype=np.int64) if times is None else times
    n = int(times.sum())
    if n < 2:
        return np.full(without.shape[1], np.nan)
    away = without - times @ without / n
    return np.sqrt((n - 1) / n * (times @ away**2))


def ends_of_shares(values: Floats, without: Floats, times: Ints | None = None) -> tuple[Floats, Floats]:
    """The 95 % ends of values between 0 and 1, shape (columns,), from those without each unit, shape (units, columns).

    The errors are taken on the scale asin(sqrt(x)), on which they hardly depend on x, so that the ends stay between 0 and 1.
    NaN where a value is undefined, or becomes so without one of the units. Source: Fisher 1922 for the scale.
    """
    angle, errors = _angle(values), jackknife_errors(_angle(without), times)
    low, high = angle - Z * errors, angle + Z * errors
    return np.sin(np.maximum(low, 0.0)) ** 2, np.sin(np.minimum(high, np.pi / 2)) ** 2


def _angle(shares: Floats) -> Floats:
    return np.asarray(np.arcsin(np.sqrt(np.clip(shares, 0.0, 1.0))))
