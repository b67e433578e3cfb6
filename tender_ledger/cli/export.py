"""`./ledger export`: the open tables of a study."""

from pathlib import Path

import click

from tender_ledger.launch.installation import acting_scope, with_database
from tender_ledger.launch.state import write_private
from tender_ledger.operations.export import export_study


@click.command()
@click.option("--study", required=True, help="The code of the study.")
@click.option("--to", "folder", default=".", type=click.Path(file_okay=False, path_type=Path), help="Where the files go.")
@click.option("--as", "person", default="", help="The address of the person who exports; left out: the first owner.")
def export(study: str, folder: Path, person: str) -> None:
    """Write all tables and a notice of what they are not, within the terms of publication."""
    with with_database():
        files = export_study(acting_scope(study, person))
    folder.mkdir(parents=True, exist_ok=True)
    for name, data in files.items():
        write_private(folder / name, data)
        click.echo(f"{folder / name}: {len(data)} bytes")
