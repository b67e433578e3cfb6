"""Leaving each unit out in turn (the jackknife), for values that drawing with replacement would bias.

Whoever is drawn twice shares everything with himself: what one alone told is then told by two, and distances shrink to 0.
"""

import numpy as np
import numpy.typing as npt
from scipy.special import stdtrit  # scipy.stats takes a second to load, which every start of a worker would wait for

from tender_ledger.core.resampling.drawing import Resamples
from tender_ledger.core.resampling.quantiles import ALPHA, Z
from tender_ledger.core.tally.table import Ints

Floats = npt.NDArray[np.float64]
Ends = tuple[Floats, Floats]


def each_left_out(n: int) -> Resamples:
    """The N informants without each of them in turn, as weights of 0 and 1."""
    return Resamples((1 - np.eye(n)).astype(np.float32), None, "each informant left out in turn")


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


def ends_of_shares(values: Floats, without: Floats, times: Ints | None = None, tellers: Ints | None = None) -> Ends:
    """The 95 % ends of values between 0 and 1, shape (columns,), from those without each unit, shape (units, columns).

    The errors are taken on the scale asin(sqrt(x)), on which they hardly depend on x, so that the ends stay between 0 and 1.
    With `tellers`, of so few values a column, their factor is Student's for tellers - 1. NaN where a value is undefined, or
    becomes so without one of the units. Source: Fisher 1922 for the scale.
    """
    angle, errors = _angle(values), jackknife_errors(_angle(without), times)
    low, high = angle - _factor(tellers) * errors, angle + _factor(tellers) * errors
    return np.sin(np.maximum(low, 0.0)) ** 2, np.sin(np.minimum(high, np.pi / 2)) ** 2


def _angle(shares: Floats) -> Floats:
    return np.asarray(np.arcsin(np.sqrt(np.clip(shares, 0.0, 1.0))))


def ends_around(values: Floats, errors: Floats, *, within: tuple[float, float] = (-np.inf, np.inf)) -> Ends:
    """The 95 % ends of values with normal errors, cut where no value can lie."""
    return np.maximum(values - Z * errors, within[0]), np.minimum(values + Z * errors, within[1])


def ends_of_logs(values: Floats, without: Floats, tellers: Ints | None = None) -> Ends:
    """The 95 % ends of positive values, shape (columns,), from those without each unit, shape (units, columns).

    The errors are taken of the logarithm, so that the ends stay positive. With `tellers`, of so few values a column, their
    factor is Student's for tellers - 1. NaN where a value is 0 or undefined, or becomes so without one of the units.
    """
    with np.errstate(divide="ignore", invalid="ignore"):
        logs, errors = np.log(values), jackknife_errors(np.log(without))
        ends = logs - _factor(tellers) * errors, logs + _factor(tellers) * errors
    there = np.isfinite(ends[0]) & np.isfinite(ends[1])
    return np.exp(np.where(there, ends[0], np.nan)), np.exp(np.where(there, ends[1], np.nan))


def student(n: Ints | int) -> Floats:
    """Student's factor of a 95 % interval of a mean of n values, 2 at least."""
    return np.asarray(stdtrit(np.maximum(np.asarray(n) - 1, 1), 1 - ALPHA / 2))


def _factor(tellers: Ints | None) -> Floats | float:
    return Z if tellers is None else student(tellers)
