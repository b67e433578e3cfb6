"""What is told of plants beside their uses: properties, and what one plant is to another. Neither is ever counted."""

from collections.abc import Callable, Mapping
from typing import Any

from tender_ledger.core.recognition import Choice, Unrecognised
from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Scope
from tender_ledger.core.text import clean, whole_number
from tender_ledger.operations.errors import NotFound, Refused, required
from tender_ledger.operations.everyday_words import recognise_everyday
from tender_ledger.operations.saving import made_once, saving
from tender_ledger.operations.tellings import teller_of
from tender_ledger.operations.typed_report import Reading, TypedReport, plant_choices
from tender_ledger.operations.vocabularies import choices
from tender_ledger.storage.models import PlantLink, PropertyClaim
from tender_ledger.storage.models.base import StudyRecord
from tender_ledger.storage.queries import encounters, plants, told


def claim_property(scope: Scope, number: int, said: Mapping[str, str], client_key: str | None = None) -> int:
    """Record what somebody told of a plant's property: encounter (its number), informant, property, part, basis, words."""
    scope.viewer.require(Right.RECORD)
    plant, telling = _plant(scope, number), _telling(scope, said)
    values = {**telling, "plant_id": plant["id"], "property": required(said.get("property"), "property", "The property"),
              "part_id": _term(scope, said, "part"), "basis_id": _term(scope, said, "basis") or _unstated(scope)}  # fmt: skip
    return _kept(scope, PropertyClaim, "claim_property", values, client_key)


def remove_claim(scope: Scope, claim_id: int, version: int) -> int:
    """Take a property back; returns the number of its plant."""
    scope.viewer.require(Right.RECORD)
    found = told.claims(scope, claim_id=claim_id)
    return _taken_back(scope, PropertyClaim, "remove_claim", found, version)


def link_plants(scope: Scope, number: int, said: Mapping[str, str], client_key: str | None = None) -> int:
    """Record what somebody told that a plant is to another: encounter, informant, kind (LINKS), other (a plant), words."""
    scope.viewer.require(Right.RECORD)
    plant, telling = _plant(scope, number), _telling(scope, said)
    text = required(said.get("other"), "other", "The other plant")
    other = _recognised("other", text, lambda: plant_choices(plants.plants(scope)), "plant")
    values = {**telling, "plant_id": plant["id"], "other_id": other, "kind": clean(said.get("kind"))}
    return _kept(scope, PlantLink, "link_plants", values, client_key)


def unlink_plants(scope: Scope, link_id: int, version: int) -> int:
    """Take a link back; returns the number of its first plant."""
    scope.viewer.require(Right.RECORD)
    return _taken_back(scope, PlantLink, "unlink_plants", told.links(scope, link_id=link_id), version)


def _plant(scope: Scope, number: int) -> dict[str, Any]:
    plant = plants.plant(scope, number)
    if plant is None:
        raise NotFound(f"plant {number}")
    return plant


def _telling(scope: Scope, said: Mapping[str, str]) -> dict[str, Any]:
    """Who told it where: the encounter by its number, and somebody who told there."""
    number = whole_number(said.get("encounter"))
    encounter = encounters.encounter(scope, number) if number is not None else None
    if encounter is None:
        raise Refused({"encounter": "Choose the encounter in which it was told."})
    reading = Reading(scope, TypedReport(informant=said.get("informant", "")), {})
    informant, holder = teller_of(reading, encounter)
    if informant is None:
        raise Refused(reading.errors)
    return {"encounter_id": encounter["id"], "informant_id": informant, "words": clean(said.get("words")), "holder": holder}


def _term(scope: Scope, said: Mapping[str, str], kind: str) -> int | None:
    text = clean(said.get(kind))
    return _recognised(kind, text, lambda: choices(scope.study_id, kind), kind) if text else None


def _unstated(scope: Scope) -> int:
    return next(one.key for one in choices(scope.study_id, "basis") if one.code == "unstated")


def _recognised(field: str, text: str, known: Callable[[], list[Choice]], kind: str) -> int:
    try:
        return recognise_everyday(text, kind, known()).key
    except Unrecognised as unknown:
        raise Refused({field: f"{unknown.problem.what} {unknown.problem.remedy}".strip()}) from unknown


def _kept(scope: Scope, model: type[StudyRecord], operation: str, values: Mapping[str, Any], client_key: str | None) -> int:
    columns = {key: value for key, value in values.items() if key != "holder"}

    def make() -> int:
        with saving(scope, operation) as writing:
            return writing.create(
                model, {**columns, "recorded_by": scope.viewer.person_id, "client_key": client_key}, holder_id=values["holder"]
            )

    return made_once(scope, model.ENTITY, client_key, make)


def _taken_back(scope: Scope, model: type[StudyRecord], operation: str, found: list[dict[str, Any]], version: int) -> int:
    if not found:
        raise NotFound(model.ENTITY)
    with saving(scope, operation) as writing:
        writing.remove(model, found[0]["id"], version, holder_id=found[0]["holder_id"])
    return int(found[0]["plant"])
