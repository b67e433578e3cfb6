"""Files of sheets as people have them: text in the encodings in use, and workbooks (XLSX by ISO/IEC 29500, ODS by ISO/IEC 26300).

Nothing here says what a cell means. It runs on foreign files, so it is called through `isolated`.
"""

import csv
import io
import re
import unicodedata
import zipfile
import zlib
from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from datetime import date, datetime, time, timedelta
from typing import Any
from xml.etree.ElementTree import Element, ParseError

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import iterparse

from tender_ledger.core.limits import COLUMNS, ROWS
from tender_ledger.core.messages import InputRefused, Problem
from tender_ledger.core.sheets.grid import Grid, SheetFile
from tender_ledger.formats.sheet import cell_read

# Encodings that can be chosen, with the name by which people know them.
ENCODINGS = {"utf-8": "UTF-8", "utf-16": "UTF-16", "cp1252": "Windows-1252", "cp1250": "Windows-1250", "cp1251": "Windows-1251",
             "mac_roman": "Macintosh Roman", "cp850": "DOS 850"}  # fmt: skip
# What the archive of a workbook raises where it is damaged or locked.
_BROKEN = (zipfile.BadZipFile, zlib.error, OSError, ValueError, KeyError, RuntimeError, EOFError)
_ZIP = b"PK\x03\x04"
_SHEETS = 60  # of one workbook
_UNPACKED = 400 * 1024 * 1024  # bytes that a workbook may become
_COLOURED = 20_000  # rows of a workbook in which colours are looked for
_DOUBTFUL = 24  # words shown
_OF_ODS = "{urn:oasis:names:tc:opendocument:xmlns:"
_TABLE, _STYLE, _OFFICE, _FO = (f"{_OF_ODS}{name}:1.0}}" for name in ("table", "style", "office", "xsl-fo-compatible"))


def read_sheet_file(data: bytes, name: str = "the file", encoding: str = "") -> SheetFile:
    """Read a file as its sheets, each cell as trimmed text in NFC; merged cells are filled down.

    `encoding` is one of ENCODINGS for a text file, "" for the one that it shows. Raises InputRefused for a workbook that is
    locked, broken, of macros or too large, for text that is no text in the encoding, and for more than ROWS rows or COLUMNS
    columns. An empty file has one sheet without rows.
    """
    if data.startswith(_ZIP):
        return SheetFile(tuple(_workbook(data, name)))
    if data.startswith(b"\xd0\xcf\x11\xe0"):
        raise _refused(
            "This is a workbook of the old binary form, or a locked one.",
            name,
            "XLS or an encrypted file",
            "XLSX, ODS or CSV without a password",
        )
    text, used, sure = _decoded(data, name, encoding)
    return SheetFile((_text_grid(text, name),), used, () if sure else _words_in_doubt(text))


def is_workbook(data: bytes) -> bool:
    """Whether the bytes are those of an XLSX or ODS workbook, and not of another archive."""
    if not data.startswith(_ZIP):
        return False
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            return bool({"xl/workbook.xml", "content.xml", "xl/workbook.bin"} & set(archive.namelist()))
    except _BROKEN:
        return False


def _refused(what: str, where: str, found: str, expected: str, remedy: str = "Save it again, and bring that.") -> InputRefused:
    return InputRefused(Problem(what, where, found, expected, remedy))


def _decoded(data: bytes, name: str, encoding: str) -> tuple[str, str, bool]:
    """The text, its encoding, and whether the file itself says it."""
    if encoding:
        return _in_encoding(data, name, encoding), encoding, False
    if data.startswith(b"\xef\xbb\xbf"):
        return _in_encoding(data, name, "utf-8"), "utf-8", True
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        return _in_encoding(data, name, "utf-16"), "utf-16", True
    head = data[:4000]
    if head.count(0) > len(head) // 4:  # UTF-16 that does not say so: every second byte of western text is nought
        half = "utf-16-le" if head[1:2] == b"\0" else "utf-16-be"
        return unicodedata.normalize("NFC", data.decode(half, errors="replace")), "utf-16", False
    try:
        return unicodedata.normalize("NFC", data.decode("utf-8")), "utf-8", True
    except UnicodeDecodeError:
        return _in_encoding(data, name, "cp1252"), "cp1252", False


def _in_encoding(data: bytes, name: str, encoding: str) -> str:
    if encoding not in ENCODINGS:
        raise _refused(
            "There is no such encoding.",
            name,
            encoding[:40],
            ", ".join(ENCODINGS),
            "Choose one of them.",
        )
    codec = "utf-8-sig" if encoding == "utf-8" else encoding
    if encoding == "utf-16" and not data.startswith((b"\xff\xfe", b"\xfe\xff")):
        codec = "utf-16-le" if data[1:2] == b"\0" else "utf-16-be"
    try:
        return unicodedata.normalize("NFC", data.decode(codec))
    except UnicodeDecodeError as error:
        if encoding == "cp1252":  # five of its places are empty; such a file is none of it, and somebody has to look
            return unicodedata.normalize("NFC", data.decode("cp1252", errors="replace"))
        line = data[: error.start].count(b"\n") + 1
        said, where = f"The text is not {ENCODINGS[encoding]}.", f"{name}, line {line}"
        remedy = "Choose another encoding, or save the sheet again as CSV UTF-8."
        raise _refused(said, where, f"byte {data[error.start]:#04x}", ENCODINGS[encoding], remedy) from None


def _words_in_doubt(text: str) -> tuple[str, ...]:
    words = (word for word in re.findall(r"[^\s,;|\"]{1,60}", text) if not word.isascii())
    return tuple(dict.fromkeys(words))[:_DOUBTFUL]


def _text_grid(text: str, name: str) -> Grid:
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=_delimiter(text), strict=True)
    rows: list[tuple[str, ...]] = []
    lines: list[int] = []
    line = 1
    try:
        for cells in reader:
            start, line = line, reader.line_num + 1
            row = tuple(cell_read(cell.strip()) for cell in cells)
            if any(row):
                _check_size(len(rows) + 1, len(row), name)
                rows.append(row)
                lines.append(start)
    except csv.Error as error:
        raise InputRefused(Problem(f"The quoting is broken: {error}.", f"{name}, line {line}")) from None
    return Grid("", tuple(rows), tuple(lines))


def _delimiter(text: str) -> str:
    """The mark that parts the cells: the one that the most of the first lines have equally often."""
    lines = [line for line in text[:200_000].split("\n")[:60] if line.strip()]

    def weight(mark: str) -> tuple[int, int]:
        counts = Counter(line.count(mark) for line in lines if mark in line)
        often, rows = max(counts.items(), key=lambda one: (one[1], one[0]), default=(0, 0))
        return rows, often

    return max(",;\t|", key=weight)


def _check_size(rows: int, columns: int, name: str) -> None:
    for found, most, what, remedy in (
        (rows, ROWS, "rows", "Bring it in parts."),
        (columns, COLUMNS, "columns", "Bring the columns that are needed."),
    ):
        if found > most:
            raise _refused(
                f"The sheet has too many {what}.",
                name,
                f"more than {most:,} {what}",
                f"at most {most:,} {what}",
                remedy,
            )


def _workbook(data: bytes, name: str) -> list[Grid]:
    from python_calamine import CalamineError, CalamineWorkbook, PasswordError, WorksheetNotFound

    names = _members(data, name)
    try:
        book = CalamineWorkbook.from_object(io.BytesIO(data))
        sheets = [(one, book.get_sheet_by_name(one)) for one in book.sheet_names[:_SHEETS]]
        rows = 0
        for sheet_name, sheet in sheets:
            last_row, last_column = sheet.end or (-1, -1)  # counted from 0
            _check_size(last_row + 1, last_column + 1, f"{name}, {sheet_name}")
            rows += last_row + 1
        marks: Callable[[str], _Marks]
        if "content.xml" in names:
            marks = _marks_of_ods(data)
        else:
            marks = _marks_of_xlsx(data) if rows <= _COLOURED else lambda _name: _Marks()
        found = []
        for sheet_name, sheet in sheets:
            found.append(
                _grid(
                    sheet_name,
                    sheet.to_python(skip_empty_area=False),
                    sheet.merged_cell_ranges or (),
                    marks(sheet_name),
                )
            )
    except InputRefused:
        raise
    except PasswordError:
        raise _refused("The workbook is locked.", name, "a password", "a workbook without one") from None
    except WorksheetNotFound as error:
        raise _refused("A sheet of the workbook cannot be read.", name, str(error), "an ordinary workbook") from None
    except (CalamineError, ParseError, DefusedXmlException, *_BROKEN) as error:
        raise _refused("The workbook cannot be read.", name, str(error)[:200], "XLSX or ODS") from None
    return found or [Grid("", (), ())]


def _members(data: bytes, name: str) -> set[str]:
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            members = archive.infolist()
    except _BROKEN as error:
        raise _refused("The workbook cannot be read.", name, str(error)[:200], "XLSX or ODS") from None
    if sum(one.file_size for one in members) > _UNPACKED:
        raise _refused(
            "The workbook is too large.",
            name,
            "more than 400 MB unpacked",
            "at most that",
            "Bring it in parts, or as CSV.",
        )
    return {one.filename for one in members}


class _Marks:
    """What a sheet has beside its values: fills of rows, merged ranges, and how many cells are formulas without a value."""

    def __init__(self) -> None:
        self.colours: dict[int, str] = {}
        self.merged: list[tuple[tuple[int, int], tuple[int, int]]] = []
        self.formulas: list[str] = []
        self.struck: list[int] = []


Merged = Sequence[tuple[tuple[int, int], tuple[int, int]]]


def _grid(name: str, values: Sequence[Sequence[Any]], merged: Merged, marks: _Marks) -> Grid:
    rows = [[_text(value) for value in row] for row in values]
    filled = 0
    for (top, left), (bottom, _right) in [*merged, *marks.merged]:
        if top >= len(rows) or left >= len(rows[top]) or not rows[top][left]:
            continue
        bottom = min(bottom, len(rows) - 1)
        filled += bottom > top
        for at in range(top + 1, bottom + 1):
            if left < len(rows[at]):
                rows[at][left] = rows[top][left]
    kept = [at for at, row in enumerate(rows) if any(row)]
    notes = []
    if marks.formulas:
        some = ", ".join(marks.formulas[:6])
        notes.append(
            f"Formulas without a computed value are empty here ({some}): open the file in a spreadsheet program and save it."
        )
    if marks.struck:
        some = ", ".join(map(str, marks.struck[:12]))
        notes.append(
            f"Text is struck through in rows {some}: it is read like any other; leave those rows out if they were withdrawn."
        )
    return Grid(
        name,
        tuple(tuple(rows[at]) for at in kept),
        tuple(at + 1 for at in kept),
        {place: marks.colours[at] for place, at in enumerate(kept) if at in marks.colours},
        filled,
        tuple(notes),
    )


def _text(value: Any) -> str:
    """A value as it is read in its cell: days as ISO dates, whole numbers without a point, yes and no for what is true or not."""
    if isinstance(value, str):
        return unicodedata.normalize("NFC", value).strip()
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return str(int(value)) if value.is_integer() and abs(value) < 1e15 else repr(value)
    if isinstance(value, datetime):
        return value.date().isoformat() if value.time() == time() else value.isoformat(" ", "seconds")
    if isinstance(value, (date, time)):
        return value.isoformat()
    if isinstance(value, timedelta):
        return f"{value.total_seconds():g}"
    return str(value)


def _marks_of_xlsx(data: bytes) -> Callable[[str], _Marks]:
    from openpyxl import load_workbook

    try:
        book = load_workbook(io.BytesIO(data), data_only=False)
        computed = load_workbook(io.BytesIO(data), data_only=True)
    except Exception:
        return lambda _name: _Marks()

    def of(name: str) -> _Marks:
        marks = _Marks()
        sheet = book[name] if name in book.sheetnames else None
        if sheet is None or not hasattr(sheet, "iter_rows"):
            return marks
        for at, row in enumerate(sheet.iter_rows()):
            _look_at_row(marks, at, row, computed[name])
        _without_stripes(marks, sheet.max_row or 0)
        return marks

    return of


def _look_at_row(marks: _Marks, at: int, row: Iterable[Any], computed: Any) -> None:
    fills: Counter[str] = Counter()
    for cell in row:
        if cell.value is None:
            continue
        if cell.has_style:
            fill = cell.fill
            if fill is not None and fill.fill_type == "solid" and isinstance(fill.fgColor.rgb, str):
                fills[fill.fgColor.rgb[-6:].upper()] += 1
            if cell.font is not None and cell.font.strike:
                marks.struck.append(at + 1)
        if cell.data_type == "f" and computed.cell(cell.row, cell.column).value is None:
            marks.formulas.append(cell.coordinate)
    colour = next((one for one, _ in fills.most_common() if one not in ("FFFFFF", "000000")), "")
    if colour:
        marks.colours[at] = f"#{colour.lower()}"
    marks.struck[:] = list(dict.fromkeys(marks.struck))


def _without_stripes(marks: _Marks, rows: int) -> None:
    """Fills of every row, or of every second one, are a design and mean nothing."""
    if len(marks.colours) >= max(rows - 2, 2) and len(set(marks.colours.values())) <= 2:
        marks.colours.clear()
    even = {at % 2 for at in marks.colours}
    if len(even) == 1 and len(marks.colours) >= max(rows // 2 - 1, 3) and len(set(marks.colours.values())) == 1:
        marks.colours.clear()


def _marks_of_ods(data: bytes) -> Callable[[str], _Marks]:
    """Merged ranges and fills of an ODS workbook, in one pass over its XML; the values are read elsewhere."""
    found: dict[str, _Marks] = {}
    fills: dict[str, str] = {}
    marks, at = _Marks(), 0
    with zipfile.ZipFile(io.BytesIO(data)) as archive, archive.open("content.xml") as content:
        for event, element in iterparse(content, events=("start", "end")):
            if event == "start":
                if element.tag == f"{_TABLE}table":
                    marks, at = found.setdefault(element.get(f"{_TABLE}name", ""), _Marks()), 0
                continue
            if element.tag == f"{_STYLE}style":
                for one in element.iter(f"{_STYLE}table-cell-properties"):
                    fills[element.get(f"{_STYLE}name", "")] = one.get(f"{_FO}background-color", "")
            elif element.tag == f"{_TABLE}table-row":
                if at < ROWS:
                    _look_at_ods_row(marks, at, element, fills)
                at += _number(element, "number-rows-repeated")
                element.clear()
    for one in found.values():
        _without_stripes(one, at)
    return lambda name: found.get(name, _Marks())


def _look_at_ods_row(marks: _Marks, at: int, row: Element, fills: dict[str, str]) -> None:
    column = 0
    colours: Counter[str] = Counter()
    for cell in row:
        down, across = _number(cell, "number-rows-spanned"), _number(cell, "number-columns-spanned")
        if down > 1:
            marks.merged.append(((at, column), (at + down - 1, column + across - 1)))
        if len(cell):
            colours[fills.get(cell.get(f"{_TABLE}style-name", ""), "")] += 1
        column += _number(cell, "number-columns-repeated")
    colour = next(
        (one for one, _ in colours.most_common() if one.startswith("#") and one.lower() not in ("#ffffff", "#000000")),
        "",
    )
    if colour:
        marks.colours[at] = colour.lower()


def _number(element: Element, name: str) -> int:
    text = element.get(f"{_TABLE}{name}", "1")
    return int(text) if text.isascii() and text.isdigit() and len(text) < 9 else 1
