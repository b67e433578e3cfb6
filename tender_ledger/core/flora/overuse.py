"""Over- and under-used families by four methods: regression residuals, binomial, Bayesian and imprecise Bayesian.

The beta bounds are those of scipy's incomplete beta function.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.special import betaincinv

from tender_ledger.core.groups.permuting import benjamini_hochberg, holm
from tender_ledger.core.indices.reckoning import Reckoning
from tender_ledger.core.messages import InputRefused, Problem
from tender_ledger.core.tally.counting import Tally
from tender_ledger.core.tally.mixtures import MIXTURE
from tender_ledger.core.tally.table import Bools, Ints
from tender_ledger.core.tally.taxa import BELOW_SPECIES, QUALIFIER

Floats = npt.NDArray[np.float64]
PRIOR = 4  # s of the imprecise model (from memory)
_ALPHA = 0.05


@dataclass(frozen=True)
class FamilyUse:
    """Parallel columns over all families of the flora, also those without a used species, in alphabetical order.

    `residual` and `standardised` of the regression; `lower`, `upper` one-sided binomial P(X <= x), P(X >= x); `small_p` and
    `doubled` two-sided, with the first adjusted; `beta_*` and `imprecise_*` 95 % bounds with their calls (over, under, no).
    `not_in_flora` are told families that the flora has not, with their told species.
    """

    families: tuple[str, ...]
    flora: Ints
    used: Ints
    slope: float
    intercept: float
    residual_sd: float
    residual: Floats
    standardised: Floats
    lower: Floats
    upper: Floats
    small_p: Floats
    doubled: Floats
    p_holm: Floats
    p_bh: Floats
    beta_low: Floats
    beta_high: Floats
    beta_call: tuple[str, ...]
    beta_total: tuple[float, float]
    imprecise_low: Floats
    imprecise_high: Floats
    imprecise_call: tuple[str, ...]
    imprecise_total: tuple[float, float]
    not_in_flora: Mapping[str, int]

    @property
    def totals(self) -> tuple[int, int]:
        """n and X: the species of the flora, and those of them that are used."""
        return int(self.flora.sum()), int(self.used.sum())

    @property
    def reach_of_alike(self) -> float:
        """How far from 0 the standardised residual of a family used like the rest lies in 95 %: t, with t^2 / (n - 2) of
        Beta(1/2, (n - 3) / 2). NaN for fewer than four families. Source: Cook & Weisberg 1982, section 2.2 (from memory)."""
        n = len(self.families)
        return math.sqrt((n - 2) * float(betaincinv(0.5, (n - 3) / 2, 1 - _ALPHA))) if n > 3 else math.nan


def species_of_a_flora(tally: Tally) -> Bools:
    """The counted taxa that a flora can hold: species, not genera, hybrids of doubt, mixtures, or what is only grown here.

    Infraspecific taxa enter as their species where the rules lump them, and not where they are taxa of their own.
    """
    plants, names = tally.table.plants, tally.taxa.names
    species = {"species", *(BELOW_SPECIES if tally.rules.infraspecific == "lump" else ())}
    enters = np.zeros(len(names), dtype=bool)
    for at, rank in enumerate(plants.rank):
        place = tally.taxa.of_plant[at]
        if place >= 0 and plants.taxon[at] and rank in species and not (plants.foreign and plants.foreign[at]):
            enters[place] = True
    return enters & np.array([family != MIXTURE and not QUALIFIER.search(name)
                              for name, family in zip(names, tally.taxa.family, strict=True)], dtype=bool)  # fmt: skip


def used_species(r: Reckoning, enters: Bools, category: str = "") -> dict[str, int]:
    """x by family: told species that the flora can hold (`enters`, shape (taxa,)), of one category where it is named."""
    return {family: len(names) for family, names in species_used(r, enters, category).items()}


def species_used(r: Reckoning, enters: Bools, category: str = "") -> dict[str, list[str]]:
    """The same by name."""
    told = r.told if not category else r.counts.ur_by_category[:, r.categories.index(category)] > 0
    found: dict[str, list[str]] = {}
    for at in np.flatnonzero(told & enters):
        found.setdefault(r.family[at], []).append(r.taxa[at])
    return found


def family_use(flora: Mapping[str, int], used: Mapping[str, int]) -> FamilyUse:
    """Set the used species of every family beside its species in the flora.

    Sources: Moerman 1979, J Ethnopharmacol 1:111-119 (regression; large families dominate); Bennett & Husby 2008,
    J Ethnopharmacol 116:422-430 (binomial); Weckerle et al. 2011, J Ethnopharmacol 137:837-843 (Beta(x+1, n-x+1), the total
    including the family: less certain); Weckerle et al. 2012, J Ethnopharmacol 142:259-264 (imprecise, s = 4 from memory).
    Raises InputRefused for an empty flora, and where a family has more used species than the flora gives it.
    """
    names = tuple(sorted(flora))
    if not names or sum(flora.values()) < 1:
        raise InputRefused(Problem("The flora holds no species.", "flora", "0", "families with their numbers of species"))
    wrong = [name for name in names if used.get(name, 0) > flora[name]]
    if wrong:
        raise InputRefused(*(Problem("More species of the family are used than the flora has.", f"family {name}",
                                     str(used[name]), f"{flora[name]} at most", "Correct the flora or the determinations.")
                             for name in wrong))  # fmt: skip
    n, x = (np.array([one.get(name, 0) for name in names], dtype=np.int64) for one in (flora, used))
    total_n, total_x = int(n.sum()), int(x.sum())
    tails = [binomial_tails(int(xj), int(nj), total_x, total_n) for xj, nj in zip(x, n, strict=True)]
    lower, upper, small = (np.array(column) for column in zip(*tails, strict=True))
    beta = beta_bounds(x + 1, n - x + 1)
    beta_total = tuple(float(end[0]) for end in beta_bounds(np.array([total_x + 1]), np.array([total_n - total_x + 1])))
    imprecise, imprecise_total = imprecise_bounds(x, n), imprecise_bounds(np.array([total_x]), np.array([total_n]))
    whole = (float(imprecise_total[0][0]), float(imprecise_total[1][0]))
    slope, intercept, sd, residual, standardised = regression(n, x)
    return FamilyUse(
        names, n, x, slope, intercept, sd, residual, standardised, lower, upper, small,
        np.minimum(2 * np.minimum(lower, upper), 1), holm(small), benjamini_hochberg(small),
        *beta, _calls(*beta, *beta_total), (beta_total[0], beta_total[1]), *imprecise, _calls(*imprecise, *whole), whole,
        {name: count for name, count in sorted(used.items()) if name not in flora},
    )  # fmt: skip


def _calls(low: Floats, high: Floats, total_low: float, total_high: float) -> tuple[str, ...]:
    return tuple(
        "over" if one > total_high else "under" if other < total_low else "no" for one, other in zip(low, high, strict=True)
    )


def regression(n: Ints, x: Ints) -> tuple[float, float, float, Floats, Floats]:
    """Least squares of x on n: slope, intercept, residual SD (n - 2 degrees of freedom), residuals, r / (s sqrt(1 - h)).

    NaN where there are fewer than three families, or all are of one size.
    """
    dn, dx = n - n.mean(), x - x.mean()
    spread = float(dn @ dn)
    nothing = np.full(len(n), np.nan)
    if len(n) < 3 or not spread:
        return math.nan, math.nan, math.nan, nothing, nothing
    slope = float(dn @ dx) / spread
    residual = dx - slope * dn
    sd = math.sqrt(float(residual @ residual) / (len(n) - 2))
    free = np.maximum(1 - (1 / len(n) + dn**2 / spread), 0.0)
    standardised = np.divide(residual, sd * np.sqrt(free), out=np.full(len(n), np.nan), where=(free > 1e-12) & (sd > 1e-12))
    return slope, float(x.mean() - slope * n.mean()), sd, residual, standardised


def binomial_tails(x: int, n: int, used: int, total: int) -> tuple[float, float, float]:
    """P(X <= x), P(X >= x) and the two-sided sum of what is no likelier than x, X ~ Bin(n, used / total), in whole numbers."""
    masses = _masses(n, used, total)
    whole = sum(masses)
    return (sum(masses[: x + 1]) / whole, sum(masses[x:]) / whole, sum(mass for mass in masses if mass <= masses[x]) / whole)


def _masses(n: int, used: int, total: int) -> list[int]:
    """C(n, k) used^k (total - used)^(n - k) for k = 0 .. n, exactly, each from the one before."""
    rest = total - used
    if not rest:
        return [0] * n + [1]
    masses = [rest**n]
    for k in range(n):
        masses.append(masses[-1] * (n - k) * used // ((k + 1) * rest))
    return masses


def beta_bounds(a: Ints, b: Ints) -> tuple[Floats, Floats]:
    """The 2.5 % and 97.5 % quantiles of Beta(a, b)."""
    return betaincinv(a, b, _ALPHA / 2), betaincinv(a, b, 1 - _ALPHA / 2)


def imprecise_bounds(x: Ints, n: Ints, s: int = PRIOR) -> tuple[Floats, Floats]:
    """2.5 % of Beta(x, n - x + s) and 97.5 % of Beta(x + s, n - x); 0 below where x = 0, 1 above where x = n."""
    low = np.where(x > 0, betaincinv(np.maximum(x, 1), n - x + s, _ALPHA / 2), 0.0)
    high = np.where(x < n, betaincinv(x + s, np.maximum(n - x, 1), 1 - _ALPHA / 2), 1.0)
    return low, high
