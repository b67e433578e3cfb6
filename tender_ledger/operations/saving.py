"""What every saving of a versioned form shares: one act, stale versions as conflicts, one record a client key."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager

from peewee import IntegrityError

from tender_ledger.core.terms import Scope
from tender_ledger.operations.errors import Conflict, NotFound, constraints_as_refusals
from tender_ledger.storage.database import value, violated_constraint
from tender_ledger.storage.history import ENTITIES, ActWriter, StaleVersion, act
from tender_ledger.storage.masking import mask_rows
from tender_ledger.storage.queries.reports import record_of_key


@contextmanager
def saving(scope: Scope, operation: str) -> Iterator[ActWriter]:
    """An act whose stale versions become Conflict and whose unknown records become NotFound."""
    try:
        with constraints_as_refusals(), act(scope.viewer, operation) as writing:
            yield writing
    except StaleVersion as stale:
        version = value(f"SELECT version FROM {ENTITIES[stale.entity]._meta.table_name} WHERE id = %(id)s", id=stale.record_id)
        current = dict(stale.current) if stale.current else None
        mask_rows([current] if current else [])
        raise Conflict(stale.entity, stale.record_id, current, version) from stale
    except LookupError as missing:
        raise NotFound(str(missing)) from missing


def made_once(scope: Scope, table: str, client_key: str | None, make: Callable[[], int]) -> int:
    """Make a record, or return the one that a form with the same key made: a repeated Enter or a retry makes no twin."""
    if client_key and (known := record_of_key(scope, client_key, table)):
        return known
    try:
        return make()
    except IntegrityError as error:
        known = record_of_key(scope, client_key, table) if client_key else None
        if known is None or violated_constraint(error) != f"{table}_client_key":
            raise
        return known
