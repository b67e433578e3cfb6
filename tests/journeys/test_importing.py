"""A table brought to the screen: looked at first, then imported as one act, undone, mended, and known again."""

import re
from pathlib import Path

from playwright.sync_api import Page, expect

from tender_ledger.operations import studies
from tender_ledger.storage.database import value
from tender_ledger.storage.queries import accounts
from tests import sheets
from tests.conftest import OWNER, RECORDER, REFERENCE
from tests.journeys.conftest import STUDY, Desk
from tests.journeys.test_every_page import violations

IMPORT = f"{STUDY}/reports/import"
HEAD = "informant,community,event,taxon,category,use,part\n"
LEAF = "ONS-03,ONS,sheet 1,Plantago major,food,soup,leaf\n"


def bring(page: Page, table: bytes | str, roster: bytes | None = None, *, new_codes: bool = False) -> None:
    page.goto(IMPORT)
    data = table.encode() if isinstance(table, str) else table
    page.get_by_label("The table of reports").set_input_files({"name": "reports.csv", "mimeType": "text/csv", "buffer": data})
    if roster:
        page.get_by_label("Everybody interviewed").set_input_files(
            {"name": "informants.csv", "mimeType": "text/csv", "buffer": roster}
        )
    for label in ("may be recorded", "may be counted", "may be shown to members of the study"):
        page.get_by_label(label).check()
    page.get_by_label("Add codes that the study lacks").set_checked(new_codes)
    page.get_by_role("button", name="See what it would do").click()
    expect(page.locator("#upload h1")).to_contain_text(re.compile("would land|cannot be read"), timeout=20_000)


def landed() -> int:
    return int(value("SELECT count(*) FROM use_report WHERE removed_at IS NULL"))


def test_the_worked_example_is_imported_on_the_screen_and_gives_n_8(desk: Desk):
    """Into a study of its own, since N is of the whole study; its numbers are those of the command line in test_importing."""
    page = desk.open(STUDY, OWNER)
    owner = accounts.person_by_email(OWNER)
    assert owner is not None
    studies.create_study(owner["id"], code="EXAMPLE", title="Worked example")
    page.goto(IMPORT.replace("VELDRA", "EXAMPLE"))
    for label, name in (("The table of reports", "reports.csv"), ("Everybody interviewed", "informants.csv")):
        page.get_by_label(label).set_input_files(REFERENCE / name)
    for label in ("may be recorded", "may be counted", "may be shown to members of the study", "Add codes that the study lacks"):
        page.get_by_label(label).check()
    page.get_by_role("button", name="See what it would do").click()
    rows = len((REFERENCE / "reports.csv").read_text().splitlines()) - 1
    expect(page.locator("#upload h1")).to_have_text(f"{rows} of {rows} rows would land")
    page.get_by_role("button", name=f"Import {rows} rows").click()
    expect(page.locator("#upload h1")).to_have_text(f"{rows} rows were imported", timeout=20_000)
    page.goto("/study/EXAMPLE/reckoning?tried=1&unit=category&basis=own&basis=hearsay&informants=holder")
    expect(page.locator(".lede")).to_contain_text("N = 8")
    mentha = page.locator("table.reckoned tr", has_text="Mentha spicata").locator("td.num")
    assert mentha.all_inner_texts()[1:7] == ["8", "6", "2", "0.75", "1.00", "1.12"]


def test_a_table_is_looked_at_imported_and_undone_as_one(desk: Desk, axe: str):
    page, before = desk.open(IMPORT, OWNER), landed()
    bring(page, HEAD + LEAF + LEAF.replace("soup", "salad") + "ONS-77,ONS,sheet 2,Plantago major,food,soup,leaf\n")
    expect(page.locator("#upload h1")).to_have_text("3 of 3 rows would land")
    expect(page.locator("#upload")).to_contain_text("holders")
    assert violations(page, axe) == []
    assert landed() == before
    page.get_by_role("button", name="Import 3 rows").click()
    expect(page.locator("#upload h1")).to_have_text("3 rows were imported", timeout=20_000)
    assert landed() == before + 3
    assert violations(page, axe) == []
    bring(page, HEAD + LEAF)
    expect(page.locator("#upload")).to_contain_text("1 row is on record already and is passed over")
    expect(page.get_by_role("button", name=re.compile("^Import"))).to_have_count(0)
    page.goto(IMPORT)
    page.locator("tr", has_text="3").get_by_role("button", name="Undo all of it").first.click()
    expect(page.locator(".notice")).to_contain_text("Undone")
    assert landed() == before
    page.goto(IMPORT)
    expect(page.locator("table.ledger tbody tr").first).to_contain_text("undone")


def test_failing_rows_come_as_a_file_which_is_mended_and_imported(desk: Desk, tmp_path: Path):
    page, before = desk.open(IMPORT, OWNER), landed()
    bring(page, HEAD + LEAF + LEAF.replace("leaf", "floret"))
    row = page.locator("table.ledger tbody tr", has_text="floret")
    expect(row.locator("td").first).to_have_text("1")
    expect(row).to_contain_text("row 3")
    expect(row).to_contain_text("The study has no such part.")
    page.get_by_role("button", name="Import 1 row").click()
    expect(page.locator("#upload h1")).to_have_text("1 row was imported", timeout=20_000)
    with page.expect_download() as coming:
        page.get_by_role("link", name="Take the 1 row out as a file to mend").click()
    mended = Path(coming.value.path()).read_text().replace(",floret", ",leaf")
    assert mended.startswith("import_problem,import_row,informant")
    bring(page, mended)
    page.get_by_role("button", name="Import 1 row").click()
    expect(page.locator("#upload h1")).to_have_text("1 row was imported", timeout=20_000)
    assert landed() == before + 2


def test_new_codes_are_taken_only_when_asked_for(desk: Desk):
    page = desk.open(IMPORT, OWNER)
    bring(page, HEAD + LEAF.replace("food", "weaving songs"))
    expect(page.locator("#upload h1")).to_have_text("0 of 1 rows would land")
    page.get_by_role("button", name="Read again, adding the codes it brings").click()
    expect(page.locator("#upload h1")).to_have_text("1 of 1 rows would land", timeout=20_000)
    expect(page.locator("#upload")).to_contain_text("weaving songs")
    page.get_by_role("button", name="Import 1 row").click()
    expect(page.locator("#upload h1")).to_have_text("1 row was imported", timeout=20_000)
    page.goto(f"{STUDY}/reckoning?show=categories")
    expect(page.get_by_role("rowheader", name="weaving songs")).to_be_visible()


def test_what_is_no_table_is_refused_with_the_place_and_can_be_let_go(desk: Desk):
    page = desk.open(IMPORT, OWNER)
    bring(page, 'informant,category\nONS-03,"food" or not\n')
    expect(page.locator("#upload h1")).to_have_text("This table cannot be read")
    expect(page.get_by_role("alert")).to_contain_text("reports, line 2: The quoting is broken")
    page.get_by_role("button", name="Let this table go").click()
    expect(page.locator("main")).not_to_contain_text("Brought and not imported")
    desk.expected = {422}
    page.get_by_role("button", name="See what it would do").click()
    expect(page.get_by_role("alert")).to_contain_text("State the terms the table was collected under")
    page.get_by_label("may be recorded").check()
    page.get_by_role("button", name="See what it would do").click()
    expect(page.locator("main")).to_contain_text("Choose the table")


def test_the_screen_is_whole_on_a_phone_and_closed_to_those_who_may_not(desk: Desk):
    page = desk.open(IMPORT, OWNER, width=360, height=740)
    bring(page, HEAD + LEAF + LEAF.replace("leaf", "floret"))
    assert page.evaluate("document.documentElement.scrollWidth") <= 360
    desk.expected = {403}
    other = desk.open(IMPORT, RECORDER)
    expect(other.locator("main")).to_contain_text("you need to be an owner")
    other.goto(f"{STUDY}/reports")
    expect(other.get_by_role("link", name="Import a table")).to_have_count(0)


def test_a_sheet_of_135_rows_lands_in_one_pass_on_the_screen(desk: Desk, axe: str):
    """Semicolons, a header in row 4, spellings, hearsay, sums at the end: the matching is looked at once, and all of it lands."""
    page, before = desk.open(IMPORT, OWNER), landed()
    page.goto(IMPORT)
    sheet = {"name": "season.csv", "mimeType": "text/csv", "buffer": sheets.of_135_rows()}
    page.get_by_label("The table of reports").set_input_files(sheet)
    for label in ("may be recorded", "may be counted", "may be shown to members of the study"):
        page.get_by_label(label).check()
    page.get_by_role("button", name="See what it would do").click()
    expect(page.locator("#upload h1")).to_have_text("Match the sheet", timeout=20_000)
    assert violations(page, axe) == []
    expect(page.get_by_role("radio", name="row 4")).to_be_checked()
    expect(page.get_by_label("“medicine”")).to_have_value("=medicines")
    expect(page.get_by_label("Dosage")).to_have_value("dose")
    expect(page.get_by_label("Collection season")).to_have_value("season")
    page.get_by_role("button", name="See what it would do").click()
    expect(page.locator("#upload h1")).to_have_text("135 of 135 rows would land", timeout=20_000)
    hearsay = "82 rows will be in no number under today’s rules: their grounds are not among those counted (hearsay 82)."
    expect(page.locator("#upload")).to_contain_text(hearsay)
    assert violations(page, axe) == []
    page.get_by_role("button", name="Import 135 rows").click()
    expect(page.locator("#upload h1")).to_have_text("135 rows were imported", timeout=20_000)
    assert landed() == before + 135
    assert value("SELECT count(*) FROM use_report WHERE dose <> '' AND season <> '' AND note LIKE 'told on day%%'") == 34


def test_values_that_fail_are_mended_on_the_screen_for_all_rows_that_say_them(desk: Desk, axe: str):
    page, before = desk.open(IMPORT, OWNER), landed()
    rows = "".join(LEAF.replace("leaf", part).replace("soup", f"soup {at}") for at, part in enumerate(["floret"] * 3 + ["leaf"]))
    bring(page, HEAD + rows)
    expect(page.locator("#upload h1")).to_have_text("1 of 4 rows would land")
    fault = page.locator("tr", has_text="floret")
    expect(fault.locator("td").first).to_have_text("3")
    assert violations(page, axe) == []
    fault.get_by_role("combobox", name="floret", exact=True).select_option("put instead")
    fault.get_by_label("instead of floret").fill("flower")
    page.get_by_role("button", name="Mend these and read again").click()
    expect(page.locator("#upload h1")).to_have_text("4 of 4 rows would land", timeout=20_000)
    page.get_by_role("button", name="Import 4 rows").click()
    expect(page.locator("#upload h1")).to_have_text("4 rows were imported", timeout=20_000)
    assert landed() == before + 4


def test_another_sheet_and_another_header_row_can_be_chosen(desk: Desk):
    page = desk.open(IMPORT, OWNER)
    page.goto(IMPORT)
    book = {"name": "b.xlsx", "mimeType": "application/octet-stream", "buffer": sheets.workbook_of_several_sheets()}
    page.get_by_label("The table of reports").set_input_files(book)
    page.get_by_label("may be recorded").check()
    page.get_by_role("button", name="See what it would do").click()
    expect(page.locator("#upload h1")).to_have_text("Match the sheet", timeout=20_000)
    expect(page.get_by_label("Sheet", exact=True)).to_have_value("1")
    page.get_by_label("Sheet", exact=True).select_option("0")
    page.get_by_role("button", name="Look again").click()
    expect(page.locator("#upload")).to_contain_text("No column says who told it.", timeout=20_000)
    page.get_by_label("Sheet", exact=True).select_option("1")
    page.get_by_role("button", name="Look again").click()
    expect(page.locator("#upload")).to_contain_text("1 row is coloured", timeout=20_000)
    page.get_by_role("radio", name="row 2").check()
    page.get_by_role("button", name="Look again").click()
    expect(page.get_by_role("rowheader", name="Salvia officinalis")).to_be_visible(timeout=20_000)
