"""What is told in an encounter: by whom, of which plant, and what comes with it: a remedy of several plants, a property, a link
to another plant, one more name."""

import re
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from tender_ledger.core.recognition import Choice, Unrecognised
from tender_ledger.core.terms import Scope
from tender_ledger.core.text import clean, fold
from tender_ledger.operations.errors import Refused
from tender_ledger.operations.everyday_words import recognise_everyday
from tender_ledger.operations.plants import write_attestation, write_name, write_plant
from tender_ledger.operations.told_in_full import FullReading
from tender_ledger.operations.typed_report import (
    Reading,
    TypedReport,
    informant_choices,
    listed,
    plant_choices,
    plant_text,
    read_seconds,
    read_values,
)
from tender_ledger.storage.history import ActWriter
from tender_ledger.storage.models import PlantLink, PropertyClaim
from tender_ledger.storage.queries import encounters, plants, reports, studies

NEW_PLANT = "+"
BESIDE = ("property", "link_kind", "link_other", "other_name")  # what is told of a plant beside a use
_NAMELESS = "?"  # after the plus: a new plant that nobody has named yet
_FIELD_NUMBER = re.compile(r"\bP-?0*(\d+)$", re.I)
LINKS = {"antidote": "antidote to", "substitute": "substitute for", "vessel": "vessel or tool for", "host": "host of",
         "look_alike": "look-alike of"}  # fmt: skip


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


def plant_of(reading: Reading, writing: ActWriter, encounter: dict[str, Any], informant: int | None,
           holder_id: int | None) -> int | None:  # fmt: skip
    """The plant that was typed: `+ name` makes a new one with that local name, told by the informant."""
    text = clean(reading.typed.plant)
    if not text:
        reading.errors["plant"] = "Choose the plant, or write + and the name that was told to make a new one."
        return None
    if text.startswith(NEW_PLANT):
        name = clean(text[1:])
        if not name:
            reading.errors["plant"] = "Write the name that was told after the +, or +? where nobody named it."
            return None
        plant_id = write_plant(writing, reading.scope, told=True)
        if name == _NAMELESS:
            return plant_id
        name_id = write_name(writing, plant_id, name, _language(reading, encounter), told=True)
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


@dataclass(frozen=True)
class Telling:
    """Who tells of which plant where, and who writes it down."""

    encounter_id: int
    informant_id: int
    holder_id: int | None
    plant_id: int
    recorded_by: int

    def columns(self) -> dict[str, int]:
        """The columns that every record of something told has."""
        return {name: value for name, value in vars(self).items() if name != "holder_id"}


def read_telling(reading: Reading, writing: ActWriter, encounter: dict[str, Any]) -> Telling:
    """Who tells of which plant, as typed; a new plant is made. Raises Refused where either is not to be known."""
    informant, holder_id = teller_of(reading, encounter)
    plant_id = plant_of(reading, writing, encounter, informant, holder_id)
    if informant is None or plant_id is None:
        read_values(reading)  # so that all that is wrong is said at once
        raise Refused(reading.errors)
    return Telling(encounter["id"], informant, holder_id, plant_id, reading.scope.viewer.person_id)


@dataclass(frozen=True)
class InRemedy:
    """A plant of a remedy: the columns in which its report differs, and its parts; None for those of the line."""

    columns: dict[str, Any]
    parts: list[dict[str, Any]] | None = None


def remedy_of(beside: FullReading, reading: Reading, writing: ActWriter, telling: Telling, encounter: dict[str, Any],
              mixture: str) -> list[InRemedy]:  # fmt: skip
    """The plants of what was told: that of the line alone, or with it all other plants of the remedy, which has a name then."""
    others = []
    for at, row in beside.typed.of("plants"):
        typed = TypedReport(plant=row.get("plant", ""), parts=row.get("parts", ""), name_language=reading.typed.name_language)
        one = Reading(reading.scope, typed, {})
        plant_id = plant_of(one, writing, encounter, telling.informant_id, telling.holder_id)
        parts = one.several("parts", "part", one.terms("part"))
        role = beside.code("role", row.get("role"), f"plants-{at}-role", usual="companion")
        beside.errors |= {f"plants-{at}-{name}": sentence for name, sentence in one.errors.items()}
        columns = {"plant_id": plant_id, "role": role, "proportion": clean(row.get("proportion"))}
        others.append(InRemedy(columns, listed(parts, "part_id")))
    name = mixture or _remedy_name(reading.scope, telling, [one.columns["plant_id"] for one in others])
    main = InRemedy({"mixture": name} if others else {})
    return [main, *(replace(one, columns={**one.columns, "mixture": name}) for one in others)]


def _remedy_name(scope: Scope, telling: Telling, others: list[int | None]) -> str:
    """A name for a remedy that was given none: its plants, and a number where this teller has such a remedy already."""
    if not others:
        return ""
    found = {plant["id"]: plant for plant in plants.plants(scope)}
    named = [plant_text(found[one]).removesuffix(found[one]["field_number"]).strip() or found[one]["field_number"]
             for one in (telling.plant_id, *others) if one in found]  # fmt: skip
    name, at = " + ".join(named), 1
    taken = reports.mixtures_of(scope, telling.informant_id)
    while (numbered := name if at == 1 else f"{name} ({at})") in taken:
        at += 1
    return numbered


def says_beside(values: Mapping[str, str]) -> bool:
    """Whether a property, a link to another plant or one more name was typed."""
    return any(clean(values.get(name)) for name in BESIDE)


def says_use(typed: TypedReport) -> bool:
    """Whether a use was typed, or how it is made ready; a part and words alone can be those of a property."""
    return any(
        clean(getattr(typed, name)) for name in ("methods", "applications", "category", "subcategory", "purpose", "caution")
    )


def write_beside(writing: ActWriter, reading: Reading, beside: FullReading, telling: Telling, encounter: dict[str, Any], *,
                 client_key: str | None = None) -> None:  # fmt: skip
    """Record within an act what was typed beside a use: a property, a link, one more name; `beside` gathers what is wrong.

    The words of the line are those of the property or link where no use was told; a `client_key` goes to the first of them.
    """
    said = {name: clean(beside.typed.values.get(name)) for name in BESIDE}
    words = "" if says_use(reading.typed) else clean(reading.typed.words)
    told = {**telling.columns(), "words": words, "start_s": read_seconds(reading)}
    keys = iter([client_key])
    if said["property"]:
        parts = reading.several("parts", "part", reading.terms("part"))
        basis = reading.one("basis", "basis", reading.terms("basis"), "unstated")
        values = {"property": said["property"], "part_id": parts[0].key if parts else None,
                  "basis_id": basis.key if basis else None}  # fmt: skip
        if basis:
            writing.create(PropertyClaim, {**told, **values, "client_key": next(keys, None)}, holder_id=telling.holder_id)
    if said["link_kind"] or said["link_other"]:
        link = _link(reading, writing, beside, telling, encounter, said)
        if link:
            writing.create(PlantLink, {**told, **link, "client_key": next(keys, None)}, holder_id=telling.holder_id)
    if said["other_name"]:
        name_id = write_name(writing, telling.plant_id, said["other_name"], _language(reading, encounter), told=True)
        write_attestation(writing, name_id, telling.informant_id, encounter["id"], telling.holder_id)


def _link(reading: Reading, writing: ActWriter, beside: FullReading, telling: Telling, encounter: dict[str, Any],
          said: Mapping[str, str]) -> dict[str, Any] | None:  # fmt: skip
    kinds = [Choice(at, label, code) for at, (code, label) in enumerate(LINKS.items())]
    try:
        kind = recognise_everyday(said["link_kind"], "link", kinds).code
    except Unrecognised as unknown:
        beside.errors["link_kind"] = f"{unknown.problem.what} {unknown.problem.remedy}".strip()
        return None
    typed = TypedReport(plant=said["link_other"], name_language=reading.typed.name_language)
    other = Reading(reading.scope, typed, {})
    plant_id = plant_of(other, writing, encounter, telling.informant_id, telling.holder_id)
    if plant_id is None:
        beside.errors["link_other"] = other.errors.get("plant", "Choose the other plant.")
        return None
    return {"kind": kind, "other_id": plant_id}
