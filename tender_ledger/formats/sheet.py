"""Sheets of rows with a header (CSV by RFC 4180): read with the place of everything wrong, written the same way."""

import csv
import io
import re
import unicodedata
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from tender_ledger.core.limits import COLUMNS, ROWS
from tender_ledger.core.messages import InputRefused, Problem, RowProblem

Row = dict[str, str]


@dataclass(frozen=True)
class Sheet:
    """The header and the rows; `lines` holds the line of the file on which each row starts."""

    columns: tuple[str, ...]
    rows: tuple[Row, ...]
    lines: tuple[int, ...]


@dataclass(frozen=True)
class Misfit:
    """A row with another number of cells than the header, as it stood."""

    line: int
    cells: tuple[str, ...]
    problem: RowProblem


def read_sheet(data: bytes, required: Sequence[str], name: str = "file") -> Sheet:
    """Read a sheet: UTF-8 with or without BOM, comma, semicolon or tab, text normalised to NFC, cells trimmed.

    Raises InputRefused naming line and column: no UTF-8, no header, a column twice or missing, a row of wrong length.
    Also one of more than ROWS rows or COLUMNS columns. Empty lines are passed over. A sheet with a header alone has no rows.
    """
    sheet, misfits = scan_sheet(data, required, name)
    if misfits:
        raise InputRefused(*(one.problem.of(name) for one in misfits))
    return sheet


def scan_sheet(data: bytes, required: Sequence[str], name: str = "file", *,
               bare_tabs: bool = False) -> tuple[Sheet, list[Misfit]]:  # fmt: skip
    """Read a sheet as `read_sheet` does, but set rows of wrong length aside instead of refusing the whole.

    `bare_tabs`: where tabs part the cells, a quotation mark is a letter like any other and encloses nothing.
    """
    try:
        text = unicodedata.normalize("NFC", data.decode("utf-8-sig"))
    except UnicodeDecodeError as error:
        line = data[: error.start].count(b"\n") + 1
        raise InputRefused(
            Problem("The text is not UTF-8.", f"{name}, line {line}", f"byte {data[error.start]:#04x}", "UTF-8",
                    "Save the sheet again as CSV UTF-8.")) from None  # fmt: skip
    delimiter = _delimiter(text)
    lines = io.StringIO(text, newline="")
    if bare_tabs and delimiter == "\t":
        reader = csv.reader(lines, delimiter=delimiter, strict=True, quoting=csv.QUOTE_NONE)
    else:
        reader = csv.reader(lines, delimiter=delimiter, strict=True)
    try:
        header = [cell_read(cell.strip()) for cell in next(reader)]
    except (StopIteration, csv.Error):
        raise InputRefused(Problem("There is no header row.", f"{name}, line 1", expected=", ".join(required))) from None
    if len(header) > COLUMNS:
        raise _too_many("columns", COLUMNS, name, "Bring the columns that are needed.")
    _check_header(header, required, name)
    return _rows(reader, header, name)


def _delimiter(text: str) -> str:
    head = text.split("\n", 1)[0]
    return max(",;\t", key=head.count)


def _check_header(header: list[str], required: Sequence[str], name: str) -> None:
    where = f"{name}, line 1"
    problems = [
        Problem("A required column is missing.", where, ", ".join(header), column) for column in required if column not in header
    ]
    twice = sorted({column for column in header if column and header.count(column) > 1})
    problems += [Problem("The name of a column holds a NUL character.", where, "NUL", "text") for one in header if "\0" in one]
    problems += [Problem("A column stands twice.", where, column, "each column once") for column in twice]
    if problems:
        raise InputRefused(*problems)


def _rows(reader: Iterable[list[str]], header: list[str], name: str) -> tuple[Sheet, list[Misfit]]:
    rows: list[Row] = []
    lines: list[int] = []
    misfits: list[Misfit] = []
    line = 2
    try:
        for cells in reader:
            start, line = line, reader.line_num + 1  # type: ignore[attr-defined]
            if not any(cell.strip() for cell in cells):
                continue
            if len(rows) + len(misfits) == ROWS:
                raise _too_many("rows", ROWS, name, "Bring it in parts.")
            if len(cells) != len(header):
                what = "The row has another number of cells than the header."
                misfits.append(
                    Misfit(start, tuple(map(cell_read, cells)), RowProblem(start, "", what, str(len(cells)), str(len(header))))
                )
                continue
            rows.append({column: cell_read(cell.strip()) for column, cell in zip(header, cells, strict=True)})
            lines.append(start)
    except csv.Error as error:
        raise InputRefused(Problem(f"The quoting is broken: {error}.", f"{name}, line {line}")) from None
    return Sheet(tuple(header), tuple(rows), tuple(lines)), misfits


def _too_many(what: str, most: int, name: str, remedy: str) -> InputRefused:
    return InputRefused(
        Problem(f"The sheet has too many {what}.", name, f"more than {most:,} {what}", f"at most {most:,} {what}", remedy)
    )


_FORMULA = re.compile(r"'*[=+\-@\t\r]")
_NUMBER = re.compile(r"[+-]?\d+(?:[.,]\d+)?(?:[eE][+-]?\d+)?$")


def _begins_like_a_formula(text: str) -> bool:
    """Whether a spreadsheet could take the text, or what follows its apostrophes, for a formula; a plain number is none."""
    return bool(_FORMULA.match(text)) and not _NUMBER.match(text.lstrip("'"))


def cell_written(value: object) -> object:
    """A value as a cell of a file: text that a spreadsheet could take for a formula gets an apostrophe before it.

    So does text that begins so behind apostrophes of its own: `cell_read` takes one away and gives every text back.
    """
    return f"'{value}" if isinstance(value, str) and _begins_like_a_formula(value) else value


def cell_read(text: str) -> str:
    """The text of a cell without the apostrophe that `cell_written` put before it."""
    return text[1:] if text.startswith("'") and _begins_like_a_formula(text) else text


def write_sheet(columns: Sequence[str], rows: Iterable[Mapping[str, object]]) -> bytes:
    """The rows as CSV in UTF-8; None is the empty cell. `read_sheet` gives the same cells back."""
    out = io.StringIO(newline="")
    csv.writer(out, lineterminator="\r\n").writerow(map(cell_written, columns))
    writer = csv.DictWriter(out, columns, extrasaction="raise", lineterminator="\r\n")
    writer.writerows({key: "" if value is None else cell_written(value) for key, value in row.items()} for row in rows)
    return out.getvalue().encode()


def write_lines(columns: Sequence[str], lines: Iterable[Sequence[object]]) -> bytes:
    """Lines of cells as CSV in UTF-8; a line may have more or fewer cells than there are columns."""
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(map(cell_written, columns))
    writer.writerows([cell_written(cell) for cell in line] for line in lines)
    return out.getvalue().encode()
