"""What of a CSL-JSON record is what CSL 1.0.2 says it is; the rest is left out and told.

Names are objects of texts, dates have at most two `date-parts` of at most three whole numbers, everything else is a text or a
number. Source: the JSON schema of CSL 1.0.2.
"""

from collections.abc import Callable, Mapping
from typing import Any

from tender_ledger.core.limits import WORDS
from tender_ledger.core.text import clean, whole_number

Item = dict[str, Any]
NAMES = frozenset(
    {"author", "chair", "collection-editor", "compiler", "composer", "container-author", "contributor", "curator", "director",
     "editor", "editorial-director", "executive-producer", "guest", "host", "illustrator", "interviewer", "narrator", "organizer",
     "original-author", "performer", "producer", "recipient", "reviewed-author", "script-writer", "series-creator", "translator"}
)  # fmt: skip
DATES = frozenset({"accessed", "available-date", "event-date", "issued", "original-date", "submitted"})
_LEFT_OUT = frozenset({"id", "citation-key", "custom"})
_MOST_NAMES, _MOST_FIELDS = 500, 100


def read_item(record: Mapping[str, Any]) -> tuple[Item, list[tuple[str, str, str]]]:
    """The record with what can be kept of it, and of the rest what is wrong, what was found, what was expected."""
    item: Item = {}
    problems: list[tuple[str, str, str]] = []
    for key, value in [*record.items()][:_MOST_FIELDS]:
        if key in _LEFT_OUT:
            continue
        read, expected = _reader_of(key)
        kept = read(value)
        if kept is None:
            problems.append((f"Its “{clean(key)[:40]}” was left out.", repr(value)[:40], expected))
        else:
            item[clean(key)[:64]] = kept
    return item, problems


def _reader_of(key: str) -> tuple[Callable[[Any], Any], str]:
    if key in NAMES:
        return _names, "a list of people with family and given"
    if key in DATES:
        return _date, "an object with date-parts, such as [[1964, 5]]"
    return _plain, "a text or a number"


def _plain(value: Any) -> str | None:
    if isinstance(value, bool) or not isinstance(value, (str, int, float)):
        return None
    text = clean(str(value) if not isinstance(value, int) or abs(value) < 10**15 else "")
    return text if text and len(text) <= WORDS else None


def _names(value: Any) -> list[dict[str, str]] | None:
    if not isinstance(value, list) or len(value) > _MOST_NAMES:
        return None
    people = [_name(one) for one in value]
    return [one for one in people if one] if all(people) else None


def _name(value: Any) -> dict[str, str]:
    if not isinstance(value, dict):
        return {}
    parts = {clean(key)[:40]: text for key, one in value.items() if (text := _plain(one))}
    return parts if {"family", "literal", "given"} & parts.keys() else {}


def _date(value: Any) -> Item | None:
    if not isinstance(value, dict):
        return None
    given = value.get("date-parts", [])
    if not isinstance(given, list) or len(given) > 2 or not all(isinstance(one, list) and 0 < len(one) <= 3 for one in given):
        return None
    parts = [[whole_number(one, 9_999) for one in day] for day in given]
    if any(one is None for day in parts for one in day):
        return None
    said = {key: text for key in ("literal", "raw", "season") if (text := _plain(value.get(key)))}
    if not parts and not said:
        return None
    return {**({"date-parts": parts} if parts else {}), **said, **({"circa": True} if value.get("circa") else {})}
