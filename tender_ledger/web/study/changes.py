"""The changes of a record as a person reads them: what each field is called, what stood in it and what stands now."""

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from flask import url_for

from tender_ledger.core.terms import Scope
from tender_ledger.formats.citing import cite_plainly
from tender_ledger.storage.history import columns_of
from tender_ledger.storage.queries import named
from tender_ledger.web.shared.templating import day
from tender_ledger.web.shared.words import gettext as _

Snapshot = Mapping[str, Any]
Names = Mapping[tuple[str, int], str]

# What each kind of record is called; a kind that is not here has no page of its own.
ENTITIES = {
    "flora": _("flora"), "frozen_reckoning": _("frozen reckoning"), "questionnaire": _("questionnaire"),
    "questionnaire_answer": _("answers of a holder"), "use_score": _("score of a use"),
    "asking": _("asking without a use"), "attestation": _("use of a name"),
    "caution": _("caution"), "checklist": _("checklist"), "choice_of_holders": _("choice of holders"),
    "community": _("community"), "community_restriction": _("what is held back"), "consent": _("agreement"),
    "determination": _("determination"), "dialect": _("dialect"),
    "dispute": _("contradiction"), "encounter": _("encounter"), "feature": _("measure"),
    "free_list": _("list of names"), "holder": _("knowledge-holder"),
    "import_batch": _("import"), "language": _("language"), "local_name": _("local name"), "membership": _("role"),
    "permit": _("permit"), "picture": _("picture"), "plant": _("plant"),
    "plant_link": _("link between plants"), "property_claim": _("property"), "rules": _("counting rules"),
    "publishing_rule": _("minimum of holders"),
    "sign_in_rule": _("signing in of owners"),
    "source": _("source"),
    "specimen": _("specimen"),
    "use_report": _("report"), "vocabulary_term": _("term of the study"),
    "worklist_mark": _("decision on the worklist"),
}  # fmt: skip
# Columns that name another record: of which kind.
_POINTS_AT = {
    "community_id": "community", "language_id": "language", "dialect_id": "dialect", "holder_id": "holder",
    "informant_id": "informant", "plant_id": "plant", "encounter_id": "encounter", "taxon_id": "taxon",
    "local_name_id": "local_name", "person_id": "person", "category_id": "term", "subcategory_id": "term",
    "purpose_id": "purpose", "part_id": "term", "method_id": "term", "application_id": "term", "basis_id": "term",
    "stance_id": "term", "outcome_id": "term", "stage_id": "term", "teacher_id": "informant", "cited_id": "source",
    "asks_id": "term", "marked_by": "person",
}  # fmt: skip
_UNSAID = frozenset(
    {"name_fold", "came_as", "recorded_by", "set_by", "scheme", "position", "component", "told", "file_sha256", "is_primary"}
)
_CODED = frozenset({"form", "kind", "way", "role", "gender", "chosen", "credit", "qualifier", "basis", "confidence", "part",
                    "currency", "harvest_effect", "actor", "taker", "withdrawal", "rule", "vocabulary", "origin",
                    "management"})  # fmt: skip
_LABELS = {
    "parent_id": _("lies within"), "may_record": _("may be recorded"), "may_count": _("may be counted"),
    "may_show": _("may be shown"), "may_publish_aggregate": _("may be published in aggregate"),
    "may_publish_rows": _("row by row"), "may_publish_verbatim": _("word for word"),
    "may_credit": _("may be credited"), "expires_on": _("stands until"), "basis_id": _("basis"), "basis": _("basis"),
    "day_from": _("first day"), "day_to": _("last day"), "is_current": _("is the one that counts"), "start_s": _("from, seconds"),
    "end_s": _("to, seconds"), "codings": _("use"), "methods": _("preparation"), "applications": _("application"),
    "outcome_id": _("outcome"), "stage_id": _("plant stage"), "informants": _("who was there"), "limits": _("except"),
    "harvest_effect": _("what the harvest does"), "actor": _("who uses it"), "taker": _("for whom"), "cited_id": _("read in"),
    "teachings": _("taught by"), "steps": _("step by step"), "ingredients": _("also in it"), "other_id": _("and"),
    "in_force": _("in force"), "body": _("rules"), "csl": _("work"), "refuses": _("not to be"),
    "latitude": _("latitude, degrees"),
    "longitude": _("longitude, degrees"), "extra": _("other columns"),
}  # fmt: skip
_REFUSED = {"record": _("recorded"), "count": _("counted"), "show": _("shown"), "publish": _("published"), "quote": _("quoted")}


@dataclass(frozen=True)
class Change:
    """One change of a record or of a part of it, with the act it was made in, and field by field (label, before, after)."""

    act: Mapping[str, Any]
    what: str
    made: bool
    taken_back: bool
    fields: tuple[tuple[str, str, str], ...]


def told_changes(scope: Scope, history: Sequence[Mapping[str, Any]]) -> list[Change]:
    """The changes, the latest first. One in which nothing differs that the viewer may know of is left out."""
    names = named.names_of(scope, _wanted(side for one in history for side in (one["before"], one["after"]) if side))
    told = []
    for one in reversed(history):
        before, after = _said(one["before"], names), _said(one["after"], names)
        fields = tuple((_label(key), before.get(key, ""), after.get(key, "")) for key in columns_of(one["entity"])
                       if before.get(key, "") != after.get(key, ""))  # fmt: skip
        if fields or not one["before"] or not one["after"]:
            told.append(Change(one, ENTITIES[one["entity"]], not one["before"], not one["after"], fields if one["after"] else ()))
    return told


def subject(scope: Scope, entity: str, record_id: int, state: Snapshot) -> tuple[str, str]:
    """What a record is called and the address of the page where it stands; either may be ""."""
    names = named.names_of(scope, {entity: {record_id}} if entity in ("community", "encounter", "holder", "plant") else {})
    name = names.get((entity, record_id), str(state.get("name") or state.get("title") or state.get("code") or ""))
    code, number = state.get("code"), state.get("number")
    pages: dict[str, tuple[str, dict[str, Any]]] = {
        "holder": ("people.holder", {"code": code}), "community": ("people.community", {"code": code}),
        "encounter": ("encounters.record", {"number": number}), "plant": ("plants.plant", {"number": number}),
        "use_report": ("reports.report", {"report": record_id}),
        "dispute": ("reports.report", {"report": state.get("report_id")}), "permit": ("study.permits", {}),
        "choice_of_holders": ("study.permits", {}), "publishing_rule": ("giveback.show", {}),
        "sign_in_rule": ("study.members", {}),
        "language": ("people.list_people", {}), "dialect": ("people.list_people", {}),
        "source": ("people.list_people", {}),
        "flora": ("reckoning.analysis", {"view": "overuse"}),
        "questionnaire": ("reckoning.questionnaires", {}), "frozen_reckoning": ("reckoning.list_frozen", {}),
        "rules": ("reckoning.show", {"margin": "rules"}),
    }  # fmt: skip
    endpoint, values = pages.get(entity, ("", {}))
    return name, url_for(endpoint, **values) if endpoint else ""


def _wanted(states: Iterable[Snapshot]) -> dict[str, set[int]]:
    """Which records the states point at, by kind."""
    found: defaultdict[str, set[int]] = defaultdict(set)
    for state in states:
        for key, value in state.items():
            if isinstance(value, list):
                for child in value:
                    for column, number in child.items():
                        if column in _POINTS_AT and number is not None:
                            found[_POINTS_AT[column]].add(number)
            elif (kind := _kind(key, state)) and value is not None:
                found[kind].add(value)
    return dict(found)


def _kind(key: str, state: Snapshot) -> str:
    if key == "other_id":
        return "plant" if "plant_id" in state else "report"
    if key == "report_id":
        return "report" if "other_id" in state else ""
    if key == "parent_id":
        return "term" if "vocabulary" in state else "community"
    return _POINTS_AT.get(key, "")


def _said(state: Snapshot | None, names: Names) -> dict[str, str]:
    """Every field of a state in words; "" where nothing stands or the viewer may not know it."""
    return {key: _value(key, value, state, names) for key, value in state.items() if key not in _UNSAID} if state else {}


def _value(key: str, value: Any, state: Snapshot, names: Names) -> str:
    if kind := _kind(key, state):
        return names.get((kind, value), "") if value is not None else ""
    if isinstance(value, list):
        return ", ".join(filter(None, (_child(child, names) for child in value)))
    if key == "csl":
        return cite_plainly(value)
    if isinstance(value, dict):
        return "; ".join(f"{name.replace('_', ' ')}: {_plain(name, one)}" for name, one in value.items())
    return _plain(key, value)


def _child(child: Snapshot, names: Names) -> str:
    """A row that belongs to a record: the records it points at, and what else it says. Nothing where none of them is known."""
    pointed = [names.get((kind, child[key]), "") for key, kind in _POINTS_AT.items() if child.get(key) is not None]
    if "informant_id" in child:
        return f"{pointed[0]} ({child['part']})" if pointed[0] else ""
    if "refuses" in child:
        return _("%(thing)s not to be %(done)s", thing=next(filter(None, pointed), ""), done=_REFUSED[child["refuses"]])
    if "position" in child and "name" in child:
        return f"{child['position']} {child['name']}" + (f" ({pointed[0]})" if pointed and pointed[0] else "")
    if "told_when" in child:
        return ", ".join(filter(None, (*pointed, child["words"], child["told_when"])))
    if "lasts" in child or "amount" in child:
        said = (child.get(key, "") for key in ("words", "lasts", "heat", "strength", "amount"))
        return ", ".join(filter(None, (*pointed, *said)))
    if "label" in child:
        return str(child["label"])
    return ": ".join(filter(None, pointed))


def _plain(key: str, value: Any) -> str:
    if isinstance(value, bool):
        return _("yes") if value else _("no")
    if isinstance(value, list):
        return ", ".join(_plain(key, one) for one in value)
    text = "" if value is None else str(value)
    if isinstance(value, float):
        return text.replace("-", "−")
    if text and (key.endswith("_on") or key in ("day_from", "day_to")):
        return day(date.fromisoformat(text))
    if key == "refuses":
        return _REFUSED.get(text, text)
    return text.replace("_", " ") if key in _CODED else text


def _label(key: str) -> str:
    return _LABELS.get(key, key.removesuffix("_id").replace("_", " "))
