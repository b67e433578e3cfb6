"""Groups under resampling, each within itself: how sure their values are, and in pairs their likeness and differences."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tender_ledger.core.indices.ranking import PER_INFORMANT, RANKED_FROM
from tender_ledger.core.resampling.bootstrap import agreement_without_each, per_informant, resampled_sums
from tender_ledger.core.resampling.drawing import draw
from tender_ledger.core.resampling.intervals import agreement_ends, mean_ends, tellers_of
from tender_ledger.core.resampling.jackknife import Ends, ends_around
from tender_ledger.core.resampling.means import PerInformant
from tender_ledger.core.resampling.quantiles import Z
from tender_ledger.core.tally.counting import Tally
from tender_ledger.core.tally.table import Bools

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class ResampledGroup:
    """A group of `n` informants in its resamples, by the names rfc, ci, uv: what each informant adds to the index, and, as far as
    they were asked for, the sums of that over a resample, shape (resamples, taxa).

    `agreement` is ICF by category with its jackknife errors, NaN where they are undefined.
    """

    n: int
    per_informant: Mapping[str, PerInformant]
    sums: Mapping[str, npt.NDArray[np.float32]]
    agreement: tuple[Floats, Floats]

    def values(self, index: str) -> Floats:
        """RFC, CI or UV over the N of the group."""
        return self.sums[index].astype(np.float64) / max(self.n, 1)

    def ends(self, index: str) -> Ends:
        """The 95 % ends of rfc, ci or uv by taxon, of icf by category; NaN where there is no interval."""
        if index == "icf":
            return agreement_ends(*self.agreement)
        return mean_ends(self.per_informant[index], tellers_of(self.per_informant["rfc"]))


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
    sums = {name: resampled_sums(drawn, columns[name]) for name in indices}
    return ResampledGroup(n, columns, sums, agreement_without_each(tally, counted, number))


def difference_ends(first: ResampledGroup, second: ResampledGroup) -> tuple[float, float] | None:
    """The 95 % ends of the difference in reports by informant; None where a group has fewer than two informants.

    The measures of likeness have none: neither resamples, which lose what one alone told, nor leaving out each informant
    held them in invented groups (docs/methods/uncertainty.md).
    """
    means, squares = [], 0.0
    for group in (first, second):
        own = np.bincount(group.per_informant["ci"].informant, weights=group.per_informant["ci"].value, minlength=group.n)
        if group.n < 2:
            return None
        means.append(own.mean())
        squares += float(own.var(ddof=1)) / group.n
    middle, error = means[0] - means[1], np.sqrt(squares)
    return float(middle - Z * error), float(middle + Z * error)


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
    """The 95 % ends of the difference between two groups, of rfc, ci or uv by taxon (NaN where fewer than RANKED_FROM of both
    tell of it), of icf by category (NaN where it has no error in one of them)."""
    if index == "icf":
        (one, one_error), (other, other_error) = first.agreement, second.agreement
        return ends_around(one - other, np.hypot(one_error, other_error))
    values = [(group.per_informant[index], group.per_informant["rfc"]) for group in (first, second)]
    with np.errstate(invalid="ignore"):
        means = [own.sums() / own.n if own.n else np.full(own.taxa, np.nan) for own, _told in values]
    errors = np.hypot(*(own.standard_errors()[1] for own, _told in values))
    enough = sum(tellers_of(told) for _own, told in values) >= RANKED_FROM
    low, high = ends_around(means[0] - means[1], errors)
    return np.where(enough, low, np.nan), np.where(enough, high, np.nan)
