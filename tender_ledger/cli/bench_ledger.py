"""The table of all reports under a real server: what a view of a large study costs it."""

import statistics
import time

import click

from tender_ledger.cli.bench_server import BenchServer, bench_server
from tender_ledger.storage.database import value

_VIEWS = {
    "first page": "", "last page": "page={last}", "a text": "q=number+123", "by taxon": "sort=taxon",
}  # fmt: skip
_RUNS = 20
_LONGEST = 120  # seconds that the intervals are waited for


def bench_ledger(url: str, study: str, email: str, password: str) -> None:
    """Ask the server for views of the study's table; its own log says how long each answer took it."""
    reports = int(
        value("SELECT count(*) FROM use_report r JOIN study s ON s.id = r.study_id WHERE s.code = %(code)s", code=study)
    )
    with bench_server(url) as server:
        server.sign_in(email, password)
        waited = _ask(server, study, reports)
    took = [one.ms for one in server.costs if one.route == "ledger.show"]
    cold, *rest = [one.ms for one in server.costs if one.route == "reckoning.show"]
    kept, sure = rest[:_RUNS], rest[_RUNS + waited :]
    click.echo(f"the reckoning of {reports:,} reports, server time of its first page: {cold:.0f} ms with nothing kept, "
               f"{statistics.median(kept):.0f} ms from what is kept, {statistics.median(sure):.0f} ms with its intervals kept "
               f"too (medians of {_RUNS})")  # fmt: skip
    click.echo(f"the table of {reports:,} reports, server time of a view, median of {_RUNS} (first of all, nothing kept)")
    for at, name in enumerate(_VIEWS):
        first, *kept = took[at * (_RUNS + 1) : (at + 1) * (_RUNS + 1)]
        click.echo(f"  {name:12} {statistics.median(kept):6.0f} ms   ({first:.0f} ms)")


def _ask(server: BenchServer, study: str, reports: int) -> int:
    """Ask for everything that is timed; how often the first page of the reckoning was asked for until it had its intervals."""
    first, waited = f"/study/{study}/reckoning", 1
    for _ in range(_RUNS + 1):
        server.ask(first)
    until = time.monotonic() + _LONGEST
    while b'class="interval"' not in server.ask(f"{first}?sure=yes"):
        if time.monotonic() > until:
            click.echo(f"the intervals were not there after {_LONGEST} s")
            break
        waited += 1
        time.sleep(0.5)
    for _ in range(_RUNS):
        server.ask(first)
    for query in _VIEWS.values():
        for _ in range(_RUNS + 1):
            server.ask(f"/study/{study}/reports?{query.format(last=-(-reports // 100))}")
    return waited
