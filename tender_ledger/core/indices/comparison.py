"""Two communities side by side: the same taxa and categories under the same rules, each by its own N, with the difference."""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tender_ledger.core.indices.ranking import PER_INFORMANT, ranks, values_of_taxa
from tender_ledger.core.indices.reckoning import Reckoning
from tender_ledger.core.tally.table import Bools, Ints

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Side:
    """One community's part: values of shape (taxa,) with their ranks, and the counts behind them."""

    n: int
    values: Floats
    ranks: Ints
    ur: Ints
    fc: Ints
    told: Bools


@dataclass(frozen=True)
class TaxaCompared:
    """The taxa of two communities by one index. `difference` is the first minus the second; NaN where either is undefined.

    A taxon that a community never told has the value 0 there: it is 0 of its N, not unknown. `shared` were told in both.
    """

    index: str
    taxa: tuple[str, ...]
    first: Side
    second: Side
    difference: Floats

    @property
    def told(self) -> Bools:
        return self.first.told | self.second.told

    @property
    def shared(self) -> int:
        return int((self.first.told & self.second.told).sum())

    @property
    def only_first(self) -> int:
        return int((self.first.told & ~self.second.told).sum())

    @property
    def only_second(self) -> int:
        return int((self.second.told & ~self.first.told).sum())


@dataclass(frozen=True)
class CategoriesCompared:
    """The use categories of two communities: Nur, Nt and ICF of each, and ICF of the first minus that of the second."""

    categories: tuple[str, ...]
    first: Reckoning
    second: Reckoning
    difference: Floats
    told: Bools


def compare_taxa(first: Reckoning, second: Reckoning, index: str) -> TaxaCompared:
    """Set two groups of one analysis side by side by an index over N (rfc, ci or uv), each over its own N.

    Raises ValueError for an index that is no value over N: counts of groups of unequal size say nothing side by side.
    Misleads when one community was asked about plants that the other was not. Source: own N a community, Tardio &
    Pardo-de-Santayana 2008, Econ Bot 62:24-39.
    """
    if index not in PER_INFORMANT:
        raise ValueError(index)
    one, other = _side(first, index), _side(second, index)
    return TaxaCompared(index, first.taxa, one, other, np.round(one.values - other.values, 12))


def _side(r: Reckoning, index: str) -> Side:
    values = values_of_taxa(r)[index]
    return Side(r.n, values, ranks(np.where(r.told, values, np.nan)), r.ur, r.fc, r.told)


def compare_categories(first: Reckoning, second: Reckoning) -> CategoriesCompared:
    """Set the agreement of two groups of one analysis side by side, category by category.

    Misleads where Nur differs: for equal agreement ICF rises with Nur. Read it beside Nur and Nt of both.
    """
    told = (first.nur > 0) | (second.nur > 0)
    return CategoriesCompared(first.categories, first, second, np.round(first.icf - second.icf, 12), told)
