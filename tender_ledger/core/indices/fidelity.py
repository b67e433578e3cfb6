"""Fidelity: how many of those who tell of a plant tell of its main purpose, weighed by how widely it is known."""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tender_ledger.core.tally.table import Ints

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Popularity:
    """Relative popularity: RPL a taxon, the threshold T it was cut at, and what a reader must know of T."""

    rpl: Floats
    threshold: int
    fitted: bool
    no_plateau: bool


def fidelity_level(informants: Ints, fc: Ints) -> Floats:
    """FL = 100 Ip / Iu, in [0, 100]: Ip informants who give the purpose, Iu = FC informants who give any; NaN where FC is 0.

    Both are informants, not reports. Shape of `informants` is (taxa,) or (taxa, purposes). Source: Friedman, Yaniv, Dafni &
    Palewitch 1986, J Ethnopharmacol 16:275-287. Misleads at small FC: told by one informant, every plant has 100.
    """
    over = fc if informants.ndim == 1 else fc[:, None]
    return np.divide(100 * informants, over, out=np.full(informants.shape, np.nan), where=over > 0)


def popularity_threshold(nu_use: Ints, fc: Ints) -> int:
    """The FC at which the number of uses levels off: T of least squares of NU_use = a + b min(FC, T).

    T is one of the observed FC except the smallest; equal sums of squares give the smallest T; 0 where fewer than two
    different FC were observed. Friedman et al. 1986 find it by eye; this fit is the house rule.
    """
    return int(popularity_thresholds(np.atleast_2d(nu_use), np.atleast_2d(fc))[0])


def popularity_thresholds(nu_use: Ints, fc: Ints) -> Ints:
    """The threshold T of every row of (rows, taxa), as `popularity_threshold` finds it; shape (rows,).

    Taxa with FC 0 do not enter. The sums over min(FC, T) come from the taxa and uses at each FC, cumulated.
    """
    rows, top = len(fc), int(fc.max(initial=0))
    if not rows or not top:
        return np.zeros(rows, dtype=np.int64)
    place = (np.arange(rows)[:, None] * (top + 1) + fc).ravel()
    told = (fc > 0).ravel()
    taxa, uses = (np.bincount(place[told], weights=weights, minlength=rows * (top + 1)).reshape(rows, top + 1)
                  for weights in (None, nu_use.ravel()[told]))  # fmt: skip
    k = np.arange(top + 1, dtype=np.float64)
    above = {name: one.sum(axis=1, keepdims=True) - one.cumsum(axis=1) + one for name, one in (("n", taxa), ("y", uses))}
    below = {name: np.cumsum(one, axis=1) - one for name, one in (("x", taxa * k), ("xx", taxa * k**2), ("xy", uses * k))}
    n, y = taxa.sum(axis=1, keepdims=True), uses.sum(axis=1, keepdims=True)
    x, xx, xy = below["x"] + k * above["n"], below["xx"] + k**2 * above["n"], below["xy"] + k * above["y"]
    yy = np.bincount(place[told] // (top + 1), weights=nu_use.ravel()[told].astype(np.float64) ** 2, minlength=rows)[:, None]
    with np.errstate(invalid="ignore", divide="ignore"):
        left = (yy - y**2 / n) - (xy - x * y / n) ** 2 / (xx - x**2 / n)
    smallest = (taxa > 0).argmax(axis=1)[:, None]
    left = np.where((taxa > 0) & (np.arange(top + 1) > smallest), np.round(left, 9), np.inf)
    return np.where(np.isfinite(left).any(axis=1), left.argmin(axis=1), 0)


def popularity_line(nu_use: Ints, fc: Ints, threshold: int) -> tuple[float, float]:
    """a and b of the least squares of NU_use = a + b min(FC, T) for a given T; NaN where no line can be drawn."""
    told = fc > 0
    x, y = np.minimum(fc[told], threshold).astype(np.float64), nu_use[told].astype(np.float64)
    if not len(x) or not threshold or np.ptp(x) == 0:
        return float("nan"), float("nan")
    dx = x - x.mean()
    slope = float(dx @ (y - y.mean()) / (dx @ dx))
    return float(y.mean() - slope * x.mean()), slope


def relative_popularity(nu_use: Ints, fc: Ints, threshold: int = 0) -> Popularity:
    """RPL_s = 1 where FC_s >= T, below it FC_s / T, in [0, 1]; T as given, or fitted where it is 0.

    NaN where no threshold can be found. Source: Friedman et al. 1986. Misleads where there is no plateau (T is the highest
    FC): the number of uses then still grows with the number of tellers.
    """
    fitted = not threshold
    threshold = threshold or popularity_threshold(nu_use, fc)
    rpl = np.minimum(fc / threshold, 1.0) if threshold else np.full(len(fc), np.nan)
    return Popularity(rpl, threshold, fitted, fitted and threshold == int(fc.max(initial=0)) and threshold > 0)
