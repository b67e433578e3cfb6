"""A table of results, and the files it is given out as: CSV, a workbook, and a typeset page for a paper."""

import html
import io
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from tender_ledger.formats.sheet import cell_written, write_sheet


@dataclass(frozen=True)
class Column:
    """`kind`: text, taxon, count, decimal, tenth, share, p, sure (a probability near 1). `title` spells the head out.

    `explains` names what its numbers are where `key` does not: "row" leaves it to each row’s own `key`. With `ends`, rows hold
    the ends of its interval too, under `key` with `_low` and `_high`; in files they have columns of their own.
    """

    key: str
    label: str
    kind: str = "decimal"
    title: str = ""
    explains: str = ""
    ends: bool = False

    @property
    def is_number(self) -> bool:
        return self.kind not in ("text", "taxon")


@dataclass(frozen=True)
class Table:
    """Rows by column key; None is undefined. `notes` stand below. `subject` is the column that says what a row is about."""

    name: str
    caption: str
    columns: Sequence[Column]
    rows: Sequence[Mapping[str, Any]]
    notes: Sequence[str] = ()
    subject: str = ""
    links: Mapping[str, str] = field(default_factory=dict)  # of a row, by the value of its subject


def _in_files(columns: Sequence[Column]) -> list[Column]:
    """The columns of a file: behind each that has an interval the two ends of it."""
    found = []
    for column in columns:
        found.append(column)
        if column.ends:
            found += [Column(f"{column.key}_low", f"{column.label} 2.5 %", column.kind),
                      Column(f"{column.key}_high", f"{column.label} 97.5 %", column.kind)]  # fmt: skip
    return found


def table_csv(table: Table) -> bytes:
    """The values at full precision under their keys; an undefined value is an empty cell."""
    keys = [column.key for column in _in_files(table.columns)]
    return write_sheet(keys, [dict(zip(keys, _cells(row, table.columns), strict=True)) for row in table.rows])


def _cells(row: Mapping[str, Any], columns: Sequence[Column]) -> list[Any]:
    """The values of a row as `_in_files` has the columns; what is undefined has no interval."""
    found = []
    for column in columns:
        value = _plain(row.get(column.key))
        found.append(value)
        if column.ends:
            found += [None if value is None else _plain(row.get(f"{column.key}_{end}")) for end in ("low", "high")]
    return found


def _plain(cell: Any) -> Any:
    return None if cell is None or (isinstance(cell, float) and math.isnan(cell)) else cell


def table_xlsx(table: Table) -> bytes:
    """A workbook of one sheet: heads, values as numbers, and a second sheet with the caption and the notes."""
    from openpyxl import Workbook
    from openpyxl.styles import Font

    book = Workbook()
    sheet = book.active
    sheet.title = "values"
    columns = _in_files(table.columns)
    sheet.append([cell_written(column.label) for column in columns])
    for cell in sheet[1]:
        cell.font = Font(bold=True)
    formats = {"decimal": "0.000", "share": "0.0 %", "p": "0.0000", "sure": "0.0000", "tenth": "0.0"}
    for row in table.rows:
        sheet.append([cell_written(cell) for cell in _cells(row, table.columns)])
    for at, column in enumerate(columns, 1):
        for line in range(2, len(table.rows) + 2):
            if column.kind in formats:
                sheet.cell(line, at).number_format = formats[column.kind]
    sheet.freeze_panes = "A2"
    about = book.create_sheet("about")
    for said in (table.caption, *table.notes):
        about.append([cell_written(said)])
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


_PAPER = """body{font:11pt/1.35 "Gentium Plus",Georgia,serif;max-width:60rem;margin:2rem auto}
table{border-collapse:collapse;width:100%;border-top:1.2pt solid;border-bottom:1.2pt solid}
caption{text-align:left;padding:0 0 .5rem}
th{font-weight:600;text-align:left;border-bottom:.6pt solid;vertical-align:bottom}
th,td{padding:.15rem .5rem .15rem 0}td{vertical-align:top}
tbody th{border:0;font-weight:400}.n{text-align:right;font-variant-numeric:tabular-nums}p{font-size:9.5pt}"""


def table_html(table: Table) -> bytes:
    """The table as a paper sets it: rules above, below and under the heads, names in italics, intervals small, notes below."""
    head = "".join(f'<th scope="col"{_align(one)}>{html.escape(one.label)}</th>' for one in table.columns)
    body = "".join(f"<tr>{''.join(_cell(row, column) for column in table.columns)}</tr>" for row in table.rows)
    notes = "".join(f"<p>{html.escape(note)}</p>" for note in table.notes)
    title = html.escape(table.name)
    return (f'<!doctype html><html lang="en"><meta charset="utf-8"><title>{title}</title><style>{_PAPER}</style>'
            f"<table><caption>{html.escape(table.caption)}</caption><thead><tr>{head}</tr></thead><tbody>{body}</tbody></table>"
            f"{notes}</html>").encode()  # fmt: skip


def _align(column: Column) -> str:
    return ' class="n"' if column.is_number else ""


def _cell(row: Mapping[str, Any], column: Column) -> str:
    words = html.escape(written(row.get(column.key), column.kind))
    words = f"<i>{words}</i>" if column.kind == "taxon" and not words.startswith("(") else words
    ends = ends_written(row, column)
    return f"<td{_align(column)}>{words}{f'<br><small>{ends}</small>' if ends else ''}</td>"


def ends_written(row: Mapping[str, Any], column: Column) -> str:
    """The ends of an interval as they are read, or "" where there is none."""
    if not column.ends or _plain(row.get(column.key)) is None or _plain(row.get(f"{column.key}_low")) is None:
        return ""
    low, high = (written(row[f"{column.key}_{end}"], column.kind) for end in ("low", "high"))
    return f"{low} to {high}"


def written(cell: Any, kind: str) -> str:
    """A value as it is read: counts whole, decimals to three places, p to three or as < 0.001, shares in per cent."""
    cell = _plain(cell)
    if cell is None:
        return "–"
    if kind == "count":
        return f"{cell:,.0f}".replace(",", "\u2009").replace("-", "−") if float(cell).is_integer() else f"{cell:.2f}"
    if kind == "tenth":
        return f"{cell:.1f}".replace("-", "−")
    if kind == "share":
        return f"{100 * cell:.1f}\u2009%"
    if kind == "sure" and cell > 0.9995:
        return "> 0.999"
    if kind in ("decimal", "sure"):
        return f"{cell:.3f}".replace("-", "−")
    if kind == "p":
        return "< 0.001" if cell < 0.001 else f"{cell:.3f}"
    return str(cell)
