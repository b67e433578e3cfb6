"""`./ledger key`: the key under which real names are kept."""

import os

import click

from tender_ledger.launch.installation import with_database
from tender_ledger.launch.state import AlreadyRunning, StateFolder
from tender_ledger.operations.errors import Refused
from tender_ledger.operations.names_key import NamesKey
from tender_ledger.operations.people import change_names_key


@click.group()
def key() -> None:
    """Change the key under which real names are kept."""


@key.command("rotate")
def rotate_key() -> None:
    """Keep every real name under a new key; the application must not run meanwhile.

    The key of the state folder is replaced there. One that is set as TENDER_KEY is replaced by TENDER_NEXT_KEY, 32 bytes as
    URL-safe base64, which you then set as TENDER_KEY. Backups from before still need the old key.
    """
    state = StateFolder.of_project()
    given, following = os.environ.get("TENDER_KEY", ""), os.environ.get("TENDER_NEXT_KEY", "")
    if given and not following:
        raise Refused({"key": "The key is set as TENDER_KEY. Set the new one as TENDER_NEXT_KEY, then rotate."})
    try:
        held = state.lock()
    except AlreadyRunning as running:
        raise Refused({"key": f"The application runs at {running.address}. Stop it first: it holds the old key."}) from None
    with held, with_database():
        old, new = _key(given or state.secret("names")), _key(following if given else state.secret("names_next"))
        names = change_names_key(old, new)
        if not given:
            state.rename_secret("names_next", "names")
    click.echo(f"{names} names are kept under the key {new.key_id}.")


def _key(text: str) -> NamesKey:
    try:
        found = NamesKey.from_environment({"TENDER_KEY": text})
    except ValueError as error:
        raise Refused({"key": f"This is no key: {error}. It is 32 bytes as URL-safe base64."}) from None
    assert found is not None
    return found
