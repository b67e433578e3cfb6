"""The bootstrap of a reckoning: use values, importance, agreement and ranks in resamples of its informants.

Informants are resampled, never reports: a resample is a weight for every informant. Means are one product of the weights
with what each informant told. Whether anybody in a resample told a (taxon, category) at all, which Nt takes, is a bit for
every resample, and the bits of the tellers are joined.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from itertools import pairwise
from statistics import NormalDist
from typing import Literal

import numpy as np
import numpy.typing as npt

from tender_ledger.core.indices.importance import firsts_of_pairs, per_pair
from tender_ledger.core.resampling.drawing import Resamples, draw, every_resample
from tender_ledger.core.resampling.intervals import ShownIntervals, agreement_ends, further_ends, mean_ends, tellers_of
from tender_ledger.core.resampling.means import PerInformant, exact_ends
from tender_ledger.core.resampling.quantiles import ALPHA, MOST_UNDEFINED, ends_of_columns, weighted_ends
from tender_ledger.core.tally.counting import Keys, Tally
from tender_ledger.core.tally.table import Bools, Ints

Floats = npt.NDArray[np.float64]
Single = npt.NDArray[np.float32]
FIRST = 10  # the ranks a band is asked about
_BLOCK = 256  # taxa at a time
_SLACK = 1e-12


@dataclass(frozen=True)
class Intervals:
    """The 95 % percentile interval of every taxon, with its standard errors; `exact` says that nothing was drawn for it."""

    estimate: Floats
    low: Floats
    high: Floats
    bootstrap_error: Floats
    jackknife_error: Floats
    exact: bool


@dataclass(frozen=True)
class AgreementIntervals:
    """ICF in the resamples, a category each; NaN where no interval is shown because more than 5 % are undefined."""

    estimate: Floats
    low: Floats
    high: Floats
    mean: Floats
    undefined: Floats
    jackknife_error: Floats


@dataclass(frozen=True)
class RankBands:
    """Where a taxon stands among the ranked: the share of the resamples in which it is among the first FIRST, and the ranks that
    hold its own in at least 95 % of studies. Taxa that are not ranked have 0."""

    in_first: Floats
    low: Ints
    high: Ints


@dataclass(frozen=True)
class Bootstrap:
    """`taxa` by the short name of the index (rfc, ci, uv), bands by the same. `shown` are the intervals that hold what they
    estimate, of the further indices too where asked for; the percentile intervals of the resamples stand in the result
    document beside them."""

    n: int
    method: str
    seed: int | None
    replicates: int
    taxa: Mapping[str, Intervals]
    bands: Mapping[str, RankBands]
    categories: AgreementIntervals
    shown: ShownIntervals = field(default_factory=ShownIntervals)


def bootstrap(tally: Tally, *, replicates: int = 1000, seed: int = 1, among: Bools | None = None, ranked: Bools | None = None,
              exact: bool = False, exact_means: bool = True,
              further: Literal["none", "asked", "all"] = "none") -> Bootstrap:  # fmt: skip
    """Resample the informants counted (of those flagged `among`), whole, the silent too, as the rules' `resample` says.

    `ranked` flags the taxa that have ranks (None: all). With `exact` every resample is enumerated; with `exact_means` the
    ends of RFC, CI and UV come from their exact distributions where these are small enough, else from the drawings.
    Of the further indices there are none, or the use value of those asked, or all that have intervals.
    Memory is 4 bytes a resample and informant, and as much a resample and taxon for each of three indices.
    Misleads for ICF: taxa are lost in resamples, so the percentile interval lies too high; that of `shown` does not.
    """
    counted = tally.counted if among is None else tally.counted & among
    people = np.flatnonzero(counted)
    number = np.full(len(counted), -1, dtype=np.int64)
    number[people] = np.arange(len(people))
    strata = tally.table.informants.community[people] if tally.rules.resample == "within_community" else np.zeros(
        len(people), dtype=np.int64)  # fmt: skip
    drawn = every_resample(len(people)) if exact else draw(strata, replicates, seed)
    columns = per_informant(tally, counted, number)
    found, bands = {}, {}
    for name, values in columns.items():
        sums = resampled_sums(drawn, values)
        ends = exact_ends(values, strata) if exact or exact_means else None
        low, high = ends or tuple(end / max(values.n, 1) for end in ends_of_columns(sums))
        mean = values.sums() / values.n if values.n else np.full(values.taxa, np.nan)
        found[name] = Intervals(mean, low, high, *values.standard_errors(), ends is not None)
        bands[name] = rank_bands(values, sums, ranked, drawn)
    tellers = tellers_of(columns["rfc"])
    agreement = _agreement(tally, counted, number, drawn)
    wanted = further if len(people) else "none"
    more = ShownIntervals() if wanted == "none" else further_ends(tally, drawn, counted, number, tellers, wanted)
    shown = replace(
        more,
        taxa={**{name: mean_ends(one, tellers) for name, one in columns.items()}, **more.taxa},
        categories={"icf": agreement_ends(agreement.estimate, agreement.jackknife_error), **more.categories},
    )
    return Bootstrap(len(people), drawn.method, None if exact else seed, len(drawn), found, bands, agreement, shown)


def per_informant(tally: Tally, counted: Bools, number: Ints) -> dict[str, PerInformant]:
    """What each informant adds to the sums that RFC, CI and UV are means of, by their short names (rfc, ci, uv).

    `number` gives every informant's place among the resampled.
    """
    taxa, n = len(tally.taxa.names), int(counted.sum())
    columns = {}
    for name, keys in (("rfc", tally.citations), ("ci", tally.reports), ("uv", tally.uses)):
        keys = keys.among(counted)
        starts = np.flatnonzero(firsts_of_pairs(keys))
        value: Ints | Floats = np.ones(len(starts), dtype=np.int64)
        if name != "rfc" and len(starts):
            value = per_pair(keys, starts)
        columns[name] = PerInformant(keys.taxon[starts], number[keys.informant[starts]], value, taxa, n)
    return columns


def resampled_sums(drawn: Resamples, values: PerInformant) -> Single:
    """The sum over the informants of a resample, shape (resamples, taxa): weights times values, a block of taxa at a time."""
    result = np.zeros((len(drawn), values.taxa), dtype=np.float32)
    edges = np.searchsorted(values.taxon, np.arange(0, values.taxa + _BLOCK, _BLOCK))
    for block, (start, stop) in enumerate(pairwise(edges)):
        first = block * _BLOCK
        width = min(_BLOCK, values.taxa - first)
        dense = np.zeros((values.n, width), dtype=np.float32)
        dense[values.informant[start:stop], values.taxon[start:stop] - first] = values.value[start:stop]
        result[:, first : first + width] = drawn.weights @ dense
    return result


def rank_bands(values: PerInformant, sums: Single, ranked: Bools | None, drawn: Resamples) -> RankBands:
    """The bands of the ranked taxa (None: all) from what each informant adds and the sums of that in the resamples.

    A taxon stands behind all that are surely above it, and before all that it is surely above: by the normal test of the
    difference of two means over the same informants, at 5 % shared among all comparisons of a taxon (Bonferroni). So its rank
    lies in the band in at least 95 % of studies, near ties and all; ranks taken anew in each resample do not hold it where taxa
    are told alike. Source: Mogstad et al. 2024, Rev Econ Stud 91:476-518 (from memory); equals share the better rank.
    """
    taxa = values.taxa
    places = np.arange(taxa) if ranked is None else np.flatnonzero(ranked)
    in_first, low, high = np.zeros(taxa), np.zeros(taxa, dtype=np.int64), np.zeros(taxa, dtype=np.int64)
    if not len(places) or values.n < 2:
        return RankBands(in_first, low, high)
    if len(drawn):
        of = sums[:, places]
        falling = np.sort(-of, axis=1)
        above = np.stack([np.searchsorted(row, -own, side="left") for row, own in zip(falling, of, strict=True)])
        in_first[places] = np.minimum(drawn.shares() @ (above < FIRST), 1.0)  # the shares sum to 1 but for rounding
    own = np.zeros((values.n, taxa))
    own[values.informant, values.taxon] = values.value
    own = own[:, places]
    mean, errors = own.mean(axis=0), np.cov(own, rowvar=False).reshape(len(places), -1) / values.n
    gap = mean[None, :] - mean[:, None]  # how far the column lies above the row
    spread = np.diag(errors)[None, :] + np.diag(errors)[:, None] - 2 * errors
    factor = NormalDist().inv_cdf(1 - ALPHA / (2 * max(len(places) - 1, 1)))
    surely = gap > factor * np.sqrt(np.maximum(spread, 0)) + _SLACK
    low[places] = 1 + surely.sum(axis=1)
    high[places] = len(places) - surely.sum(axis=0)
    return RankBands(in_first, low, high)


def _agreement(tally: Tally, counted: Bools, number: Ints, drawn: Resamples) -> AgreementIntervals:
    categories = len(tally.table.categories)
    icf = resampled_agreement(tally, counted, number, drawn)
    estimate, jackknife = agreement_without_each(tally, counted, number)
    shares = drawn.shares()
    low, high, mean = (np.full(categories, np.nan) for _ in range(3))
    defined = ~np.isnan(icf)
    undefined = shares @ ~defined if len(drawn) else np.ones(categories)
    for at in range(categories):
        if undefined[at] <= MOST_UNDEFINED and not np.isnan(estimate[at]):
            values, weight = icf[defined[:, at], at], shares[defined[:, at]]
            low[at], high[at] = weighted_ends(values, weight)
            mean[at] = float(values @ weight / weight.sum())
    return AgreementIntervals(estimate, low, high, mean, undefined, jackknife)


def resampled_agreement(tally: Tally, counted: Bools, number: Ints, drawn: Resamples) -> Floats:
    """ICF in every resample, shape (resamples, categories); NaN where a resample has fewer than two reports of a category.

    `number` gives every informant's place among the resampled.
    """
    own = _reports_of_each(tally, counted, number)
    nur = (drawn.weights @ own.astype(np.float32)).astype(np.float64)
    nt = _taxa_told(tally.citations.among(counted), number, drawn, own.shape[1])
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.where(nur > 1, (nur - nt) / (nur - 1), np.nan)


def _reports_of_each(tally: Tally, counted: Bools, number: Ints) -> Ints:
    """The reports of each informant by category, shape (N, categories)."""
    categories, n = len(tally.table.categories), int(counted.sum())
    reports = tally.reports.among(counted)
    own = np.bincount(number[reports.informant] * categories + reports.category, minlength=n * categories)
    return own.reshape(n, categories)


def _taxa_told(citations: Keys, number: Ints, drawn: Resamples, categories: int) -> Floats:
    """Nt in every resample, shape (resamples, categories)."""
    rows = len(drawn)
    told = np.zeros((rows, categories))
    if not len(citations):
        return told
    bits = np.packbits(drawn.weights.T > 0, axis=1)  # of every informant, a bit a resample
    order = np.lexsort((citations.taxon, citations.category))
    taxon, category = citations.taxon[order], citations.category[order]
    change = np.ones(len(order), dtype=bool)
    change[1:] = (taxon[1:] != taxon[:-1]) | (category[1:] != category[:-1])
    starts = np.flatnonzero(change)
    who = number[citations.informant[order]]
    of_pair = category[starts]
    for at in np.unique(of_pair):
        mine = np.flatnonzero(of_pair == at)
        first, last = starts[mine[0]], starts[mine[-1] + 1] if mine[-1] + 1 < len(starts) else len(order)
        joined = np.bitwise_or.reduceat(bits[who[first:last]], starts[mine] - first, axis=0)
        told[:, at] = np.unpackbits(joined, axis=1, count=rows).sum(axis=0, dtype=np.int64)
    return told


def agreement_without_each(tally: Tally, counted: Bools, number: Ints) -> tuple[Floats, Floats]:
    """ICF by category, and its jackknife error sqrt((N-1)/N sum (th_-i - mean)^2); NaN where one left out leaves it undefined."""
    citations, own = tally.citations.among(counted), _reports_of_each(tally, counted, number)
    n, categories = own.shape
    key = citations.taxon * max(categories, 1) + citations.category
    tellers = np.bincount(key) if len(key) else np.zeros(0, dtype=np.int64)
    alone = tellers[key] == 1 if len(key) else np.zeros(0, dtype=bool)
    only = np.bincount(number[citations.informant[alone]] * categories + citations.category[alone], minlength=n * categories)
    there = np.flatnonzero(tellers)
    nt = np.bincount(there % max(categories, 1), minlength=categories)
    nur = own.sum(axis=0)
    with np.errstate(invalid="ignore", divide="ignore"):
        estimate = np.where(nur > 1, (nur - nt) / (nur - 1), np.nan)
        left = nur - own
        without = np.where(left > 1, (left - (nt - only.reshape(n, categories))) / (left - 1), np.nan)
    if n < 2:
        return estimate, np.full(categories, np.nan)
    return estimate, np.sqrt((n - 1) / n * ((without - without.mean(axis=0)) ** 2).sum(axis=0))
