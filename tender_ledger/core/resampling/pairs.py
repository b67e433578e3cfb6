"""Groups under resampling, each within itself: how sure their values are, and in pairs their likeness and differences."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tender_ledger.core.groups.likeness import spearman
from tender_ledger.core.indices.ranking import PER_INFORMANT
from tender_ledger.core.resampling.bootstrap import per_informant, resampled_agreement, resampled_sums
from tender_ledger.core.resampling.drawing import Resamples, draw
from tender_ledger.core.resampling.means import PerInformant, exact_ends
from tender_ledger.core.resampling.quantiles import MOST_UNDEFINED, ends_of_columns, ends_where_defined, weighted_ends
from tender_ledger.core.tally.counting import Tally
from tender_ledger.core.tally.table import Bools

Floats = npt.NDArray[np.float64]
Ends = tuple[Floats, Floats]


@dataclass(frozen=True)
class ResampledGroup:
    """A group of `n` informants in its resamples, by the names rfc, ci, uv: what each informant adds to the index, and, as far as
    they were asked for, the sums of that over a resample, shape (resamples, taxa).

    `told` says whether a taxon was told in a resample; `icf`, shape (resamples, categories), is NaN where undefined, and
    throughout where that of the group is.
    """

    n: int
    per_informant: Mapping[str, PerInformant]
    sums: Mapping[str, npt.NDArray[np.float32]]
    told: Bools
    icf: Floats

    def values(self, index: str) -> Floats:
        """RFC, CI or UV over the N of the group."""
        return self.sums[index].astype(np.float64) / max(self.n, 1)

    def ends(self, index: str) -> Ends:
        """The 95 % ends of rfc, ci or uv by taxon, exact where they can be, of icf by category (NaN where more than 5 % are
        undefined)."""
        if index == "icf":
            return ends_where_defined(self.icf)
        exact = exact_ends(self.per_informant[index], np.zeros(self.n, dtype=np.int64))
        return exact or ends_of_columns(self.values(index))


def resampled_group(tally: Tally, members: Bools, indices: Collection[str] = PER_INFORMANT, *, replicates: int = 1000,
                    seed: int = 1) -> ResampledGroup:  # fmt: skip
    """Resample the counted informants among `members`, whole, the silent too. Each of the indices takes 4 bytes a resample and
    taxon for as long as the group is held."""
    counted = members & tally.counted
    n = int(counted.sum())
    number = np.full(len(members), -1, dtype=np.int64)
    number[counted] = np.arange(n)
    drawn = draw(np.zeros(n, dtype=np.int64), replicates, seed)
    columns = per_informant(tally, counted, number)
    sums = {name: resampled_sums(drawn, columns[name]) for name in {"rfc", *indices}}
    kept = {name: sums[name] for name in indices}
    once = Resamples(np.ones((1, n), dtype=np.float32), None, "the group as it is")
    undefined = np.isnan(resampled_agreement(tally, counted, number, once)[0])
    icf = np.where(undefined, np.nan, resampled_agreement(tally, counted, number, drawn))
    return ResampledGroup(n, columns, kept, sums["rfc"] > 0, icf)


def pair_ends(first: ResampledGroup, second: ResampledGroup) -> dict[str, tuple[float, float]]:
    """The 95 % ends of the measures of a pair, each group resampled by itself.

    Names: jaccard, sorensen, bray (on CI over each group's own N), spearman_shared, spearman_union (of CI), difference (of the
    reports by informant). A measure that more than 5 % of the resamples leave undefined is not there. Misleads for likeness by
    shared taxa: rare taxa are lost in resamples, so that it lies mostly below the estimate.
    """
    told, ci = (first.told, second.told), (first.values("ci"), second.values("ci"))
    both, either = told[0] & told[1], told[0] | told[1]
    found = {"difference": ci[0].sum(axis=1) - ci[1].sum(axis=1), "bray": bray_curtis_of_each(*ci)}
    with np.errstate(invalid="ignore", divide="ignore"):
        found["jaccard"] = both.sum(axis=1) / either.sum(axis=1)
        found["sorensen"] = 2 * both.sum(axis=1) / (both.sum(axis=1) + either.sum(axis=1))
    for name, flags in (("spearman_shared", both), ("spearman_union", either)):
        found[name] = np.array([spearman(one[here], other[here]) for one, other, here in zip(*ci, flags, strict=True)])
    return {name: _ends(values) for name, values in found.items() if np.isnan(values).mean() <= MOST_UNDEFINED}


def bray_curtis_of_each(first: Floats, second: Floats) -> Floats:
    """The Bray-Curtis distance of every row of both; NaN where a row is 0 in both."""
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.asarray(np.abs(first - second).sum(axis=1) / (first + second).sum(axis=1))


def resampled_distances(groups: Sequence[ResampledGroup]) -> Floats:
    """Bray-Curtis distances of CI in every resample, (resamples, groups, groups); groups that tell nothing are 1 from any."""
    ci = [group.values("ci") for group in groups]
    found = np.zeros((len(ci[0]) if ci else 0, len(ci), len(ci)))
    for one in range(len(ci)):
        for other in range(one):
            found[:, one, other] = found[:, other, one] = np.nan_to_num(bray_curtis_of_each(ci[one], ci[other]), nan=1.0)
    return found


def gap_ends(first: ResampledGroup, second: ResampledGroup, index: str) -> Ends:
    """The 95 % ends of the difference between two groups, of rfc, ci or uv by taxon, of icf by category (NaN where more than
    5 % of the resamples leave it undefined)."""
    if index == "icf":
        return ends_where_defined(first.icf - second.icf)
    return ends_of_columns(first.values(index) - second.values(index))


def _ends(values: Floats) -> tuple[float, float]:
    there = values[~np.isnan(values)]
    return weighted_ends(there, np.full(len(there), 1.0))
