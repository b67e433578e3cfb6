"""Tables brought to the screen: kept while they are looked at, read and imported by the worker, with progress."""

import threading
import time
from collections import Counter
from collections.abc import Callable, Collection, Iterator, Mapping
from contextlib import contextmanager, suppress
from datetime import timedelta
from typing import Any

from tender_ledger.core.importing.companion_tables import COLUMNS
from tender_ledger.core.importing.landing import ImportPlan
from tender_ledger.core.messages import InputRefused
from tender_ledger.core.rights import Right
from tender_ledger.core.sheets.matching import Matching, matching_of_json
from tender_ledger.core.terms import Scope
from tender_ledger.formats.archive import read_tables
from tender_ledger.operations import clock, long_work
from tender_ledger.operations.errors import NotFound, Refused
from tender_ledger.operations.importing import (
    TERM_WORDS,
    ChangedMeanwhile,
    ImportOutcome,
    SheetNotMatched,
    agreed_terms,
    import_tables,
    preview_import,
    promise,
)
from tender_ledger.operations.sheet_reading import sheet_summary
from tender_ledger.operations.study_names import names_of_study
from tender_ledger.storage.database import UNAVAILABLE, connected, database
from tender_ledger.storage.models import ImportUpload
from tender_ledger.storage.queries import imports

_KEPT = timedelta(days=30)  # a table that nobody imported or let go is forgotten after so long
_SHOWN = 200  # so many kinds of faults are listed on the screen; all rows are in the file
_SAMPLE = 8
_PLACES = 6  # so many rows are named of each fault
_BEAT = 0.5  # seconds between two signs of life
_LOOK = 0.05  # seconds between two looks at how far the worker is
_WORKING = ("reading", "importing")


def bring_table(scope: Scope, reports: bytes, informants: bytes | None, *, terms: Collection[str], new_codes: bool) -> int:
    """Keep a table, or an archive of all, for its bringer to look at; returns its number.

    Refused for terms under which nothing may be recorded.
    """
    scope.viewer.require(Right.IMPORT)
    agreed_terms(terms)
    if not reports:
        raise Refused({"reports": "Choose the table: a sheet (XLSX, ODS or CSV), or reports.csv."})
    ImportUpload.delete().where(ImportUpload.brought_at < clock.now() - _KEPT).execute()
    return int(
        ImportUpload.insert(
            study_id=scope.study_id,
            person_id=scope.viewer.person_id,
            reports=reports,
            informants=informants,
            terms={"stated": [word for word in TERM_WORDS if word in terms]},
            new_codes=new_codes,
            beat_at=clock.now(),
        ).execute()
    )


def let_go(scope: Scope, upload_id: int) -> None:
    """Forget a table that was brought; what was imported of it stays."""
    _upload(scope, upload_id)
    ImportUpload.delete().where(ImportUpload.id == upload_id).execute()


def read_upload(scope: Scope, upload_id: int, *, new_codes: bool) -> None:
    """Have a brought table read against the study by the worker; the state of the upload says when it is done."""
    scope.viewer.require(Right.IMPORT)
    _upload(scope, upload_id)
    _begin(scope, upload_id, state="reading", new_codes=new_codes)


def match_upload(scope: Scope, upload_id: int, matching: Matching) -> None:
    """Have a brought sheet read as it was matched."""
    scope.viewer.require(Right.IMPORT)
    one = _upload(scope, upload_id)
    if one["state"] not in ("matching", "read", "refused") and not one["silent"]:
        raise Refused({"": "This table is being read or imported already."})
    _begin(scope, upload_id, state="reading", matching=matching.to_json())


def matching_of(upload: Mapping[str, Any]) -> Matching:
    """What was said of a brought sheet so far."""
    return matching_of_json(upload["matching"])


def import_upload(scope: Scope, upload_id: int) -> None:
    """Have a table that was read imported by the worker; afterwards only its failing rows are kept."""
    scope.viewer.require(Right.IMPORT)
    one = _upload(scope, upload_id)
    if one["state"] != "read" and not one["silent"]:
        raise Refused({"": "This table is being read or imported already."})
    _begin(scope, upload_id, state="importing", done=0, total=0)


def wait_for(scope: Scope, upload_id: int, seconds: float) -> str:
    """The state of an upload once nothing is done with it any more, or after so many seconds."""
    until = time.monotonic() + seconds
    while (state := str(_upload(scope, upload_id)["state"])) in _WORKING and time.monotonic() < until:
        time.sleep(_LOOK)
    return state


def _begin(scope: Scope, upload_id: int, **values: Any) -> None:
    with database.atomic():
        _say(upload_id, beat_at=clock.now(), **values)
        long_work.begin("upload", scope, {"upload": upload_id}, lock=f"upload {upload_id}")


def _work(task: long_work.Task, of: Mapping[str, Any]) -> None:
    """Read or import, as the state of the upload says; nothing where its bringer let it go meanwhile, or it is done."""
    upload_id = int(of["upload"])
    one = imports.upload(task.scope, upload_id)
    if one is None or one["state"] not in _WORKING:
        return
    with _heart(upload_id) as progress:
        try:
            kept = _read(task, one) if one["state"] == "reading" else _import(task, one, progress)
        except SheetNotMatched as open_sheet:
            sheet = open_sheet.sheet
            kept = {"state": "matching", "outcome": {"sheet": sheet_summary(sheet)}, "matching": sheet.matching.to_json()}
        except ChangedMeanwhile as changed:
            outcome = changed.outcome
            kept = {"state": "read", "failing": outcome.failing, "outcome": {**_summary(outcome), "changed": changed.changes}}
        except InputRefused as refused:
            kept = _refused([str(problem) for problem in refused.problems])
        except Refused as refused:
            kept = _refused(list(refused.errors.values()))
    _say(upload_id, **kept)


def _give_up(of: Mapping[str, Any], why: str) -> None:
    _say(int(of["upload"]), **_refused([f"Nothing was imported. {why}"]))


long_work.register("upload", long_work.Work(_work, _give_up))


def _read(task: long_work.Task, one: Mapping[str, Any]) -> dict[str, Any]:
    tables, names = read_tables(bytes(one["reports"]), _bytes(one["informants"])), names_of_study(task.scope, task.names)
    terms, new_codes = one["terms"]["stated"], one["new_codes"]
    outcome = preview_import(task.scope, tables, names, new_codes=new_codes, terms=terms, matching=matching_of(one))
    return {"state": "read", "outcome": _summary(outcome), "failing": outcome.failing}


def _import(task: long_work.Task, one: Mapping[str, Any], progress: Callable[[int, int], None]) -> dict[str, Any]:
    tables, names = read_tables(bytes(one["reports"]), _bytes(one["informants"])), names_of_study(task.scope, task.names)
    outcome = import_tables(
        task.scope,
        tables,
        names,
        terms=one["terms"]["stated"],
        new_codes=one["new_codes"],
        matching=matching_of(one),
        promised=one["outcome"].get("promised"),
        progress=progress,
    )
    return {"state": "imported", "outcome": _summary(outcome), "failing": outcome.failing, "reports": b"", "informants": None}


def _upload(scope: Scope, upload_id: int) -> dict[str, Any]:
    found = imports.upload(scope, upload_id)
    if found is None:
        raise NotFound(f"table {upload_id}")
    return found


def _bytes(kept: Any) -> bytes | None:
    return None if kept is None else bytes(kept)


def _say(upload_id: int, **values: Any) -> None:
    ImportUpload.update(**values).where(ImportUpload.id == upload_id).execute()


def _refused(sentences: list[str]) -> dict[str, Any]:
    return {"state": "refused", "outcome": {"refused": sentences}}


@contextmanager
def _heart(upload_id: int) -> Iterator[Callable[[int, int], None]]:
    """Write how far the work is twice a second, on a connection of its own: the work's own transaction shows nothing yet."""
    done, state = threading.Event(), {"done": 0, "total": 0}

    def beat() -> None:
        with suppress(*UNAVAILABLE), connected():
            while not done.wait(_BEAT):
                _say(upload_id, beat_at=clock.now(), **state)

    thread = threading.Thread(target=beat, name=f"heart of import {upload_id}", daemon=True)
    thread.start()
    try:
        yield lambda so_far, total: state.update(done=so_far, total=total)
    finally:
        done.set()
        thread.join()


def _summary(outcome: ImportOutcome) -> dict[str, Any]:
    """What the screen says of an import, planned or done."""
    plan = outcome.plan
    holders = [code for code, one in plan.informants.items() if not one.is_source]
    groups = _groups(outcome)
    return {
        "rows": plan.rows,
        "landing": len(plan.landing),
        "askings": sum(one.asking for one in plan.landing),
        "known": plan.known,
        "failing": len(plan.failing),
        "groups": groups[:_SHOWN],
        "more_groups": max(len(groups) - _SHOWN, 0),
        "uncounted": [{"reason": one.reason, "rows": one.rows, "values": dict(one.values)} for one in outcome.uncounted],
        "promised": promise(outcome),
        "communities": [f"{name} ({code})" if code != name else code for code, name in plan.communities.items()],
        "holders": holders,
        "sources": [code for code in plan.informants if code not in holders],
        "encounters": len(plan.encounters),
        "plants": len(plan.plants),
        "undetermined": sum(one.taxon is None for one in plan.plants.values()),
        "languages": list(plan.languages),
        "codes": _codes(plan),
        "beside": beside_counts(plan),
        "notes": plan.notes,
        "sample": [_sample(outcome, at) for at in range(min(_SAMPLE, len(plan.landing)))],
    }


def _groups(outcome: ImportOutcome) -> list[dict[str, Any]]:
    """What is wrong with failing rows, once for all rows with the same fault of the same value; the most frequent first."""
    found: dict[tuple[str, str, str], dict[str, Any]] = {}
    for row in outcome.plan.failing:
        for one in row.problems:
            group = found.setdefault(
                (one.column, one.what, one.found),
                {
                    "column": one.column,
                    "what": one.what,
                    "found": one.found,
                    "expected": one.expected,
                    "remedy": one.remedy,
                    "rows": 0,
                    "places": [],
                    "mend": bool(one.column),
                },
            )
            group["rows"] += 1
            if len(group["places"]) < _PLACES:
                group["places"].append(outcome.places.get(row.line, f"row {row.line}"))
    return sorted(found.values(), key=lambda group: -group["rows"])


def beside_counts(plan: ImportPlan) -> dict[str, int]:
    """How many rows of the tables beside reports.csv would land, by table; none for a table of which none does."""
    counts = Counter(kind for landing in plan.landing for kind, rows in landing.beside.items() for _ in rows)
    counts |= {"features": len(plan.features), "names": len(plan.names), "properties": len(plan.claims), "links": len(plan.links)}
    return {kind: counts[kind] for kind in COLUMNS if counts[kind]}


def _codes(plan: ImportPlan) -> dict[str, list[str]]:
    codes: dict[str, list[str]] = {}
    for (vocabulary, *_), term in plan.terms.items():
        codes.setdefault(vocabulary, []).append(term.label)
    return codes


def _sample(outcome: ImportOutcome, at: int) -> dict[str, str]:
    cells = outcome.plan.landing[at].cells
    wanted = ("informant", "taxon", "plant", "part", "preparation", "category", "use", "basis")
    line = outcome.plan.landing[at].line
    return {"line": outcome.places.get(line, str(line)), **{name: cells.get(name, "") for name in wanted}}
