"""What was said of a sheet: where its header stands, what each column is, and what each value means."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from tender_ledger.core.sheets.fields import CARRIED, FIELDS, INFORMANT_COLUMN, field_of_head
from tender_ledger.core.sheets.grid import Grid
from tender_ledger.core.text import fold

# What can be said of a value: it means this text, it is a new code, its cell is empty, or its rows are left out.
MEANS, NEW, EMPTY, OUT = "means", "new", "empty", "out"
LIKELIEST = -1  # in place of a sheet or a header of which nothing was said
ANSWERS = (MEANS, NEW, EMPTY, OUT)
# Fields of which a cell can hold several, each a row of its own.
ROW_EACH = ("informant", "category")
_HEADER_WITHIN = 25  # rows from the top in which a header is looked for
_TOTALS = re.compile(r"(grand\s+)?(totals?|sum|summe|gesamt|somme|suma|Σ)\b", re.I)
_MARK = re.compile(r"[xX✓✔+•●]|\d{1,4}([.,]0+)?")
_CODE_LIKE = re.compile(r"[A-Za-z]{1,6}[ -]?\d{1,4}")


@dataclass(frozen=True)
class Answer:
    """What a value means: one of ANSWERS, with the text that MEANS stands for."""

    act: str
    text: str = ""


@dataclass(frozen=True)
class Column:
    """What a column is: one of FIELDS, CARRIED, LEFT_OUT or INFORMANT_COLUMN.

    `fill`: an empty cell says what the cell above says; `several`: its cells hold several, each a row of its own; `prefix` is
    put before informants that are bare numbers.
    """

    head: str
    field: str = CARRIED
    fill: bool = False
    several: bool = False
    prefix: str = ""


@dataclass(frozen=True)
class Matching:
    """All that was said of a sheet.

    `sheet` is its place in the file and `header` that of its header among its rows, from 0; `day_first` whether
    3/4/2026 is 3 April, None while nobody said;
    `values` by field, then by folded text; `rows_out` lines of the file that are left out; `confirmed` whether somebody looked.
    """

    encoding: str = ""
    sheet: int = LIKELIEST
    header: int = LIKELIEST
    columns: tuple[Column, ...] = ()
    day_first: bool | None = None
    values: Mapping[str, Mapping[str, Answer]] = field(default_factory=dict)
    rows_out: frozenset[int] = frozenset()
    confirmed: bool = False

    def answer(self, name: str, text: str) -> Answer | None:
        """What was said of a value of a field; None where nothing was."""
        of_field = self.values.get(name)
        return of_field.get(fold(text)) if of_field else None

    def with_values(self, more: Mapping[str, Mapping[str, Answer]]) -> "Matching":
        """The same with further values; what is said anew stands."""
        names = dict.fromkeys((*self.values, *more))
        values = {name: {**self.values.get(name, {}), **more.get(name, {})} for name in names}
        return replace(self, values=values)

    def to_json(self) -> dict[str, Any]:
        """As it is kept."""
        return {
            "encoding": self.encoding,
            "sheet": self.sheet,
            "header": self.header,
            "columns": [[one.head, one.field, one.fill, one.several, one.prefix] for one in self.columns],
            "day_first": self.day_first,
            "values": {
                name: {text: [one.act, one.text] for text, one in of_field.items()} for name, of_field in self.values.items()
            },
            "rows_out": sorted(self.rows_out),
            "confirmed": self.confirmed,
        }


def matching_of_json(body: Mapping[str, Any]) -> Matching:
    """What `to_json` kept; of {} one that says nothing."""
    values = body.get("values", {})
    return Matching(
        body.get("encoding", ""),
        body.get("sheet", LIKELIEST),
        body.get("header", LIKELIEST),
        tuple(Column(*one) for one in body.get("columns", ())),
        body.get("day_first"),
        {name: {text: Answer(*one) for text, one in of_field.items()} for name, of_field in values.items()},
        frozenset(body.get("rows_out", ())),
        body.get("confirmed", False),
    )


@dataclass(frozen=True)
class KeptMatching:
    """What was said of earlier sheets of a study: fields by folded head with how their cells are read, and values by field."""

    heads: Mapping[str, Column] = field(default_factory=dict)
    values: Mapping[str, Mapping[str, Answer]] = field(default_factory=dict)
    day_first: bool | None = None


def guess(grids: Sequence[Grid], before: KeptMatching, said: Matching) -> Matching:
    """A first reading of a file: what is known from earlier sheets, then what heads usually mean.

    The sheet and the row of the header are those that were said, else the likeliest ones. Nothing of it is confirmed, but where
    every head was matched before. A file without rows has no columns.
    """
    at = _likeliest_sheet(grids) if said.sheet == LIKELIEST else min(said.sheet, len(grids) - 1)
    grid = grids[at]
    place = _header_of(grid) if said.header == LIKELIEST else min(said.header, max(len(grid.rows) - 1, 0))
    heads = heads_of(grid, place)
    columns = [_column(head, before) for head in heads]
    columns = _without_twins(columns)
    columns = [_as_it_is_filled(grid, place, at, one) for at, one in enumerate(columns)]
    columns = _informant_columns(grid, place, columns)
    totals = frozenset(grid.lines[row] for row in range(place + 1, len(grid.rows)) if is_totals(grid.rows[row]))
    met = bool(heads) and all(fold(head) in before.heads for head in heads)
    day_first = before.day_first if said.day_first is None else said.day_first
    found = Matching(said.encoding, at, place, tuple(columns), day_first, before.values, totals, confirmed=met)
    return with_prefix(grid, found.with_values(said.values))


def heads_of(grid: Grid, header: int) -> list[str]:
    """The heads of all columns; a column without one is called by its place, a second of one name too."""
    row = grid.rows[header] if header < len(grid.rows) else ()
    found: list[str] = []
    taken: set[str] = set()
    for at in range(grid.width):
        head = " ".join((row[at] if at < len(row) else "").replace("\0", " ").split())[:120] or f"column {at + 1}"
        found.append(head if fold(head) not in taken else f"{head}, column {at + 1}")
        taken.add(fold(head))
    return found


def is_totals(row: Sequence[str]) -> bool:
    """Whether a row looks like sums of those above: its first filled cell says so, and all others are numbers."""
    filled = [cell for cell in row if cell]
    numbers = all(re.fullmatch(r"[\d\s.,%=]+|n\s*=\s*\d+", cell) for cell in filled[1:])
    return bool(filled) and bool(_TOTALS.match(filled[0])) and numbers


def _likeliest_sheet(grids: Sequence[Grid]) -> int:
    def weight(at: int) -> tuple[int, int]:
        grid = grids[at]
        known = sum(field_of_head(cell) in FIELDS for row in grid.rows[:_HEADER_WITHIN] for cell in row[:200])
        return known, len(grid.rows)

    return max(range(len(grids)), key=weight)


def _header_of(grid: Grid) -> int:
    """The row with the most cells that name a field; of equal ones the first, else the first with most texts."""

    def weight(at: int) -> tuple[int, int]:
        row = grid.rows[at][:200]
        texts = sum(bool(cell) and not cell.replace(".", "").replace(",", "").isdigit() for cell in row)
        return sum(field_of_head(cell) in FIELDS for cell in row if cell), texts

    return max(range(min(len(grid.rows), _HEADER_WITHIN)), key=weight, default=0)


def _column(head: str, before: KeptMatching) -> Column:
    kept = before.heads.get(fold(head))
    return replace(kept, head=head) if kept else Column(head, field_of_head(head))


def _without_twins(columns: Sequence[Column]) -> list[Column]:
    """Of two columns for one field that takes one value, the first stands and the other is carried along."""
    taken: set[str] = set()
    found = []
    for one in columns:
        again = one.field in taken and one.field in FIELDS and one.field not in JOINED
        found.append(replace(one, field=CARRIED) if again else one)
        taken.add(one.field)
    return found


# Fields whose text may come from several columns: codes of which a report has several, and words.
JOINED = {"part": ";", "preparation": ";", "application": ";", "words": " ", "note": "; ", "dose": "; ", "use": "; ",
          "season": "; ", "harvest": "; ", "caution_told": "; "}  # fmt: skip


def _cells(grid: Grid, header: int, at: int) -> list[tuple[int, str]]:
    """The filled cells of a column beneath its head, each with its line in the file."""
    return [
        (grid.lines[place], row[at]) for place, row in enumerate(grid.rows[header + 1 :], header + 1) if at < len(row) and row[at]
    ]


def with_prefix(grid: Grid, matching: Matching) -> Matching:
    """The same, with a letter before informants that are bare numbers and have none yet: a code begins with one."""
    columns = []
    for at, one in enumerate(matching.columns):
        cells = [cell for row, cell in _cells(grid, matching.header, at) if row not in matching.rows_out]
        pieces = [piece for cell in cells for piece in split_several(cell)] if one.field == "informant" else []
        bare = bool(pieces) and all(re.fullmatch(r"\d{1,5}([.,]0)?", piece) for piece in pieces)
        columns.append(replace(one, prefix=one.prefix or "H") if bare else one)
    return replace(matching, columns=tuple(columns))


def _as_it_is_filled(grid: Grid, header: int, at: int, column: Column) -> Column:
    """A column with what its cells show: several informants or categories in one, and informants that stand once for the rows
    beneath them."""
    cells = [cell for _, cell in _cells(grid, header, at)]
    several = (column.field == "informant" and any(len(split_several(cell)) > 1 for cell in cells)) or (
        column.field == "category" and any(";" in cell for cell in cells)
    )
    return replace(
        column,
        several=column.several or several,
        fill=column.fill or _stands_once(grid, header, at, column),
    )


def _stands_once(grid: Grid, header: int, at: int, column: Column) -> bool:
    """Whether a column of informants or their communities is filled in some rows and empty in rows that say something."""
    if column.field not in ("informant", "community"):
        return False
    rows = [row for row in grid.rows[header + 1 :] if sum(map(bool, row)) > 1 and not is_totals(row)]
    filled = [bool(row[at]) if at < len(row) else False for row in rows]
    return bool(filled) and filled[0] and not all(filled)


def _informant_columns(grid: Grid, header: int, columns: Sequence[Column]) -> list[Column]:
    """Where no column says who told it, columns headed by codes and filled with marks are informants, one each."""
    if any(one.field == "informant" for one in columns):
        return list(columns)
    found = []
    for at, one in enumerate(columns):
        cells = (
            [cell for _, cell in _cells(grid, header, at)]
            if one.field == CARRIED and _CODE_LIKE.fullmatch(one.head.strip())
            else []
        )
        marks = bool(cells) and all(_MARK.fullmatch(cell) for cell in cells)
        found.append(replace(one, field=INFORMANT_COLUMN) if marks else one)
    return found


def split_several(text: str) -> list[str]:
    """The pieces of a cell that holds several, parted by comma, semicolon, slash, plus, ampersand, line or “and”."""
    return [piece.strip() for piece in re.split(r"[,;/+&\n]|\s(?:and|und|et|y)\s", text) if piece.strip()]


def complete(matching: Matching) -> str:
    """What is still missing before the sheet can be read as use reports, as one sentence; "" where nothing is."""
    fields = [one.field for one in matching.columns]
    twice = sorted({one for one in fields if one in FIELDS and one not in JOINED and fields.count(one) > 1})
    if twice:
        return f"Two columns are “{twice[0].replace('_', ' ')}”, which takes one. Say of one of them that it is something else."
    if "informant" in fields and INFORMANT_COLUMN in fields:
        return "One column names the informants, and others are an informant each. It can only be one of the two."
    if "informant" not in fields and INFORMANT_COLUMN not in fields:
        return (
            "No column says who told it. A use report needs its informant: a count of them, or a list of uses without them, "
            "cannot become reports."
        )
    if not {"taxon", "plant", "local_name"} & set(fields):
        return "No column says of which plant. Say which one holds the scientific name, the local name or the field number."
    return ""


def to_keep(matching: Matching, coded: Sequence[str]) -> tuple[dict[str, Any], dict[str, Any]]:
    """What of a matching serves the next sheet: heads, and the values of the fields in `coded`; nothing that names anybody."""
    heads = {
        fold(one.head): ["", one.field, one.fill, one.several, one.prefix]
        for one in matching.columns
        if one.field != INFORMANT_COLUMN
    }
    values = {
        name: {text: [one.act, one.text] for text, one in matching.values[name].items() if one.act in (MEANS, NEW)}
        for name in coded
        if matching.values.get(name)
    }
    return heads, values
