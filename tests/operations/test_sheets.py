"""Sheets as people keep them, landing: what is asked, what becomes of each cell, and that nothing is lost on the way."""

import csv
import io
from dataclasses import replace

import pytest

from tender_ledger.core.messages import InputRefused
from tender_ledger.core.sheets.dates import iso_day
from tender_ledger.core.sheets.fields import LEFT_OUT
from tender_ledger.core.sheets.matching import EMPTY, MEANS, NEW, Answer, Matching
from tender_ledger.core.text import fold
from tender_ledger.formats.archive import read_tables
from tender_ledger.operations import importing, people
from tender_ledger.operations.exclusions import count_exclusions
from tender_ledger.operations.export import export_study
from tender_ledger.operations.sheet_reading import OpenSheet, sheet_summary
from tender_ledger.operations.studies import rules_in_force
from tender_ledger.standins.names_service import ChecklistNames
from tender_ledger.storage.database import rows, value
from tests import sheets
from tests.factories import SmallStudy

TERMS = ("record", "count", "show", "publish", "rows", "quote")
PLACES = {"Xanmere": "X", "Ostrel": "OSTREL", "Tarn Hollow": "TARN-HOLLOW"}
# What of a sheet stands in the record otherwise than it was written, with what it became.
REWRITTEN = {
    "semicolons_in_windows_1252": {"1": "H01", "2": "H02", "12,5": "12.5", "75,25": "75.25",
                                   "Plantago major L.": "Plantago major",
                                   "3.4.2026": "2026-04-03", "13.4.2026": "2026-04-13"},
    "tabs_in_utf_16": {'"': ""},
    "three_styles_of_days": {"03.04.2026": "2026-04-03", "04/05/2026": "2026-05-04", "12 May 26": "", "5/6/26": "2026-06-05",
                             "May 2026": "2026-05"},
    "plants_by_informants_with_counts": {"x": "", "0": "", "1": ""},
    "informants_in_a_cell": {"H01, H02; H05": "H05", "H01-H04": "H04", "H03 and H05": "H03"},
    "plants_in_two_columns_of_uses": {"H 1": "H-01", "food; medicines": "food", "fruit": "fruit"},
}  # fmt: skip
LANDING = {
    "semicolons_in_windows_1252": 3,
    "tabs_in_utf_16": 3,
    "workbook_of_several_sheets": 4,
    "ods_with_merged_cells": 4,
    "three_styles_of_days": 4,
    "categories_spelled_three_ways": 7,
    "plants_by_informants_with_counts": 5,
    "informants_in_a_cell": 9,
    "header_in_the_middle_again": 3,
    "plants_in_two_columns_of_uses": 4,
    "of_135_rows": 135,
}


@pytest.fixture
def small(empty_db: str) -> SmallStudy:
    return SmallStudy()


def accepted(sheet: OpenSheet, **said: object) -> Matching:
    """What the page would send if nothing but its button were pressed: every proposal stands, else a code of its own."""
    values: dict[str, dict[str, Answer]] = {}
    for one in sheet.asked:
        answer = Answer(MEANS, one.proposal) if one.proposal else Answer(NEW if one.may_be_new else EMPTY)
        values.setdefault(one.field, {})[fold(one.text)] = answer
    return replace(sheet.matching, confirmed=True, **said).with_values(values)


def bring(small: SmallStudy, data: bytes, matching: Matching | None = None, **said: object) -> importing.ImportOutcome:
    """Bring a sheet, say to each page of questions what it proposes, and import what it becomes."""
    matching = matching or Matching()
    for _page in range(3):
        try:
            tables = read_tables(data)
            return importing.import_tables(
                small.scope,
                tables,
                ChecklistNames(),
                terms=TERMS,
                new_codes=False,
                matching=matching,
            )
        except importing.SheetNotMatched as asked:
            matching = accepted(asked.sheet, **said)
    raise AssertionError("the sheet asks for ever")


def opened(small: SmallStudy, data: bytes) -> OpenSheet:
    with pytest.raises(importing.SheetNotMatched) as asked:
        importing.preview_import(small.scope, read_tables(data), ChecklistNames(), new_codes=False)
    return asked.value.sheet


def exported(small: SmallStudy) -> list[dict[str, str]]:
    return list(csv.DictReader(io.StringIO(export_study(small.scope)["reports.csv"].decode("utf-8-sig"))))


@pytest.mark.parametrize("name", LANDING)
def test_a_sheet_lands_with_nothing_lost(small: SmallStudy, name: str):
    data = getattr(sheets, name)()
    grids = opened(small, data)
    said = {"day_first": True} if grids.unfolded.days.to_ask else {}
    outcome = bring(small, data, **said)
    failing = [str(problem) for row in outcome.plan.failing for problem in row.problems]
    landed = exported(small)
    assert len(landed) == LANDING[name], failing
    told = fold("\n".join("\n".join(row.values()) for row in landed) + outcome.failing.decode()).replace("_", " ")
    matching, grid = grids.matching, grids.file.grids[grids.matching.sheet]
    became = PLACES | REWRITTEN.get(name, {})
    notes = " ".join(outcome.plan.notes)
    for place, row in enumerate(grid.rows):
        if place <= matching.header or grid.lines[place] in matching.rows_out or row == grid.rows[matching.header]:
            continue
        for column, cell in zip(matching.columns, row, strict=False):
            if cell and column.field != LEFT_OUT:
                expected = became.get(cell, iso_day(cell, day_first=True) if column.field == "date" else cell)
                assert fold(expected).replace("_", " ") in told or f"“{cell}”" in notes or column.field == "informant", (
                    cell,
                    told[:3000],
                )
    assert len({row["informant"] for row in landed}) == value("SELECT count(*) FROM holder")


def test_windows_1252_is_said_with_the_letters_in_doubt_and_totals_are_left_out(small: SmallStudy):
    sheet = opened(small, sheets.semicolons_in_windows_1252())
    summary = sheet_summary(sheet)
    assert (sheet.matching.encoding, sheet.file.doubtful) == ("cp1252", ("groß",))
    assert summary["rows_out"] == "8"
    assert [row["line"] for row in summary["rows"] if row["place"] == sheet.matching.header] == [4]
    bring(small, sheets.semicolons_in_windows_1252())
    by_use = {row["dose"] or row["taxon"]: row for row in exported(small)}
    assert by_use["1,5 cups"]["season"] == "spring"
    assert by_use["1,5 cups"]["start"] in ("12.5", "0:12.5")
    assert (by_use["two spoons"]["category"], by_use["two spoons"]["category as written"]) == (
        "medicines",
        "Medicinal",
    )
    assert by_use["two spoons"]["part"] == "leaf;root"
    assert by_use["Mentha longifolia"]["taxon as written"] == "Mentha longifola"
    assert {row["informant"] for row in by_use.values()} == {"H01", "H02"}


def test_what_merged_cells_colours_and_formulas_say_is_read_or_said(small: SmallStudy):
    outcome = bring(small, sheets.workbook_of_several_sheets())
    landed = exported(small)
    assert [row["informant"] for row in landed] == ["H01", "H01", "H01", "H02"]
    assert [row["date"] for row in landed] == ["2026-04-03"] * 3 + ["2026-04-13"]
    assert [row["colour of the row"] for row in landed] == ["#ffff00", "", "", ""]
    notes = " ".join(outcome.plan.notes)
    for sentence in (
        "3 merged cells were filled down",
        "Formulas without a computed value are empty here (H4)",
        "Text is struck through in rows 5",
        "1 row is coloured",
    ):
        assert sentence in notes


def test_headings_between_rows_are_said_and_are_no_statement(small: SmallStudy):
    outcome = bring(small, sheets.ods_with_merged_cells())
    assert [row["informant"] for row in exported(small)] == ["H01", "H01", "H01", "H02"]
    assert any("Row 2, “ROSACEAE”, stands alone like a heading" in note for note in outcome.plan.notes)
    assert [row["colour of the row"] for row in exported(small)] == ["", "#ffaaaa", "", ""]


def test_the_order_of_day_and_month_is_asked_once_and_then_known(small: SmallStudy):
    sheet = opened(small, sheets.three_styles_of_days())
    assert (sheet.unfolded.days.open, sheet.unfolded.days.example, sheet.unfolded.days.to_ask) == (
        2,
        "04/05/2026",
        True,
    )
    outcome = bring(small, sheets.three_styles_of_days(), day_first=True)
    assert [row["date"] for row in exported(small)] == [
        "2026-04-03",
        "2026-05-04",
        "2026-05",
        "2026-06-05",
    ]
    failing = [problem for row in outcome.plan.failing for problem in row.problems]
    assert [(one.column, one.found) for one in failing] == [("date", "12 May 26")]
    again = sheets.three_styles_of_days().replace(b"04/05/2026", b"04/06/2026")
    assert bring(small, again).plan.known == 3  # nothing is asked: heads, and which comes first, are known from before


def test_spellings_of_one_category_become_one_code(small: SmallStudy):
    sheet = opened(small, sheets.categories_spelled_three_ways())
    assert {(one.text, one.count): one.proposal for one in sheet.asked} == {
        ("medicine", 1): "medicines",
        ("medicinal", 1): "medicines",
        ("Weaving", 2): "",
        ("weavings", 1): "Weaving",
    }
    bring(small, sheets.categories_spelled_three_ways())
    assert value("SELECT count(*) FROM vocabulary_term WHERE study_id IS NOT NULL") == 1
    assert sorted({row["category"] for row in exported(small)}) == ["food", "medicines", "weaving"]
    assert sorted(row["category as written"] for row in exported(small)) == [
        "",
        "",
        "",
        "",
        "medicinal",
        "medicine",
        "weavings",
    ]


def test_a_pivot_becomes_a_statement_a_filled_cell_and_says_what_a_count_cannot(small: SmallStudy):
    outcome = bring(small, sheets.plants_by_informants_with_counts())
    landed = exported(small)
    assert sorted((row["informant"], row["taxon"]) for row in landed) == [
        ("H01", "Betula pendula"),
        ("H01", "Quercus robur"),
        ("H02", "Betula pendula"),
        ("H02", "Corylus avellana"),
        ("H03", "Corylus avellana"),
    ]
    assert [row["times told"] for row in landed if row["times told"]] == ["2"]
    assert any("1 cell counts more than one" in note for note in outcome.plan.notes)
    assert {one.reason: one.rows for one in outcome.uncounted} == {"coded": 5}


def test_informants_of_one_cell_become_a_statement_each_ranges_too(small: SmallStudy):
    bring(small, sheets.informants_in_a_cell())
    found = exported(small)
    assert sorted(row["informant"] for row in found if row["taxon"] == "Malva neglecta") == [
        "H01",
        "H02",
        "H03",
        "H04",
    ]
    assert {row["part"] for row in found if row["taxon"] == "Malva neglecta"} == {"leaf;root"}


def test_a_count_without_informants_is_refused_in_one_sentence(small: SmallStudy):
    sheet = opened(small, sheets.counts_without_informants())
    assert sheet.missing.startswith("No column says who told it.")
    with pytest.raises(importing.SheetNotMatched):
        importing.import_tables(
            small.scope,
            read_tables(sheets.counts_without_informants()),
            ChecklistNames(),
            terms=TERMS,
            new_codes=False,
            matching=accepted(sheet),
        )
    assert value("SELECT count(*) FROM use_report") == 0


def test_one_informant_in_three_spellings_is_one_when_that_is_said(small: SmallStudy):
    sheet = opened(small, sheets.plants_in_two_columns_of_uses())
    asked = {one.text: one.proposal for one in sheet.asked if one.field == "informant"}
    assert set(asked.values()) == {"H-01"}
    bring(small, sheets.plants_in_two_columns_of_uses())
    assert {row["informant"] for row in exported(small)} == {"H-01"}
    first = [row for row in exported(small) if row["part"] == "flower;fruit"]
    assert [(row["category"], row["preparation"]) for row in first] == [
        ("food", "syrup;jam"),
        ("medicines", "syrup;jam"),
    ]


def test_what_would_be_in_no_number_is_said_before_and_is_in_none_afterwards(small: SmallStudy):
    outcome = bring(small, sheets.of_135_rows())
    said = {one.reason: one.rows for one in outcome.uncounted}
    assert said == {"basis": 82}
    assert dict(outcome.uncounted[0].values) == {"hearsay": 82}
    counted = count_exclusions(small.scope, rules_in_force(small.scope))
    assert dict(counted.numbers) == {"basis": 82}
    landed = exported(small)
    assert sum(row["category"] == "medicines" for row in landed) == 67
    assert sum(bool(row["dose"]) for row in landed) == 34
    assert all(row["season"] for row in landed)


def test_the_same_sheet_again_adds_nothing_and_the_next_asks_nothing(small: SmallStudy):
    bring(small, sheets.of_135_rows())
    again = importing.import_tables(
        small.scope,
        read_tables(sheets.of_135_rows()),
        ChecklistNames(),
        terms=TERMS,
        new_codes=False,
    )
    assert (again.plan.known, len(again.plan.landing)) == (135, 0)
    more = sheets.of_135_rows().replace(b"told on day 1\r", b"told another day\r")
    assert (
        len(importing.import_tables(small.scope, read_tables(more), ChecklistNames(), terms=TERMS, new_codes=False).plan.landing)
        == 1
    )


def test_what_was_promised_lands_or_what_changed_is_said(small: SmallStudy):
    with pytest.raises(importing.SheetNotMatched) as asked:
        importing.preview_import(
            small.scope,
            read_tables(sheets.of_135_rows()),
            ChecklistNames(),
            new_codes=False,
            terms=TERMS,
        )
    matching = accepted(asked.value.sheet)
    tables = read_tables(sheets.of_135_rows())
    seen = importing.preview_import(small.scope, tables, ChecklistNames(), new_codes=False, terms=TERMS, matching=matching)
    bring(small, sheets.tabs_in_utf_16())  # H01 and H02 come meanwhile
    with pytest.raises(importing.ChangedMeanwhile) as changed:
        importing.import_tables(
            small.scope,
            read_tables(sheets.of_135_rows()),
            ChecklistNames(),
            terms=TERMS,
            new_codes=False,
            matching=matching,
            promised=importing.promise(seen),
        )
    assert any("New holders and sources: 15 were shown, 13 now." in sentence for sentence in changed.value.changes)
    assert value("SELECT count(*) FROM use_report") == 3


def test_a_new_code_that_is_nearly_another_is_asked_for(small: SmallStudy):
    table = b"informant,community,taxon,category\nH-1,X,Plantago major,medicine\nH-1,X,Plantago major,weaving\n"
    outcome = importing.preview_import(small.scope, read_tables(table), ChecklistNames(), new_codes=True)
    problems = [problem for row in outcome.plan.failing for problem in row.problems]
    assert [(one.found, one.expected) for one in problems] == [("medicine", "medicines")]
    assert [key[3] for key in outcome.plan.terms] == ["weaving"]
    said = Matching(values={"category": {"medicine": Answer(NEW)}})
    outcome = importing.preview_import(small.scope, read_tables(table), ChecklistNames(), new_codes=True, matching=said)
    assert sorted(key[3] for key in outcome.plan.terms) == ["medicine", "weaving"]


def test_what_names_somebody_is_not_kept_of_a_matching(small: SmallStudy):
    bring(small, sheets.plants_in_two_columns_of_uses())
    kept = rows("SELECT heads, answers FROM sheet_matching")[0]
    assert "informant" not in kept["answers"]
    assert kept["heads"]["participant code"][1] == "informant"


def test_a_locked_or_broken_workbook_is_refused(small: SmallStudy):
    broken = sheets.workbook_of_several_sheets()
    for data in (
        b"\xd0\xcf\x11\xe0" + b"\0" * 600,
        broken[: len(broken) // 2].replace(b"PK\x05\x06", b""),
    ):
        with pytest.raises(InputRefused):
            importing.preview_import(small.scope, read_tables(data), ChecklistNames(), new_codes=False)


def test_rows_that_name_no_community_are_asked_about_once(small: SmallStudy):
    people.add_community(small.scope, code="OST", name="Ostrel")
    sheet = opened(small, sheets.informants_in_a_cell())
    asked = [(one.field, one.text, one.count, one.choices) for one in sheet.asked if one.field == "community"]
    assert asked == [("community", "", 9, ("OST", "X"))]
    matching = accepted(sheet).with_values({"community": {"": Answer(MEANS, "OST")}})
    bring(small, sheets.informants_in_a_cell(), matching)
    assert {row["community"] for row in exported(small)} == {"OST"}


def test_an_import_that_is_done_again_after_its_act_finds_its_rows_and_breaks_no_promise(small: SmallStudy):
    tables = read_tables(sheets.tabs_in_utf_16())
    matching = accepted(opened(small, sheets.tabs_in_utf_16()))
    seen = importing.preview_import(small.scope, tables, ChecklistNames(), new_codes=False, terms=TERMS, matching=matching)
    for landing in (3, 0):
        done = importing.import_tables(
            small.scope,
            tables,
            ChecklistNames(),
            terms=TERMS,
            new_codes=False,
            matching=matching,
            promised=importing.promise(seen),
        )
        assert len(done.plan.landing) == landing
    assert value("SELECT count(*) FROM use_report") == 3
