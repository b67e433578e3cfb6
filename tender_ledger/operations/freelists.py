"""Free lists: what somebody named when asked for all the plants they know of, kept in its order."""

from collections.abc import Mapping
from typing import Any

from tender_ledger.core.freelists import Entered, KnownName, enter_list
from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Scope
from tender_ledger.core.text import clean
from tender_ledger.operations.encounters import next_number
from tender_ledger.operations.errors import NotFound, Refused, number_of, required
from tender_ledger.operations.plants import write_attestation, write_name
from tender_ledger.operations.saving import made_once, saving
from tender_ledger.storage.history import ActWriter
from tender_ledger.storage.models import FreeList, Plant
from tender_ledger.storage.queries import encounters, freelists, plants, terms

NEW, NOBODY = "+", "-"  # what may stand for a plant: a new one under this name, or none


def look_at_list(scope: Scope, text: str) -> list[Entered]:
    """A list as it would be entered: order, names that stand twice, and the plants of the study that bear them."""
    known = [KnownName(plant["number"], name["name"]) for plant in plants.plants(scope) for name in plant["names"]]
    try:
        return enter_list(text, known)
    except ValueError as too_long:
        raise Refused({"text": f"This is {too_long}. Enter it in parts."}) from None


def keep_list(scope: Scope, encounter_number: int, *, informant: str, text: str, chosen: Mapping[int, str] | None = None,
              client_key: str | None = None) -> int:  # fmt: skip
    """Keep a list of somebody who told in an encounter, by their code; returns its id. Who may be recorded and not shown is taken
    by the whole code, as at the desk.

    `chosen` says of a position which plant is meant: its number, NEW, or NOBODY; where it says nothing, a name of one plant
    means that plant and any other name none. A name that means a plant is kept as used by its teller.
    """
    scope.viewer.require(Right.RECORD)
    encounter = encounters.encounter(scope, encounter_number)
    if encounter is None:
        raise NotFound(f"encounter {encounter_number}")
    teller = _teller(scope, encounter, informant)
    entered = look_at_list(scope, text)
    if not entered:
        raise Refused({"text": "Nothing is named. Write one name a line, in the order in which they were named."})

    def make() -> int:
        with saving(scope, "keep_list") as writing:
            meant = [(one, _plant(scope, writing, one, chosen or {})) for one in entered]
            items = [{"position": one.position, "name": one.name, "plant_id": plant} for one, plant in meant]
            values = {"encounter_id": encounter["id"], "informant_id": teller["informant_id"], "client_key": client_key}
            made = writing.create(FreeList, values, holder_id=teller["holder_id"], children={"items": items})
            for one, plant in meant:
                if plant is not None:
                    name_id = write_name(writing, plant, one.name, encounter["language_id"], told=True)
                    write_attestation(writing, name_id, teller["informant_id"], encounter["id"], teller["holder_id"])
            return made

    return made_once(scope, "free_list", client_key, make)


def take_list_back(scope: Scope, list_id: int, version: int) -> int:
    """Take a list back, its names and plants stay; undo brings it again. Returns the number of its encounter."""
    scope.viewer.require(Right.RECORD)
    found = freelists.free_list(scope, list_id)
    if found is None:
        raise NotFound(f"list {list_id}")
    with saving(scope, "take_list_back") as writing:
        writing.remove(FreeList, list_id, version, holder_id=found["holder_id"])
    return int(found["encounter"])


def _teller(scope: Scope, encounter: Mapping[str, Any], informant: str) -> dict[str, Any]:
    code = required(informant, "informant", "Who named them").upper()
    told = [one for one in encounters.present(scope, encounter["id"]) if one["part"] == "teller"]
    told += encounters.tellers_not_shown(scope, encounter["id"])
    found = next((one for one in told if one["code"] == code), None)
    if found is None or not terms.may_record(scope, found["informant_id"]):
        raise Refused({"informant": f"“{code}” told nothing here, or may not be recorded. Write the code of somebody who did."})
    return found


def _plant(scope: Scope, writing: ActWriter, one: Entered, chosen: Mapping[int, str]) -> int | None:
    """The plant that a line means, a new one where that was chosen."""
    said = clean(chosen.get(one.position, ""))
    if said == NEW:
        return writing.create(Plant, {"number": next_number(scope, "plant"), "told": True})
    if said == NOBODY or (not said and len(one.plants) != 1):
        return None
    number = number_of(
        said.removeprefix("P-") or one.plants[0], "text", f"Line {one.position}: choose one of the plants offered."
    )
    found = plants.id_of_number(scope, number)
    if found is None:
        raise Refused({"text": f"Line {one.position}: the study has no plant P-{number:03d}. Choose another, or none."})
    return found
