"""The worklist: what the rules find, less what was settled or set aside; and cautions, which some rules lean on."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from tender_ledger.core.recognition import Unrecognised, recognise
from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Scope
from tender_ledger.core.text import clean
from tender_ledger.core.worklist import Item
from tender_ledger.core.worklist.rules import RULES, Rule, find_all
from tender_ledger.operations.errors import NotFound, Refused, required
from tender_ledger.operations.saving import saving
from tender_ledger.operations.vocabularies import choices
from tender_ledger.storage.models import Caution, WorklistMark
from tender_ledger.storage.queries import people, reports, worklist
from tender_ledger.storage.queries.kept import INFORMANTS_AND_TAXA, kept_body, kept_by_part

KINDS = {
    "poisonous_part": "poisonous part", "poisonous_raw": "poisonous when raw", "poisonous_stage": "poisonous at this stage",
    "dose_limit": "dose limit", "look_alike": "look-alike", "skin": "skin or allergy", "interaction": "interaction or condition",
    "children": "children or pregnancy", "route": "route", "duration": "duration", "injury": "injury (spines, hairs)",
    "germs": "germs or parasites", "contaminated_site": "contaminated site", "preparation_fault": "preparation fault",
    "law": "law or permit", "protected": "protected species",
}  # fmt: skip
# Rules whose items a look settles; of the others, a correction does.
REVIEWED = frozenset({"strong_claim", "caution_met"})


@dataclass(frozen=True)
class Waiting:
    """A rule with its items that wait, and those that were settled by a look or set aside, each with its mark."""

    rule: Rule
    items: tuple[Item, ...]
    decided: tuple[tuple[Item, dict[str, Any]], ...]


def read_worklist(scope: Scope) -> list[Waiting]:
    """The worklist as the viewer may see it, rule by rule; a rule that finds nothing is not in it."""
    found, marks = _find(scope), worklist.marks(scope)
    lists = []
    for rule in RULES:
        items = found.get(rule.code, ())
        waiting = tuple(item for item in items if (item.rule, item.about) not in marks)
        decided = tuple((item, marks[item.rule, item.about]) for item in items if (item.rule, item.about) in marks)
        if items:
            lists.append(Waiting(rule, waiting, decided))
    return lists


def _find(scope: Scope) -> dict[str, list[Item]]:
    """The items by rule. Those of reports are kept informant by informant, so that a report that is written is looked at with
    what its teller told, and not with all that everybody did."""

    def beside_reports() -> dict[str, Any]:
        return {"items": _listed(find_all(worklist.facts_but_reports(scope), of_reports=False))}

    def compute(informants: list[int] | None) -> dict[int, Any]:
        told = worklist.report_facts(scope, informants)
        by_informant = {one: find_all(facts, of_reports=True) for one, facts in told.items()}
        return {one: _listed(items) for one, items in by_informant.items() if items}

    kept = kept_by_part(scope, f"worklist of reports {scope.purpose}", INFORMANTS_AND_TAXA, compute)
    of_reports = [item for items in kept.values() for item in _items(items)]
    others = _items(kept_body(scope, f"worklist beside reports {scope.purpose}", beside_reports)["items"])
    found: dict[str, list[Item]] = {}
    for item in (*others, *sorted(of_reports, key=lambda item: item.records)):
        found.setdefault(item.rule, []).append(item)
    return found


def _listed(items: Sequence[Item]) -> list[list[Any]]:
    """Items as they are kept."""
    return [[item.rule, item.about, item.reason, item.records] for item in items]


def _items(kept: Sequence[Sequence[Any]]) -> list[Item]:
    return [Item(rule, about, reason, tuple((kind, number) for kind, number in records)) for rule, about, reason, records in kept]


def settle_item(scope: Scope, rule: str, about: str) -> None:
    """Say that an item was looked at and stands; for rules of REVIEWED alone."""
    scope.viewer.require(Right.SETTLE)
    if rule not in REVIEWED:
        raise Refused({"": "This is settled by correcting what it is about. It leaves the list then by itself."})
    _mark(scope, rule, about, "settled", "", "settle_item")


def set_item_aside(scope: Scope, rule: str, about: str, reason: str) -> None:
    """Take an item off the list with a reason, which is kept."""
    scope.viewer.require(Right.SETTLE)
    _mark(scope, rule, about, "set_aside", required(reason, "reason", "The reason"), "set_item_aside")


def reopen_item(scope: Scope, mark_id: int, version: int) -> None:
    """Put an item on the list again."""
    scope.viewer.require(Right.SETTLE)
    with saving(scope, "reopen_item") as writing:
        writing.remove(WorklistMark, mark_id, version)


def _mark(scope: Scope, rule: str, about: str, way: str, reason: str, operation: str) -> None:
    scope.viewer.require(Right.SETTLE)
    found = next((item for item in _find(scope).get(rule, ()) if item.about == about), None)
    if found is None:
        raise NotFound(f"item {rule}")
    values = {"rule": rule, "about": about, "way": way, "reason": clean(reason), "marked_by": scope.viewer.person_id}
    with saving(scope, operation) as writing:
        writing.create(WorklistMark, values, holder_id=_holder_of(scope, found))


def _holder_of(scope: Scope, item: Item) -> int | None:
    """Whom an item is about: with them it is hidden and erased."""
    for kind, record in item.records:
        if kind == "holder":
            holder = people.holder(scope, str(record))
            return int(holder["id"]) if holder else None
        if kind == "report":
            report = reports.report(scope, int(record))
            return report["holder_id"] if report else None
    return None


def unreviewed(scope: Scope, report_ids: Sequence[int]) -> set[int]:
    """Of the reports, those with a strong claim that nobody settled; what leaves the study masks them."""
    marks = worklist.marks(scope)
    return {one for one in report_ids if marks.get(("strong_claim", f"report {one}"), {}).get("way") != "settled"}


def record_caution(scope: Scope, said: Mapping[str, str]) -> int:
    """Record a caution: taxon (a species or genus), kind (KINDS), harm, source, and where said part, stage, method (of the
    preparation it is about) and asks (the method that takes the harm away)."""
    scope.viewer.require(Right.RECORD)
    errors: dict[str, str] = {}
    values: dict[str, Any] = {"kind": clean(said.get("kind"))}
    for name, what in (("taxon", "The taxon"), ("harm", "What may happen"), ("source", "Who says so")):
        values[name] = clean(said.get(name))
        if not values[name]:
            errors[name] = f"{what} is missing."
    for name, vocabulary in (("part", "part"), ("stage", "stage"), ("method", "method"), ("asks", "method")):
        values[f"{name}_id"] = _term(scope, name, vocabulary, clean(said.get(name)), errors)
    if errors:
        raise Refused(errors)
    with saving(scope, "record_caution") as writing:
        return writing.create(Caution, values)


def remove_caution(scope: Scope, caution_id: int, version: int) -> None:
    scope.viewer.require(Right.RECORD)
    with saving(scope, "remove_caution") as writing:
        writing.remove(Caution, caution_id, version)


def _term(scope: Scope, name: str, vocabulary: str, text: str, errors: dict[str, str]) -> int | None:
    if not text:
        return None
    try:
        return recognise(text, choices(scope.study_id, vocabulary), vocabulary).key
    except Unrecognised as unknown:
        errors[name] = f"{unknown.problem.what} {unknown.problem.remedy}".strip()
        return None
