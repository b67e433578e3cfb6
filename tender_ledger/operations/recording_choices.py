"""The lists that the slots of a report are picked from, in the short form that travels to the desk."""

from typing import Any

from tender_ledger.core.recognition import Choice
from tender_ledger.core.terms import Scope
from tender_ledger.operations.typed_report import informant_choices, plant_choices, plant_text
from tender_ledger.operations.vocabularies import choices
from tender_ledger.storage.queries import encounters, plants, reports, studies

Short = dict[str, Any]


def recording_choices(scope: Scope, encounter: dict[str, Any]) -> dict[str, list[Short]]:
    """Slot list -> choices with label `l` and, where there are any, code `c`, two letters `s`, weight `w`, key `k`, group `g`.

    A plant's `t` is what stands in the slot once it is chosen; a purpose carries its category and subcategory.
    """
    study_id, scheme = scope.study_id, studies.study(scope)["scheme"]
    categories = choices(study_id, "category", scheme)
    subcategories = choices(study_id, "subcategory", scheme)
    found = plants.plants(scope)
    texts = {plant["id"]: plant_text(plant) for plant in found}
    languages = [Choice(one["id"], one["name"], one["code"]) for one in studies.languages(scope)]
    return {
        "informants": [_short(one) for one in informant_choices(encounters.present(scope, encounter["id"]))],
        "plants": [{**_short(one), "t": texts[one.key]} for one in plant_choices(found)],
        "parts": [_short(one) for one in choices(study_id, "part")],
        "methods": [_short(one) for one in choices(study_id, "method")],
        "applications": [_short(one) for one in choices(study_id, "application")],
        "stages": [_short(one) for one in choices(study_id, "stage")],
        "bases": [_short(one) for one in choices(study_id, "basis")],
        "stances": [_short(one) for one in choices(study_id, "stance")],
        "outcomes": [_short(one) for one in choices(study_id, "outcome")],
        "languages": [_short(one) for one in languages],
        "categories": [_short(one) for one in categories],
        "subcategories": [_short(one) for one in subcategories],
        "purposes": _purposes(scope, categories, subcategories),
    }


def _short(choice: Choice) -> Short:
    full = {"l": choice.label, "c": choice.code, "s": choice.short, "w": choice.weight, "k": choice.key, "g": choice.group}
    return {key: value for key, value in full.items() if value}


def _purposes(scope: Scope, categories: list[Choice], subcategories: list[Choice]) -> list[Short]:
    category_of = {one.key: one.label for one in categories}
    subcategory_of = {one.key: one.label for one in subcategories}
    return [
        {"l": one["label"], "w": one["n"], "g": one["category_id"], "cat": category_of.get(one["category_id"], ""),
         "sub": subcategory_of.get(one["subcategory_id"], "")}
        for one in reports.purposes(scope)
    ]  # fmt: skip
