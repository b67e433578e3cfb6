"""Undo: a new act that puts back what was before, all of it or nothing."""

from typing import Any

from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Scope
from tender_ledger.operations.errors import CannotUndo, NotFound
from tender_ledger.storage.history import ENTITIES, act, take_snapshot
from tender_ledger.storage.queries import studies
from tender_ledger.storage.queries.terms import sees_agreements

_NEEDS_AGREE = frozenset({"record_agreement", "withdraw_agreement"})


def undo_act(scope: Scope, act_id: int) -> None:
    """Undo an act of the study. Whoever did it may undo it; other people's acts need their own right.

    Raises CannotUndo, changing nothing, when it was undone already, when a record moved on since (saying by whom), or
    when hiding a record would leave others pointing at nothing.
    """
    changes = studies.act_changes(scope, act_id)
    if not changes:
        raise NotFound(f"act {act_id}")
    first = changes[0]
    scope.viewer.require(Right.RECORD if first["person_id"] == scope.viewer.person_id else Right.UNDO_OTHERS)
    if first["operation"] in _NEEDS_AGREE and not sees_agreements(scope):
        scope.viewer.require(Right.AGREE)
    if first["operation"] == "set_rules":
        scope.viewer.require(Right.SET_RULES)
    if first["operation"] == "create_study":
        raise CannotUndo("A study that was set up stays set up.")
    if first["undone_by"]:
        raise CannotUndo("This act was undone already.")
    with act(scope.viewer, "undo_act", undoes=act_id) as writing:
        for change in changes:
            _still_as_left(scope, act_id, change)
            writing.restore(change["entity"], change["record_id"], change["before"], change["holder_id"])
            if change["before"] is None and studies.live_dependents(change["entity"], change["record_id"]):
                raise CannotUndo("Other records point at what this act made. Undo or correct those first.")


def _still_as_left(scope: Scope, act_id: int, change: dict[str, Any]) -> None:
    now = take_snapshot(ENTITIES[change["entity"]], change["record_id"])
    if now != change["after"]:
        by = studies.later_writers(scope, act_id, change["entity"], change["record_id"])
        raise CannotUndo(
            f"The record was changed since, by {' and '.join(by) or 'somebody'}. Nothing was undone; undo the later act first."
        )
