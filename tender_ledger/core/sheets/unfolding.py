"""The rows of a sheet as rows of the open use-report table: one statement each, in its fields."""

import re
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import product

from tender_ledger.core.limits import ROWS
from tender_ledger.core.messages import InputRefused, Problem
from tender_ledger.core.sheets.dates import DaysOfColumn, iso_day, look_at_days
from tender_ledger.core.sheets.fields import CARRIED, FIELDS, INFORMANT_COLUMN, LEFT_OUT
from tender_ledger.core.sheets.grid import Grid
from tender_ledger.core.sheets.matching import (
    EMPTY,
    JOINED,
    MEANS,
    OUT,
    ROW_EACH,
    Column,
    Matching,
    split_several,
)
from tender_ledger.core.text import fold

COLOUR = "colour of the row"
LIST_FIELDS = ("part", "preparation", "application")
_DITTO = frozenset({'"', "''", "“", "”", "″", "〃", ",,", '-"-', "-”-", "ditto", "dto", "dto.", "do.", "id.", "idem"})
_NOUGHT = frozenset({"0", "0.0", "0,0", "-", "–", "no", "n"})
_MARK = re.compile(r"[xX✓✔+•●]|1([.,]0+)?|yes|y")
_COUNT = re.compile(r"(\d{1,6})([.,]0+)?")
_DECIMAL = re.compile(r"\d+,\d+( s)?")
_RANGE = re.compile(r"([A-Za-z]{1,8}-?)(\d{1,4})\s*(?:-|–|—|to)\s*([A-Za-z]{1,8}-?)?(\d{1,4})")
_SPACED_CODE = re.compile(r"[A-Za-z]{1,8} ?-? ?\d{1,5}")
_LONGEST_RANGE = 200  # informants that “P01 to P40” can stand for


@dataclass(frozen=True)
class Unfolded:
    """The rows of a sheet as cells by column, and what was done to them.

    `lines` numbers the rows: by their line in the file, or, where a row of the file became several, from 1 on; `places` says
    then where each stands. `pieces` are the values of every field as they stand, with how many rows say them. `days` is what
    the days show. `notes` are sentences on what became of cells and rows that are no statement.
    """

    columns: tuple[str, ...]
    rows: tuple[Mapping[str, str], ...]
    lines: tuple[int, ...]
    places: Mapping[int, str]
    pieces: Mapping[str, Mapping[str, int]]
    days: DaysOfColumn
    notes: tuple[str, ...] = ()


@dataclass
class _Row:
    """One statement under way: its cells by field, and where it stands in the file."""

    cells: dict[str, str]
    line: int
    place: str = ""
    out: bool = False


def unfold(grid: Grid, matching: Matching) -> Unfolded:
    """Read a sheet as it was matched; a sheet without rows gives none.

    A value that means another text is replaced, and stands as it was written in a column of its own beside. Raises InputRefused
    for a sheet that becomes more than ROWS statements.
    """
    return _Unfolding(grid, matching).result()


def with_answers(
    rows: Sequence[Mapping[str, str]], lines: Sequence[int], matching: Matching
) -> tuple[list[dict[str, str]], list[int]]:
    """Rows of the open table with what was said of their values, and their lines; without those that are left out."""
    reading = _Unfolding(Grid("", (), ()), matching)
    found = []
    for line, row in zip(lines, rows, strict=True):
        fields = {name: text for name, text in row.items() if text and name in FIELDS}
        extra = {name: text for name, text in row.items() if text and name not in FIELDS}
        one = reading.statement(fields, extra, line)
        if not one.out:
            found.append(one)
    return [one.cells for one in found], [one.line for one in found]


class _Unfolding:
    """One sheet under way; it counts what it did, to say so."""

    day_first: bool | None = None
    days_are_events = False

    def __init__(self, grid: Grid, matching: Matching) -> None:
        self.grid, self.matching = grid, matching
        self.of_empty = [name for name, answers in matching.values.items() if "" in answers]
        self.columns = list(matching.columns[: grid.width])
        self.pieces: dict[str, Counter[str]] = {}
        self.noughts = self.counts = self.short_years = self.headings = self.dittos = self.filled = 0
        self.noted: list[str] = []

    def result(self) -> Unfolded:
        lines = self._lines()
        dates = [row[at] for at, one in enumerate(self.columns) if one.field == "date" for _, row in lines]
        self.days = look_at_days(dates)
        fields = {one.field for one in self.columns}
        self.days_are_events = "date" in fields and "event" not in fields
        said = self.days.day_first if self.matching.day_first is None else self.matching.day_first
        self.day_first = said
        rows: list[_Row] = []
        for line, row in lines:
            rows += self._statements(line, row)
            if len(rows) > ROWS:
                raise InputRefused(
                    Problem(
                        "The sheet becomes too many statements.",
                        self.grid.name,
                        f"more than {ROWS:,}",
                        f"at most {ROWS:,}",
                        "Bring it in parts.",
                    )
                )
        landing = [one for one in rows if not one.out]
        if out := len(rows) - len(landing):
            self.noted.append(f"{_some(out, 'statement is', 'statements are')} left out, as was said of a value of theirs.")
        several = len({one.line for one in landing}) < len(landing)
        numbers = tuple(range(1, len(landing) + 1)) if several else tuple(one.line for one in landing)
        places = {at: one.place or f"row {one.line}" for at, one in zip(numbers, landing, strict=True)} if several else {}
        names = dict.fromkeys(name for one in landing for name in one.cells)
        ordered = [
            *(name for name in FIELDS if name in names),
            *(name for name in names if name not in FIELDS),
        ]
        for need in ("informant", "category"):
            if need not in ordered:
                ordered.append(need)
        return Unfolded(
            tuple(ordered),
            tuple(one.cells for one in landing),
            numbers,
            places,
            self.pieces,
            self.days,
            self._notes(),
        )

    def _lines(self) -> list[tuple[int, list[str]]]:
        """The rows beneath the header that say something, with what stands for a ditto mark or an empty cell to fill."""
        above = [""] * len(self.columns)
        found: list[tuple[int, list[str]]] = []
        out = 0
        header = [fold(one.head) for one in self.columns]
        for at in range(self.matching.header + 1, len(self.grid.rows)):
            row = [*self.grid.rows[at], *[""] * len(self.columns)][: len(self.columns)]
            line = self.grid.lines[at]
            if not any(row) or [fold(cell) for cell in row] == header:
                continue
            if line in self.matching.rows_out:
                out += 1
                continue
            for place, one in enumerate(self.columns):
                if row[place].lower() in _DITTO:
                    row[place] = above[place]
                    self.dittos += 1
                elif not row[place] and one.fill and any(row):
                    row[place] = above[place]
                    self.filled += bool(above[place])
            if self._is_heading(row):
                self.headings += 1
                self.noted.append(
                    f"Row {line}, “{next(filter(None, row))[:60]}”, stands alone like a heading; it is no statement."
                )
                continue
            above = row
            if at in self.grid.colours:
                row = [*row, self.grid.colours[at]]
            found.append((line, row))
        if out:
            self.noted.append(f"{_some(out, 'row is', 'rows are')} left out, as said above.")
        return found

    def _is_heading(self, row: Sequence[str]) -> bool:
        """Whether one cell alone of many is filled, and the row names neither who told it nor a use."""
        filled = [at for at, cell in enumerate(row) if cell]
        alone = len(filled) == 1 and len(self.columns) > 3
        return alone and self.columns[filled[0]].field in (
            CARRIED,
            LEFT_OUT,
            "taxon",
            "family",
            "category",
            "local_name",
            "community",
        )

    def _statements(self, line: int, row: list[str]) -> list[_Row]:
        cells: dict[str, str] = {}
        extra: dict[str, str] = {}
        told: list[tuple[Column, str]] = []
        for one, text in zip(self.columns, row, strict=False):
            if not text or one.field == LEFT_OUT:
                continue
            if one.field == INFORMANT_COLUMN:
                told.append((one, text))
            elif one.field == CARRIED:
                extra[_carried_name(one.head)] = text
            elif one.field in cells:
                cells[one.field] += JOINED.get(one.field, "; ") + text
            else:
                cells[one.field] = text
        if len(row) > len(self.columns):
            extra[COLOUR] = row[-1]
        split = {one.field: one for one in self.columns if one.several and one.field in ROW_EACH}
        prefix = next((one.prefix for one in self.columns if one.field == "informant"), "")
        if any(one.field == INFORMANT_COLUMN for one in self.columns):
            return [
                self.statement({**cells, **said}, extra | more, line, place)
                for said, more, place in self._of_informants(told, line)
            ]
        choices = [self._several(name, cells.get(name, ""), prefix) for name in split]
        found = []
        for chosen in product(*choices):
            place = f"row {line}" + "".join(f", {text}" for text in chosen if text)
            said = {**cells, **dict(zip(split, chosen, strict=True))}
            if prefix and "informant" not in split:
                said["informant"] = _with_prefix(said.get("informant", ""), prefix)
            found.append(self.statement(said, extra, line, place))
        return found

    def _several(self, name: str, text: str, prefix: str) -> list[str]:
        """The values of a cell that holds several, each once; a value with an answer of its own is not parted."""
        if self.matching.answer(name, text):
            return [text]
        pieces = [piece for part in split_several(text) for piece in (_informants_of(part) if name == "informant" else [part])]
        if name == "informant":
            pieces = [_with_prefix(piece, prefix) for piece in pieces]
        return list(dict.fromkeys(pieces)) or [""]

    def _of_informants(self, told: Sequence[tuple[Column, str]], line: int) -> list[tuple[dict[str, str], dict[str, str], str]]:
        """One statement for every informant's column that is filled: marks say no more; a count or words are kept."""
        found = []
        for one, text in told:
            if text.lower() in _NOUGHT:
                self.noughts += 1
                continue
            said, more = {"informant": one.head.replace(" ", "")}, dict[str, str]()
            if number := _COUNT.fullmatch(text):
                if int(number[1]) != 1:
                    more["times told"] = number[1]
                    self.counts += 1
            elif not _MARK.fullmatch(text.lower()):
                said["words"] = text
            found.append((said, more, f"row {line}, {one.head}"))
        return found

    def statement(self, cells: Mapping[str, str], extra: Mapping[str, str], line: int, place: str = "") -> _Row:
        """A row of the open table: days, decimals and codes as the table writes them, values as they were answered."""
        row = _Row({}, line, place)
        beside = dict(extra)
        for name, text in cells.items():
            if name == "date":
                text = self._day(text)
            elif name == "informant":
                text = "".join(text.split()) if _SPACED_CODE.fullmatch(text) else text
            elif name in ("start", "end") and _DECIMAL.fullmatch(text):
                text = f"{text.removesuffix(' s').replace(',', '.')} s"
            if written := self._value(row, beside, name, text):
                row.cells[name] = written
        for name in self.of_empty:
            if name not in cells:
                self._empty(row, name)
        if self.days_are_events and row.cells.get("date") and row.cells.get("informant"):
            row.cells["event"] = f"{row.cells['informant']}, {row.cells['date']}"
        row.cells |= beside
        return row

    def _empty(self, row: _Row, name: str) -> None:
        """What was said of the rows in which a field is empty."""
        answer = self.matching.answer(name, "")
        if answer and answer.act == MEANS:
            row.cells[name] = answer.text
        row.out |= bool(answer and answer.act == OUT)

    def _day(self, text: str) -> str:
        day = iso_day(text, day_first=self.day_first)
        if day != text and re.search(r"\D\d\d$", text):
            self.short_years += 1
        return day

    def _value(self, row: _Row, beside: dict[str, str], name: str, text: str) -> str:
        """A value as it was answered: as a whole, or, in a field of several codes, piece by piece."""
        whole = self.matching.answer(name, text)
        if whole or name not in LIST_FIELDS:
            self._count(name, text)
            return self._answered(row, beside, name, text)
        pieces = [piece.strip() for piece in text.split(";") if piece.strip()]
        found = []
        for piece in pieces:
            self._count(name, piece)
            found.append(self._answered(row, beside, name, piece))
        return ";".join(dict.fromkeys(filter(None, found)))

    def _count(self, name: str, text: str) -> None:
        self.pieces.setdefault(name, Counter())[text] += 1

    def _answered(self, row: _Row, beside: dict[str, str], name: str, text: str) -> str:
        answer = self.matching.answer(name, text)
        if answer is None:
            return text
        as_written = f"{name.replace('_', ' ')} as written"
        if answer.act == OUT:
            row.out = True
        elif answer.act == EMPTY:
            beside[as_written] = "; ".join(filter(None, (beside.get(as_written), text)))
            return ""
        elif answer.act == MEANS:
            if fold(answer.text) != fold(text):
                beside[as_written] = "; ".join(filter(None, (beside.get(as_written), text)))
            return answer.text
        return text

    def _notes(self) -> tuple[str, ...]:
        found = [*self.grid.notes]
        if self.grid.merged:
            found.append(
                f"{_some(self.grid.merged, 'merged cell was', 'merged cells were')} filled down over the rows they cover."
            )
        if self.dittos:
            found.append(f"{_some(self.dittos, 'ditto mark says', 'ditto marks say')} what the cell above says.")
        if self.filled:
            found.append(f"{_some(self.filled, 'empty cell says', 'empty cells say')} what the cell above says.")
        if self.days.open and self.day_first is not None:
            first = "the day first" if self.day_first else "the month first"
            found.append(
                f"{_some(self.days.open, 'day', 'days')} that could be read in two ways, such as {self.days.example}: {first}."
            )
        if self.days_are_events:
            found.append("No column names encounters, but one has days: each informant’s day is an encounter.")
        if self.short_years:
            found.append(
                f"{_some(self.short_years, 'day has', 'days have')} a year of two digits, read as one from 1970 to 2069."
            )
        if self.noughts:
            found.append(
                f"{_some(self.noughts, 'cell holds', 'cells hold')} nought or a dash, and {_is(self.noughts)} no statement."
            )
        if self.counts:
            found.append(
                f"{_some(self.counts, 'cell counts', 'cells count')} more than one: a count says "
                "how often, not what was said, so each becomes one report; the count is carried along as “times told”."
            )
        if self.grid.colours:
            found.append(
                f"{_some(len(self.grid.colours), 'row is', 'rows are')} coloured. What a colour means "
                f"no rule knows: it is carried along as “{COLOUR}”; write what it means into a column if it should count."
            )
        return (*found, *self.noted[:40])


def _is(number: int) -> str:
    return "is" if number == 1 else "are"


def _some(number: int, one: str, more: str) -> str:
    return f"{number:,} {one if number == 1 else more}"


def _with_prefix(text: str, prefix: str) -> str:
    bare = re.fullmatch(r"(\d{1,5})([.,]0)?", text)
    return f"{prefix}{int(bare[1]):02}" if bare and prefix else text


def _informants_of(text: str) -> list[str]:
    """The informants that “P01 to P05” stands for; the text itself where it is no range."""
    found = _RANGE.fullmatch(text)
    if not found or (found[3] and found[3].rstrip("-").lower() != found[1].rstrip("-").lower()):
        return [text]
    first, last = int(found[2]), int(found[4])
    if not first < last <= first + _LONGEST_RANGE:
        return [text]
    return [f"{found[1]}{number:0{len(found[2])}}" for number in range(first, last + 1)]


def _carried_name(head: str) -> str:
    """The name under which a column is carried along: its own, unless that names a field."""
    return f"{head} (as written)" if head in FIELDS else head
