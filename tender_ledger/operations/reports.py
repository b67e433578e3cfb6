"""Use reports: recorded as typed, corrected, taken back; and plants asked about without a use named."""

import re
import uuid
from dataclasses import replace
from itertools import zip_longest
from typing import Any

from tender_ledger.core.recognition import Choice
from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Scope
from tender_ledger.core.text import clean, fold
from tender_ledger.operations.drafts import clear_draft, draft_place
from tender_ledger.operations.errors import NotFound, Refused
from tender_ledger.operations.plants import write_attestation, write_name, write_plant
from tender_ledger.operations.saving import made_once, saving
from tender_ledger.operations.typed_report import Reading, TypedReport, informant_choices, plant_choices, read_values
from tender_ledger.storage.history import ActWriter, take_snapshot
from tender_ledger.storage.models import Asking, UseReport
from tender_ledger.storage.queries import encounters, plants, reports, studies
from tender_ledger.storage.queries.terms import refuses_record

NEW_PLANT = "+"
_FIELD_NUMBER = re.compile(r"\bP-?0*(\d+)$", re.I)


def record_report(scope: Scope, encounter_number: int, typed: TypedReport, client_key: str) -> int:
    """Record a report as typed; returns its id, the same for the same key. Clears the draft of the encounter.

    Several purposes, with a semicolon between them, are a report each, all else being the same, made by one act; the id is that
    of the first.

    Raises Refused with a sentence a field when something typed names nothing or two things; then nothing is saved.
    """
    scope.viewer.require(Right.RECORD)
    return made_once(scope, "use_report", client_key, lambda: _record_report(scope, encounter_number, typed, client_key))


def _record_report(scope: Scope, encounter_number: int, typed: TypedReport, client_key: str) -> int:
    encounter = _encounter(scope, encounter_number)
    reading = Reading(scope, typed, {})
    informant, holder_id = teller_of(reading, encounter)
    with saving(scope, "record_report") as writing:
        plant_id = _plant(reading, writing, encounter, informant, holder_id)
        made = []
        for key, purpose in zip_longest([client_key], purposes_of(typed)):
            values, children = read_values(replace(reading, typed=replace(typed, purpose=purpose)))
            if reading.errors or informant is None or plant_id is None:
                raise Refused(reading.errors)
            values |= {
                "encounter_id": encounter["id"],
                "informant_id": informant,
                "plant_id": plant_id,
                "recorded_by": scope.viewer.person_id,
                "client_key": key or str(uuid.uuid4()),
            }
            made.append(writing.create(UseReport, values, holder_id=holder_id, children=children))
            require_recordable(scope, made[-1])
        clear_draft(scope, draft_place(encounter_number))
        return made[0]


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
        plant_id = _plant(reading, writing, encounter, informant, holder_id)
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
    informant, holder_id = teller_of(reading, encounter)
    with saving(scope, "record_asking") as writing:
        plant_id = _plant(reading, writing, encounter, informant, holder_id)
        if reading.errors or informant is None or plant_id is None:
            raise Refused(reading.errors)
        values = {"encounter_id": encounter["id"], "informant_id": informant, "plant_id": plant_id,
                  "recorded_by": scope.viewer.person_id, "client_key": client_key}  # fmt: skip
        asking_id = writing.create(Asking, values, holder_id=holder_id)
        clear_draft(scope, draft_place(encounter_number))
        return asking_id


def _encounter(scope: Scope, number: int) -> dict[str, Any]:
    encounter = encounters.encounter(scope, number)
    if encounter is None:
        raise NotFound(f"encounter {number}")
    return encounter


def teller_of(reading: Reading, encounter: dict[str, Any]) -> tuple[int | None, int | None]:
    """The teller's informant and holder ids. One who is not shown is taken by the whole code alone, and named in no message."""
    text = clean(reading.typed.informant)
    if not text:
        reading.errors["informant"] = "Choose who told it."
        return None, None
    for one in encounters.tellers_not_shown(reading.scope, encounter["id"]):
        if fold(one["code"]) == fold(text):
            return one["informant_id"], one["holder_id"]
    present = encounters.present(reading.scope, encounter["id"])
    chosen = reading.one("informant", "teller here", lambda: informant_choices(present))
    if chosen is None:
        return None, None
    return chosen.key, next(one["holder_id"] for one in present if one["informant_id"] == chosen.key)


def _plant(reading: Reading, writing: ActWriter, encounter: dict[str, Any], informant: int | None,
           holder_id: int | None) -> int | None:  # fmt: skip
    """The plant that was typed: `+ name` makes a new one with that local name, told by the informant."""
    text = clean(reading.typed.plant)
    if not text:
        reading.errors["plant"] = "Choose the plant, or write + and the name that was told to make a new one."
        return None
    if text.startswith(NEW_PLANT):
        if not clean(text[1:]):
            reading.errors["plant"] = "Write the name that was told after the +."
            return None
        plant_id = write_plant(writing, reading.scope, told=True)
        name_id = write_name(writing, plant_id, clean(text[1:]), _language(reading, encounter), told=True)
        if informant is not None:
            write_attestation(writing, name_id, informant, encounter["id"], holder_id)
        return plant_id
    if number := _FIELD_NUMBER.search(text):
        known = plants.id_of_number(reading.scope, int(number[1]))
        if known is None:
            reading.errors["plant"] = f"The study has no plant {number[0]}."
        return known
    chosen = reading.one("plant", "plant", lambda: plant_choices(plants.plants(reading.scope)))
    if chosen is None and "can be" not in reading.errors.get("plant", ""):
        reading.errors["plant"] = f"No plant here is called “{text}”. To make a new one, write + {text}"
    return chosen.key if chosen else None


def _language(reading: Reading, encounter: dict[str, Any]) -> int | None:
    known = [Choice(one["id"], one["name"], one["code"]) for one in studies.languages(reading.scope)]
    chosen = reading.one("name_language", "language", lambda: known)
    return chosen.key if chosen else encounter["language_id"]
