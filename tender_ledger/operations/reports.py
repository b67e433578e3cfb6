"""Use reports: recorded as typed, corrected, taken back; and plants asked about without a use named."""

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, fields
from typing import Any

from tender_ledger.core.recognition import Choice, Unrecognised, recognise
from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Scope
from tender_ledger.core.text import clean, fold
from tender_ledger.operations.drafts import clear_draft, draft_place
from tender_ledger.operations.errors import NotFound, Refused
from tender_ledger.operations.plants import write_attestation, write_name, write_plant
from tender_ledger.operations.saving import made_once, saving
from tender_ledger.operations.vocabularies import choices
from tender_ledger.storage.history import ActWriter
from tender_ledger.storage.models import Asking, Purpose, UseReport
from tender_ledger.storage.queries import encounters, plants, reports, studies

NEW_PLANT = "+"
_FIELD_NUMBER = re.compile(r"\bP-?0*(\d+)$", re.I)
_TIME = re.compile(r"(?:(\d+):)?(\d{1,3}):(\d{2})$")


@dataclass(frozen=True)
class TypedReport:
    """A report as it was typed: every field is text, several parts or methods stand apart by a comma."""

    informant: str = ""
    plant: str = ""
    name_language: str = ""
    parts: str = ""
    methods: str = ""
    application: str = ""
    stage: str = ""
    category: str = ""
    subcategory: str = ""
    purpose: str = ""
    basis: str = ""
    stance: str = ""
    outcome: str = ""
    words: str = ""
    start: str = ""
    caution: str = ""
    note: str = ""

    @classmethod
    def names(cls) -> tuple[str, ...]:
        return tuple(field.name for field in fields(cls))


def as_typed(report: Mapping[str, Any], plant: Mapping[str, Any]) -> TypedReport:
    """A recorded report as one would type it, to be corrected or recorded again with a change."""
    seconds = report["start_s"]
    return TypedReport(
        informant=report["informant"],
        plant=plant_text(plant),
        parts=", ".join(report["parts"]),
        methods=", ".join(report["methods"]),
        start="" if seconds is None else f"{seconds // 60}:{seconds % 60:02}",
        **{name: report[name] or "" for name in ("application", "stage", "category", "subcategory", "purpose", "basis", "stance",
                                                 "outcome", "words", "caution", "note")},
    )  # fmt: skip


@dataclass
class _Reading:
    """Reads the fields of a typed report one by one and gathers what is wrong with each."""

    scope: Scope
    typed: TypedReport
    errors: dict[str, str]

    def one(self, field: str, kind: str, found: Callable[[], Sequence[Choice]], default: str = "") -> Choice | None:
        text = clean(getattr(self.typed, field)) or default
        return self._recognised(field, text, kind, found()) if text else None

    def several(self, field: str, kind: str, found: Callable[[], Sequence[Choice]]) -> list[Choice]:
        texts = [clean(text) for text in getattr(self.typed, field).split(",") if clean(text)]
        known = found() if texts else ()
        read = [choice for text in texts if (choice := self._recognised(field, text, kind, known))]
        return list({choice.key: choice for choice in read}.values())

    def terms(self, vocabulary: str, scheme: str | None = None, within: int | None = None) -> Callable[[], list[Choice]]:
        return lambda: choices(self.scope.study_id, vocabulary, scheme, within=within)

    def _recognised(self, field: str, text: str, kind: str, known: Sequence[Choice]) -> Choice | None:
        try:
            return recognise(text, known, kind)
        except Unrecognised as unknown:
            self.errors[field] = f"{unknown.problem.what} {unknown.problem.remedy}".strip()
            return None


def informant_choices(present: Sequence[dict[str, Any]]) -> list[Choice]:
    """Who can be chosen as teller: everybody present whose terms allow recording."""
    return [Choice(one["informant_id"], one["code"]) for one in present if one["part"] == "teller" and one["may_record"]]


def plant_text(plant: Mapping[str, Any]) -> str:
    """How a plant is written in a form: its most told name and its field number, or the number alone."""
    name = plant["names"][0]["name"] if plant["names"] else ""
    return f"{name} {plant['field_number']}".strip()


def plant_choices(found: Sequence[dict[str, Any]]) -> list[Choice]:
    """Every plant by each of its local names, its scientific name and its field number."""
    made = []
    for plant in found:
        labels = [name["name"] for name in plant["names"]] + [plant["accepted"] or plant["taxon"] or ""]
        code = plant["field_number"].lower()
        made += [Choice(plant["id"], label, code, weight=plant["reports"]) for label in [*labels, plant_text(plant)] if label]
    return made


def record_report(scope: Scope, encounter_number: int, typed: TypedReport, client_key: str) -> int:
    """Record a report as typed; returns its id, the same for the same key. Clears the draft of the encounter.

    Raises Refused with a sentence a field when something typed names nothing or two things; then nothing is saved.
    """
    scope.viewer.require(Right.RECORD)
    return made_once(scope, "use_report", client_key, lambda: _record_report(scope, encounter_number, typed, client_key))


def _record_report(scope: Scope, encounter_number: int, typed: TypedReport, client_key: str) -> int:
    encounter = _encounter(scope, encounter_number)
    reading = _Reading(scope, typed, {})
    informant, holder_id = _informant(reading, encounter)
    with saving(scope, "record_report") as writing:
        plant_id = _plant(reading, writing, encounter, informant, holder_id)
        values, children = _read(reading)
        if reading.errors or informant is None or plant_id is None:
            raise Refused(reading.errors)
        values |= {"encounter_id": encounter["id"], "informant_id": informant, "plant_id": plant_id,
                   "recorded_by": scope.viewer.person_id, "client_key": client_key}  # fmt: skip
        report_id = writing.create(UseReport, values, holder_id=holder_id, children=children)
        clear_draft(scope, draft_place(encounter_number))
        return report_id


def correct_report(scope: Scope, report_id: int, version: int, typed: TypedReport) -> None:
    """Correct a report that was seen at `version`. Raises Conflict with what stands now if somebody saved meanwhile."""
    scope.viewer.require(Right.RECORD)
    found = reports.report(scope, report_id)
    if found is None:
        raise NotFound(f"report {report_id}")
    encounter = _encounter(scope, found["encounter"])
    reading = _Reading(scope, typed, {})
    informant, holder_id = _informant(reading, encounter)
    with saving(scope, "correct_report") as writing:
        plant_id = _plant(reading, writing, encounter, informant, holder_id)
        values, children = _read(reading)
        if reading.errors or informant is None or plant_id is None:
            raise Refused(reading.errors)
        values |= {"informant_id": informant, "plant_id": plant_id}
        writing.update(UseReport, report_id, version, values, holder_id=holder_id, children=children)


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
    reading = _Reading(scope, typed, {})
    informant, holder_id = _informant(reading, encounter)
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


def _informant(reading: _Reading, encounter: dict[str, Any]) -> tuple[int | None, int | None]:
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


def _plant(reading: _Reading, writing: ActWriter, encounter: dict[str, Any], informant: int | None,
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
        plant_id = write_plant(writing, reading.scope)
        name_id = write_name(writing, plant_id, clean(text[1:]), _language(reading, encounter))
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


def _language(reading: _Reading, encounter: dict[str, Any]) -> int | None:
    known = [Choice(one["id"], one["name"], one["code"]) for one in studies.languages(reading.scope)]
    chosen = reading.one("name_language", "language", lambda: known)
    return chosen.key if chosen else encounter["language_id"]


def _read(reading: _Reading) -> tuple[dict[str, Any], dict[str, list[dict[str, Any]]]]:
    typed = reading.typed
    values = {
        "basis_id": _key(reading.one("basis", "basis", reading.terms("basis"), "unstated")),
        "stance_id": _key(reading.one("stance", "stance", reading.terms("stance"), "affirms")),
        "outcome_id": _key(reading.one("outcome", "outcome", reading.terms("outcome"), "unstated")),
        "application_id": _key(reading.one("application", "application", reading.terms("application"))),
        "stage_id": _key(reading.one("stage", "stage", reading.terms("stage"))),
        "words": clean(typed.words),
        "start_s": _seconds(reading),
        "caution": clean(typed.caution),
        "note": clean(typed.note),
    }
    parts = reading.several("parts", "part", reading.terms("part"))
    methods = reading.several("methods", "method", reading.terms("method"))
    children = {
        "parts": [{"component": 1, "part_id": one.key, "position": at} for at, one in enumerate(parts, 1)],
        "methods": [{"component": 1, "method_id": one.key, "position": at} for at, one in enumerate(methods, 1)],
        "codings": _coding(reading),
    }
    said = (*children.values(), values["words"], values["note"], values["caution"])
    if not any(said) and not reading.errors:
        reading.errors["category"] = "Say what it is used for, or record that no use was named."
    return values, children


def _coding(reading: _Reading) -> list[dict[str, Any]]:
    scheme = studies.study(reading.scope)["scheme"]
    category = reading.one("category", "category", reading.terms("category", scheme))
    if category is None:
        for field in ("subcategory", "purpose"):
            if clean(getattr(reading.typed, field)) and "category" not in reading.errors:
                reading.errors["category"] = f"Choose the category that the {field} belongs to."
        return []
    within = reading.terms("subcategory", scheme, category.key)
    subcategory = reading.one("subcategory", f"subcategory of {category.label}", within)
    coding = {"scheme": scheme, "category_id": category.key, "subcategory_id": _key(subcategory), "is_primary": True,
              "purpose_id": None}  # fmt: skip
    if clean(reading.typed.purpose) and not reading.errors:
        coding["purpose_id"] = _purpose(reading.scope, category.key, clean(reading.typed.purpose))
    return [coding]


def _purpose(scope: Scope, category_id: int, label: str) -> int:
    """The purpose of this label in the category, made when it is new; one label in two categories is two purposes."""
    values = {"study_id": scope.study_id, "category_id": category_id, "label": label, "label_fold": fold(label)}
    Purpose.insert(**values).on_conflict_ignore().execute()
    found = Purpose.get(
        (Purpose.study_id == scope.study_id) & (Purpose.category_id == category_id) & (Purpose.label_fold == fold(label))
    )
    return int(found.id)


def _seconds(reading: _Reading) -> int | None:
    text = clean(reading.typed.start)
    if not text:
        return None
    if read := _TIME.match(text):
        return int(read[1] or 0) * 3600 + int(read[2]) * 60 + int(read[3])
    if text.isdigit():
        return int(text)
    reading.errors["start"] = f"“{text}” is no time in a recording. Write minutes and seconds, 12:41, or seconds, 761."
    return None


def _key(choice: Choice | None) -> int | None:
    return choice.key if choice else None
