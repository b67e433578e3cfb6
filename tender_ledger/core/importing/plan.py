"""Reading an imported table against a study: what each row becomes, what is new, and what fails with its line and column.

Nothing is guessed: a code is known by its code or whole label, a name in full, and a row that could mean two things fails.
"""

from collections import Counter
from collections.abc import Collection, Sequence
from types import MappingProxyType

from tender_ledger.core.importing.companion_tables import CompanionTables, CompanionTablesPlanner
from tender_ledger.core.importing.known import Known, NewEncounter, Reference
from tender_ledger.core.importing.landing import ImportPlan, Landing
from tender_ledger.core.importing.people import PeopleOfTable
from tender_ledger.core.importing.row_reading import RowReading, title_of
from tender_ledger.core.importing.rows import ReadTable, RosterEntry, TableRow, row_key
from tender_ledger.core.importing.terms import TermsOfTable
from tender_ledger.core.names import NamesService, TaxonName, find_name


def plan_import(table: ReadTable, roster: Sequence[RosterEntry] | None, known: Known, names: NamesService, *,
                new_codes: bool, tables: CompanionTables = MappingProxyType({}),
                approved: Collection[tuple[str, str]] = ()) -> ImportPlan:  # fmt: skip
    """Plan the import of a table. The roster, where there is one, says who was interviewed, the silent too; it fixes N.
    `tables` are those beside it, by name. `new_codes` adds what is nearly no code there is, `approved` these texts (vocabulary,
    folded text) in any case.

    A row is known again by its content and its place among its equals, and is then passed over. Raises InputRefused where
    the roster itself contradicts the study, or anything is wrong in the tables beside.
    """
    planner = Planner(table, roster, known, names, new_codes=new_codes, approved=approved)
    further = CompanionTablesPlanner(planner, tables)
    further.plants()
    for row in table.rows:
        planner.take(row)
    further.rest()
    planner.finish()
    return planner.plan


class Planner:
    """Takes row after row; what a row brings enters the plan only when all of the row is in order."""

    def __init__(self, table: ReadTable, roster: Sequence[RosterEntry] | None, known: Known, names: NamesService, *,
                 new_codes: bool, approved: Collection[tuple[str, str]] = ()) -> None:  # fmt: skip
        self.table, self.known, self.names = table, known, names
        self.plan = ImportPlan(len(table.rows) + len(table.failing), failing=list(table.failing))
        self.people = PeopleOfTable(table, roster, known, self.plan.communities, self.plan.informants)
        self.terms = TermsOfTable(known, self.plan.terms, new_codes=new_codes, approved=approved)
        self.new_codes = new_codes
        self.equals: Counter[str] = Counter()
        self.landed: set[bytes] = set()
        self.taxa: dict[str, TaxonName | None] = {}
        self.determined: dict[tuple[str, str, str], TaxonName] = {}  # what rows said of a taxon without fault -> the taxon
        self.asked: set[tuple[Reference, str, Reference]] = set()
        self.reports: dict[tuple[str, str], list[Landing]] = {}  # rows of one report, by who told it and its label
        self.said: dict[str, None] = {}
        self.met = {number for number, _ in known.told}

    def take(self, row: TableRow) -> None:
        """Plan one row: land it, pass it over as known, or set it aside with everything that is wrong with it."""
        key, mended = self._keys(row)
        if key is None:
            self.plan.known += 1
            return
        reading = RowReading(self, row)
        landing = reading.as_component(reading.landing(key, mended))
        if reading.problems:
            self.plan.failing.append(self.table.as_failing(row, reading.problems))
            return
        reading.enter(landing)
        self.landed.add(key)

    def _keys(self, row: TableRow) -> tuple[bytes | None, bytes | None]:
        """The row's key, None where it is on record. A mended row takes the next free place among its equals."""
        content = row.content()
        if mended := row.mended_key():
            if mended in self.known.mended:
                return None, mended
            at = 1
            while (key := row_key(content, at)) in self.known.landed or key in self.landed:
                at += 1
            return key, mended
        self.equals[content] += 1
        key = row_key(content, self.equals[content])
        return (None if key in self.known.landed else key), None

    def finish(self) -> None:
        """Give the silent of the roster an encounter each, put failing rows in order, and say what is worth knowing."""
        told = {code for _, code in self.plan.tellers}
        for code in self.people.silent(told):
            one = self.plan.informants[code]
            label = f"(of {code})"
            self.plan.encounters.setdefault(label, NewEncounter(title_of(label, code), one.community, one.is_source))
            self.plan.tellers[label, code] = None
        self.plan.failing.sort(key=lambda row: row.line)
        self.plan.notes += [*self.said, *self.people.said]

    def taxon(self, name: str) -> TaxonName | None:
        """What the names service has of a name; asked once a name."""
        if name not in self.taxa:
            self.taxa[name] = find_name(self.names, name)
        return self.taxa[name]
