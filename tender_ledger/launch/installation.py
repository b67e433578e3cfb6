"""This installation's database for a command, and the person in whose name the command acts."""

import os
from collections.abc import Iterator
from contextlib import contextmanager

from tender_ledger.core.terms import Member, Scope
from tender_ledger.core.text import fold
from tender_ledger.launch.cluster import own_cluster
from tender_ledger.launch.state import StateFolder
from tender_ledger.operations import clock
from tender_ledger.storage.database import configure, connected, database
from tender_ledger.storage.masking import mask_for
from tender_ledger.storage.queries import accounts


@contextmanager
def with_database() -> Iterator[None]:
    """The database of DATABASE_URL, else of the own cluster; a cluster that was not running is stopped again at the end."""
    url = os.environ.get("DATABASE_URL")
    if url:
        configure(url)
        with connected():
            yield
        return
    cluster, _ = own_cluster(StateFolder.of_project())
    ran = cluster.alive()
    cluster.ensure_running()
    try:
        configure(cluster.url())
        with connected():
            yield
    finally:
        if not ran:
            cluster.stop()


def database_address() -> str:
    """The address of the database that `with_database` has opened, with its password."""
    return str(database.obj.database)


def schema_owner_address() -> str:
    """The address of that database for the role that owns its schema; "" where it is the same."""
    if os.environ.get("DATABASE_URL"):
        return os.environ.get("MIGRATIONS_URL", "")
    cluster, _ = own_cluster(StateFolder.of_project())
    cluster.adopt()
    return cluster.owner_url()


def acting_scope(study: str, email: str) -> Scope:
    """What the person in whose name a command acts is shown today; from here on no text names a sealed holder."""
    scope = clock.scope_of(acting_member(study, email))
    mask_for(scope)
    return scope


def acting_member(study: str, email: str) -> Member:
    """The member in whose name a command acts: the one named, else the study's first owner. Raises LookupError for neither."""
    if email:
        person = accounts.person_by_email(fold(email))
        person_id = person["id"] if person else None
    else:
        person_id = accounts.first_owner(study)
    member = accounts.member_of(person_id, study) if person_id else None
    if member is None:
        who = f"{email} is no member of it" if email else "it has no owner"
        raise LookupError(f"There is no study {study} here, or {who}. Check the code and the address.")
    return member
