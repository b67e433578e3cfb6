"""From rows to distinct keys: the only place where reports are counted.

One sort of the rows by (taxon, informant, use, event) gives every set of distinct keys, since uses are numbered by
category: a shorter key is a prefix of the longer. A key counted twice counts once; rows are never counted.
"""

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from tender_ledger.core.messages import InputRefused, Problem, StatisticalWarning
from tender_ledger.core.rules import CURRENCIES, OUTCOMES, STANCES, CountingRules
from tender_ledger.core.tally.table import NONE_NAMED, UNCODED, Bools, Ints, UseReportTable
from tender_ledger.core.tally.taxa import CountedTaxa, counted_taxa


@dataclass(frozen=True)
class Tally:
    """Distinct keys under given rules, as parallel columns.

    `uses_*`: distinct (taxon, informant, use); `citations_*`: distinct (taxon, informant, category), the unit UR;
    `use_events_pair`: one entry a distinct (taxon, informant, use, event), holding its place in `asked_*`;
    `asked_*`: distinct (taxon, informant) with the number of their events, also those where no use was named.
    `counted` marks the informants that make up N.
    """

    rules: CountingRules
    table: UseReportTable
    taxa: CountedTaxa
    kept: Bools
    counted: Bools
    citations_taxon: Ints
    citations_informant: Ints
    citations_category: Ints
    uses_taxon: Ints
    uses_informant: Ints
    uses_use: Ints
    asked_taxon: Ints
    asked_informant: Ints
    asked_events: Ints
    use_events_pair: Ints
    none_named: int
    warnings: tuple[StatisticalWarning, ...]

    @cached_property
    def uses_category(self) -> Ints:
        return self.table.uses.category[self.uses_use]

    @property
    def n(self) -> int:
        """N: the number of informants counted, the silent included."""
        return int(self.counted.sum())


def count(table: UseReportTable, rules: CountingRules) -> Tally:
    """Apply the rules to the rows and count distinct keys.

    Filters remove reports, never informants from N (unless `n` is `reporting`) and never the asking behind a report.
    An empty table gives an empty tally. Raises InputRefused for a community or scheme that the rows do not have.
    """
    taxa = counted_taxa(table.plants, rules)
    allowed = allowed_informants(table, rules)
    present = allowed[table.informant] & (taxa.of_plant[table.plant] >= 0)
    kept = present & _rows_that_count(table, rules)
    shape = _Shape(len(table.informants), max(len(table.uses.labels), 1), max(table.events, 1))
    taxon = taxa.of_plant[table.plant]

    pair = taxon * np.int64(shape.informants) + table.informant
    keys = _distinct(_compose(pair[kept], (shape.uses, table.use[kept]), (shape.events, table.event[kept])))
    use_keys = _distinct_sorted(keys // shape.events)
    asked_keys = _distinct(_compose(pair[present], (shape.events, table.event[present])))
    asked_pair, asked_events = _runs(asked_keys // shape.events)

    pairs, use = np.divmod(use_keys, shape.uses)
    category = table.uses.category[use] if len(use) else use
    new = _first_of_run(pairs, category)
    use_taxon, use_informant = np.divmod(pairs, shape.informants)
    asked_taxon, asked_informant = np.divmod(asked_pair, shape.informants)
    return Tally(
        rules=rules,
        table=table,
        taxa=taxa,
        kept=kept,
        counted=_counted(allowed, use_informant, rules),
        citations_taxon=use_taxon[new],
        citations_informant=use_informant[new],
        citations_category=category[new],
        uses_taxon=use_taxon,
        uses_informant=use_informant,
        uses_use=use,
        asked_taxon=asked_taxon,
        asked_informant=asked_informant,
        asked_events=asked_events,
        use_events_pair=np.searchsorted(asked_pair, keys // (shape.events * shape.uses)),
        none_named=int((present & (table.category == NONE_NAMED)).sum()),
        warnings=_warnings(table, allowed, taxa),
    )


@dataclass(frozen=True)
class _Shape:
    informants: int
    uses: int
    events: int


def allowed_informants(table: UseReportTable, rules: CountingRules) -> Bools:
    """Informants of the kinds and communities that the rules count, one flag an informant."""
    people = table.informants
    kinds = np.array(["holder" in rules.informant_kinds, "source" in rules.informant_kinds])
    allowed: Bools = kinds[people.is_source.astype(np.int64)]
    if rules.communities is not None:
        unknown = [code for code in rules.communities if code not in people.communities]
        if unknown:
            raise InputRefused(
                Problem("No informant is of this community.", "rules.communities", ", ".join(unknown),
                        ", ".join(people.communities)))  # fmt: skip
        wanted = [people.communities.index(code) for code in rules.communities]
        allowed &= np.isin(people.community, wanted)
    return allowed


def _rows_that_count(table: UseReportTable, rules: CountingRules) -> Bools:
    keep: Bools = table.category >= 0
    keep &= _listed(table.bases, rules.basis)[table.basis]
    keep &= _listed(STANCES, rules.stances)[table.stance]
    if rules.no_effect == "leave_out":
        keep &= table.outcome != OUTCOMES.index("none")
    if table.currency is not None and rules.currency != CURRENCIES:
        keep &= _listed(CURRENCIES, rules.currency)[table.currency]
    elif table.currency is None and "unstated" not in rules.currency:
        keep &= False
    if table.minor_role is not None and rules.mixtures == "each":
        keep &= ~table.minor_role
    if table.mixture is not None and rules.mixtures == "drop":
        keep &= table.mixture == 0
    if table.scheme is not None:
        keep &= table.scheme == _scheme(table, rules)
    return keep


def _scheme(table: UseReportTable, rules: CountingRules) -> int:
    if rules.scheme is None:
        return 0
    if rules.scheme not in table.schemes:
        raise InputRefused(Problem("No row is coded in this scheme.", "rules.scheme", rules.scheme, ", ".join(table.schemes)))
    return table.schemes.index(rules.scheme)


def _listed(names: tuple[str, ...], chosen: tuple[str, ...]) -> Bools:
    return np.array([name in chosen for name in names])


def _counted(allowed: Bools, reporting: Ints, rules: CountingRules) -> Bools:
    if rules.n == "roster":
        return allowed
    counted = np.zeros_like(allowed)
    counted[reporting] = True
    return counted


def _compose(first: Ints, *rest: tuple[int, Ints]) -> Ints:
    """One integer a row from several codes, ordered as the codes are. Raises OverflowError instead of wrapping."""
    key = first.astype(np.int64)
    top = int(key.max(initial=0)) + 1
    for size, codes in rest:
        top *= size
        if top >= 2**63:
            raise OverflowError("the table has more possible keys than 64 bits can number")
        key *= size
        key += codes
    return key


def _distinct(keys: Ints) -> Ints:
    return _distinct_sorted(np.sort(keys))


def _distinct_sorted(keys: Ints) -> Ints:
    return keys[_first_of_run(keys)]


def _first_of_run(*columns: Ints) -> Bools:
    """Where sorted columns change from the row before; the first row is a change."""
    first = np.zeros(len(columns[0]), dtype=bool)
    first[:1] = True
    for column in columns:
        first[1:] |= column[1:] != column[:-1]
    return first


def _runs(keys: Ints) -> tuple[Ints, Ints]:
    starts = np.flatnonzero(_first_of_run(keys))
    return keys[starts], np.diff(starts, append=len(keys))


def _warnings(table: UseReportTable, allowed: Bools, taxa: CountedTaxa) -> tuple[StatisticalWarning, ...]:
    people = allowed[table.informant]
    uncoded = int((people & (table.category == UNCODED)).sum())
    dropped = int((people & (table.category >= 0) & (taxa.of_plant[table.plant] < 0)).sum())
    told = (
        (uncoded, "uncoded", "reports", f"Rows without a category were not counted: {uncoded}."),
        (dropped, "dropped_plants", "reports", f"Rows of undetermined or left-out plants were not counted: {dropped}."),
        (table.terms_partial, "partial_terms", "reports",
         "Some informants left uses of a category, or a plant, out of what may be counted; N holds them all the same."),
        (not table.roster_given, "roster_from_reports", "N", "N holds only informants who appear; the silent are missing."),
    )  # fmt: skip
    return tuple(StatisticalWarning(*warning) for true, *warning in told if true)
