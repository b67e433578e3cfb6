"""The expected curve of things heard in t of T tellings, its coverage, and how many tellers are still wanting."""

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.special import gammaln

from tender_ledger.core.resampling.jackknife import ends_around, ends_of_shares, jackknife_errors
from tender_ledger.core.resampling.quantiles import only_pair
from tender_ledger.core.sampling.incidence import Incidences
from tender_ledger.core.tally.table import Ints

Floats = npt.NDArray[np.float64]
_SLACK = 1e-12


def _log_share_without(y: Ints, units: int, drawn: Ints) -> Floats:
    """log [C(T - Y, t) / C(T, t)], shape (drawn, things): the share of draws of t units that have none of the Y."""
    rest = units - y[None, :] - drawn[:, None]
    possible = rest >= 0
    with np.errstate(all="ignore"):
        log = (gammaln(units - y + 1.0)[None, :] - gammaln(np.where(possible, rest, 0) + 1.0)
               - gammaln(units + 1.0) + gammaln(units - drawn + 1.0)[:, None])  # fmt: skip
    return np.where(possible, log, -np.inf)


def _counted_once(y: Ints) -> tuple[Ints, Ints]:
    """The different Y and how many things have each: curves cost by the former."""
    return np.unique(y, return_counts=True)


def expected_curve(found: Incidences) -> Floats:
    """S(t) = S_obs - sum_s C(T - Y_s, t) / C(T, t) for t = 1 .. T, shape (T,); empty where nobody was heard.

    S(1) = U / T, S(T) = S_obs. Sources: Ugland, Gray & Ellingsen 2003; Colwell, Mao & Chang 2004.
    Misleads when tellers were chosen because they know much: the curve then rises faster than among everybody.
    """
    y, times = _counted_once(found.y)
    drawn = np.arange(1, found.units + 1)
    if not len(y):
        return np.zeros(found.units)
    return found.observed - np.exp(_log_share_without(y, found.units, drawn)) @ times


def curve_ends(found: Incidences) -> tuple[Floats, Floats]:
    """The 95 % ends of S(t) for t = 1 .. T, two of shape (T,), from leaving out each informant; NaN for one informant.

    S(T) without one of T informants does not exist: it has the error of S(T - 1). Not below 0. Informants differ in how much
    they know, which the unconditional variance of Colwell, Mao & Chang 2004 leaves out: that held S(t) in 66 to 99 % of
    simulated studies.
    """
    curve = expected_curve(found)
    if found.units < 2 or not found.observed:
        return np.full(found.units, np.nan), np.full(found.units, np.nan)
    drawn, by_y = np.arange(1, found.units), found.by_informant[:, 1:]
    y = np.flatnonzero(by_y.any(axis=0)) + 1
    # what Y told is told by Y - 1 without one of them: the chance that t of the T - 1 others tell it, before and after
    chance = [1 - np.exp(_log_share_without(of, found.units - 1, drawn)) for of in (y - 1, np.minimum(y, found.units - 1))]
    rest, times = _counted_once(found.y)
    whole = (1 - np.exp(_log_share_without(np.minimum(rest, found.units - 1), found.units - 1, drawn))) @ times
    without = whole + by_y[:, y - 1] @ (chance[0] - chance[1]).T
    errors = jackknife_errors(without)
    return ends_around(curve, np.append(errors, errors[-1]), within=(0.0, np.inf))


def coverage(found: Incidences) -> float:
    """C(T) = 1 - (Q1/U) * (T-1) Q1 / ((T-1) Q1 + 2 Q2): the share of all mentions that belong to things already heard.

    With Q2 = 0: (T-1)(Q1-1) / ((T-1)(Q1-1) + 2) in place of the second factor (less certain); with Q1 = 0: 1. NaN where
    nothing was told. Source: Chao & Jost 2012, Ecology 93:2533-2547.
    """
    return float(coverage_after(found, np.zeros(1))[0])


def coverage_after(found: Incidences, more: Floats) -> Floats:
    """C(T + m) for every number m of further informants, shape (m,); NaN where nothing was told. Source: Chao et al. 2014."""
    return np.asarray(_expected_coverage(_counts(found), more)[0])


def _counts(found: Incidences) -> Ints:
    """T, U, Q1 and Q2 as one row."""
    return np.array([[found.units, found.u, found.q1, found.q2]], dtype=np.int64)


def _expected_coverage(counts: Ints, more: Floats) -> Floats:
    """C(T + m) of every row of T, U, Q1, Q2 for every m, shape (rows, m); NaN where nothing was told."""
    units, u, q1, q2 = (counts[:, [at]] for at in range(4))
    top = (units - 1) * np.where(q2 > 0, q1, np.maximum(q1 - 1, 0))
    unseen = top / (top + 2 * np.maximum(q2, 1))
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.asarray(np.where(u > 0, 1 - q1 / u * unseen ** (more + 1), np.nan))


def _without_each(found: Incidences) -> tuple[Ints, Ints]:
    """T, U, Q1 and Q2 without each informant, equal rows once, and of how many informants each row is.

    What one alone told goes with that informant, what two told is then told by one, what three told by two.
    """
    rows, times = np.unique(found.by_informant[:, :4], axis=0, return_counts=True)
    told, ones, twos, threes = rows.T
    u, q1, q2 = found.u - told, found.q1 - ones + twos, found.q2 - twos + threes
    return np.stack([np.full(len(rows), found.units - 1), u, q1, q2], axis=1), times


def coverage_ends(found: Incidences) -> tuple[float, float] | None:
    """The 95 % ends of C(T), from leaving out each informant; None where C is undefined, or is so without one of them.

    They hold the share of all mentions that the things told make up among everybody of whom these T are. Informants drawn with
    replacement would hide what one alone told, by which coverage is judged.
    """
    without, times = _without_each(found)
    return only_pair(ends_of_shares(coverage_after(found, np.zeros(1)), _expected_coverage(without, np.zeros(1)), times))


def coverage_simple(found: Incidences) -> float:
    """Good & Turing's 1 - Q1 / U; NaN where nothing was told."""
    return 1 - found.q1 / found.u if found.u else math.nan


def coverage_curve(found: Incidences) -> Floats:
    """C(t) = 1 - sum_s (Y_s / U) C(T - Y_s, t) / C(T - 1, t) for t = 1 .. T - 1. Source: Chao & Jost 2012."""
    y, times = _counted_once(found.y)
    drawn = np.arange(1, max(found.units, 1))
    if not len(y):
        return np.full(len(drawn), np.nan)
    # C(T - Y, t) / C(T - 1, t) is the share among the T - 1 other units for a thing in Y - 1 of them
    share = np.exp(_log_share_without(y - 1, found.units - 1, drawn))
    return 1 - share @ (times * y / found.u)


@dataclass(frozen=True)
class StillWanted:
    """How many more informants a coverage takes; `more` None: no number can be given, and `why` says so."""

    goal: float
    more: int | None
    why: str = ""


def informants_for(found: Incidences, goal: float = 0.95) -> StillWanted:
    """The smallest m with C(T + m) = 1 - (Q1/U) [(T-1) Q1 / ((T-1) Q1 + 2 Q2)]^(m + 1) >= goal.

    Trusted for m <= T only; beyond that no number is given. It has no interval: the m at which the goal lies within the ends of
    C(T + m) held it in every simulated study, and were of no use. Source: Chao et al. 2014 (less certain).
    """
    if not found.u or found.units < 2:
        return StillWanted(goal, None, "Too few were heard to say how many more it takes.")
    reached = coverage_after(found, np.arange(found.units + 1, dtype=np.float64)) >= goal - _SLACK
    if not reached.any():
        return StillWanted(goal, None, f"At least twice as many as so far ({found.units} were heard).")
    return StillWanted(goal, int(reached.argmax()))
