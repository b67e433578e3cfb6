"""`./ledger backup` and `./ledger restore`: the whole database out, and into an empty one."""

import os
from pathlib import Path

import click

from tender_ledger.launch.backup import back_up, restore
from tender_ledger.launch.installation import database_address, with_database
from tender_ledger.launch.state import StateFolder
from tender_ledger.operations.names_key import NamesKey

_FOLDER = click.Path(file_okay=False, path_type=Path)


@click.command("backup")
@click.argument("folder", type=_FOLDER, metavar="DIR")
def backup_database(folder: Path) -> None:
    """Write everything but the keys into DIR, a new or empty folder; who is working goes on.

    It holds what people told in confidence: keep it as you keep your notebooks, and keep the key for names apart from it.
    """
    with with_database():
        manifest = back_up(database_address(), folder)
    click.echo(f"{folder}: {sum(manifest.tables.values())} rows of {len(manifest.tables)} tables, as of {manifest.made_at}")
    if manifest.key_ids:
        click.echo(f"Real names in it need the key {', '.join(manifest.key_ids)} of this installation, which is not in it.")


@click.command("restore")
@click.argument("folder", type=_FOLDER, metavar="DIR")
def restore_database(folder: Path) -> None:
    """Bring the backup in DIR into this installation's database, which must be empty."""
    with with_database():
        manifest = restore(database_address(), folder, state=StateFolder.of_project().path)
    click.echo(f"{sum(manifest.tables.values())} rows of {len(manifest.tables)} tables are back, as of {manifest.made_at}.")
    key = NamesKey.from_environment({"TENDER_KEY": os.environ.get("TENDER_KEY") or StateFolder.of_project().secret("names")})
    if key and (other := [one for one in manifest.key_ids if one != key.key_id]):
        click.echo(
            f"Real names need the key {', '.join(other)}; this installation has {key.key_id}. Set TENDER_KEY to show them."
        )
