"""Undo: a new act that puts back what was before, all of it or nothing."""

from collections.abc import Iterator
from contextlib import contextmanager
from itertools import groupby
from typing import Any

from peewee import IntegrityError

from tender_ledger.core.terms import Scope
from tender_ledger.operations.errors import CannotUndo, NotFound
from tender_ledger.operations.undo_rights import require_terms, require_undo
from tender_ledger.storage.database import SENTENCES, violated_constraint
from tender_ledger.storage.history import ENTITIES, ActWriter, act, take_snapshots
from tender_ledger.storage.models import Consent, Encounter, ImportBatch
from tender_ledger.storage.queries import acts, imports, results, studies

_NAMED = 5  # so many records are named where an act cannot be undone


def undo_act(scope: Scope, act_id: int) -> None:
    """Undo an act of the study, within the rights that its changes would ask if made directly.

    Raises CannotUndo, changing nothing, when it was undone already, when a record moved on since (saying by whom), when
    hiding a record would leave others pointing at nothing, or when terms of today keep something from being recorded.
    """
    if not acts.may_know(scope, act_id):
        raise NotFound(f"act {act_id}")
    changes = acts.act_changes(scope, act_id)
    if not changes:
        raise CannotUndo("What this act did was erased, and what is erased does not come back.")
    require_undo(scope, acts.chain_of_undos(scope, act_id), changes)
    if changes[0]["undone_by"]:
        raise CannotUndo("This act was undone already.")
    if batches := [one["record_id"] for one in changes if one["entity"] == ImportBatch.ENTITY and _kind(one) == "hidden"]:
        _require_rows_not_in_again(batches)
    with _place_taken(), act(scope.viewer, "undo_act", undoes=act_id) as writing:
        _require_still_as_left(scope, act_id, changes)
        _hide_as_made(writing, act_id, changes)
        others = (change for change in changes if not change["as_made"])
        for entity, run in groupby(others, key=lambda change: (change["entity"], _kind(change))):
            _put_back(writing, entity[0], list(run))
        _require_nobody_points_at_nothing(changes)
        require_terms(scope, act_id, changes)
    if any(change["entity"] == Consent.ENTITY for change in changes):
        results.forget(scope)


@contextmanager
def _place_taken() -> Iterator[None]:
    """Say in words why a record cannot come back, or go: another has its code by now, or something needs it."""
    try:
        yield
    except IntegrityError as error:
        if violated_constraint(error) not in SENTENCES:
            raise
        sentence = SENTENCES[violated_constraint(error)][1]
        raise CannotUndo(f"It cannot be put back as things stand. {sentence} Nothing was undone.") from None


def _kind(change: dict[str, Any]) -> str:
    return "made" if change["before"] is None else "hidden" if change["after"] is None else "changed"


def _hide_as_made(writing: ActWriter, act_id: int, changes: list[dict[str, Any]]) -> None:
    """Hide what the act made and nobody touched since, kind by kind; however much it is, it stays in the database."""
    made: dict[str, list[int]] = {}
    touched: dict[str, list[int]] = {}
    for change in changes:
        if change["before"] is None:
            (made if change["as_made"] else touched).setdefault(change["entity"], []).append(change["record_id"])
    for entity, ids in made.items():
        if not writing.hide_untouched(entity, act_id, ids, touched.get(entity, [])):
            raise CannotUndo("A record was changed while this was undone. Nothing was undone; load the page again.")


def _put_back(writing: ActWriter, entity: str, changes: list[dict[str, Any]]) -> None:
    """Put back a run of like changes of one kind of record, at once where that can be done."""
    holders = {change["record_id"]: change["holder_id"] for change in changes}
    kind = _kind(changes[0])
    if kind == "made":
        writing.hide_many(entity, {change["record_id"]: change["after"] for change in changes}, holders)
    elif kind == "hidden":
        writing.show_many(entity, {change["record_id"]: change["before"] for change in changes}, holders)
    else:
        for change in changes:
            before = _with_those_who_told(change) if entity == Encounter.ENTITY else change["before"]
            writing.restore(entity, change["record_id"], before, change["holder_id"])


def _with_those_who_told(change: dict[str, Any]) -> dict[str, Any]:
    """An encounter as it was before, with everybody whom a hidden record still points at, as somebody who was present."""
    before: dict[str, Any] = change["before"]
    there = {one["informant_id"] for one in before["informants"]}
    more = [one for one in imports.informants_of_records(change["record_id"]) if one not in there]
    everybody = before["informants"] + [{"informant_id": one, "part": "present"} for one in more]
    return before | {"informants": sorted(everybody, key=lambda one: int(one["informant_id"]))}


def _require_still_as_left(scope: Scope, act_id: int, changes: list[dict[str, Any]]) -> None:
    """Raise CannotUndo, naming records and people, where a record is not any more as the act left it."""
    moved: list[tuple[str, int]] = []
    others = [change for change in changes if not change["as_made"]]  # the rest is known to be as it was made
    for entity, of_kind in groupby(sorted(others, key=lambda change: str(change["entity"])), key=lambda c: c["entity"]):
        left = {change["record_id"]: change["after"] for change in of_kind}
        now = take_snapshots(ENTITIES[entity], left)
        moved += [(entity, number) for number, after in left.items() if now.get(number) != after]
    if not moved:
        return
    people = sorted({name for entity, number in moved[:_NAMED] for name in acts.later_writers(scope, act_id, entity, number)})
    which = ", ".join(f"{entity.replace('_', ' ')} {number}" for entity, number in sorted(moved)[:_NAMED])
    more = f" and {len(moved) - _NAMED} more" if len(moved) > _NAMED else ""
    what = "The record was changed since" if len(changes) == 1 else f"Changed since: {which}{more}"
    raise CannotUndo(f"{what}, by {' and '.join(people) or 'somebody'}. Nothing was undone; undo the later act first.")


def _require_nobody_points_at_nothing(changes: list[dict[str, Any]]) -> None:
    for entity in dict.fromkeys(change["entity"] for change in changes):
        made = [change["record_id"] for change in changes if change["entity"] == entity and change["before"] is None]
        if made and studies.live_dependents(entity, made):
            raise CannotUndo("Other records point at what this act made. Undo or correct those first.")


def _require_rows_not_in_again(batches: list[int]) -> None:
    if imports.rows_taken_over(batches):
        raise CannotUndo("Rows of this import came in again with a later one. Undo that one first.")
