"""The lists that the slots of a report are picked from, in the short form that travels to the desk."""

from typing import Any

from tender_ledger.core.recognition import Choice
from tender_ledger.core.terms import Scope
from tender_ledger.operations.everyday_words import everyday_words, meant_by
from tender_ledger.operations.meanings import meanings
from tender_ledger.operations.tellings import LINKS
from tender_ledger.operations.told_in_full import CHOSEN
from tender_ledger.operations.typed_report import informant_choices, plant_choices, plant_text
from tender_ledger.operations.vocabularies import choices
from tender_ledger.storage.queries import encounters, people, plants, reports, studies

Short = dict[str, Any]


def recording_choices(scope: Scope, encounter: dict[str, Any]) -> dict[str, list[Short]]:
    """Slot list -> choices with label `l` and, where there are any, code `c`, two letters `s`, key `k`, group `g`, weight `w`: in
    how many reports it stands, and `p`, in how many of each plant by its number.

    `d` says in a sentence what a choice means. What has a `t` stands so in the slot once it is chosen: a plant, and the term of
    an everyday word. A purpose carries its category and subcategory.
    """
    study_id, scheme = scope.study_id, studies.study(scope)["scheme"]
    found = plants.plants(scope)
    texts = {plant["id"]: plant_text(plant) for plant in found}
    usage = _usage(scope)

    def terms(vocabulary: str, of_scheme: str | None = None) -> list[Short]:
        known = choices(study_id, vocabulary, of_scheme)
        listed = [{**_short(one), **_used(usage, one.key), **_meant(vocabulary, one.code)} for one in known]
        words = [
            {"l": word, "k": one.key, "g": one.group, "t": one.label}
            for word in everyday_words().get(vocabulary, {})
            for one in meant_by(word, vocabulary, known)
        ]
        return listed + words

    sources = [{"l": one["code"]} for one in people.sources(scope)]
    languages = [Choice(one["id"], one["name"], one["code"]) for one in studies.languages(scope)]
    categories, subcategories = terms("category", scheme), terms("subcategory", scheme)
    return {
        "informants": [_short(one) for one in informant_choices(encounters.present(scope, encounter["id"]))],
        "plants": [{**_short(one), "t": texts[one.key]} for one in plant_choices(found)],
        "parts": terms("part"),
        "methods": terms("method"),
        "applications": terms("application"),
        "stages": terms("stage"),
        "bases": terms("basis"),
        "stances": terms("stance"),
        "outcomes": terms("outcome"),
        "languages": [_short(one) for one in languages],
        "categories": categories,
        "subcategories": subcategories,
        "purposes": _purposes(scope, categories, subcategories, usage),
        "roles": _codes("role"),
        "takers": _codes("taker"),
        "harvest_effects": _codes("harvest_effect"),
        "currencies": _codes("currency"),
        "links": [{"l": label, "c": code, "d": meanings().get(("link", code), "")} for code, label in LINKS.items()],
        "sources": sources,
        "teachers": [{"l": one["code"]} for one in people.holders(scope)] + sources,
    }


def _codes(kind: str) -> list[Short]:
    """One of a few codes that a report holds once, with what each says and means."""
    unsaid, codes, _called = CHOSEN[kind]
    meant = {code: meanings().get((kind, code), "") for code in codes}
    return [{"l": label, "c": code, "d": meant[code]} for code, label in codes.items() if code != unsaid or meant[code]]


Usage = dict[tuple[bool, int], dict[int, int]]  # of (whether it is a purpose, its number): reports by the number of the plant


def _usage(scope: Scope) -> Usage:
    found: Usage = {}
    for one in reports.term_usage(scope):
        found.setdefault((one["purpose"], one["term"]), {})[one["plant"]] = one["n"]
    return found


def _used(usage: Usage, key: int, *, purpose: bool = False) -> Short:
    of_plants = usage.get((purpose, key), {})
    return {"w": sum(of_plants.values()), "p": of_plants} if of_plants else {}


def _meant(vocabulary: str, code: str) -> Short:
    sentence = meanings().get((vocabulary, code))
    return {"d": sentence} if sentence else {}


def _short(choice: Choice) -> Short:
    full = {"l": choice.label, "c": choice.code, "s": choice.short, "w": choice.weight, "k": choice.key, "g": choice.group}
    return {key: value for key, value in full.items() if value}


def _purposes(scope: Scope, categories: list[Short], subcategories: list[Short], usage: Usage) -> list[Short]:
    category_of = {one["k"]: one["l"] for one in categories if "t" not in one}
    subcategory_of = {one["k"]: one["l"] for one in subcategories if "t" not in one}
    return [
        {
            "l": one["label"],
            **_used(usage, one["id"], purpose=True),
            "g": one["category_id"],
            "cat": category_of.get(one["category_id"], ""),
            "sub": subcategory_of.get(one["subcategory_id"], ""),
        }
        for one in reports.purposes(scope)
    ]
