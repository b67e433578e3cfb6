"""What waits for somebody who opens the study: decisions by kind, what they left unfinished, what ends soon."""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Scope
from tender_ledger.operations.worklist import Waiting, read_worklist
from tender_ledger.storage.queries import desk, encounters, studies

SOON = 60  # days
_SLOTS = ("plant", "parts", "methods", "category", "purpose", "words", "note", "caution")  # in which something was told
_MOST_LEFT_OFF = 5


@dataclass(frozen=True)
class LeftOff:
    """An encounter in which the viewer recorded last, or (`is_draft`) in whose line something stands unrecorded."""

    number: int
    title: str
    is_draft: bool


@dataclass(frozen=True)
class Ending:
    """A permit (its kind), or the agreement of a holder or a community (their code), with its last day."""

    kind: str  # permit, holder, community
    name: str
    day: date
    days_left: int


@dataclass(frozen=True)
class DeskOfDay:
    """Rules of the worklist with items that wait; what was left off, the latest first; what ends soon, the first first."""

    waiting: Sequence[Waiting]
    left_off: Sequence[LeftOff]
    ending: Sequence[Ending]


def desk_of_day(scope: Scope) -> DeskOfDay:
    """The desk as the viewer may see it; empty of all where nothing waits."""
    waiting = [one for one in read_worklist(scope) if one.items]
    return DeskOfDay(waiting, _left_off(scope), _ending(scope))


def _left_off(scope: Scope) -> list[LeftOff]:
    if not scope.viewer.may(Right.RECORD):
        return []
    unfinished = [
        int(place[1])
        for one in desk.drafts(scope)
        if any(one["body"].get(slot) for slot in _SLOTS) and (place := re.fullmatch(r"encounter (\d+)", one["place"]))
    ]
    last = desk.last_recorded_in(scope)
    numbers = list(dict.fromkeys([*unfinished, *([] if last is None else [last])]))[:_MOST_LEFT_OFF]
    titles = encounters.titles_of(scope, numbers)
    return [LeftOff(number, titles[number], number in unfinished) for number in numbers if number in titles]


def _ending(scope: Scope) -> list[Ending]:
    until = scope.day + timedelta(days=SOON)
    found = [
        Ending("permit", one["kind"], one["expires_on"], (one["expires_on"] - scope.day).days)
        for one in studies.permits(scope)
        if one["expires_on"] and scope.day <= one["expires_on"] <= until
    ]
    for one in desk.agreements_ending(scope, until):
        kind = "holder" if one["holder"] else "community"
        found.append(Ending(kind, one[kind], one["expires_on"], (one["expires_on"] - scope.day).days))
    return sorted(found, key=lambda one: (one.day, one.name))
