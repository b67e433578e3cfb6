"""A table of results as files, each read back by a library of its own."""

import csv
import io
from html.parser import HTMLParser

from openpyxl import load_workbook

from tender_ledger.formats.tables import Column, Table, table_csv, table_html, table_xlsx, written

TABLE = Table(
    "values", "Use values",
    [Column("taxon", "plant", "taxon"), Column("ci", "CI"), Column("fc", "FC", "count"), Column("p", "p", "p")],
    [{"taxon": "Salix caprea", "ci": 1 / 3, "fc": 12, "p": 0.0004},
     {"taxon": "=cmd()", "ci": None, "fc": 1, "p": float("nan")}],
    notes=["N = 3"],
)  # fmt: skip


def test_csv_keeps_full_precision_and_leaves_the_undefined_empty():
    rows = list(csv.DictReader(io.StringIO(table_csv(TABLE).decode())))
    assert (float(rows[0]["ci"]), rows[1]["ci"], rows[1]["p"]) == (1 / 3, "", "")


def test_a_workbook_holds_numbers_and_no_formula():
    book = load_workbook(io.BytesIO(table_xlsx(TABLE)))
    sheet = book["values"]
    assert [cell.value for cell in sheet[1]] == ["plant", "CI", "FC", "p"]
    assert (sheet["B2"].value, sheet["C2"].value, sheet["B3"].value) == (1 / 3, 12, None)
    assert sheet["A3"].data_type != "f"
    assert [row[0].value for row in book["about"]] == ["Use values", "N = 3"]


def test_the_typeset_page_is_whole_and_escapes_what_it_holds():
    class Cells(HTMLParser):
        def __init__(self) -> None:
            super().__init__()
            self.found: list[str] = []

        def handle_data(self, data: str) -> None:
            self.found.append(data)

    reader = Cells()
    reader.feed(table_html(Table("t", "a < b", TABLE.columns, TABLE.rows)).decode())
    assert "a < b" in reader.found
    assert {"Salix caprea", "0.333", "12", "< 0.001", "–"} <= set(reader.found)


def test_values_as_they_are_read():
    assert [written(*one) for one in ((1234.0, "count"), (-3, "count"), (0.25, "share"), (None, "decimal"), (2.5, "count"))] == [
        "1\u2009234", "−3", "25.0\u2009%", "–", "2.50"]  # fmt: skip


def test_what_is_undefined_has_no_interval_in_any_file():
    columns = [Column("of", "category", "text"), Column("icf", "ICF", ends=True)]
    rows = [
        {"of": "food", "icf": 0.5, "icf_low": 0.25, "icf_high": 0.75},
        {"of": "fuels", "icf": None, "icf_low": 0.0, "icf_high": 1.0},
    ]
    table = Table("agreement", "Agreement", columns, rows, subject="of")
    assert table_csv(table).decode().splitlines()[1:] == ["food,0.5,0.25,0.75", "fuels,,,"]
    sheet = load_workbook(io.BytesIO(table_xlsx(table)))["values"]
    assert [[cell.value for cell in line] for line in sheet.iter_rows(min_row=2)] == [
        ["food", 0.5, 0.25, 0.75], ["fuels", None, None, None]]  # fmt: skip
    assert table_html(table).decode().count("<small>") == 1
