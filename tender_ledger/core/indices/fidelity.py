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
    told = fc > 0
    x, y = fc[told], nu_use[told].astype(np.float64)
    candidates = np.unique(x)[1:]
    if not len(candidates):
        return 0
    residuals = np.round([_squares(np.minimum(x, t).astype(np.float64), y) for t in candidates], 9)
    return int(candidates[np.argmin(residuals)])


def _squares(x: Floats, y: Floats) -> float:
    dx, dy = x - x.mean(), y - y.mean()
    slope = (dx @ dy) / (dx @ dx)
    left = dy - slope * dx
    return float(left @ left)


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
