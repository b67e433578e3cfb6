"""From rows to distinct keys: the only place where reports are counted.

One sort of the rows by (taxon, informant, use, event) gives every set of distinct keys, since uses are numbered by
category: a shorter key is a prefix of the longer. A key counted twice counts once; rows are never counted.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from tender_ledger.core.messages import InputRefused, Problem, StatisticalWarning
from tender_ledger.core.rules import CURRENCIES, OUTCOMES, STANCES, CountingRules
from tender_ledger.core.tally.levels import at_level
from tender_ledger.core.tally.mixtures import mixtures_as_taxa, shares_of_mixtures
from tender_ledger.core.tally.table import NONE_NAMED, UNCODED, Bools, Ints, Listed, UseReportTable
from tender_ledger.core.tally.taxa import CountedTaxa, counted_taxa

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Keys:
    """Distinct keys of one unit, ordered by taxon and informant, as parallel columns; `weight` None: each counts 1."""

    taxon: Ints
    informant: Ints
    category: Ints
    weight: Floats | None = None

    def __len__(self) -> int:
        return len(self.taxon)

    def among(self, informants: Bools) -> "Keys":
        """The keys of the informants flagged."""
        if informants.all():
            return self
        keep = informants[self.informant]
        weight = None if self.weight is None else self.weight[keep]
        return Keys(self.taxon[keep], self.informant[keep], self.category[keep], weight)


@dataclass(frozen=True)
class Tally:
    """Distinct keys under given rules, as parallel columns.

    `uses_*`: distinct (taxon, informant, use); `citations_*`: distinct (taxon, informant, category), the unit UR;
    `use_event_keys`: distinct (taxon, informant, use, event) as one number each, `use_events_pair` their places in `asked_*`,
    the distinct (taxon, informant) with the number of their events, also those where no use was named. All are in order.
    `weights`: of the rows, where the rules share mixtures. `counted` marks the informants that make up N.
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
    use_event_keys: Ints
    use_events_pair: Ints
    none_named: int
    warnings: tuple[StatisticalWarning, ...]
    weights: Floats | None = None

    @cached_property
    def uses_category(self) -> Ints:
        return self.table.uses.category[self.uses_use]

    @cached_property
    def citations(self) -> Keys:
        """Distinct (taxon, informant, category)."""
        return Keys(self.citations_taxon, self.citations_informant, self.citations_category, self._weighed("category"))

    @cached_property
    def uses(self) -> Keys:
        """Distinct (taxon, informant, specific use)."""
        return Keys(self.uses_taxon, self.uses_informant, self.uses_category, self._weighed("use"))

    @cached_property
    def events_of_informant(self) -> Ints:
        """In how many events each informant stands in the table, whatever the rules leave out."""
        events = max(self.table.events, 1)
        keys = _distinct(_compose(self.table.informant, (events, self.table.event)))
        return np.bincount(keys // events, minlength=len(self.table.informants))

    @cached_property
    def _use_of_events(self) -> tuple[Ints, Ints]:
        """The specific use and the event of every use event."""
        between, event = np.divmod(self.use_event_keys, max(self.table.events, 1))
        return between % max(len(self.table.uses.labels), 1), event

    @cached_property
    def _citation_events(self) -> tuple[Ints, Ints]:
        """Of every distinct (taxon, informant, category, event) its place in `asked_*`, and its category."""
        use, event = self._use_of_events
        category = self.table.uses.category[use] if len(use) else use
        events, categories = max(self.table.events, 1), max(len(self.table.categories), 1)
        keys = _distinct(_compose(self.use_events_pair, (categories, category), (events, event)))
        pair, category = np.divmod(keys // events, categories)
        return pair, category

    @cached_property
    def citation_events(self) -> Keys:
        """Distinct (taxon, informant, category, event)."""
        pair, category = self._citation_events
        return Keys(self.asked_taxon[pair], self.asked_informant[pair], category, self._weighed("category", events=True))

    @cached_property
    def mean_uses_of_asked(self) -> Floats:
        """UV_is of every asked pair: its specific uses by event, divided by its events."""
        return np.bincount(self.use_events_pair, minlength=len(self.asked_taxon)) / self.asked_events

    @cached_property
    def mean_categories_of_asked(self) -> Floats:
        """The same by categories."""
        return np.bincount(self._citation_events[0], minlength=len(self.asked_taxon)) / self.asked_events

    @cached_property
    def use_events(self) -> Keys:
        """Distinct (taxon, informant, specific use, event)."""
        pair, use = self.use_events_pair, self._use_of_events[0]
        category = self.table.uses.category[use] if len(use) else use
        return Keys(self.asked_taxon[pair], self.asked_informant[pair], category, self._weighed("use", events=True))

    def use_parts(self, *, events: bool = False) -> Keys:
        """Distinct (taxon, informant, specific use, part), a use without a part being one; with `events`, by event too."""
        row, part = rows_told(self.table.parts, self.kept)
        parts = 1 + (len(self.table.parts.labels) if self.table.parts else 0)
        first, weight = self._keys_of_rows(row, ((max(len(self.table.uses.labels), 1), self.table.use[row]), (parts, part + 1)),
                                           events=events)  # fmt: skip
        use = self.table.use[row][first]
        category = self.table.uses.category[use] if len(use) else use
        return Keys(self.taxa.of_plant[self.table.plant[row]][first], self.table.informant[row][first], category, weight)

    @cached_property
    def reports(self) -> Keys:
        """What the rules count as one report: the keys behind the headline UR, CI and ICF."""
        events = self.rules.repeat == "each_event"
        if self.rules.unit == "use_part":
            return self.use_parts(events=events)
        if self.rules.unit == "use":
            return self.use_events if events else self.uses
        return self.citation_events if events else self.citations

    def _weighed(self, unit: str, *, events: bool = False) -> Floats | None:
        """The weight of every key in the order of the keys: the highest of its rows. None where everything counts whole."""
        if self.weights is None:
            return None
        row = np.flatnonzero(self.kept)
        use = self.table.use[row]
        codes = use if unit == "use" else self.table.category[row]
        size = max(len(self.table.uses.labels if unit == "use" else self.table.categories), 1)
        return self._keys_of_rows(row, ((size, codes),), events=events)[1]

    def _keys_of_rows(self, row: Ints, codes: tuple[tuple[int, Ints], ...], *, events: bool) -> tuple[Ints, Floats | None]:
        """Of every distinct key, in order, the place in `row` of a row that has it, and its weight."""
        if events:
            codes = (*codes, (max(self.table.events, 1), self.table.event[row]))
        pair = self.taxa.of_plant[self.table.plant[row]] * np.int64(len(self.table.informants)) + self.table.informant[row]
        keys = _compose(pair, *codes)
        order = np.argsort(keys, kind="stable")
        starts = np.flatnonzero(_first_of_run(keys[order]))
        weight = np.maximum.reduceat(self.weights[row][order], starts) if self.weights is not None and len(row) else None
        return order[starts], weight

    @property
    def n(self) -> int:
        """N: the number of informants counted, the silent included."""
        return int(self.counted.sum())


def rows_told(listed: Listed | None, kept: Bools) -> tuple[Ints, Ints]:
    """Kept rows with each of what they tell several of, and those that tell none with the code -1: places, codes."""
    if listed is None:
        row = np.flatnonzero(kept)
        return row, np.full(len(row), -1, dtype=np.int64)
    with_some = kept[listed.row]
    none = kept.copy()
    none[listed.row] = False
    without = np.flatnonzero(none)
    return (np.concatenate([listed.row[with_some], without]),
            np.concatenate([listed.code[with_some], np.full(len(without), -1, dtype=np.int64)]))  # fmt: skip


def count(table: UseReportTable, rules: CountingRules) -> Tally:
    """Apply the rules to the rows and count distinct keys.

    Filters remove reports, never informants from N (unless `n` is `reporting`) and never the asking behind a report.
    An empty table gives an empty tally. Raises InputRefused for a community or scheme that the rows do not have.
    """
    table = at_level(table, rules)
    taxa = counted_taxa(table.plants, rules)
    if rules.mixtures == "own_taxon":
        table, taxa = mixtures_as_taxa(table, taxa)
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
        use_event_keys=keys,
        use_events_pair=np.searchsorted(asked_pair, keys // (shape.events * shape.uses)),
        none_named=int((present & (table.category == NONE_NAMED)).sum()),
        warnings=_warnings(table, allowed, taxa),
        weights=shares_of_mixtures(table, taxa) if rules.mixtures == "share" else None,
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


def row_conditions(table: UseReportTable, rules: CountingRules) -> Iterator[tuple[str, Bools]]:
    """What the rules ask of a row, by name, each with the rows that meet it; a row that meets all of them counts.

    What rules leave to other places is not among them: who counts as an informant, and which plants do.
    """
    yield "coded", table.category >= 0
    yield "basis", _listed(table.bases, rules.basis)[table.basis]
    yield "stance", _listed(STANCES, rules.stances)[table.stance]
    yield "outcome", _listed(OUTCOMES, rules.outcomes)[table.outcome]
    if table.by_animal is not None:
        yield "actor", ~table.by_animal
    if table.currency is not None and rules.currency != CURRENCIES:
        yield "currency", _listed(CURRENCIES, rules.currency)[table.currency]
    elif table.currency is None and "unstated" not in rules.currency:
        yield "currency", np.zeros(len(table), dtype=bool)
    if table.minor_role is not None and rules.mixtures in ("each", "own_taxon", "share"):
        yield "role", ~table.minor_role
    if table.mixture is not None and rules.mixtures == "drop":
        yield "mixture", table.mixture == 0
    if table.secondary is not None and rules.secondary_codes == "ignore":
        yield "secondary", ~table.secondary
    if table.scheme is not None:
        yield "scheme", table.scheme == _scheme(table, rules)


def _rows_that_count(table: UseReportTable, rules: CountingRules) -> Bools:
    keep = np.ones(len(table), dtype=bool)
    for _name, met in row_conditions(table, rules):
        keep &= met
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
