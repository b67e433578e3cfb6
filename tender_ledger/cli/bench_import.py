"""The import of a large invented table, timed while somebody else records reports on another connection."""

import csv
import io
import multiprocessing
import statistics
import threading
import time
import uuid
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from typing import Any

import click
import numpy as np

from tender_ledger.core.terms import Scope
from tender_ledger.formats.archive import Tables
from tender_ledger.operations import accounts, clock, encounters, people, reports, studies
from tender_ledger.operations.history import undo_act
from tender_ledger.operations.importing import import_tables, preview_import
from tender_ledger.operations.typed_report import TypedReport
from tender_ledger.standins.names_service import ChecklistNames
from tender_ledger.storage.database import configure, connected, value
from tender_ledger.storage.queries import accounts as account_queries
from tender_ledger.storage.queries import people as people_queries

_CODE = "SHEETS"
_CATEGORIES = ("food", "medicines", "materials", "fuels", "animal_food", "social_uses")
_PARTS = ("leaf", "root", "bark", "fruit", "seed", "flower")
_PAUSE = 0.5  # seconds between two saves of the other person
_METHODS = ("raw", "cooked", "infusion", "decoction", "dried", "powder")


def bench_import(url: str, rows: int) -> None:
    """Import a table of so many rows and say how long it took, and how long the other person waited at most for one save."""
    scope = _study()
    table = _table(rows)
    names = ChecklistNames()
    reading, _ = _timed(lambda: preview_import(scope, Tables(table), names, new_codes=False))
    waits, (importing, outcome) = _while_recording(
        url,
        lambda: _timed(lambda: import_tables(scope, Tables(table), names, terms=("record", "count", "show"), new_codes=False)),
    )
    act = int(value("SELECT max(id) FROM act WHERE operation = 'import_table'"))
    undoing, _ = _timed(lambda: undo_act(scope, act))
    click.echo(
        f"import of {len(outcome.plan.landing):,} rows ({len(table) / 1e6:.0f} MB), as one act            {importing:6.1f} s"
    )
    click.echo(
        f"  of which reading every row against the study                {reading:6.1f} s   {reading / importing:.2f} of it"
    )
    click.echo(f"somebody else recorded {len(waits)} reports meanwhile, one waited  {max(waits):6.3f} s at most, "
               f"{statistics.median(waits):.3f} s at the median")  # fmt: skip
    click.echo(f"one undo of all of it                                          {undoing:6.1f} s")


def _study() -> Scope:
    """A study with one holder and one encounter, in which the other person records."""
    person = accounts.add_person("sheets@bench.example", "Bench", "a long bench password")
    scope = clock.scope_of(studies.create_study(person, code=_CODE, title="Sheets"))
    community = people.add_community(scope, code="C0", name="C0")
    holder = people.add_holder(scope, {"code": "HAND-1", "community_id": community})
    everything = dict.fromkeys(people.TERM_COLUMNS, True)
    people.record_agreement(scope, agreed_on=scope.day, form="oral", terms=everything, holder_id=holder)
    found = people_queries.holder(scope, "HAND-1")
    assert found is not None
    values = {"kind": "interview", "title": "By hand", "day": scope.day.isoformat(), "community_id": community}
    encounters.open_encounter(scope, values, [(found["informant_id"], "teller")])
    return scope


def _table(rows: int, seed: int = 1) -> bytes:
    """An invented table: few taxa named often, many rarely; repeated interviews; some plants asked about without a use."""
    rng = np.random.default_rng(seed)
    informants, taxa = max(rows // 200, 2), max(rows // 150, 10)
    who = rng.integers(0, informants, rows)
    plant = np.minimum(rng.geometric(4 / taxa, rows) - 1, taxa - 1)
    talk, category, part, method, use = (rng.integers(0, n, rows) for n in (2, 6, 6, 6, 12))
    named = rng.random(rows) > 0.05
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow(("informant", "community", "event", "date", "taxon", "family", "category", "use", "part", "preparation",
                     "basis", "words"))  # fmt: skip
    for i, p, t, c, a, m, u, n in zip(who.tolist(), plant.tolist(), talk.tolist(), category.tolist(), part.tolist(),
                                      method.tolist(), use.tolist(), named.tolist(), strict=True):  # fmt: skip
        about = (f"S-{i}", f"C{i % 3}", f"talk {i}.{t}", f"2026-0{5 + t}", f"Genus{p // 3} species{p}", f"Family{p % 80}")
        said = (_CATEGORIES[c], f"use {u}", _PARTS[a], _METHODS[m], "own", "as it was said") if n else ("none_named",) + ("",) * 5
        writer.writerow(about + said)
    return out.getvalue().encode()


def _timed(work: Callable[[], Any]) -> tuple[float, Any]:
    began = time.perf_counter()
    made = work()
    return time.perf_counter() - began, made


def _while_recording(url: str, work: Callable[[], Any]) -> tuple[list[float], Any]:
    """Do the work while another process records; returns the seconds of each of its saves beside what the work made."""
    context = multiprocessing.get_context("spawn")
    with context.Manager() as manager, ProcessPoolExecutor(1, context) as pool:
        stop, ready = manager.Event(), manager.Event()
        waits = pool.submit(_record, url, stop, ready)
        ready.wait(60)
        try:
            made = work()
        finally:
            stop.set()
        return waits.result(), made


def _record(url: str, stop: threading.Event, ready: threading.Event) -> list[float]:
    """Record one report after the other until told to stop, some with a new plant, as a recorder at the desk does.

    The first, which the work waits for before it begins, says only how long a new process takes to wake: it is not told.
    """
    configure(url)
    taken: list[float] = []
    with connected():
        owner = account_queries.first_owner(_CODE)
        member = account_queries.member_of(owner, _CODE) if owner else None
        assert member is not None
        scope = clock.scope_of(member)
        while not stop.is_set() or len(taken) < 2:
            at = len(taken)
            plant = f"+ plant {at}" if at % 10 == 0 else "plant 0"
            typed = TypedReport(informant="HAND-1", plant=plant, category="food", purpose=f"use {at % 12}", parts="leaf")
            began = time.perf_counter()
            reports.record_report(scope, 1, typed, str(uuid.uuid4()))
            taken.append(time.perf_counter() - began)
            ready.set()
            time.sleep(_PAUSE)
    return taken[1:]
