"""Specimens: vouchers of plants, by collector and number."""

from collections.abc import Collection, Mapping
from typing import Any

from tender_ledger.core.days import parse_day
from tender_ledger.core.messages import InputRefused
from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Purpose, Scope
from tender_ledger.core.text import clean
from tender_ledger.operations.errors import NotFound, Refused, constraints_as_refusals, required
from tender_ledger.operations.plants import stage_of
from tender_ledger.operations.saving import saving
from tender_ledger.storage.history import act
from tender_ledger.storage.models import Specimen
from tender_ledger.storage.queries import plants, specimens

MOST_LABELS = 200


def add_specimen(scope: Scope, number: int, values: Mapping[str, Any]) -> int:
    """Record a specimen of a plant: collector, number (the collector's own), day (as typed, may be open), place, stage_id,
    herbarium, duplicates (where others of the gathering lie). Returns its id."""
    scope.viewer.require(Right.RECORD)
    plant = plants.plant(scope, number)
    if plant is None:
        raise NotFound(f"plant {number}")
    record = {"plant_id": plant["id"], **_record(scope, values)}
    with constraints_as_refusals(), act(scope.viewer, "add_specimen") as writing:
        return writing.create(Specimen, record)


def correct_specimen(scope: Scope, specimen_id: int, version: int, values: Mapping[str, Any]) -> int:
    """Correct a specimen; returns the number of its plant."""
    scope.viewer.require(Right.RECORD)
    found = _found(scope, specimen_id)
    with saving(scope, "correct_specimen") as writing:
        writing.update(Specimen, specimen_id, version, _record(scope, values))
    return int(found["plant"])


def remove_specimen(scope: Scope, specimen_id: int, version: int) -> int:
    """Take a specimen back; undo brings it again. Returns the number of its plant."""
    scope.viewer.require(Right.RECORD)
    found = _found(scope, specimen_id)
    with saving(scope, "remove_specimen") as writing:
        writing.remove(Specimen, specimen_id, version)
    return int(found["plant"])


def specimen_labels(scope: Scope, chosen: Collection[int]) -> list[dict[str, Any]]:
    """What stands on the labels of the chosen specimens, by collector and number: the specimen's own columns, `met` (its
    plant) and `told` (its local names with their languages).

    A label goes out with the specimen, so a name stands on it only where it may be published as spoken. Refused where none is
    chosen, or more than a sheet holds at once.
    """
    scope.viewer.require(Right.RECORD)
    found = [one for one in specimens.specimens(scope) if one["id"] in chosen]
    if not found:
        raise Refused({"chosen": "Choose the specimens that need a label."})
    if len(found) > MOST_LABELS:
        raise Refused({"chosen": f"{len(found)} specimens are chosen. Print at most {MOST_LABELS} at once."})
    met = {one["number"]: one for one in plants.plants(scope)}
    names = plants.quotable_names(scope.for_purpose(Purpose.PUBLISHED))
    return [{**one, "met": met[one["plant"]], "told": names.get(met[one["plant"]]["id"], [])} for one in found]


def _found(scope: Scope, specimen_id: int) -> dict[str, Any]:
    found = specimens.specimen(scope, specimen_id)
    if found is None:
        raise NotFound(f"specimen {specimen_id}")
    return found


def _record(scope: Scope, values: Mapping[str, Any]) -> dict[str, Any]:
    said = clean(values.get("day"))
    try:
        day = parse_day(said, "day") if said else None
    except InputRefused as refused:
        raise Refused({"day": str(refused.problems[0])}) from refused
    return {
        "collector": required(values.get("collector"), "collector", "The collector"),
        "number": required(values.get("number"), "number", "The collector’s number"),
        "day_from": day.first if day else None,
        "day_to": day.last if day else None,
        "approximate": bool(day and day.approximate),
        "stage_id": stage_of(scope, values.get("stage_id")),
        **{name: clean(values.get(name)) for name in ("place", "herbarium", "duplicates")},
    }
