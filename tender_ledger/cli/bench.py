"""`./ledger bench`: reading a million reports out of PostgreSQL beside counting them, in one run."""

import resource
import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import click
import numpy as np

from tender_ledger.cli.bench_data import bench_scope, fill_study
from tender_ledger.cli.bench_import import bench_import
from tender_ledger.cli.bench_ledger import bench_ledger
from tender_ledger.core.indices.reckoning import Reckoning, reckon
from tender_ledger.core.rules import CountingRules
from tender_ledger.core.tally.counting import count
from tender_ledger.core.tally.table import UseReportTable
from tender_ledger.launch.cluster import Cluster
from tender_ledger.operations.vocabularies import load_shipped_vocabularies
from tender_ledger.storage.database import configure, connected, migrate
from tender_ledger.storage.queries.tally import assemble, read_columns, read_labels

_RUNS = 5


@click.command()
@click.option("--reports", default=1_000_000, show_default=True, help="How many reports.")
@click.option("--informants", default=2_000, show_default=True)
@click.option("--taxa", default=1_500, show_default=True)
@click.option(
    "--listed", default=100_000, show_default=True, help="Reports of the study whose table is asked for; 0 asks for none."
)
@click.option("--imported", default=100_000, show_default=True, help="Rows of the table that is imported; 0 imports none.")
def bench(reports: int, informants: int, taxa: int, listed: int, imported: int) -> None:
    """Time an import, the table of reports, and reading against counting, on invented rows, on a cluster of its own."""
    folder = Path(tempfile.mkdtemp(prefix="tender-bench-"))
    folder.chmod(0o755)
    cluster = Cluster(folder / "postgres", "bench", throw_away=True)
    try:
        cluster.ensure_running()
        configure(cluster.url())
        migrate()
        with connected():
            load_shipped_vocabularies()
            if imported:
                bench_import(cluster.url(), imported)
            if listed:
                fill_study(listed, informants, taxa, code="LISTED")
                bench_ledger(cluster.url(), "LISTED")
            if reports:
                _run(reports, informants, taxa)
    finally:
        cluster.destroy()
        folder.rmdir()


def _run(reports: int, informants: int, taxa: int) -> None:
    began = time.perf_counter()
    fill_study(reports, informants, taxa)
    click.echo(f"{reports:,} reports, {informants:,} informants, {taxa:,} taxa; filled in {time.perf_counter() - began:.0f} s")
    scope = bench_scope()
    reading, columns = _median(lambda: read_columns(scope))
    assembling, table = _median(lambda: assemble(columns, read_labels(scope)))
    rules = CountingRules()
    counting, result = _median(lambda: _all_indices(table, rules))
    click.echo(f"reading the eight columns out of PostgreSQL, terms joined   {reading:6.3f} s")
    click.echo(f"from database numbers to dense codes                        {assembling:6.3f} s")
    click.echo(
        f"every index, whole study and each community                 {counting:6.3f} s   {counting / reading:.2f} of reading"
    )
    whole, _ = _median(lambda: _all_indices(table, rules, communities=False))
    click.echo(f"every index, whole study                                    {whole:6.3f} s   {whole / reading:.2f} of reading")
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    click.echo(f"highest memory of this process so far                       {peak:6.0f} MB")
    _beside_pandas(table, result, whole)


def _median(work: Callable[[], Any]) -> tuple[float, Any]:
    """Seconds, the median of five runs, and the last result."""
    seconds = []
    for _ in range(_RUNS):
        began = time.perf_counter()
        result = work()
        seconds.append(time.perf_counter() - began)
    return statistics.median(seconds), result


def _all_indices(table: UseReportTable, rules: CountingRules, *, communities: bool = True) -> Reckoning:
    """Count, and ask for every index that is computed only when asked for."""
    result = reckon(count(table, rules), communities=communities)
    for part in (result, *result.by_community.values()):
        _ = part.rfc, part.ci, part.ci_components, part.nu, part.uv_all, part.uv_asked, part.icf
    return result


def _beside_pandas(table: UseReportTable, ours: Reckoning, whole: float) -> None:
    """The same indices with pandas on the same integer columns; says whether the values are equal."""
    try:
        from tender_ledger.cli.bench_pandas import indices_with_pandas
    except ImportError:
        click.echo("pandas is not installed (it is only in requirements/develop.lock); its figures are left out.")
        return
    seconds, theirs = _median(lambda: indices_with_pandas(table))
    equal = all(np.allclose(theirs[name], value, equal_nan=True) for name, value in {
        "ur": ours.ur, "fc": ours.fc, "nu": ours.nu, "rfc": ours.rfc, "ci": ours.ci, "uv": ours.uv_all, "uva": ours.uv_asked,
        "nur": ours.nur, "nt": ours.nt, "icf": ours.icf, "ci_components": ours.ci_components,
    }.items())  # fmt: skip
    click.echo(f"the same indices with pandas, whole study                   {seconds:6.3f} s   {seconds / whole:.1f} times ours")
    click.echo("the values are equal" if equal else "THE VALUES DIFFER")
    if not equal:
        raise SystemExit(1)
