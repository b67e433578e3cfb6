"""`./ledger indices`: the numbers of a use-report table, without a database."""

import json
import math
from pathlib import Path
from typing import Any

import click

from tender_ledger.core.analysis import parts_of
from tender_ledger.core.indices.reckoning import Reckoning, reckon
from tender_ledger.core.messages import InputRefused, Problem
from tender_ledger.core.rules import CountingRules, parse_rules
from tender_ledger.core.tally.counting import count
from tender_ledger.core.tally.table import UseReportTable
from tender_ledger.formats.reckoning_files import read_flora, read_free_lists
from tender_ledger.formats.report_table import read_report_table
from tender_ledger.formats.result_document import result_document

MOST_REPLICATES = 100_000
_FILE = click.Path(exists=True, dir_okay=False, path_type=Path)


def _replicates(_context: click.Context, _option: click.Parameter, value: str) -> int | str:
    if value == "exact":
        return value
    if value.isascii() and value.isdigit() and int(value) <= MOST_REPLICATES:
        return int(value)
    raise click.BadParameter(f"{value}: a number of resamples up to {MOST_REPLICATES:,}, or exact.")


@click.command()
@click.argument("reports", type=_FILE)
@click.option("--informants", type=_FILE, help="informants.csv: everybody interviewed; it fixes N.")
@click.option("--rules", type=_FILE, help="Counting rules as JSON; keys left out take their default.")
@click.option("--freelists", type=_FILE, help="freelists.csv: informant, position, item; an empty item: asked, named none.")
@click.option("--flora", type=_FILE, help="flora.csv: family, flora (its number of species).")
@click.option("--flora-category", default="", help="Count over- and under-use for this category alone.")
@click.option("--bootstrap", "replicates", default="0", metavar="B", callback=_replicates,
              help="Resamples of informants for the intervals, or `exact` for few informants.")  # fmt: skip
@click.option("--seed", default=1, show_default=True, help="Of everything that is drawn.")
@click.option("--json", "as_json", is_flag=True, help="Print the result document instead of tables.")
def indices(reports: Path, informants: Path | None, rules: Path | None, freelists: Path | None, flora: Path | None,
            flora_category: str, replicates: int | str, seed: int, as_json: bool) -> None:  # fmt: skip
    """Compute every index of a use-report table (CSV), with communities, sampling, and what else there are files for."""
    table = read_report_table(reports.read_bytes(), informants.read_bytes() if informants else None)
    lists = read_free_lists(freelists.read_bytes(), _holders(table) if informants else ()) if freelists else None
    families = read_flora(flora.read_bytes()) if flora else None
    tally = count(table, read_rules(rules))
    result = reckon(tally)
    parts = parts_of(tally, result, lists=lists, flora=families, category=flora_category, replicates=replicates, seed=seed)
    document = result_document(result, parts)
    if as_json:
        click.echo(json.dumps(document, indent=1, ensure_ascii=False))
    else:
        click.echo("\n".join(_tables(result, document)))


def _holders(table: UseReportTable) -> tuple[str, ...]:
    """The codes of everybody who could be asked for a list: no written source is."""
    people = table.informants
    return tuple(code for code, is_source in zip(people.codes, people.is_source, strict=True) if not is_source)


def read_rules(file: Path | None) -> CountingRules:
    """The rules of a JSON file, the defaults without one. Raises InputRefused for anything that is not rules."""
    if file is None:
        return CountingRules()
    try:
        return parse_rules(json.loads(file.read_text(encoding="utf-8")))
    except (json.JSONDecodeError, UnicodeDecodeError) as error:
        raise InputRefused(
            Problem(f"This is no JSON: {error}.", file.name, expected='an object such as {"unit": "use"}')
        ) from None


def _tables(r: Reckoning, document: dict[str, Any]) -> list[str]:
    columns = ("UR", "FC", "NU", "RFC", "CI", "UV (all)", "UV (asked)")
    widest = max([len(name) for name in document["taxa"]] + [5])
    lines = [f"N = {r.n}, NC = {r.nc}", "", f"{'taxon':{widest}} " + " ".join(f"{name:>10}" for name in columns)]
    order = sorted((at for at in range(len(r.taxa)) if r.told[at]), key=lambda at: (-r.ci[at], r.taxa[at]))
    for at in order:
        asked = r.uv_asked[at] if r.askings_recorded else math.nan
        numbers = (r.ur[at], r.fc[at], r.nu[at], r.rfc[at], r.ci[at], r.uv_all[at], asked)
        lines.append(f"{r.taxa[at]:{widest}} " + " ".join(f"{_number(value):>10}" for value in numbers))
    lines += ["", f"{'category':{widest}} {'Nur':>10} {'Nt':>10} {'ICF':>10}"]
    lines += [
        f"{name:{widest}} {row['Nur']:>10} {row['Nt']:>10} {_number(math.nan if row['ICF'] is None else row['ICF']):>10}"
        for name, row in document["categories"].items()
    ]
    return [*lines, *(f"\n{warning['where']}: {warning['message']}" for warning in document["warnings"])]


def _number(value: float) -> str:
    if math.isnan(value):
        return "–"
    return str(int(value)) if float(value).is_integer() and not isinstance(value, float) else f"{value:.3f}"
