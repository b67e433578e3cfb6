"""A report as it was typed: its slots, what they can be picked from, and the reading of each with what is wrong in it."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, fields
from typing import Any

from tender_ledger.core.recognition import Choice, Unrecognised
from tender_ledger.core.terms import Scope
from tender_ledger.core.text import clean, fold
from tender_ledger.core.times import read_time, why_no_time, written_time
from tender_ledger.operations.everyday_words import recognise_everyday
from tender_ledger.operations.vocabularies import choices
from tender_ledger.storage.models import Purpose
from tender_ledger.storage.queries import studies


@dataclass(frozen=True)
class TypedReport:
    """A report as it was typed: every field is text; several parts, methods or applications stand apart by a comma."""

    informant: str = ""
    plant: str = ""
    name_language: str = ""
    parts: str = ""
    methods: str = ""
    applications: str = ""
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
    return TypedReport(
        informant=report["informant"],
        plant=plant_text(plant),
        parts=", ".join(report["parts"]),
        methods=", ".join(report["methods"]),
        applications=", ".join(report["applications"]),
        start=written_time(report["start_s"]),
        **{name: report[name] or "" for name in ("stage", "category", "subcategory", "purpose", "basis", "stance", "outcome",
                                                 "words", "caution", "note")},
    )  # fmt: skip


@dataclass
class Reading:
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
            return recognise_everyday(text, kind, known)
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


def read_values(reading: Reading, component: int = 1) -> tuple[dict[str, Any], dict[str, list[dict[str, Any]]]]:
    """The columns and the child rows of what was typed, for one component of a remedy; errors gather in the reading."""
    typed = reading.typed
    values = {
        "basis_id": _key(reading.one("basis", "basis", reading.terms("basis"), "unstated")),
        "stance_id": _key(reading.one("stance", "stance", reading.terms("stance"), "affirms")),
        "outcome_id": _key(reading.one("outcome", "outcome", reading.terms("outcome"), "unstated")),
        "stage_id": _key(reading.one("stage", "stage", reading.terms("stage"))),
        "words": clean(typed.words),
        "start_s": read_seconds(reading),
        "caution": clean(typed.caution),
        "note": clean(typed.note),
    }
    parts = reading.several("parts", "part", reading.terms("part"))
    methods = reading.several("methods", "method", reading.terms("method"))
    applications = reading.several("applications", "application", reading.terms("application"))
    children = {
        "parts": listed(parts, "part_id", component),
        "methods": listed(methods, "method_id", component),
        "applications": listed(applications, "application_id", component),
        "codings": _coding(reading),
    }
    said = (*children.values(), values["words"], values["note"], values["caution"])
    if not any(said) and not reading.errors:
        reading.errors["category"] = "Say what it is used for, or record that no use was named."
    return values, children


def listed(found: Sequence[Choice], column: str, component: int = 1) -> list[dict[str, Any]]:
    """Choices as the rows of a component, in their order."""
    return [{"component": component, column: one.key, "position": at} for at, one in enumerate(found, 1)]


def _coding(reading: Reading) -> list[dict[str, Any]]:
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
        coding["purpose_id"] = purpose_of(reading.scope, category.key, clean(reading.typed.purpose))
    return [coding]


def purpose_of(scope: Scope, category_id: int, label: str) -> int:
    """The purpose of this label in the category, made when it is new; one label in two categories is two purposes."""
    values = {"study_id": scope.study_id, "category_id": category_id, "label": label, "label_fold": fold(label)}
    Purpose.insert(**values).on_conflict_ignore().execute()
    found = Purpose.get(
        (Purpose.study_id == scope.study_id) & (Purpose.category_id == category_id) & (Purpose.label_fold == fold(label))
    )
    return int(found.id)


def read_seconds(reading: Reading) -> float | None:
    """The place in the recording that was typed, in seconds."""
    text = clean(reading.typed.start)
    if not text:
        return None
    try:
        return read_time(text)
    except ValueError as error:
        reading.errors["start"] = why_no_time(text, error)
        return None


def _key(choice: Choice | None) -> int | None:
    return choice.key if choice else None
