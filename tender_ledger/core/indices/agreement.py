"""How far informants agree on the plants for a category of use: ICF with the counts behind it."""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tender_ledger.core.indices.importance import TaxonCounts, cross
from tender_ledger.core.tally.counting import Tally
from tender_ledger.core.tally.table import Bools, Ints

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class CategoryCounts:
    """Counts a category, each of shape (categories,): Nur in the unit of the rules and in the three that have keys of their
    own, Nt, the taxa told for it, and its informants."""

    nur: Ints
    nur_category: Ints
    nur_use: Ints
    nur_event: Ints
    nt: Ints
    informants: Ints


def category_counts(tally: Tally, counts: TaxonCounts, among: Bools) -> CategoryCounts:
    """Nur: the reports of the category, each whole; by (informant, taxon), (informant, taxon, use) and (informant, taxon,
    event); Nt: its taxa; informants: those who told one."""
    taxa, categories = counts.ur_by_category.shape
    told = np.zeros((len(among), categories), dtype=bool)
    cited = tally.citations.among(among)
    told[cited.informant, cited.category] = True
    return CategoryCounts(
        nur=counts.reports_by_category.sum(axis=0),
        nur_category=counts.ur_by_category.sum(axis=0),
        nur_use=counts.ur_use_by_category.sum(axis=0),
        nur_event=cross(tally.citation_events.among(among), taxa, categories).sum(axis=0),
        nt=(counts.ur_by_category > 0).sum(axis=0),
        informants=told.sum(axis=0),
    )


def informant_consensus(nur: Ints, nt: Ints) -> Floats:
    """ICF = (Nur - Nt) / (Nur - 1), in [0, 1], elementwise; NaN (0/0, undefined, neither 0 nor 1) where Nur <= 1.

    Sources: Trotter & Logan 1986 (in Etkin, ed., 91-112); Heinrich et al. 1998, Soc Sci Med 47:1859-1871.
    Misleads between categories of different Nur: for equal agreement it rises with Nur.
    """
    nur, nt = np.asarray(nur), np.asarray(nt)
    return np.divide(nur - nt, nur - 1, out=np.full(nur.shape, np.nan), where=nur > 1)


def without_each(by_category: Ints) -> Floats:
    """ICF of every category without the reports of one taxon, shape (taxa, categories); NaN where undefined or not told.

    Set beside ICF it says which taxa make the agreement (without them it falls) and which break it (it rises).
    """
    nur, nt = by_category.sum(axis=0), (by_category > 0).sum(axis=0)
    left = nur[None, :] - by_category
    return np.where(by_category > 0, informant_consensus(left, np.broadcast_to(nt - 1, left.shape)), np.nan)
