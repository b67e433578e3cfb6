"""Indices made of several counts: cultural value, relative importance in two schools, and the scored significance indices."""

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from tender_ledger.core.messages import InputRefused, Problem
from tender_ledger.core.tally.table import Ints

Floats = npt.NDArray[np.float64]


def cultural_value(nu: Ints, potential: int, fc: Ints, n: int, ur: Ints | Floats) -> Floats:
    """CV_s = (NU_s / NC) * (FC_s / N) * (sum UR_s / N), in [0, NC]; NaN where NC or N is 0.

    `potential` are all potential uses considered: NC, or with specific uses the distinct uses of the study. Source:
    Reyes-Garcia, Huanca, Vadez, Leonard & Wilkie 2006, Econ Bot 60:62-74; read by categories in Tardio &
    Pardo-de-Santayana 2008. Misleads when the protocol's list of categories is longer than what was observed.
    """
    if not potential or not n:
        return np.full(np.shape(fc), np.nan)
    return np.asarray(nu / potential * (fc / n) * (ur / n))


def relative_importance(fc: Ints, nu: Ints) -> Floats:
    """RI_s = (FC_s / max FC + NU_s / max NU) / 2, in (0, 1] for told taxa; the maxima are those of this analysis.

    NaN where nothing was told. Source: Pardo-de-Santayana 2003; Tardio & Pardo-de-Santayana 2008, Econ Bot 62:24-39.
    Misleads when one taxon far ahead of the others sets both maxima: everything else is then drawn together.
    """
    return (_of_the_highest(fc) + _of_the_highest(nu)) / 2


def relative_importance_of_properties(systems: Ints, properties: Ints) -> Floats:
    """RI_s = NUC / max NUC + NT / max NT, in (0, 2]: body systems and properties; no informants stand in it.

    Here a category is a body system, a specific use a property. Source: Bennett & Prance 2000, Econ Bot 54:90-102 (formula
    sure, range from memory). Misleads as a measure of agreement: one informant can give a plant the highest value.
    """
    return _of_the_highest(systems) + _of_the_highest(properties)


def _of_the_highest(counts: Ints) -> Floats:
    top = counts.max(initial=0)
    return counts / top if top else np.full(np.shape(counts), np.nan)


def cultural_significance(uses: Sequence[tuple[float, float, float]]) -> float:
    """CSI = sum over uses of q * i * e: quality 1 to 5, intensity 1 to 5, exclusivity 2, 1 or 0.5; 0 without uses.

    Source: Turner 1988, Am Anthropol 90:272-290. Raises InputRefused for a score outside its scale.
    """
    for quality, intensity, exclusivity in uses:
        _require(1 <= quality <= 5, "quality", quality, "1 to 5")
        _require(1 <= intensity <= 5, "intensity", intensity, "1 to 5")
        _require(exclusivity in (2, 1, 0.5), "exclusivity", exclusivity, "2, 1 or 0.5")
    return float(sum(q * i * e for q, i, e in uses))


def cultural_significance_of_citations(scores: Sequence[tuple[int, int, int]], citations: int, most: int) -> float:
    """CSI = [sum over uses of i * e * c] * CF: management, preference and frequency each 2 or 1, CF = citations / most cited.

    `scores` are one (management, preference, frequency) a use; NaN without scores or where nothing is cited. Source: da
    Silva, Andrade & Albuquerque 2006, Field Methods 18:98-108. Misleads where scores were given after the counts were known.
    """
    if not scores or not most:
        return float("nan")
    for use in scores:
        for name, score in zip(("management", "preference", "frequency"), use, strict=True):
            _require(score in (1, 2), name, score, "2 or 1")
    return sum(i * e * c for i, e, c in scores) * citations / most


def _require(holds: bool, where: str, found: float, expected: str) -> None:
    if not holds:
        raise InputRefused(Problem("The score is outside its scale.", where, str(found), expected))
