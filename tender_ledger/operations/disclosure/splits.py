"""Groups of what is counted, where some of it is not shown: none is made that would tell of the few who are hidden.

Whoever sees the rows of everybody shown can take them from the number of a group, and is left with what the hidden told there.
Where fewer of them than the study's minimum stand in some group, groups are made of what is shown alone.
"""

from collections import Counter
from collections.abc import Mapping
from datetime import date
from typing import Any

from tender_ledger.core.terms import Purpose, Scope
from tender_ledger.storage.queries import studies
from tender_ledger.storage.queries.informants import hidden_holders

AGES = ((0, 30, "under_30"), (30, 50, "30_to_49"), (50, 70, "50_to_69"), (70, 200, "70_and_over"))
_YEARS = 10  # years in the place that make a class


def age_class(born: int | None, day: date) -> str:
    """The class of AGES, "" where the year of birth is not on record."""
    if born is None:
        return ""
    age = day.year - born
    return next((code for low, high, code in AGES if low <= age < high), "")


def minimum_of(scope: Scope) -> int:
    """How many holders must stand behind a number of the study before it is split, or leaves."""
    return int(studies.publishing_rule(scope)["minimum_holders"])


def split_scope(scope: Scope, *grounds: str, since: date | None = None) -> Scope:
    """The scope to read with for groups by these grounds: as it is where every group, also that of nobody on record, holds no
    hidden holder or enough of them; else of what is counted and shown.

    Grounds are community, gender, age, occupation, years, kind and period (`since` parts it). Other purposes than counting
    stay as they are.
    """
    if scope.purpose is not Purpose.COUNTED:
        return scope
    hidden, least = hidden_holders(scope), minimum_of(scope)
    for ground in grounds:
        groups = Counter(group for one in hidden for group in _groups_of(one, ground, scope.day, since))
        if any(number < least for number in groups.values()):
            return scope.for_purpose(Purpose.COUNTED_SHOWN)
    return scope


def _groups_of(one: Mapping[str, Any], ground: str, day: date, since: date | None) -> set[str]:
    if ground == "age":
        return {age_class(one["born"], day)}
    if ground == "years":
        return {"" if one["years"] is None else str(one["years"] // _YEARS)}
    if ground == "kind":
        return {talk["kind"] for talk in one["talks"]}
    if ground == "period":
        return {period_of(date.fromisoformat(talk["day"]) if talk["day"] else None, since) for talk in one["talks"]}
    return {one[ground] or ""}


def period_of(day: date | None, since: date | None) -> str:
    """Whether something was told before the day or since; what has no day was told before."""
    return "before" if since is None or day is None or day < since else "since"


def communities_of_shown(scope: Scope) -> bool:
    """Whether communities are taken apart of what is shown alone."""
    counted = scope.for_purpose(Purpose.COUNTED)
    return split_scope(counted, "community") is not counted


def hidden_are_said(scope: Scope) -> bool:
    """Whether it may be said how many are counted and not shown: nobody, or enough of them."""
    number = len(hidden_holders(scope))
    return number == 0 or number >= minimum_of(scope)
