"""Two sets of rules over the same table: what they count apart, and what that does to values and ranks."""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tender_ledger.core.indices.ranking import ranks, values_of_taxa
from tender_ledger.core.indices.reckoning import Reckoning, reckon
from tender_ledger.core.rules import CountingRules
from tender_ledger.core.tally.counting import Tally, count
from tender_ledger.core.tally.table import Ints, UseReportTable

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Shifted:
    """A taxon under both rules: value and rank (0: not told), and the rank of the second less that of the first."""

    taxon: str
    first: float
    second: float
    first_rank: int
    second_rank: int

    @property
    def shift(self) -> int | None:
        return self.second_rank - self.first_rank if self.first_rank and self.second_rank else None


@dataclass(frozen=True)
class RulesCompared:
    """`choices` are the keys in which the rules differ, with both values. `only_first` and `only_second` are the identities
    of the reports that only one of them counts; empty where the table carries none."""

    choices: tuple[tuple[str, object, object], ...]
    first: Reckoning
    second: Reckoning
    taxa: tuple[Shifted, ...]
    categories: tuple[Shifted, ...]
    only_first: Ints
    only_second: Ints


def compare_rules(table: UseReportTable, first: CountingRules, second: CountingRules, index: str) -> RulesCompared:
    """Count the table by both rules and set the values of an index side by side, what moved most first.

    Taxa and categories are matched by name; what one set of rules does not count has no value there.
    """
    tallies = [count(table, rules) for rules in (first, second)]
    one, other = (reckon(tally, communities=False) for tally in tallies)
    rows = [_counted(tally) for tally in tallies]
    return RulesCompared(
        choices=_choices(first, second),
        first=one,
        second=other,
        taxa=_shifted(_by_taxon(one, index), _by_taxon(other, index)),
        categories=_shifted(_by_category(one), _by_category(other)),
        only_first=np.setdiff1d(rows[0], rows[1]),
        only_second=np.setdiff1d(rows[1], rows[0]),
    )


def _choices(first: CountingRules, second: CountingRules) -> tuple[tuple[str, object, object], ...]:
    a, b = first.to_json(), second.to_json()
    return tuple((key, a[key], b[key]) for key in a if a[key] != b[key])


def _counted(tally: Tally) -> Ints:
    row = tally.table.row
    return np.unique(row[tally.kept]) if row is not None else np.zeros(0, dtype=np.int64)


def _by_taxon(r: Reckoning, index: str) -> dict[str, tuple[float, int]]:
    values = values_of_taxa(r)[index]
    places = ranks(np.where(r.told, values, np.nan))
    return {name: (float(values[at]), int(places[at])) for at, name in enumerate(r.taxa) if r.told[at]}


def _by_category(r: Reckoning) -> dict[str, tuple[float, int]]:
    places = ranks(np.where(r.nt > 0, r.icf, np.nan))
    return {name: (float(r.icf[at]), int(places[at])) for at, name in enumerate(r.categories) if r.nt[at]}


def _shifted(first: dict[str, tuple[float, int]], second: dict[str, tuple[float, int]]) -> tuple[Shifted, ...]:
    nothing = (float("nan"), 0)
    both = []
    for name in sorted({*first, *second}):
        (one, one_rank), (other, other_rank) = first.get(name, nothing), second.get(name, nothing)
        both.append(Shifted(name, one, other, one_rank, other_rank))
    return tuple(sorted(both, key=lambda one: (one.shift is not None, -abs(one.shift or 0), one.taxon)))
