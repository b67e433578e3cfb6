"""What a redetermination would move: the table with one plant counted as another taxon, and what differs between two of them."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from tender_ledger.core.indices.ranking import values_of_taxa
from tender_ledger.core.indices.reckoning import Reckoning
from tender_ledger.core.tally.table import UseReportTable

Values = Mapping[str, float]


@dataclass(frozen=True)
class Moved:
    """A taxon or a category with its values before and after, by the short names of the indices; NaN where undefined, and the
    counts of what was not there are 0."""

    name: str
    before: Values
    after: Values


@dataclass(frozen=True)
class Difference:
    """Everything that differs between two reckonings of one study under the same rules, in alphabetical order."""

    taxa: tuple[Moved, ...]
    categories: tuple[Moved, ...]


def redetermined(table: UseReportTable, plant: str, taxon: str, rank: str, family: str) -> UseReportTable:
    """The table with a plant (its label) of another taxon; "" is of none. A plant that is not in it changes nothing."""
    plants = table.plants
    columns = [
        tuple(new if label == plant else old for label, old in zip(plants.labels, column, strict=True))
        for column, new in ((plants.taxon, taxon), (plants.rank, rank), (plants.family, family))
    ]
    return replace(table, plants=replace(plants, taxon=columns[0], rank=columns[1], family=columns[2]))


def difference(before: Reckoning, after: Reckoning) -> Difference:
    """What differs between two reckonings; both of the whole study, or both of one community."""
    return Difference(_moved(_by_taxon(before), _by_taxon(after)), _moved(_by_category(before), _by_category(after)))


def _by_taxon(r: Reckoning) -> dict[str, Values]:
    found = values_of_taxa(r)
    return {name: {index: float(column[at]) for index, column in found.items()} for at, name in enumerate(r.taxa) if r.told[at]}


def _by_category(r: Reckoning) -> dict[str, Values]:
    icf = np.round(r.icf, 12)
    return {
        name: {"nur": float(r.nur[at]), "nt": float(r.nt[at]), "icf": float(icf[at])}
        for at, name in enumerate(r.categories)
        if r.nur[at]
    }


def _moved(before: Mapping[str, Values], after: Mapping[str, Values]) -> tuple[Moved, ...]:
    names = sorted({*before, *after})
    both = [Moved(name, before.get(name, {}), after.get(name, {})) for name in names]
    return tuple(one for one in both if not _same(one.before, one.after))


def _same(one: Values, other: Values) -> bool:
    return one.keys() == other.keys() and all(np.array_equal(one[key], other[key], equal_nan=True) for key in one)
