"""What every saving of a versioned form shares: one act, stale versions as conflicts, one record a client key."""

from collections.abc import Iterator
from contextlib import contextmanager

from tender_ledger.core.terms import Scope
from tender_ledger.operations.errors import Conflict, NotFound, constraints_as_refusals
from tender_ledger.storage.database import value
from tender_ledger.storage.history import ENTITIES, ActWriter, StaleVersion, act
from tender_ledger.storage.queries.reports import reports_of_key


@contextmanager
def saving(scope: Scope, operation: str) -> Iterator[ActWriter]:
    """An act whose stale versions become Conflict and whose unknown records become NotFound."""
    try:
        with constraints_as_refusals(), act(scope.viewer, operation) as writing:
            yield writing
    except StaleVersion as stale:
        version = value(f"SELECT version FROM {ENTITIES[stale.entity]._meta.table_name} WHERE id = %(id)s", id=stale.record_id)
        raise Conflict(stale.entity, stale.record_id, stale.current, version) from stale
    except LookupError as missing:
        raise NotFound(str(missing)) from missing


def made_already(scope: Scope, table: str, client_key: str | None) -> int | None:
    """The record that this form made the first time it was sent, if it was sent before."""
    return reports_of_key(scope, client_key, table) if client_key else None
