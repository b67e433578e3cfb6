"""`./ledger backup` and `./ledger restore`: the whole database out, and into an empty one."""

import os
from datetime import datetime
from pathlib import Path

import click

from tender_ledger.launch.backup import back_up, restore
from tender_ledger.launch.erasures import erase_again, read_list, write_list
from tender_ledger.launch.installation import database_address, schema_owner_address, with_database
from tender_ledger.launch.state import StateFolder
from tender_ledger.operations.names_key import NamesKey
from tender_ledger.storage.queries import erasures

_FOLDER = click.Path(file_okay=False, path_type=Path)


_WAITS = """No list of erasures was found that reaches beyond this backup: nothing says whether somebody was erased since.
Nobody is served until that is settled:
  ./ledger erasures --list FILE    brings erasures.json of the installation or of a later backup, and erases again
  ./ledger erasures --confirm      says that nobody was erased since the last erasure known of"""


@click.command("erasures")
@click.option("--list", "file", type=click.Path(exists=True, dir_okay=False, path_type=Path), help="A further erasures.json.")
@click.option("--confirm", is_flag=True, help="Say that nobody was erased since; from then on people are served.")
def known_erasures(file: Path | None, confirm: bool) -> None:
    """Say which erasures this database has heard of, bring a further list, or confirm that there were no others."""
    with with_database():
        if file:
            click.echo(f"Erased again: {erase_again([read_list(file)])}.")
        if file or confirm:
            erasures.confirm()
            write_list(StateFolder.of_project().path)
        known, waits = erasures.last_known(), erasures.waits()
    _say_what_is_known(known["number"], known["last"])
    click.echo(_WAITS if waits else "People are served.")


def _say_what_is_known(number: int, last: datetime | None) -> None:
    until = f", the last on {last:%-d %B %Y at %H:%M} UTC" if last else ""
    click.echo(f"Erasures known of in this database: {number}{until}.")


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
        restored = restore(folder, owner_url=schema_owner_address(), state=StateFolder.of_project().path)
    manifest = restored.manifest
    click.echo(f"{sum(manifest.tables.values())} rows of {len(manifest.tables)} tables are back, as of {manifest.made_at}.")
    _say_what_is_known(restored.known, restored.last)
    if restored.erased_again:
        click.echo(f"Erased again, since the backup is of a time before: {restored.erased_again}.")
    if restored.waits:
        click.echo(_WAITS)
    key = NamesKey.from_environment({"TENDER_KEY": os.environ.get("TENDER_KEY") or StateFolder.of_project().secret("names")})
    if key and (other := [one for one in manifest.key_ids if one != key.key_id]):
        click.echo(
            f"Real names need the key {', '.join(other)}; this installation has {key.key_id}. Set TENDER_KEY to show them."
        )
