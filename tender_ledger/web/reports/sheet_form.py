"""What was said of a sheet, out of the form of its page."""

import re
from collections.abc import Mapping
from dataclasses import replace

from tender_ledger.core.sheets.fields import CARRIED, FIELDS, INFORMANT_COLUMN, LEFT_OUT
from tender_ledger.core.sheets.matching import ANSWERS, MEANS, Answer, Column, Matching
from tender_ledger.core.text import clean, fold, whole_number
from tender_ledger.formats.sheet_files import ENCODINGS

_LINES = re.compile(r"(\d{1,6})(?:\s*[-–]\s*(\d{1,6}))?")
_MOST_LINES = 5_000  # rows that can be left out by number


def matching_sent(before: Matching, form: Mapping[str, str]) -> Matching:
    """What the form says of the sheet. Another sheet, header or encoding starts its columns anew; what is none of the choices
    offered stays as it was."""
    encoding = form.get("encoding", before.encoding)
    encoding = encoding if encoding in ENCODINGS else before.encoding
    sheet = _place(form.get("sheet"), before.sheet)
    header = _place(form.get("header"), before.header)
    values = answers_sent(form)
    day_first = {"day": True, "month": False}.get(form.get("day_first", ""), before.day_first)
    if (encoding, sheet) != (before.encoding, before.sheet):
        return Matching(encoding, sheet, values=before.values, day_first=day_first)
    if header != before.header:
        return Matching(encoding, sheet, header, values=before.with_values(values).values, day_first=day_first)
    columns = tuple(_column(at, one, form) for at, one in enumerate(before.columns))
    said = replace(
        before,
        columns=columns,
        day_first=day_first,
        rows_out=_rows_out(before, form),
        confirmed=True,
    )
    return said.with_values(values)


def answers_sent(form: Mapping[str, str]) -> dict[str, dict[str, Answer]]:
    """What the form says of values: for each its field, its text, what is to be done, and the text that stands for it."""
    found: dict[str, dict[str, Answer]] = {}
    for at in range(_how_many(form, "value-field-")):
        name, text = form.get(f"value-field-{at}", ""), form.get(f"value-text-{at}", "")
        act, means = form.get(f"value-act-{at}", ""), clean(form.get(f"value-means-{at}", ""))[:500]
        if act.startswith("="):
            act, means = MEANS, clean(act[1:])[:500]
        if name in FIELDS and act in ANSWERS and (act != MEANS or means):
            found.setdefault(name, {})[fold(text)] = Answer(act, means if act == MEANS else "")
    return found


def _how_many(form: Mapping[str, str], prefix: str) -> int:
    numbers = [whole_number(name.removeprefix(prefix), 100_000) for name in form if name.startswith(prefix)]
    return max((number + 1 for number in numbers if number is not None), default=0)


def _place(text: str | None, before: int) -> int:
    number = whole_number(text, 300_000) if text is not None else None
    return before if number is None else number


def _column(at: int, column: Column, form: Mapping[str, str]) -> Column:
    name = form.get(f"field-{at}")
    if name is None or not (name in FIELDS or name in (CARRIED, LEFT_OUT, INFORMANT_COLUMN)):
        return column
    prefix = form.get(f"prefix-{at}", "").strip()
    prefix = prefix if re.fullmatch(r"[A-Za-z][A-Za-z-]{0,7}", prefix) else column.prefix
    return replace(
        column,
        field=name,
        fill=f"fill-{at}" in form,
        several=f"several-{at}" in form,
        prefix=prefix,
    )


def _rows_out(before: Matching, form: Mapping[str, str]) -> frozenset[int]:
    """The lines of “3, 7-9”; as before where the form does not ask for them."""
    text = form.get("rows_out")
    if text is None:
        return before.rows_out
    found: set[int] = set()
    for first, last in _LINES.findall(text[:20_000]):
        lines = range(int(first), int(last or first) + 1)
        if len(found) + len(lines) <= _MOST_LINES:
            found |= set(lines)
    return frozenset(found)
