"""Importing a use-report table: planned row by row, then written as one act with one undo."""

from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass

from tender_ledger.core.importing.known import Known, KnownEncounter, KnownInformant, KnownPlant, Reference
from tender_ledger.core.importing.landing import ImportPlan
from tender_ledger.core.importing.plan import plan_import
from tender_ledger.core.importing.rows import ReadTable
from tender_ledger.core.names import NamesService
from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Scope
from tender_ledger.core.text import fold
from tender_ledger.formats.archive import Tables
from tender_ledger.formats.report_table import QUALIFIERS, read_companion_tables, read_roster, read_rows, write_failing
from tender_ledger.operations import plants
from tender_ledger.operations.errors import Refused, constraints_as_refusals
from tender_ledger.operations.import_writing import ImportWriter
from tender_ledger.operations.people import TERM_COLUMNS
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


@dataclass(frozen=True)
class ImportOutcome:
    """What an import did, or would do: the plan, the failing rows as a table, and the batch where something landed."""

    plan: ImportPlan
    failing: bytes
    batch_id: int | None = None


def preview_import(scope: Scope, tables: Tables, names: NamesService, *, new_codes: bool) -> ImportOutcome:
    """What an import of the tables would do; nothing is written. Raises InputRefused where they cannot be read at all."""
    scope.viewer.require(Right.IMPORT)
    table, plan = _plan(scope, tables, names, new_codes=new_codes)
    return ImportOutcome(plan, write_failing(table, plan.failing))


def import_tables(scope: Scope, tables: Tables, names: NamesService, *, terms: Collection[str], new_codes: bool,
                  progress: Progress = lambda _done, _total: None) -> ImportOutcome:  # fmt: skip
    """Import what can land of the tables, as one act; rows on record are passed over, failing ones are given back.

    `terms` are the words of TERM_WORDS under which the tables were collected; they become agreements, stated at import, of
    holders who have none on file. Raises InputRefused or Refused, writing nothing, where nothing of it can be taken.
    """
    scope.viewer.require(Right.IMPORT)
    agreed = agreed_terms(terms)
    with _one_import_at_a_time(scope):
        table, plan = _plan(scope, tables, names, new_codes=new_codes)
        failing = write_failing(table, plan.failing)
        if plan.is_empty:
            return ImportOutcome(plan, failing)
        writer = ImportWriter(scope, plan, names, agreed, progress)
        writer.prepare()
        with constraints_as_refusals(), act(scope.viewer, "import_table") as writing:
            batch = writer.write(writing, table.sha256, [word for word in TERM_WORDS if word in terms])
    return ImportOutcome(plan, failing, batch)


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


def _plan(scope: Scope, tables: Tables, names: NamesService, *, new_codes: bool) -> tuple[ReadTable, ImportPlan]:
    table = read_rows(tables.reports)
    roster = read_roster(tables.informants) if tables.informants is not None else None
    further = read_companion_tables(tables.further)
    with snapshot():
        known = what_is_known(scope)
    return table, plan_import(table, roster, known, names, new_codes=new_codes, tables=further)


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
