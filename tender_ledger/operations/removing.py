"""What was made by mistake is taken back where nothing hangs on it: a plant, a name, an encounter, a holder never heard.

The number or code stays taken, and undo brings it again. Where something is recorded with it that the viewer may not see, the
refusal is the same.
"""

from typing import Any

from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Scope
from tender_ledger.operations.errors import NotFound, Refused
from tender_ledger.operations.saving import saving
from tender_ledger.storage.models import Encounter, Holder, LocalName, Plant
from tender_ledger.storage.models.base import StudyRecord
from tender_ledger.storage.queries import encounters, people, plants
from tender_ledger.storage.queries.hanging import something_hangs

_SENTENCES = {
    "plant": "Something is recorded with this plant, so it stays. Take that back first, or move it to another plant.",
    "local_name": "Somebody used this name, so it stays.",
    "encounter": "Something was told in this encounter, so it stays. Take that back first.",
    "holder": "This holder was met, taught somebody or answered questions, and so stays: N counts everybody asked.",
}


def remove_plant(scope: Scope, number: int, version: int) -> None:
    """Take a plant back that nothing was told or kept of; its names and determinations go with it."""
    scope.viewer.require(Right.RECORD)
    _remove(scope, Plant, "remove_plant", plants.plant(scope, number), version)


def remove_name(scope: Scope, name_id: int, version: int) -> int:
    """Take a local name back that nobody is recorded to have used; returns the number of its plant."""
    scope.viewer.require(Right.RECORD)
    found = plants.local_name(scope, name_id)
    _remove(scope, LocalName, "remove_name", found, version)
    return int((found or {})["plant"])


def remove_encounter(scope: Scope, number: int, version: int) -> None:
    """Take an encounter back in which nothing was told."""
    scope.viewer.require(Right.RECORD)
    _remove(scope, Encounter, "remove_encounter", encounters.encounter(scope, number), version)


def remove_holder(scope: Scope, code: str, version: int) -> None:
    """Take a holder back who was never met in an encounter; agreements stay on file with the code."""
    scope.viewer.require(Right.RECORD)
    found = people.holder(scope, code)
    _remove(scope, Holder, "remove_holder", found if found and found["shown"] else None, version)


def _remove(scope: Scope, model: type[StudyRecord], operation: str, found: dict[str, Any] | None, version: int) -> None:
    if found is None:
        raise NotFound(model.ENTITY)
    holder_id = found["id"] if model is Holder else None
    with saving(scope, operation) as writing:
        writing.remove(model, found["id"], version, holder_id=holder_id)
        if something_hangs(scope, model.ENTITY, found["id"]):  # after the lock, so that nothing is hung on it meanwhile
            raise Refused({"": _SENTENCES[model.ENTITY]})
