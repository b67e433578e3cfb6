"""Days as sheets write them: 3.4.2026, 4/3/26, and the question which of the two numbers is the day."""

import re
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date

_NUMBERS = re.compile(r"(\d{1,2})\s*([./-])\s*(\d{1,2})\s*[./-]\s*(\d{4}|\d{2})(?:\s+\d{1,2}:\d{2}(?::\d{2})?)?")
_YEAR_FIRST = re.compile(r"(\d{4})[./](\d{1,2})[./](\d{1,2})")
_MOMENT = re.compile(r"(\d{4}-\d{2}-\d{2})[T ]\d{1,2}:\d{2}(?::\d{2})?")


@dataclass(frozen=True)
class DaysOfColumn:
    """What the days of a column show: how many could be read both ways, and whether others show which comes first."""

    open: int
    example: str
    day_first: bool | None

    @property
    def to_ask(self) -> bool:
        """Whether somebody has to say which number is the day."""
        return self.open > 0 and self.day_first is None


def look_at_days(texts: Iterable[str]) -> DaysOfColumn:
    """Which number is the day, as the column itself shows it: 23/4/2026 can only be 23 April. With points the day is first."""
    open_days, example = 0, ""
    shown: set[bool] = set()
    for text in texts:
        found = _NUMBERS.fullmatch(text)
        if not found or found[2] == ".":
            continue
        first, second = int(found[1]), int(found[3])
        if first == second:
            continue
        if first > 12 or second > 12:
            shown.add(first > 12)
        else:
            open_days, example = open_days + 1, example or text
    return DaysOfColumn(open_days, example, shown.pop() if len(shown) == 1 else None)


def iso_day(text: str, *, day_first: bool | None) -> str:
    """The day as the open table writes it; the text itself where it is none, or could be two and nobody said which.

    A year of two digits is one from 1970 to 2069. With points between its numbers a day comes before its month.
    """
    if moment := _MOMENT.fullmatch(text):
        return moment[1]
    if found := _YEAR_FIRST.fullmatch(text):
        return _day(text, int(found[1]), int(found[2]), int(found[3]))
    if found := _NUMBERS.fullmatch(text):
        first, second, year = int(found[1]), int(found[3]), int(found[4])
        year += 0 if len(found[4]) == 4 else 2000 if year < 70 else 1900
        if found[2] == "." or first > 12 or first == second:
            return _day(text, year, second, first)
        if second > 12:
            return _day(text, year, first, second)
        if day_first is None:
            return text
        return _day(text, year, second, first) if day_first else _day(text, year, first, second)
    return text


def _day(text: str, year: int, month: int, day: int) -> str:
    try:
        return date(year, month, day).isoformat()
    except ValueError:
        return text
