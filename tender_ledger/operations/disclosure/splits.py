"""What is counted and not shown: it enters a number only where enough holders who are hidden stand behind it.

Whoever sees the rows of everybody shown can take them from a number, and is left with what the hidden told. Where fewer of
them than the study's minimum stand in the study, all its numbers are of what is shown alone; where fewer stand in some group,
the groups are. That is the same for every member.
"""

from collections import Counter
from collections.abc import Iterable, Mapping
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


def counting_scope(scope: Scope, purpose: Purpose = Purpose.COUNTED) -> Scope:
    """The scope to read with for numbers of the whole study: of all that is counted where nobody is hidden or enough holders
    are, else of what is counted and shown. Other purposes than counting stay as they are."""
    return split_scope(scope.for_purpose(purpose))


def split_scope(scope: Scope, *grounds: str, since: date | None = None) -> Scope:
    """The scope to read with for groups by these grounds: as it is where the study and every group, also that of nobody on
    record, holds no hidden holder or enough of them; else of what is counted and shown.

    Who is hidden altogether and who in part are asked apart, as N tells of the first. Grounds are community, gender, age,
    occupation, years, kind and period (`since` parts it). Other purposes than counting stay as they are.
    """
    if scope.purpose is not Purpose.COUNTED:
        return scope
    hidden, least = hidden_holders(scope), minimum_of(scope)
    for ground in ("", *grounds):
        for some in (hidden, [one for one in hidden if one["altogether"]]):
            groups = Counter(group for one in some for group in _groups_of(one, ground, scope.day, since))
            if any(number < least for number in groups.values()):
                return scope.for_purpose(Purpose.COUNTED_SHOWN)
    return scope


def with_enough_hidden(scope: Scope, given: Iterable[Mapping[str, Any]]) -> list[Mapping[str, Any]]:
    """What informants gave (`informant`, and whether it is `shown`): all of it, or where too few of them are hidden what is
    shown alone."""
    found = list(given)
    hidden = {one["informant"] for one in found if not one["shown"]}
    return [one for one in found if one["shown"]] if 0 < len(hidden) < minimum_of(scope) else found


def _groups_of(one: Mapping[str, Any], ground: str, day: date, since: date | None) -> set[str]:
    if not ground:
        return {""}
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
    """Whether communities are taken apart of what is shown alone, and the whole study is not."""
    whole = counting_scope(scope)
    return split_scope(whole, "community") is not whole
