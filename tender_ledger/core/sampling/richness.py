"""How many things there may be in all: Chao2 and the jackknives over incidences, with their errors."""

import math
from dataclasses import dataclass

import numpy as np

from tender_ledger.core.resampling.quantiles import Z
from tender_ledger.core.sampling.incidence import Incidences


@dataclass(frozen=True)
class Estimate:
    """A richness and its standard error; NaN where undefined. `interval` 95 %, None where there is none."""

    value: float
    error: float = math.nan
    interval: tuple[float, float] | None = None


def chao2_classic(found: Incidences) -> Estimate:
    """S_obs + A Q1^2 / (2 Q2), A = (T - 1) / T; undefined where Q2 = 0 (use the bias-corrected form then).

    Source: Chao 1987, Biometrics 43:783-791, with its variance and log interval. Misleads as an upper bound: it is a lower one.
    """
    s, q1, q2 = found.observed, found.q1, found.q2
    if not q2 or not found.units:
        return Estimate(math.nan)
    a, r = (found.units - 1) / found.units, q1 / q2
    variance = q2 * (a / 2 * r**2 + a**2 * r**3 + a**2 / 4 * r**4)
    return _estimate(s, s + a * q1**2 / (2 * q2), variance)


def chao2_bias_corrected(found: Incidences) -> Estimate:
    """S_obs + A Q1 (Q1 - 1) / (2 (Q2 + 1)); defined for every Q2. Source: Chao 1987; its variances by case."""
    if not found.units:
        return Estimate(math.nan)
    s, q1, q2, a = found.observed, found.q1, found.q2, (found.units - 1) / found.units
    value = s + a * q1 * (q1 - 1) / (2 * (q2 + 1))
    if q2:
        variance = (a * q1 * (q1 - 1) / (2 * (q2 + 1)) + a**2 * q1 * (2 * q1 - 1) ** 2 / (4 * (q2 + 1) ** 2)
                    + a**2 * q1**2 * q2 * (q1 - 1) ** 2 / (4 * (q2 + 1) ** 4))  # fmt: skip
    else:
        variance = a * q1 * (q1 - 1) / 2 + a**2 * q1 * (2 * q1 - 1) ** 2 / 4 - (a**2 * q1**4 / (4 * value) if value else 0.0)
    return _estimate(s, value, variance)


def chao2_without_factor(found: Incidences) -> float:
    """The form of 1987 without A: S_obs + Q1^2 / (2 Q2); with Q2 = 0 undefined."""
    return found.observed + found.q1**2 / (2 * found.q2) if found.q2 else math.nan


def _estimate(observed: int, value: float, variance: float) -> Estimate:
    error = math.sqrt(max(variance, 0.0))
    above = value - observed
    if above <= 0:
        return Estimate(value, error)
    k = math.exp(Z * math.sqrt(math.log(1 + variance / above**2)))
    return Estimate(value, error, (observed + above / k, observed + above * k))


def jackknife1(found: Incidences) -> Estimate:
    """S_obs + Q1 (T - 1) / T, variance A (sum_j j^2 f_j - Q1^2 / T), f_j informants with j things that nobody else told.

    It has no interval: value -+ 1.96 of its errors held it in 74 to 91 % of simulated studies.
    Source: Heltshe & Forrester 1983, Biometrics 39:1-11; Burnham & Overton 1978.
    """
    t, q1 = found.units, found.q1
    if not t:
        return Estimate(math.nan)
    a, j = (t - 1) / t, np.arange(len(found.uniques))
    value, error = found.observed + a * q1, math.sqrt(max(a * (float((j**2 * found.uniques).sum()) - q1**2 / t), 0.0))
    return Estimate(value, error)


def jackknife2(found: Incidences) -> float:
    """S_obs + Q1 (2T - 3) / T - Q2 (T - 2)^2 / (T (T - 1)); NaN for fewer than two informants."""
    t = found.units
    return found.observed + found.q1 * (2 * t - 3) / t - found.q2 * (t - 2) ** 2 / (t * (t - 1)) if t > 1 else math.nan
