"""Cells of files: no text of a cell is a formula to a spreadsheet, and every text comes back."""

import csv
import io

import pytest
from hypothesis import given
from hypothesis import strategies as st
from openpyxl import load_workbook

from tender_ledger.core.limits import COLUMNS, ROWS
from tender_ledger.core.messages import InputRefused
from tender_ledger.formats.sheet import cell_read, cell_written, read_sheet, write_lines, write_sheet
from tender_ledger.formats.tables import Column, Table, table_csv, table_xlsx

# What spreadsheets take for the beginning of a formula: common practice, no source.
STARTS = ("=", "+", "-", "@", "\t", "\r")
TEXTS = st.text(alphabet=st.sampled_from(["'", *STARTS, "1", "a", ",", '"', ";"]), max_size=8)


@given(TEXTS)
def test_every_text_comes_back_and_none_begins_like_a_formula(text: str):
    written = cell_written(text)
    assert isinstance(written, str)
    assert cell_read(written) == text
    number = text.replace(",", ".").strip("+-").replace(".", "", 1).isdigit()
    assert number or not written.startswith(STARTS)


@pytest.mark.parametrize("number", ["-12.5", "+3", "-0,25", "2026-05-03", "-1e-7"])
def test_numbers_and_days_stay_as_they_are(number: str):
    assert cell_written(number) == number
    assert cell_read(number) == number
    assert cell_written(-12.5) == -12.5


@given(st.lists(TEXTS.map(str.strip), min_size=1, max_size=4), st.text(alphabet="'=+-@1a", max_size=6))
def test_a_sheet_comes_back_with_its_heads(texts: list[str], head: str):
    columns = [f"{head}{at}" for at in range(len(texts))]
    sheet = read_sheet(write_sheet(columns, [dict(zip(columns, texts, strict=True))]), ())
    assert list(sheet.columns) == columns
    assert [list(row.values()) for row in sheet.rows] == ([texts] if any(texts) else [])


def test_heads_and_cells_of_every_kind_of_file_are_harmless():
    evil = "=HYPERLINK(1)"
    table = Table("t", evil, [Column("a", evil, "text"), Column("b", "@b")], [{"a": "@SUM(1)", "b": -1.5}], notes=["+1+1"])
    sheet = load_workbook(io.BytesIO(table_xlsx(table)))
    cells = [cell for one in sheet for row in one for cell in row]
    assert {cell.data_type for cell in cells} <= {"s", "n"}
    assert [cell.value for cell in sheet["values"][1]] == ["'=HYPERLINK(1)", "'@b"]
    assert [cell.value for cell in sheet["values"][2]] == ["'@SUM(1)", -1.5]
    assert [row[0].value for row in sheet["about"]] == ["'=HYPERLINK(1)", "'+1+1"]
    assert table_csv(table).decode().splitlines() == ["a,b", "'@SUM(1),-1.5"]
    lines = list(csv.reader(io.StringIO(write_lines(["=a"], [["-b"], ["c", "\td"]]).decode())))
    assert lines == [["'=a"], ["'-b"], ["c", "'\td"]]


@pytest.mark.parametrize(
    ("sheet", "said"),
    [
        (b"name\n" + b"a\n" * (ROWS + 1), "too many rows. Found: more than 300,000 rows"),
        (b",".join(b"c%d" % at for at in range(COLUMNS + 1)) + b"\n", "too many columns"),
    ],
)
def test_a_sheet_larger_than_any_is_refused_with_what_it_may_hold(sheet: bytes, said: str):
    with pytest.raises(InputRefused, match=said):
        read_sheet(sheet, (), "reports.csv")


def test_a_sheet_of_as_many_rows_as_it_may_have_is_read():
    assert len(read_sheet(b"name\n" + b"a\n" * ROWS, (), "reports.csv").rows) == ROWS
