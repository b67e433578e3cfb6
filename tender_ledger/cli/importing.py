"""`./ledger import`: a use-report table into a study."""

from pathlib import Path

import click

from tender_ledger.core.importing.landing import ImportPlan
from tender_ledger.core.messages import InputRefused, Problem
from tender_ledger.formats.archive import read_tables, tables_of
from tender_ledger.launch.installation import acting_scope, with_database
from tender_ledger.launch.state import write_private
from tender_ledger.operations.import_uploads import beside_counts
from tender_ledger.operations.importing import (
    TERM_WORDS,
    ImportOutcome,
    SheetNotMatched,
    agreed_terms,
    import_tables,
    preview_import,
)
from tender_ledger.operations.sheet_reading import OpenSheet
from tender_ledger.operations.study_names import names_of_study
from tender_ledger.standins.names_service import ChecklistNames

_FILE = click.Path(exists=True, dir_okay=False, path_type=Path)
_LISTED = 40  # so many problems are listed; all of them are in the file of failing rows


@click.command("import")
@click.argument("reports", type=click.Path(exists=True, path_type=Path))
@click.option("--informants", type=_FILE, help="informants.csv: everybody interviewed, the silent too; it fixes N.")
@click.option("--study", required=True, help="The code of the study.")
@click.option("--terms", required=True, help=f"Under which terms the table was collected, such as record,count,show. "
              f"They are {', '.join(TERM_WORDS)}.")  # fmt: skip
@click.option("--new-codes", is_flag=True, help="Add codes that the study lacks to its own, instead of failing their rows.")
@click.option("--as", "person", default="", help="The address of the owner who imports; left out: the first owner.")
@click.option("--dry-run", is_flag=True, help="Say what would happen; write nothing.")
@click.option("--failing", type=click.Path(dir_okay=False, path_type=Path),
              help="Where failing rows are written; left out: beside the table, as NAME-failing.csv.")  # fmt: skip
def import_reports(reports: Path, informants: Path | None, study: str, terms: str, new_codes: bool, person: str, dry_run: bool,
                   failing: Path | None) -> int:  # fmt: skip
    """Import reports.csv, a folder or archive of all tables as `./ledger export` writes them, or a sheet (XLSX, ODS, CSV)
    whose heads and values were matched on the screen before.

    Rows that can land do, as one act with one undo; the others are listed and written to a file. A second import of the same
    file adds nothing. Ends with status 1 when rows failed.
    """
    roster = informants.read_bytes() if informants else None
    if reports.is_dir():
        tables = tables_of({one.name: one.read_bytes() for one in sorted(reports.glob("*.csv"))}, roster)
    else:
        tables = read_tables(reports.read_bytes(), roster)
    words = [word.strip() for word in terms.split(",") if word.strip()]
    agreed_terms(words)
    with with_database():
        scope = acting_scope(study, person)
        names = names_of_study(scope, ChecklistNames())
        try:
            if dry_run:
                outcome = preview_import(scope, tables, names, new_codes=new_codes, terms=words)
            else:
                outcome = import_tables(scope, tables, names, terms=words, new_codes=new_codes)
        except SheetNotMatched as asked:
            raise InputRefused(*_open_questions(asked.sheet)) from None
    _say(outcome, dry_run=dry_run)
    if not outcome.plan.failing:
        return 0
    if not dry_run:
        file = failing or reports.with_name(f"{reports.stem}-failing.csv")
        write_private(file, outcome.failing)
        click.echo(f"The failing rows are in {file}. Mend them there and import that file.", err=True)
    return 1


def _open_questions(sheet: OpenSheet) -> list[Problem]:
    """What has to be said of a sheet before it can be imported; the screen asks it, and the study keeps it for the next sheet."""
    values = [
        Problem("The value is no code of the study.", f"the sheet, column {one.field}", one.text, one.proposal)
        for one in sheet.asked
    ]
    columns = ", ".join(f"{one.head} as {one.field or 'carried along'}" for one in sheet.matching.columns)
    remedy = "Bring it once to “Import a table” on the screen: what is said there holds for the next sheet too."
    what = sheet.missing or "Nobody looked at this sheet yet."
    return [Problem(what, "the sheet", columns, "a sheet that was matched", remedy), *values]


def _say(outcome: ImportOutcome, *, dry_run: bool) -> None:
    plan = outcome.plan
    would = "would land" if dry_run else "landed"
    click.echo(f"{plan.rows} rows: {len(plan.landing)} {would}, {plan.known} on record already, {len(plan.failing)} failing.")
    for line in _new(plan):
        click.echo(f"  {line}")
    for note in plan.notes:
        click.echo(f"  {note}")
    for left_out in outcome.uncounted:
        named = ", ".join(f"{value} {rows}" for value, rows in left_out.values.items() if value)
        click.echo(
            f"  in no number under today’s rules: {left_out.rows} rows, by {left_out.reason}{f' ({named})' if named else ''}"
        )
    problems = [one for row in plan.failing for one in row.problems]
    for problem in problems[:_LISTED]:
        click.echo(str(problem.of("reports")), err=True)
    if len(problems) > _LISTED:
        click.echo(f"and {len(problems) - _LISTED} more", err=True)


def _new(plan: ImportPlan) -> list[str]:
    """What the rows bring with them, a line a kind."""
    sources = sum(one.is_source for one in plan.informants.values())
    kinds = (
        ("communities", ", ".join(plan.communities)),
        ("holders", len(plan.informants) - sources),
        ("sources", sources),
        ("encounters", len(plan.encounters)),
        ("plants", len(plan.plants)),
        *beside_counts(plan).items(),
        ("languages", ", ".join(plan.languages)),
        ("codes", ", ".join(f"{key[0]} {term.label}" for key, term in plan.terms.items())),
    )
    return [f"new {kind}: {value}" for kind, value in kinds if value]
