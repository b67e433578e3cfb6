"""Importing a use-report table: planned row by row, then written as one act with one undo."""

from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field, replace

from tender_ledger.core.importing.known import Known, KnownEncounter, KnownInformant, KnownPlant, Reference
from tender_ledger.core.importing.landing import ImportPlan
from tender_ledger.core.importing.plan import plan_import
from tender_ledger.core.importing.uncounted import Uncounted, uncounted
from tender_ledger.core.names import NamesService
from tender_ledger.core.rights import Right
from tender_ledger.core.sheets.matching import Matching
from tender_ledger.core.terms import Scope
from tender_ledger.core.text import fold
from tender_ledger.formats.archive import Tables
from tender_ledger.formats.report_table import QUALIFIERS, read_companion_tables, read_roster, write_failing
from tender_ledger.operations import plants
from tender_ledger.operations.errors import Refused, constraints_as_refusals
from tender_ledger.operations.import_writing import ImportWriter
from tender_ledger.operations.people import TERM_COLUMNS
from tender_ledger.operations.sheet_reading import OpenSheet, SheetTable, keep_matching, kept_matching, read_brought
from tender_ledger.operations.studies import rules_in_force
from tender_ledger.operations.tellings import LINKS
from tender_ledger.operations.told_in_full import ROLES
from tender_ledger.storage.database import run, snapshot
from tender_ledger.storage.history import act
from tender_ledger.storage.queries import imports, studies

# What may be said of the terms that a table was collected under, in the order of an agreement's columns.
TERM_WORDS = ("record", "count", "show", "publish", "rows", "quote")
# Codes that no study can add to, by what the tables beside reports.csv call them.
_FIXED: Mapping[str, Iterable[str]] = {
    "qualifier": QUALIFIERS,
    "determination basis": plants.BASES,
    "confidence": plants.CONFIDENCES,
    "origin": plants.ORIGINS,
    "management": plants.MANAGEMENT,
    "role": ROLES,
    "link": LINKS,
}
Progress = Callable[[int, int], None]
_NOTHING_SAID = Matching()


@dataclass(frozen=True)
class ImportOutcome:
    """What an import did, or would do: the plan, the failing rows as a table, and the batch where something landed."""

    plan: ImportPlan
    failing: bytes
    uncounted: tuple[Uncounted, ...] = ()
    places: Mapping[int, str] = field(default_factory=dict)
    batch_id: int | None = None


class SheetNotMatched(Exception):
    """What was brought is a sheet of which something has to be said before it can be imported."""

    def __init__(self, sheet: OpenSheet) -> None:
        super().__init__("the sheet has to be matched first")
        self.sheet = sheet


class ChangedMeanwhile(Exception):
    """An import would do something else now than what was shown; nothing was written. Holds what it would do, and sentences."""

    def __init__(self, outcome: ImportOutcome, changes: list[str]) -> None:
        super().__init__("; ".join(changes))
        self.outcome, self.changes = outcome, changes


def preview_import(
    scope: Scope,
    tables: Tables,
    names: NamesService,
    *,
    new_codes: bool,
    terms: Collection[str] = ("count",),
    matching: Matching = _NOTHING_SAID,
) -> ImportOutcome:
    """What an import of the tables would do; nothing is written.

    `matching` is what was said of a sheet that is not the open table. Raises InputRefused where the tables cannot be read at
    all, and SheetNotMatched for a sheet of which something has to be said first.
    """
    scope.viewer.require(Right.IMPORT)
    return _outcome(scope, *_plan(scope, tables, names, matching, new_codes=new_codes), terms)


def import_tables(
    scope: Scope,
    tables: Tables,
    names: NamesService,
    *,
    terms: Collection[str],
    new_codes: bool,
    matching: Matching = _NOTHING_SAID,
    promised: Mapping[str, int] | None = None,
    progress: Progress = lambda _done, _total: None,
) -> ImportOutcome:
    """Import what can land of the tables, as one act; rows on record are passed over, failing ones are given back.

    `terms` are the words of TERM_WORDS under which the tables were collected; they become agreements, stated at import, of
    holders who have none on file. `promised` is what `promise` said of a preview. Raises InputRefused or Refused, writing
    nothing, where nothing of it can be taken, SheetNotMatched as a preview does, and ChangedMeanwhile where it would do
    something else than it promised.
    """
    scope.viewer.require(Right.IMPORT)
    agreed = agreed_terms(terms)
    with _one_import_at_a_time(scope):
        table, plan, known = _plan(scope, tables, names, matching, new_codes=new_codes)
        outcome = _outcome(scope, table, plan, known, terms)
        if not plan.is_empty:
            # A worker that ended between its act and its last word finds its own rows on record, and nothing left to promise.
            if promised is not None and (changes := _changes(promised, promise(outcome))):
                raise ChangedMeanwhile(outcome, changes)
            writer = ImportWriter(scope, plan, names, agreed, progress)
            writer.prepare()
            with constraints_as_refusals(), act(scope.viewer, "import_table") as writing:
                batch = writer.write(writing, table.table.sha256, [word for word in TERM_WORDS if word in terms])
            outcome = replace(outcome, batch_id=batch)
        keep_matching(scope, table.matching)
    return outcome


# What a preview promises, by what is said of it.
_PROMISES = {"landing": "rows that land", "known": "rows on record already", "failing": "rows that fail",
             "uncounted": "rows in no number", "plants": "new plants", "informants": "new holders and sources",
             "encounters": "new encounters", "codes": "new codes"}  # fmt: skip


def promise(outcome: ImportOutcome) -> dict[str, int]:
    """What an import would do, in numbers: what was shown is held against it before anything is written."""
    plan = outcome.plan
    return {
        "landing": len(plan.landing),
        "known": plan.known,
        "failing": len(plan.failing),
        "uncounted": sum(one.rows for one in outcome.uncounted),
        "plants": len(plan.plants),
        "informants": len(plan.informants),
        "encounters": len(plan.encounters),
        "codes": len(plan.terms),
    }


def _changes(promised: Mapping[str, int], now: Mapping[str, int]) -> list[str]:
    return [
        f"{label[:1].upper()}{label[1:]}: {promised[name]:,} were shown, {now[name]:,} now."
        for name, label in _PROMISES.items()
        if name in promised and promised[name] != now[name]
    ]


def _outcome(scope: Scope, table: SheetTable, plan: ImportPlan, known: Known, terms: Collection[str]) -> ImportOutcome:
    plan.notes[:0] = table.notes
    left_out = uncounted(plan, known, rules_in_force(scope), may_count="count" in terms)
    return ImportOutcome(plan, write_failing(table.table, plan.failing), tuple(left_out), table.table.places)


def agreed_terms(words: Collection[str]) -> dict[str, bool]:
    """The columns of an agreement from the words; Refused for an unknown word or terms under which nothing may be recorded."""
    unknown = [word for word in words if word not in TERM_WORDS]
    if unknown:
        raise Refused({"terms": f"Terms know no “{unknown[0]}”. They are {', '.join(TERM_WORDS)}."})
    if "record" not in words:
        sentence = "What may not be recorded cannot be imported. State the terms the table was collected under; record is one."
        raise Refused({"terms": sentence})
    return {column: word in words for column, word in zip(TERM_COLUMNS, TERM_WORDS, strict=True)}


@contextmanager
def _one_import_at_a_time(scope: Scope) -> Iterator[None]:
    """Imports into one study follow each other, or two could bring the same row; nobody else waits for them."""
    run("SELECT pg_advisory_lock(726511, %(study)s)", study=scope.study_id)
    try:
        yield
    finally:
        run("SELECT pg_advisory_unlock(726511, %(study)s)", study=scope.study_id)


def _plan(scope: Scope, tables: Tables, names: NamesService, matching: Matching, *,
          new_codes: bool) -> tuple[SheetTable, ImportPlan, Known]:  # fmt: skip
    roster = read_roster(tables.informants) if tables.informants is not None else None
    further = read_companion_tables(tables.further)
    with snapshot():
        known = what_is_known(scope)
    table = read_brought(tables.reports, matching, known, names, kept_matching(scope))
    if isinstance(table, OpenSheet):
        raise SheetNotMatched(table)
    plan = plan_import(table.table, roster, known, names, new_codes=new_codes, tables=further, approved=table.approved)
    return table, plan, known


def what_is_known(scope: Scope) -> Known:
    """The study as an imported table is read against it."""
    communities, met, found = imports.communities(scope), imports.encounters(scope), imports.plants(scope)
    encounters = {one["id"]: KnownEncounter(one["id"], one["day_from"], one["day_to"]) for one in met}
    keys, vocabulary = imports.row_keys(scope), imports.vocabulary(scope)
    came: dict[str, tuple[KnownPlant, ...]] = {}
    for one in found:
        if one["live"] and one["came_as"]:
            came[one["came_as"]] = (*came.get(one["came_as"], ()), KnownPlant(one["id"], one["taxon"]))
    terms: dict[tuple[str, str, Reference], dict[str, int]] = {}
    labels: dict[tuple[str, str, Reference], tuple[str, ...]] = {}
    for one in vocabulary:
        place = (one["vocabulary"], one["scheme"], one["parent_id"] or "")
        for text in (one["code"], fold(one["label"])):
            terms.setdefault(place, {}).setdefault(text, one["id"])
        labels[place] = (*labels.get(place, ()), one["code"])
    return Known(
        scheme=studies.study(scope)["scheme"],
        communities={fold(one[what]): one["code"] for what in ("name", "code") for one in communities},
        community_names={one["code"]: one["name"] for one in communities},
        informants={
            one["code"]: KnownInformant(one["id"], one["community"], one["is_source"], one["may_record"], one["on_file"])
            for one in imports.informants(scope)
        },
        languages={fold(one[what]): one["code"] for what in ("name", "code") for one in studies.languages(scope)},
        events={one["came_as"]: encounters[one["id"]] for one in met if one["came_as"]},
        told={(one["number"], code): encounters[one["id"]] for one in met if not one["came_as"] for code in one["tellers"]},
        plants={one["number"]: KnownPlant(one["id"], one["taxon"]) for one in found if one["live"]},
        plants_came=came,
        numbers=frozenset(one["number"] for one in found),
        terms=terms,
        labels=labels,
        abbreviations=frozenset(one["abbreviation"] for one in vocabulary if one["abbreviation"]),
        landed=frozenset(bytes(one["row_key"]) for one in keys),
        mended=frozenset(bytes(one["mended_key"]) for one in keys if one["mended_key"]),
        fixed={name: tuple(codes) for name, codes in _FIXED.items()},
        features=frozenset((one["plant_id"], one["character"], one["words"]) for one in imports.features(scope)),
        tellings=frozenset((*one[:-1], fold(str(one[-1]))) for one in imports.tellings(scope)),
    )
