"""Looking for anything of a study by what it is called, written or numbered, within what the viewer may see."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from tender_ledger.core.days import PartialDay, parse_day
from tender_ledger.core.messages import InputRefused
from tender_ledger.core.search import Sought
from tender_ledger.core.terms import Scope
from tender_ledger.formats.citing import cite_plainly
from tender_ledger.storage.masking import masked_text
from tender_ledger.storage.queries import people, reports
from tender_ledger.storage.queries import search as queries

PLANT, HOLDER, SOURCE, COMMUNITY, ENCOUNTER, PURPOSE, REPORT = (
    "plant",
    "holder",
    "source",
    "community",
    "encounter",
    "purpose",
    "report",
)
_OF_A_NUMBER = 2.0  # how near a record is whose number alone was typed
_NAMED = 3  # informants who are named of those who said the same of a plant
_ROUND = 60  # characters of words on either side of what was found


@dataclass(frozen=True)
class Hit:
    """Something that was found: what it is called, what else tells it from others, its taxon, what names its page, and how
    near it is."""

    kind: str
    label: str
    detail: str
    names: Mapping[str, Any]
    closeness: float
    taxon: str = ""


@dataclass(frozen=True)
class HitGroup:
    """The nearest hits of a kind, and how many there are in all, as far as they were weighed."""

    kind: str
    hits: tuple[Hit, ...] = field(default=())
    total: int = 0


def search(scope: Scope, text: str, *, most: int) -> list[HitGroup]:
    """At most so many hits of each kind, the nearest kind first; nothing for less than two letters.

    What is masked where it stands is not found by asking for it either, and nothing is found of what the viewer may not see.
    """
    sought = Sought(text)
    if not sought.is_long_enough or masked_text(sought.text) != sought.text:
        return []
    groups = []
    for kind, find in _FINDERS.items():
        found = sorted((hit for hit in find(scope, sought) if hit.closeness > 0), key=lambda hit: -hit.closeness)
        if found:
            groups.append(HitGroup(kind, tuple(found[:most]), len(found)))
    return sorted(groups, key=lambda group: -group.hits[0].closeness)


def _plants(scope: Scope, sought: Sought) -> Iterable[Hit]:
    for one in queries.plants_like(scope, sought):
        called = [name["name"] for name in one["names"]]
        taxa = [name for name in (one["accepted"], one["taxon"]) if name]
        near = sought.closest([*called, *taxa, one["field_number"]])
        if sought.number == one["number"]:
            near = max(near, _OF_A_NUMBER)
        label = max(called, key=sought.closeness) if called else ""
        taxon = taxa[0] if taxa else ""
        yield Hit(PLANT, label, one["field_number"], {"number": one["number"]}, near, taxon)


def _holders(scope: Scope, sought: Sought) -> Iterable[Hit]:
    for one in queries.holders_like(scope, sought):
        yield Hit(HOLDER, one["code"], one["community"], {"code": one["code"]}, sought.closeness(one["code"]))


def _sources(scope: Scope, sought: Sought) -> Iterable[Hit]:
    for one in people.sources(scope):
        cited = cite_plainly(one["csl"]) if one["csl"] else ""
        yield Hit(SOURCE, one["code"], cited, {"code": one["code"]}, sought.closest([one["code"], cited]))


def _communities(scope: Scope, sought: Sought) -> Iterable[Hit]:
    for code, name in people.community_names(scope).items():
        yield Hit(COMMUNITY, name, code, {"code": code}, sought.closest([code, name]))


def _encounters(scope: Scope, sought: Sought) -> Iterable[Hit]:
    day = _day(sought.text)
    for one in queries.encounters_like(scope, sought, day):
        near = sought.closest([one["title"], one["place"] or "", one["community"] or ""])
        if sought.number == one["number"]:
            near = max(near, _OF_A_NUMBER)
        span = PartialDay(one["day_from"], one["day_to"]) if one["day_from"] and one["day_to"] else None
        if day and span and span.first <= day.last and span.last >= day.first:
            near = max(near, _OF_A_NUMBER if span == day else 1.0)
        label = one["title"] or f"{one['number']}"
        detail = _joined([str(span or ""), one["place"] or "", one["community"] or ""], but=label)
        yield Hit(ENCOUNTER, label, detail, {"number": one["number"]}, near)


def _purposes(scope: Scope, sought: Sought) -> Iterable[Hit]:
    for one in queries.purposes_like(scope, sought):
        yield Hit(PURPOSE, one["label"], one["category"] or "", {"purpose": one["label"]}, sought.closeness(one["label"]))


def _reports(scope: Scope, sought: Sought) -> Iterable[Hit]:
    numbered = reports.report(scope, sought.number) if sought.number else None
    if numbered is not None:
        detail = _joined([numbered["field_number"], numbered["informant"], numbered["purpose"] or ""])
        yield Hit(REPORT, str(numbered["id"]), detail, {"report": numbered["id"]}, _OF_A_NUMBER)
    found = queries.words_like(scope, sought, near=False) if sought.may_be_in_words else []
    if not found and sought.may_be_near_in_words:
        found = queries.words_like(scope, sought, near=True)
    told: dict[tuple[str, str], list[dict[str, Any]]] = {}
    for one in found:
        told.setdefault((one["plant"], one["words"]), []).append(one)
    for alike in told.values():
        one = alike[0]
        said = max((one["words"], one["caution"]), key=sought.closeness)
        near = min(sought.closeness(said), 1.0)  # anything that is called so goes before what was said of it
        detail = _joined([one["plant"], ", ".join(dict.fromkeys(other["informant"] for other in alike[:_NAMED]))])
        detail += f", +{len(alike) - _NAMED}" if len(alike) > _NAMED else ""
        yield Hit(REPORT, _around(said, sought), detail, {"report": one["id"]}, near)


_FINDERS: Mapping[str, Callable[[Scope, Sought], Iterable[Hit]]] = {
    PLANT: _plants,
    HOLDER: _holders,
    SOURCE: _sources,
    COMMUNITY: _communities,
    ENCOUNTER: _encounters,
    PURPOSE: _purposes,
    REPORT: _reports,
}


def _day(text: str) -> PartialDay | None:
    try:
        return parse_day(text)
    except InputRefused:
        return None


def _joined(parts: Sequence[str], but: str = "") -> str:
    return " · ".join(dict.fromkeys(part for part in parts if part and part != but))


def _around(said: str, sought: Sought) -> str:
    """The words about what was found in them; the beginning where it is only spelt nearly so."""
    at = max(said.casefold().find(sought.text.casefold()), 0)
    first, last = max(at - _ROUND, 0), at + len(sought.text) + _ROUND
    return f"{'… ' if first else ''}{said[first:last].strip()}{' …' if last < len(said) else ''}"
