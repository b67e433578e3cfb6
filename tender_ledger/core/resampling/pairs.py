"""Two groups under resampling: how sure their likeness and the differences of their values are."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tender_ledger.core.groups.likeness import spearman
from tender_ledger.core.resampling.drawing import draw
from tender_ledger.core.resampling.quantiles import MOST_UNDEFINED, ends_of_columns, weighted_ends
from tender_ledger.core.tally.counting import Tally
from tender_ledger.core.tally.table import Bools, Ints

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class PairEnds:
    """The 95 % ends of the measures of a pair by name, and of the difference of CI by taxon, arrays of shape (taxa,)."""

    measures: Mapping[str, tuple[float, float]]
    low: Floats
    high: Floats


def pair_ends(tally: Tally, first: Bools, second: Bools, *, replicates: int = 1000, seed: int = 1) -> PairEnds:
    """Resample the informants of each group within it, whole, the silent too.

    Names: jaccard, sorensen, bray (on CI over each group's own N), spearman_shared, spearman_union (of CI), difference (of the
    reports by informant). A measure that more than 5 % of the resamples leave undefined is not there. Misleads for likeness by
    shared taxa: rare taxa are lost in resamples, so that it lies mostly below the estimate.
    """
    seeds = np.random.SeedSequence(seed).generate_state(2)
    told, ci, ur = zip(
        *(_resampled(tally, members, replicates, int(one)) for members, one in zip((first, second), seeds, strict=True)),
        strict=True,
    )
    shared, either = (told[0] & told[1]).sum(axis=1), (told[0] | told[1]).sum(axis=1)
    found: dict[str, Floats] = {"difference": ur[0] - ur[1]}
    with np.errstate(invalid="ignore", divide="ignore"):
        found["jaccard"] = shared / either
        found["sorensen"] = 2 * shared / (shared + either)
        found["bray"] = np.abs(ci[0] - ci[1]).sum(axis=1) / (ci[0] + ci[1]).sum(axis=1)
    both, any_of = told[0] & told[1], told[0] | told[1]
    for name, flags in (("spearman_shared", both), ("spearman_union", any_of)):
        found[name] = np.array([spearman(one[here], other[here]) for one, other, here in zip(*ci, flags, strict=True)])
    low, high = ends_of_columns(ci[0] - ci[1])
    measures = {name: _ends(values) for name, values in found.items() if np.isnan(values).mean() <= MOST_UNDEFINED}
    return PairEnds(measures, low, high)


def _resampled(tally: Tally, members: Bools, replicates: int, seed: int) -> tuple[Bools, Floats, Floats]:
    """What a group told in its resamples (resamples, taxa), its CI of each, and its reports by informant (resamples,)."""
    people = np.flatnonzero(members & tally.counted)
    number = np.full(len(members), -1, dtype=np.int64)
    number[people] = np.arange(len(people))
    weights = draw(np.zeros(len(people), dtype=np.int64), replicates, seed).weights.astype(np.float64)
    reports = tally.reports.among(members & tally.counted)
    own = _cells(number[reports.informant], reports.taxon, (len(people), len(tally.taxa.names)), reports.weight)
    cited = tally.citations.among(members & tally.counted)
    named = _cells(number[cited.informant], cited.taxon, own.shape, None) > 0
    ci = weights @ own / len(people)
    return weights @ named > 0, ci, ci.sum(axis=1)


def _cells(rows: Ints, columns: Ints, shape: tuple[int, ...], weight: Floats | None) -> Floats:
    return np.bincount(rows * shape[1] + columns, weights=weight, minlength=shape[0] * shape[1]).reshape(shape).astype(np.float64)


def _ends(values: Floats) -> tuple[float, float]:
    there = values[~np.isnan(values)]
    return weighted_ends(there, np.full(len(there), 1.0))
