"""What every page costs the server: the first time after a report was written, and again."""

import statistics
from collections.abc import Sequence

import click

from tender_ledger.cli.bench_server import bench_server
from tender_ledger.core.terms import Scope
from tender_ledger.operations import clock, reports
from tender_ledger.operations.typed_report import TypedReport, as_typed
from tender_ledger.storage.database import value
from tender_ledger.storage.queries import accounts, plants
from tender_ledger.storage.queries import reports as report_queries

_AGAIN = 5  # times that a page is asked for while nothing is written
_VIEWS = ("indices", "heard", "groups", "holders", "matrix", "lists", "parts")


def pages_of(study: str, holder: str, community: str, other: str, taxon: str) -> tuple[str, ...]:
    """The pages of a study that are timed, below its address."""
    of_study = "SELECT min(r.id) FROM use_report r JOIN study s ON s.id = r.study_id WHERE s.code = %(code)s"
    report = f"reports/{value(of_study, code=study)}"
    return (
        "people", f"people/holders/{holder}", f"people/communities/{community}", "encounters", "encounters/1",
        "encounters/new", "plants", "plants/1", "plants/names", "plants/checklists", "reports", report,
        f"{report}/full", "reports/import", "worklist", "reckoning", f"reckoning?margin=ci:{taxon}",
        "reckoning?show=categories", "reckoning?show=ladder", f"reckoning?group={community}&with={other}",
        *(f"reckoning/{view}" for view in _VIEWS), "give-back", "history", "members", "glossary",
    )  # fmt: skip


def bench_pages(
    url: str, study: str, email: str, password: str, pages: Sequence[str], budget_ms: float, database_ms: float
) -> None:
    """Ask for every page of a study after a report was corrected, and then again; over a budget a page is marked."""
    person = accounts.person_by_email(email)
    member = accounts.member_of(person["id"], study) if person else None
    if member is None:
        raise click.ClickException(f"{email} is no member of {study}.")
    # One thread, as one asks: every connection of a server plans a statement once, which here would be most of the times.
    with bench_server(url, threads=1) as server:
        server.sign_in(email, password)
        for page in pages:
            path = f"/study/{study}/{page}"
            server.ask(path)
            _correct_a_report(clock.scope_of(member))
            for _ in range(_AGAIN + 1):
                server.ask(path)
    costs = server.costs[-len(pages) * (_AGAIN + 2) :]
    click.echo(f"pages of {study}: ms after a report was written; again, of them in the database, statements")
    over = 0
    for at, page in enumerate(pages):
        _warm, cold, *again = costs[at * (_AGAIN + 2) : (at + 1) * (_AGAIN + 2)]
        ms, db = statistics.median(one.ms for one in again), statistics.median(one.db_ms for one in again)
        beyond = ms > budget_ms or db > database_ms
        over += beyond
        status = "" if again[-1].status == 200 else f"  status {again[-1].status}"
        mark = "  over" if beyond else ""
        click.echo(f"  {page:44} {cold.ms:6.0f}  {ms:6.0f} {db:6.0f} {again[-1].statements:4}{mark}{status}")
    click.echo(f"{over} of {len(pages)} pages over {budget_ms:.0f} ms in all or {database_ms:.0f} ms of the database")


def _correct_a_report(scope: Scope) -> None:
    """Write the note of the study's report told last anew: the least that a save changes."""
    (found,) = report_queries.reports(scope, limit=1)
    plant = plants.plant(scope, found["plant"])
    assert plant is not None
    typed = as_typed(found, plant)
    note = "looked at again" if found["note"] != "looked at again" else "looked at once more"
    changed = TypedReport(**{name: getattr(typed, name) for name in TypedReport.names()} | {"note": note})
    reports.correct_report(scope, found["id"], found["version"], changed)
