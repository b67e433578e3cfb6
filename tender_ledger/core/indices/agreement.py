"""How far informants agree on the plants for a category of use: ICF with the counts behind it."""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tender_ledger.core.indices.importance import TaxonCounts
from tender_ledger.core.tally.table import Ints

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class CategoryCounts:
    """Counts a category, each of shape (categories,): Nur in both units and Nt, the taxa told for it."""

    nur: Ints
    nur_use: Ints
    nt: Ints


def category_counts(counts: TaxonCounts) -> CategoryCounts:
    """Nur: distinct (informant, taxon) told for the category; Nur_use: distinct (informant, taxon, use); Nt: its taxa."""
    return CategoryCounts(
        nur=counts.ur_by_category.sum(axis=0),
        nur_use=counts.ur_use_by_category.sum(axis=0),
        nt=(counts.ur_by_category > 0).sum(axis=0),
    )


def informant_consensus(nur: Ints, nt: Ints) -> Floats:
    """ICF = (Nur - Nt) / (Nur - 1), in [0, 1], elementwise; NaN (0/0, undefined, neither 0 nor 1) where Nur <= 1.

    Sources: Trotter & Logan 1986 (in Etkin, ed., 91-112); Heinrich et al. 1998, Soc Sci Med 47:1859-1871.
    Misleads between categories of different Nur: for equal agreement it rises with Nur.
    """
    nur, nt = np.asarray(nur), np.asarray(nt)
    return np.divide(nur - nt, nur - 1, out=np.full(nur.shape, np.nan), where=nur > 1)
