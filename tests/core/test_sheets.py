"""What a sheet is taken to be: its heads, its days, its spellings; and that no sheet whatever ends in a crash."""

import io

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from openpyxl import Workbook

from tender_ledger.core import limits
from tender_ledger.core.messages import InputRefused
from tender_ledger.core.sheets.dates import iso_day, look_at_days
from tender_ledger.core.sheets.fields import CARRIED, FIELDS, LEFT_OUT, field_of_head
from tender_ledger.core.sheets.grid import Grid
from tender_ledger.core.sheets.matching import (
    Answer,
    KeptMatching,
    Matching,
    complete,
    guess,
    is_totals,
    matching_of_json,
    split_several,
)
from tender_ledger.core.sheets.unfolding import unfold
from tender_ledger.core.spelling import nearest, stem_of
from tender_ledger.formats.report_table import COLUMNS, MORE
from tender_ledger.formats.sheet_files import read_sheet_file
from tests import sheets


@pytest.mark.parametrize(
    ("head", "field"),
    [
        ("Scientific name", "taxon"),
        ("SPECIES", "taxon"),
        ("Vernacular name (local language)", "local_name"),
        ("Part(s) used", "part"),
        ("Plant part used", "part"),
        ("Resp. no", "informant"),
        ("Informant code", "informant"),
        ("Mode of prepartion", "preparation"),
        ("Dosage", "dose"),
        ("Time of collection", "season"),
        ("Total", LEFT_OUT),
        ("UV", LEFT_OUT),
        ("Age", CARRIED),
        ("H01", CARRIED),
        ("", CARRIED),
    ],
)
def test_a_head_names_the_field_that_people_mean_by_it(head: str, field: str):
    assert field_of_head(head) == field


def test_every_field_of_the_open_table_can_be_chosen_and_is_named_by_itself():
    assert set(FIELDS) == {*COLUMNS, *MORE}
    assert [name for name in FIELDS if field_of_head(name) != name] == []


@pytest.mark.parametrize(
    ("text", "day_first", "day"),
    [
        ("03.04.2026", None, "2026-04-03"),
        ("3/4/2026", True, "2026-04-03"),
        ("3/4/2026", False, "2026-03-04"),
        ("3/4/2026", None, "3/4/2026"),
        ("23/4/2026", False, "2026-04-23"),
        ("4-23-26", True, "2026-04-23"),
        ("5.6.99", None, "1999-06-05"),
        ("5.6.69", None, "2069-06-05"),
        ("2026/04/03", None, "2026-04-03"),
        ("2026-04-03 12:30:00", None, "2026-04-03"),
        ("31.2.2026", None, "31.2.2026"),
        ("May 2026", None, "May 2026"),
    ],
)
def test_a_day_is_read_as_it_was_written_or_left_alone(text: str, day_first: bool | None, day: str):
    assert iso_day(text, day_first=day_first) == day


def test_a_column_shows_itself_which_number_is_the_day_unless_it_contradicts_itself():
    assert look_at_days(["3/4/2026", "13/4/2026"]).day_first is True
    assert look_at_days(["3/4/2026", "4/13/2026"]).day_first is False
    assert look_at_days(["3/4/2026", "4/13/2026", "13/4/2026"]).to_ask
    assert not look_at_days(["3.4.2026", "3/3/2026", ""]).to_ask


def test_spellings_of_a_code_lead_to_it_and_other_words_do_not():
    codes = {
        code: code
        for code in (
            "medicines",
            "food",
            "leaf",
            "young_leaf",
            "fruit",
            "root",
            "infusion",
            "decoction",
        )
    }
    near = {"medicine": "medicines", "Medicinal": "medicines", "leaves": "leaf", "Young leaves": "young_leaf", "fruits": "fruit",
            "infusoin": "infusion", "Decoctions": "decoction"}  # fmt: skip
    assert {text: nearest(text, (), codes) for text in near} == near
    assert [nearest(text, (), codes) for text in ("weaving", "rope", "Kids’ games", "", "…")] == [""] * 5
    assert stem_of("berries") == stem_of("berry")


def test_a_row_of_sums_is_one_and_a_plant_is_none():
    assert is_totals(("Total", "", "3", "12.5"))
    assert is_totals(("Sum:", "n = 12"))
    assert not is_totals(("Total", "medicines"))
    assert not is_totals(("Totora reed", "H01", "3"))
    assert not is_totals(())


def test_a_cell_of_several_is_parted_where_people_part_it():
    assert split_several("leaf, root; bark / seed + bud & gall\nresin and sap") == [
        "leaf", "root", "bark", "seed", "bud", "gall", "resin", "sap"]  # fmt: skip
    assert split_several(" , ; ") == []


def test_a_matching_is_given_back_as_it_was_kept():
    file = read_sheet_file(sheets.of_135_rows())
    said = guess(file.grids, KeptMatching(), Matching()).with_values({"category": {"medicine": Answer("means", "medicines")}})
    assert matching_of_json(said.to_json()) == said
    assert matching_of_json({}) == Matching()


def test_two_columns_for_what_takes_one_are_refused_in_a_sentence():
    grid = Grid("", (("Species", "Species", "Informant"), ("Salix alba", "Salix caprea", "H01")), (1, 2))
    said = guess([grid], KeptMatching(), Matching())
    assert [one.field for one in said.columns] == ["taxon", CARRIED, "informant"]
    assert complete(said) == ""


_CELL = st.one_of(
    st.sampled_from(
        [
            "",
            "H01",
            "1",
            "x",
            "0",
            "3/4/2026",
            "13.4.26",
            "Salix alba",
            "leaf; root",
            "Total",
            '"',
            "P1-P999",
            "1,5",
        ]
    ),
    st.text(max_size=12),
)
_HEAD = st.one_of(
    st.sampled_from(["Informant", "Species", "Use category", "Date", "Part", "H01", "H02", ""]),
    st.text(max_size=8),
)
_ROWS = st.integers(1, 7).flatmap(
    lambda width: st.tuples(
        st.lists(_HEAD, min_size=width, max_size=width),
        st.lists(st.lists(_CELL, max_size=width + 1), max_size=8),
    )
)


@given(rows=_ROWS, mark=st.sampled_from(",;\t|"), encoding=st.sampled_from(["utf-8", "utf-16"]))
@settings(max_examples=300, deadline=None)
def test_no_sheet_of_text_ends_in_a_crash(rows: tuple[list[str], list[list[str]]], mark: str, encoding: str):
    head, body = rows
    try:
        data = sheets.text([head, *body], mark=mark).decode().encode(encoding, errors="replace")
        file = read_sheet_file(data)
        said = guess(file.grids, KeptMatching(), Matching())
        unfolded = unfold(file.grids[said.sheet], said)
    except InputRefused:  # which tells what is wrong, and is no crash
        return
    assert len(unfolded.rows) == len(unfolded.lines) == len(set(unfolded.lines))
    assert all(text for row in unfolded.rows for text in row.values())


@given(
    data=st.binary(max_size=400),
    encoding=st.sampled_from(["", "utf-8", "utf-16", "cp1252", "cp1250", "mac_roman", "utf-7"]),
)
@settings(max_examples=300, deadline=None)
def test_no_bytes_end_in_a_crash(data: bytes, encoding: str):
    try:
        file = read_sheet_file(data, encoding=encoding)
    except InputRefused:  # which tells what is wrong, and is no crash
        return
    said = guess(file.grids, KeptMatching(), Matching())
    assert len(said.columns) == file.grids[said.sheet].width


@given(
    at=st.integers(0, 5000),
    byte=st.integers(0, 255),
    which=st.sampled_from(["workbook_of_several_sheets", "ods_with_merged_cells"]),
)
@example(at=114, byte=0, which="ods_with_merged_cells")  # the check sum of its XML is wrong then
@settings(max_examples=150, deadline=None)
def test_no_damaged_workbook_ends_in_a_crash(at: int, byte: int, which: str):
    data = bytearray(_WORKBOOKS[which])
    data[at % len(data)] = byte
    try:
        file = read_sheet_file(bytes(data))
    except InputRefused:  # which tells what is wrong, and is no crash
        return
    said = guess(file.grids, KeptMatching(), Matching())
    unfold(file.grids[said.sheet], said)


_WORKBOOKS = {name: getattr(sheets, name)() for name in ("workbook_of_several_sheets", "ods_with_merged_cells")}


def test_a_workbook_with_too_many_columns_says_so():
    book = Workbook()
    book.active.append(["x"] * (limits.COLUMNS + 1))
    with pytest.raises(InputRefused, match="too many columns"):
        read_sheet_file(sheets.saved(book))


def test_a_workbook_reads_as_another_reader_reads_it():
    """Every value of the workbook against openpyxl, which reads it by itself."""
    from openpyxl import load_workbook

    data = sheets.plants_by_informants_with_counts()
    expected = [["" if cell is None else str(cell) for cell in row] for row in load_workbook(io.BytesIO(data)).active.values]
    assert [list(row) for row in read_sheet_file(data).grids[0].rows] == expected
