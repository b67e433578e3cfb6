"""Use reports: recorded as typed, corrected, taken back; and plants asked about without a use named."""

import uuid
from dataclasses import replace
from typing import Any

from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Scope
from tender_ledger.core.text import clean
from tender_ledger.operations.drafts import clear_draft, draft_place
from tender_ledger.operations.errors import NotFound, Refused
from tender_ledger.operations.saving import made_once, saving
from tender_ledger.operations.tellings import Telling, plant_of, read_telling, remedy_of, teller_of, write_beside
from tender_ledger.operations.told_in_full import NOTHING_MORE, FullReading, ToldInFull
from tender_ledger.operations.typed_report import Reading, TypedReport, read_values
from tender_ledger.storage.database import value
from tender_ledger.storage.history import take_snapshot
from tender_ledger.storage.models import Asking, UseReport
from tender_ledger.storage.queries import encounters, reports, studies
from tender_ledger.storage.queries.reports import record_of_key
from tender_ledger.storage.queries.terms import refuses_record


def record_report(scope: Scope, encounter_number: int, typed: TypedReport, client_key: str,
                  more: ToldInFull = NOTHING_MORE) -> int:  # fmt: skip
    """Record a report as typed, with `more` that was told beside its line; returns its id, the same for the same key. Clears the
    draft of the encounter.

    Several purposes, with a semicolon between them, are a report each, and so is each other plant of the remedy, all else being
    the same, made by one act; the id is that of the first.

    Raises Refused with a sentence a field when something typed names nothing or two things; then nothing is saved.
    """
    scope.viewer.require(Right.RECORD)
    return made_once(scope, "use_report", client_key, lambda: _record_report(scope, encounter_number, typed, client_key, more))


def _record_report(scope: Scope, encounter_number: int, typed: TypedReport, client_key: str, more: ToldInFull) -> int:
    encounter = _encounter(scope, encounter_number)
    reading = Reading(scope, typed, {})
    with saving(scope, "record_report") as writing:
        telling = read_telling(reading, writing, encounter)
        beside = FullReading(scope, more)
        beside_values = beside.values()
        remedy = remedy_of(beside, reading, writing, telling, encounter, beside_values["mixture"])
        keys = iter([client_key])
        made = []
        for purpose in purposes_of(typed):
            values, line = read_values(replace(reading, typed=replace(typed, purpose=purpose)))
            children = beside.children(line)
            if errors := {**beside.errors, **reading.errors}:
                raise Refused(errors)
            for plant in remedy:
                record = {
                    **values,
                    **beside_values,
                    **telling.columns(),
                    **plant.columns,
                    "client_key": next(keys, str(uuid.uuid4())),
                }
                rows = children if plant.parts is None else {**children, "parts": plant.parts}
                made.append(writing.create(UseReport, record, holder_id=telling.holder_id, children=rows))
                require_recordable(scope, made[-1])
        write_beside(writing, reading, beside, telling, encounter)
        if beside.errors:
            raise Refused(beside.errors)
        clear_draft(scope, draft_place(encounter_number))
        return made[0]


def record_beside(scope: Scope, encounter_number: int, typed: TypedReport, client_key: str, more: ToldInFull) -> int:
    """Record a property, a link or one more name of a plant, told without a use; returns the number of the plant. Clears the
    draft. The same key twice records once."""
    scope.viewer.require(Right.RECORD)
    encounter = _encounter(scope, encounter_number)
    reading, beside = Reading(scope, typed, {}), FullReading(scope, more)
    known = any(record_of_key(scope, client_key, table) for table in ("property_claim", "plant_link"))
    with saving(scope, "record_beside") as writing:
        telling = read_telling(reading, writing, encounter)
        if not known:
            write_beside(writing, reading, beside, telling, encounter, client_key=client_key)
        if errors := {**beside.errors, **reading.errors}:
            raise Refused(errors)
        clear_draft(scope, draft_place(encounter_number))
        return int(value("SELECT number FROM plant WHERE id = %(id)s", id=telling.plant_id))


def purposes_of(typed: TypedReport) -> list[str]:
    """The purposes that stand in the slot, parted by semicolons, each once; an empty one where there is none."""
    return list(dict.fromkeys(clean(one) for one in typed.purpose.split(";") if clean(one))) or [""]


def require_recordable(scope: Scope, report_id: int) -> None:
    """Refuse what the teller agreed not to have recorded; which it is shows only once it is coded, so it is asked last."""
    if refuses_record(scope, report_id):
        sentence = (
            "The teller’s agreement leaves uses of this category, or this plant, out of what may be recorded. Nothing was saved."
        )
        raise Refused({"category": sentence})


def correct_report(scope: Scope, report_id: int, version: int, typed: TypedReport) -> None:
    """Correct a report that was seen at `version`. Raises Conflict with what stands now if somebody saved meanwhile."""
    scope.viewer.require(Right.RECORD)
    found = reports.report(scope, report_id)
    if found is None:
        raise NotFound(f"report {report_id}")
    encounter = _encounter(scope, found["encounter"])
    reading = Reading(scope, typed, {})
    informant, holder_id = teller_of(reading, encounter)
    with saving(scope, "correct_report") as writing:
        plant_id = plant_of(reading, writing, encounter, informant, holder_id)
        values, children = read_values(reading, found["component"])
        children = _kept_beside(reading, found, children)
        if reading.errors or informant is None or plant_id is None:
            raise Refused(reading.errors)
        values |= {"informant_id": informant, "plant_id": plant_id}
        writing.update(UseReport, report_id, version, values, holder_id=holder_id, children=children)
        require_recordable(scope, report_id)


def _kept_beside(reading: Reading, found: dict[str, Any], children: dict[str, list[dict[str, Any]]]) -> dict[str, list[Any]]:
    """The rows of a report after its line was corrected: what a line does not show stays.

    That is codes of other schemes and further codes, and several components, which a line cannot tell apart.
    """
    state = take_snapshot(UseReport, found["id"])
    assert state is not None
    scheme = studies.study(reading.scope)["scheme"]
    typed = {one["category_id"] for one in children["codings"]}
    further = [one for one in state["codings"] if one["scheme"] != scheme or not one["is_primary"]]
    codings = [*children["codings"], *(one for one in further if one["scheme"] != scheme or one["category_id"] not in typed)]
    kept = {**children, "codings": codings}
    names = ("parts", "methods", "applications")
    if len({one["component"] for name in names for one in state[name]}) > 1:
        for name in names:
            kept[name] = state[name]
            if clean(getattr(reading.typed, name)) != ", ".join(found[name]):
                reading.errors[name] = "The remedy has several components. Correct them where the report stands in full."
    return kept


def remove_report(scope: Scope, report_id: int, version: int) -> None:
    """Take a report back; it leaves every count and can be brought back by undoing this act."""
    scope.viewer.require(Right.RECORD)
    found = reports.report(scope, report_id)
    if found is None:
        raise NotFound(f"report {report_id}")
    with saving(scope, "remove_report") as writing:
        writing.remove(UseReport, report_id, version, holder_id=found["holder_id"])


def record_asking(scope: Scope, encounter_number: int, typed: TypedReport, client_key: str) -> int:
    """Record that a holder was asked about a plant and named no use; only holder and plant are read."""
    scope.viewer.require(Right.RECORD)
    return made_once(scope, "asking", client_key, lambda: _record_asking(scope, encounter_number, typed, client_key))


def _record_asking(scope: Scope, encounter_number: int, typed: TypedReport, client_key: str) -> int:
    encounter = _encounter(scope, encounter_number)
    reading = Reading(scope, typed, {})
    with saving(scope, "record_asking") as writing:
        informant, holder_id = teller_of(reading, encounter)
        plant_id = plant_of(reading, writing, encounter, informant, holder_id)
        if reading.errors or informant is None or plant_id is None:
            raise Refused(reading.errors)
        telling = Telling(encounter["id"], informant, holder_id, plant_id, scope.viewer.person_id)
        asking_id = writing.create(Asking, {**telling.columns(), "client_key": client_key}, holder_id=holder_id)
        clear_draft(scope, draft_place(encounter_number))
        return asking_id


def _encounter(scope: Scope, number: int) -> dict[str, Any]:
    encounter = encounters.encounter(scope, number)
    if encounter is None:
        raise NotFound(f"encounter {number}")
    return encounter
