"""Days of the field: a day, a month, a year or a span, exact or about. No zone, no clock."""

import calendar
import re
from dataclasses import dataclass
from datetime import date
from functools import lru_cache

from tender_ledger.core.messages import InputRefused, Problem
from tender_ledger.core.text import clean

MONTHS = ("January", "February", "March", "April", "May", "June", "July", "August", "September", "October",
          "November", "December")  # fmt: skip
_ISO = re.compile(r"(\d{4})(?:-(\d{1,2})(?:-(\d{1,2}))?)?$")
_WORDS = re.compile(r"(?:(\d{1,2})\s+)?([A-Za-z]{3,9})\.?\s+(\d{4})$")
_ABOUT = re.compile(r"(?:about|around|circa|c\.|ca\.?|~)\s*(.+)$", re.I)


@dataclass(frozen=True)
class PartialDay:
    """The span of days in which something happened: first day, last day, and whether it is only about then."""

    first: date
    last: date
    approximate: bool = False

    def __str__(self) -> str:
        return ("about " if self.approximate else "") + self._span()

    def _span(self) -> str:
        a, b = self.first, self.last
        if a == b:
            return f"{a.day} {MONTHS[a.month - 1]} {a.year}"
        if (a.day, a.month, b.day, b.month) == (1, 1, 31, 12):
            return str(a.year) if a.year == b.year else f"{a.year} to {b.year}"
        if a.day == 1 and (a.year, a.month) == (b.year, b.month) and b == _month(a.year, a.month)[1]:
            return f"{MONTHS[a.month - 1]} {a.year}"
        return f"{PartialDay(a, a)} to {PartialDay(b, b)}"

    def iso(self) -> str:
        """The shortest ISO form that says the same (`2026-05-12`, `2026-05`, `2026`); a span gives its first day."""
        if (self.first, self.last) == _year(self.first.year):
            return str(self.first.year)
        if (self.first, self.last) == _month(self.first.year, self.first.month):
            return f"{self.first:%Y-%m}"
        return self.first.isoformat()


def _year(year: int) -> tuple[date, date]:
    return date(year, 1, 1), date(year, 12, 31)


def _month(year: int, month: int) -> tuple[date, date]:
    return date(year, month, 1), date(year, month, calendar.monthrange(year, month)[1])


def _month_number(word: str) -> int:
    hits = [n for n, name in enumerate(MONTHS, 1) if name.lower().startswith(word.lower())]
    if len(hits) != 1:
        raise ValueError(word)
    return hits[0]


@lru_cache(10_000)
def parse_day(text: str, where: str = "date") -> PartialDay:
    """Read `12 May 2026`, `May 2026`, `2026`, `2026-05-12`, `2026-05`, each with `about` before it.

    Raises InputRefused for anything else and for days that are in no calendar.
    """
    wanted = clean(text)
    about = _ABOUT.match(wanted)
    body = about.group(1) if about else wanted
    try:
        first, last = _read(body)
    except (ValueError, TypeError):
        raise InputRefused(
            Problem("This is no day the calendar has.", where, wanted, "12 May 2026, May 2026, 2026 or 2026-05-12",
                    "A part may be left out; “about” may stand before it.")) from None  # fmt: skip
    return PartialDay(first, last, about is not None)


def _read(body: str) -> tuple[date, date]:
    if iso := _ISO.match(body):
        year, month, day = iso.groups()
    elif words := _WORDS.match(body):
        day, name, year = words.groups()
        month = str(_month_number(name))
    else:
        raise ValueError(body)
    if day:
        one = date(int(year), int(month), int(day))
        return one, one
    return _month(int(year), int(month)) if month else _year(int(year))
