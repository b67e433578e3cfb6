"""`./ledger bench`: reading a million reports out of PostgreSQL beside counting them, in one run."""

import resource
import secrets
import statistics
import time
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import Any

import click
import numpy as np

from tender_ledger.cli.bench_cluster import bench_cluster
from tender_ledger.cli.bench_data import COMMUNITIES, bench_scope, fill_study
from tender_ledger.cli.bench_import import bench_import
from tender_ledger.cli.bench_ledger import bench_ledger
from tender_ledger.cli.bench_pages import bench_pages, pages_of
from tender_ledger.core.indices.importance import over_own
from tender_ledger.core.indices.reckoning import Reckoning, reckon
from tender_ledger.core.publication import linked_cells, publish, study_contributions
from tender_ledger.core.resampling.bootstrap import bootstrap
from tender_ledger.core.rights import Role
from tender_ledger.core.rules import CountingRules
from tender_ledger.core.tally.counting import Tally, count
from tender_ledger.core.tally.table import UseReportTable
from tender_ledger.demo.load import load_demo
from tender_ledger.operations import accounts
from tender_ledger.storage.database import connected, run
from tender_ledger.storage.queries import accounts as account_queries
from tender_ledger.storage.queries.tally import assemble, read_columns, read_labels

_RUNS = 5
_MOST_HOLDERS = 1_000  # of the study whose pages are asked for
_REPLICATES = 1000
_ROWS = ("informant", "event", "plant", "category", "use", "basis", "stance", "outcome")


@click.command()
@click.option("--reports", default=1_000_000, show_default=True, help="How many reports.")
@click.option("--informants", default=5_000, show_default=True)
@click.option("--taxa", default=2_000, show_default=True)
@click.option(
    "--listed", default=100_000, show_default=True, help="Reports of the study whose table is asked for; 0 asks for none."
)
@click.option("--demo/--no-demo", default=True, help="Whether the pages of the invented study are asked for.")
@click.option("--imported", default=100_000, show_default=True, help="Rows of the table that is imported; 0 imports none.")
def bench(reports: int, informants: int, taxa: int, listed: int, demo: bool, imported: int) -> None:
    """Time an import, every page, the table of reports, and reading against counting, on a cluster of its own."""
    with bench_cluster() as url, connected():
        if imported:
            bench_import(url, imported)
        if listed:
            _pages_of_many(url, listed, informants, taxa)
        if demo:
            _pages_of_demo(url)
        if reports:
            _run(reports, informants, taxa)


def _pages_of_many(url: str, reports: int, informants: int, taxa: int) -> None:
    """The table of reports and every page of a study of many reports, told by at most a thousand holders."""
    fill_study(reports, min(informants, _MOST_HOLDERS), taxa, code="LISTED")
    email, password = "reader@bench.example", secrets.token_urlsafe(12)
    person = accounts.add_person(email, "Bench reader", password)
    run(
        """INSERT INTO membership (study_id, person_id, role)
           SELECT id, %(p)s, %(role)s FROM study WHERE code = 'LISTED'""",
        p=person,
        role=str(Role.OWNER),
    )
    bench_ledger(url, "LISTED", email, password)
    pages = pages_of("LISTED", "H-2", "C1", "C2", "Genus1%20species4")
    bench_pages(url, "LISTED", email, password, pages, 200, 200)


def _pages_of_demo(url: str) -> None:
    sign_ins = load_demo(None)
    run("ANALYZE")  # as the database does by itself within minutes
    owner = next(email for email in sign_ins if Role.OWNER in _roles(email))
    pages = pages_of("VELDRA", "ONS-02", "ONS", "KEL", "Sambucus%20nigra")
    bench_pages(url, "VELDRA", owner, sign_ins[owner], pages, 80, 40)


def _roles(email: str) -> frozenset[Role]:
    person = account_queries.person_by_email(email)
    member = account_queries.member_of(person["id"], "VELDRA") if person else None
    return member.roles if member else frozenset()


def _run(reports: int, informants: int, taxa: int) -> None:
    began = time.perf_counter()
    fill_study(reports, informants, taxa)
    click.echo(f"{reports:,} reports, {informants:,} informants, {taxa:,} taxa; filled in {time.perf_counter() - began:.0f} s")
    scope = bench_scope()
    reading, columns = _median(lambda: read_columns(scope))
    assembling, table = _median(lambda: assemble(columns, read_labels(scope)))
    _say("reading the eight columns out of PostgreSQL, terms joined", reading)
    _say("from database numbers to dense codes", assembling)
    rules = CountingRules()
    whole, result = _median(lambda: _all_indices(table, rules, communities=False))
    _say("all indices of species and categories, whole study", whole, f"{whole / reading:.2f} of reading")
    communities, _ = _median(lambda: _all_indices(table, rules))
    _say(f"the same, and for each of {COMMUNITIES} communities", communities, f"{communities / reading:.2f} of reading")
    tally = count(table, rules)
    drawing, drawn = _median(lambda: bootstrap(tally, replicates=_REPLICATES, exact_means=False), runs=3)
    _say(
        f"{_REPLICATES:,} resamples of UV, CI, RFC, ICF with their ends and ranks", drawing, f"{drawing / reading:.2f} of reading"
    )
    if np.isnan(drawn.taxa["ci"].low).any():
        raise SystemExit("an interval is missing")
    _what_leaves(tally, reading)
    _growth(table, rules)
    _beside_pandas(table, result, whole)
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    click.echo(f"highest memory of this process so far, pandas included {peak:26.0f} MB")


def _say(what: str, seconds: float, ratio: str = "") -> None:
    click.echo(f"{what:64} {seconds:7.3f} s   {ratio}".rstrip())


def _what_leaves(tally: Tally, reading: float) -> None:
    """Gather the cells that could be published, and choose those that are; every second holder lets no rows leave."""
    numbers = {code: at + 1 for at, code in enumerate(tally.table.informants.codes)}
    gathering, found = _median(lambda: study_contributions(tally, numbers), runs=1)
    families = dict(zip(tally.taxa.names, tally.taxa.family, strict=True))
    linking, cells = _median(lambda: linked_cells(found, families), runs=1)
    choosing, chosen = _median(lambda: publish(cells, protected=list(numbers.values())[::2]), runs=1)
    _say(f"gathering the {len(found):,} cells that could be published", gathering, f"{gathering / reading:.2f} of reading")
    _say(f"linking them by {len(cells.sums):,} sums", linking, f"{linking / reading:.2f} of reading")
    held = sum(chosen.hidden().values())
    _say(f"choosing: {held:,} held back", choosing, f"{choosing / reading:.2f} of reading")


def _growth(table: UseReportTable, rules: CountingRules) -> None:
    """Parts of the table by number of rows: how the time of a row changes with them."""
    sizes = [size for size in (10_000, 100_000, len(table)) if size <= len(table)]
    names = [one for one in _ROWS if getattr(table, one) is not None]
    for size in sizes:
        part = replace(table, **{name: getattr(table, name)[:size] for name in names})
        seconds, _ = _median(partial(_all_indices, part, rules, communities=False))
        _say(f"all indices of the first {size:,} rows", seconds, f"{1e9 * seconds / size:.0f} ns a row")


def _median(work: Callable[[], Any], runs: int = _RUNS) -> tuple[float, Any]:
    """Seconds, the median of some runs, and the last result."""
    seconds = []
    for _ in range(runs):
        began = time.perf_counter()
        result = work()
        seconds.append(time.perf_counter() - began)
    return statistics.median(seconds), result


def _all_indices(table: UseReportTable, rules: CountingRules, *, communities: bool = True) -> Reckoning:
    """Count, and ask for every index that is computed only when asked for."""
    result = reckon(count(table, rules), communities=communities)
    for part in (result, *result.by_community.values()):
        _ = (
            part.rfc,
            part.ci,
            part.ci_components,
            part.nu,
            part.uv_all,
            part.uv_asked,
            part.uv_told,
            part.cv,
            part.ri,
            part.ri_properties,
            part.fl_by_category,
            part.fl,
            part.rop,
            part.ud,
            part.id,
            part.uc,
            part.icf,
            part.sd,
        )
    return result


def _beside_pandas(table: UseReportTable, ours: Reckoning, whole: float) -> None:
    """The same indices with pandas on the same integer columns; says whether the values are equal."""
    try:
        from tender_ledger.cli.bench_pandas import indices_with_pandas
    except ImportError:
        click.echo("pandas is not installed (it is only in requirements/develop.lock); its figures are left out.")
        return
    seconds, theirs = _median(lambda: indices_with_pandas(table))
    counts, categories = ours.counts, ours.category_counts
    equal = all(np.allclose(theirs[name], value, equal_nan=True) for name, value in {
        "ur": ours.ur, "fc": ours.fc, "nu": ours.nu, "rfc": ours.rfc, "ci": ours.ci, "uv": ours.uv_all, "uva": ours.uv_asked,
        "nur": ours.nur, "nt": ours.nt, "icf": ours.icf, "ci_components": ours.ci_components, "cv": ours.cv, "ri": ours.ri,
        "ri_properties": ours.ri_properties, "fl": ours.fl, "ud": ours.ud, "id": ours.id, "sd": ours.sd,
        "uva_category": over_own(counts.mean_categories_asked, counts.n_asked), "main_use": counts.main_use_informants,
        "nur_use": categories.nur_use, "nur_event": categories.nur_event, "informants": categories.informants,
    }.items())  # fmt: skip
    _say("the same indices with pandas, whole study", seconds, f"{seconds / whole:.1f} times ours")
    click.echo("the values are equal" if equal else "THE VALUES DIFFER")
    if not equal:
        raise SystemExit(1)
