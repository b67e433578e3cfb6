"""The indices beyond RFC, CI, UV and ICF in every resample: of taxa, of categories, of families.

Whoever is drawn is a new informant, so that counts are products of the weights with what each informant told, and everything
that is told at all (NU, NC, Nt), every maximum and the threshold of the popularity are taken anew in each resample.
"""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Generic, TypeVar

import numpy as np
import numpy.typing as npt

from tender_ledger.core.indices.fidelity import popularity_thresholds
from tender_ledger.core.resampling.drawing import Resamples
from tender_ledger.core.tally.counting import Keys, Tally
from tender_ledger.core.tally.table import Bools, Ints

Floats = npt.NDArray[np.float64]
Single = npt.NDArray[np.float32]
T = TypeVar("T")

_MOST_WORK = 2e10  # multiplications; beyond this these indices get no interval
_MOST_VALUES = 1.2e7  # resamples times taxa
_AT_ONCE = 400  # columns of a product, about


@dataclass(frozen=True)
class Further(Generic[T]):
    """What there is of each index by its short name: of taxa (cf = FC / FC_max, cv, ri, rip, fl, rpl, rop, ud, ue, id, ie, uc,
    uvt, uva), of categories (sd, se), and of families (fuv, fuva), whose names are `names` in alphabetical order. Empty
    where it would take too long."""

    taxa: Mapping[str, T] = field(default_factory=dict)
    categories: Mapping[str, T] = field(default_factory=dict)
    families: Mapping[str, T] = field(default_factory=dict)
    names: tuple[str, ...] = ()


def further_values(tally: Tally, drawn: Resamples, counted: Bools, number: Ints, threshold: int = 0) -> Further[Floats]:
    """Every further index in every resample: arrays of shape (resamples, taxa), (resamples, categories), (resamples, families).

    In the units of the rules, as in a reckoning of each resample. A taxon that nobody in a resample told of is undefined there in
    all but CV, RI, RPL and UC. `number` gives every informant's place among the resampled. The T of RPL is `threshold` where it
    is given, else it is fitted to each.
    """
    told = _Told(tally, counted, number)
    taxa, n = told.taxa, drawn.weights.sum(axis=1, dtype=np.float64)[:, None]  # fewer where somebody is left out
    if not told.n or not taxa or not len(drawn) or len(drawn) * taxa > _MOST_VALUES or told.work * len(drawn) > _MOST_WORK:
        return Further()
    sums = _sums(told, drawn)
    by_use, fc = tally.rules.unit != "category", sums["fc"]
    nu = sums["nu_use"] if by_use else sums["nu_category"]
    with np.errstate(invalid="ignore", divide="ignore"):
        fitted = popularity_thresholds(sums["nu_use"].astype(np.int64), fc.astype(np.int64))[:, None]
        level = np.full_like(fitted, threshold) if threshold else fitted
        rpl = np.where(level > 0, np.minimum(fc / np.where(level > 0, level, 1), 1), np.nan)
        fl = np.where(fc > 0, 100 * (sums["main_use"] if by_use else sums["main_category"]) / fc, np.nan)
        ud, own = sums["ur"] ** 2 / sums["squares_category"], sums["ur"] ** 2 / sums["squares_informant"]
        found = {
            "cv": nu / _potential(tally, sums, counted, by_use=by_use) * (fc / n) * (sums["ur"] / n),
            "cf": _of_highest(fc),
            "ri": (_of_highest(fc) + _of_highest(nu)) / 2,
            "rip": _of_highest(sums["nu_category"]) + _of_highest(sums["nu_use"]),
            "fl": fl, "rpl": rpl, "rop": fl * rpl,
            "ud": ud, "ue": ud / sums["nu_category"], "id": own, "ie": own / fc, "uc": 2 * fc / n - 1,
            "uvt": sums["uses"] / fc, "uva": sums["uses_asked"] / sums["asked"],
        }  # fmt: skip
        sd = sums["of_category"] ** 2 / sums["of_category_squares"]
        names, families = _families(tally, fc > 0, {"fuv": sums["uses"] / n, "fuva": found["uva"]})
    return Further(found, {"sd": sd, "se": sd / sums["of_category_taxa"]}, families, names)


def asked_values(tally: Tally, drawn: Resamples, counted: Bools, number: Ints) -> Floats | None:
    """uva alone in every resample, which is soon computed; None where there is nobody or too much."""
    told = _Told(tally, counted, number)
    if not told.n or not told.taxa or not len(drawn) or len(drawn) * told.taxa > _MOST_VALUES:
        return None
    sums = {name: np.zeros((len(drawn), told.taxa)) for name in ("asked", "uses_asked")}
    for first, last in told.blocks():
        _asked(told, drawn, first, last, sums)
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.asarray(sums["uses_asked"] / sums["asked"])


class _Told:
    """What the resampled informants told, as columns to be multiplied with the weights: pairs of taxon and category, pairs of
    taxon and specific use, and several sums by informant and taxon."""

    def __init__(self, tally: Tally, counted: Bools, number: Ints) -> None:
        self.taxa, self.n, self.categories = len(tally.taxa.names), int(counted.sum()), len(tally.table.categories)
        self.number, self.uses_in_all = number, max(len(tally.table.uses.labels), 1)
        self.citations, self.reports, self.uses = (one.among(counted) for one in (tally.citations, tally.reports, tally.uses))
        mine = counted[tally.uses_informant]
        self.use = tally.uses_use[mine]
        asked = counted[tally.asked_informant]
        self.asked_taxon, self.asked_who = tally.asked_taxon[asked], number[tally.asked_informant[asked]]
        self.asked_uses = tally.mean_uses_of_asked[asked]

    @property
    def work(self) -> int:
        """Multiplications a resample."""
        pairs = len(np.unique(self.citations.taxon * self.categories + self.citations.category))
        return self.n * (2 * pairs + len(np.unique(self.uses.taxon * self.uses_in_all + self.use)) + 4 * self.taxa)

    def blocks(self) -> Iterator[tuple[int, int]]:
        """First and last taxon (not included) of about equal numbers of told pairs."""
        pairs = np.unique(self.uses.taxon * self.uses_in_all + self.use) // self.uses_in_all
        edges = [0]
        counted = np.cumsum(np.bincount(pairs, minlength=self.taxa) + 4)
        while edges[-1] < self.taxa:
            goal = (counted[edges[-1] - 1] if edges[-1] else 0) + _AT_ONCE
            edges.append(max(int(np.searchsorted(counted, goal)), edges[-1] + 1))
        yield from zip(edges[:-1], (min(edge, self.taxa) for edge in edges[1:]), strict=True)

    def dense(self, keys: Keys, first: int, last: int, wide: int, code: Ints | None) -> Single:
        """(n, taxa of the block x wide): the weight of every key, summed."""
        part = slice(*np.searchsorted(keys.taxon, (first, last)))
        column = (keys.taxon[part] - first) * wide + (0 if code is None else code[part])
        flat = self.number[keys.informant[part]] * ((last - first) * wide) + column
        weight = None if keys.weight is None else keys.weight[part]
        found = np.bincount(flat, weights=weight, minlength=self.n * (last - first) * wide)
        return found.reshape(self.n, (last - first) * wide).astype(np.float32)


def _sums(told: _Told, drawn: Resamples) -> dict[str, Floats]:
    """The counts of every resample that the indices are made of, a block of taxa at a time."""
    rows, taxa, categories = len(drawn), told.taxa, told.categories
    by_taxon = ("fc", "nu_category", "nu_use", "ur", "main_category", "main_use", "squares_category", "squares_informant", "uses",
                "uses_asked", "asked")  # fmt: skip
    sums = {name: np.zeros((rows, taxa)) for name in by_taxon}
    sums |= {name: np.zeros((rows, categories)) for name in ("of_category", "of_category_squares", "of_category_taxa")}
    sums["any_use"] = np.zeros((rows, told.uses_in_all))
    for first, last in told.blocks():
        within, shape = slice(first, last), (rows, last - first, categories)
        cited = told.dense(Keys(told.citations.taxon, told.citations.informant, told.citations.category), first, last, categories,
                           told.citations.category)  # fmt: skip
        informants = (drawn.weights @ cited).reshape(shape)
        reported = told.dense(told.reports, first, last, categories, told.reports.category)
        ur = (drawn.weights @ reported).reshape(shape)
        own = reported.reshape(told.n, last - first, categories).sum(axis=2)
        sums["fc"][:, within] = drawn.weights @ cited.reshape(told.n, last - first, categories).any(axis=2).astype(np.float32)
        sums["nu_category"][:, within] = (informants > 0).sum(axis=2)
        sums["main_category"][:, within] = informants.max(axis=2, initial=0)
        sums["ur"][:, within] = ur.sum(axis=2)
        sums["squares_category"][:, within] = (ur**2).sum(axis=2)
        sums["squares_informant"][:, within] = drawn.weights @ own**2
        sums["uses"][:, within] = drawn.weights @ told.dense(told.uses, first, last, 1, None)
        sums["of_category"] += ur.sum(axis=1)
        sums["of_category_squares"] += (ur**2).sum(axis=1)
        sums["of_category_taxa"] += (informants > 0).sum(axis=1)
        _specific_uses(told, drawn, first, last, sums)
        _asked(told, drawn, first, last, sums)
    return sums


def _specific_uses(told: _Told, drawn: Resamples, first: int, last: int, sums: dict[str, Floats]) -> None:
    """Of the taxa of a block how many specific uses are told, how many informants tell the one most tell, and which are told."""
    part = slice(*np.searchsorted(told.uses.taxon, (first, last)))
    pairs, place = np.unique(told.uses.taxon[part] * told.uses_in_all + told.use[part], return_inverse=True)
    if not len(pairs):
        return
    dense = np.zeros((told.n, len(pairs)), dtype=np.float32)
    dense[told.number[told.uses.informant[part]], place] = 1
    informants = drawn.weights @ dense
    taxon, use = np.divmod(pairs, told.uses_in_all)
    starts = np.flatnonzero(np.diff(taxon, prepend=-1))
    sums["nu_use"][:, taxon[starts]] = np.add.reduceat(informants > 0, starts, axis=1, dtype=np.float64)
    sums["main_use"][:, taxon[starts]] = np.maximum.reduceat(informants, starts, axis=1)
    for at, column in zip(use, (informants > 0).T, strict=True):
        sums["any_use"][:, at] = np.maximum(sums["any_use"][:, at], column)


def _asked(told: _Told, drawn: Resamples, first: int, last: int, sums: dict[str, Floats]) -> None:
    """n_s and the sum of UV_is of the taxa of a block."""
    part = slice(*np.searchsorted(told.asked_taxon, (first, last)))
    for name, values in (("asked", None), ("uses_asked", told.asked_uses[part])):
        dense = np.zeros((told.n, last - first))
        dense[told.asked_who[part], told.asked_taxon[part] - first] = 1 if values is None else values
        sums[name][:, first:last] = drawn.weights.astype(np.float64) @ dense


def _potential(tally: Tally, sums: Mapping[str, Floats], counted: Bools, *, by_use: bool) -> Floats:
    """What NU is a share of in CV, shape (resamples, 1): NC, or the distinct uses of the analysis."""
    if by_use and not counted[tally.counted].all():
        return np.array([[len(np.unique(tally.uses_use))]])  # those of the whole study, of which a community is a part
    if not by_use and tally.rules.nc:
        return np.array([[tally.rules.nc]])
    told_at_all = sums["any_use"] > 0 if by_use else sums["of_category_taxa"] > 0
    return np.maximum(told_at_all.sum(axis=1), 1)[:, None]


def _of_highest(values: Floats) -> Floats:
    return np.asarray(values / values.max(axis=1, keepdims=True))


def _families(tally: Tally, cited: Bools, values: Mapping[str, Floats]) -> tuple[tuple[str, ...], dict[str, Floats]]:
    """The mean of the values over the cited taxa of each family."""
    family = tally.taxa.family
    names = tuple(sorted({name for name in family if name}))
    belongs = np.array([[name == one for name in names] for one in family], dtype=np.float64).reshape(len(family), len(names))
    number = cited.astype(np.float64) @ belongs
    return names, {key: np.where(cited, value, 0) @ belongs / number for key, value in values.items()}
