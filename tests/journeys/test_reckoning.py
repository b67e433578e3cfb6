"""The main job: a report recorded in the browser changes a value, and the value opens to its working down to the report."""

import re

from playwright.sync_api import Page, expect

from tests.conftest import OWNER, READER, RECORDER, REVIEWER
from tests.journeys.conftest import STUDY, Desk

RECKONING = f"{STUDY}/reckoning"
WALK = f"{STUDY}/encounters/2"


def row(page: Page, plant: str):
    return page.locator("table.reckoned tr", has=page.get_by_role("rowheader", name=re.compile(f"^{plant}")))


def number(page: Page, plant: str, column: int) -> float:
    return float(row(page, plant).locator("td.num:not(.rank) a").nth(column).inner_text())


def test_a_report_recorded_changes_a_use_value_which_opens_to_that_report(desk: Desk):
    page = desk.open(RECKONING, RECORDER)
    before = number(page, "Betula pendula", 4)  # CI
    n = int(re.search(r"N = (\d+)", page.locator(".lede").inner_text())[1])  # type: ignore[index]
    page.goto(WALK)
    page.wait_for_load_state("networkidle")
    page.fill("#capture [name=informant]", "ONS-03")
    page.fill("#capture [name=plant]", "P-016")
    page.fill("#capture [name=category]", "environmental uses")
    page.fill("#capture [name=purpose]", "wind-break")
    page.fill("#capture [name=basis]", "own practice")
    page.fill("#capture [name=words]", "We set them against the wind.")
    page.focus("#capture [name=words]")
    page.keyboard.press("Enter")
    expect(page.locator("#said")).to_contain_text("Recorded.")
    page.get_by_role("link", name="Reckoning").click()
    assert round(number(page, "Betula pendula", 4) - before, 2) == round(1 / n, 2)
    row(page, "Betula pendula").locator("td.num:not(.rank) a").nth(4).click()
    margin = page.locator("#margin")
    expect(margin.locator("h2")).to_have_text("CI of Betula pendula")
    expect(margin.locator("math")).to_be_visible()
    assert "margin=ci" in page.url
    margin.get_by_role("link", name=re.compile("^All ")).click()  # it is the latest of many
    link = margin.locator("li", has_text="We set them against the wind.").get_by_role("link")
    link.click()
    expect(page.locator(".told li:target")).to_contain_text("We set them against the wind.")


def test_the_margin_is_in_the_address_and_history_goes_back(desk: Desk):
    page = desk.open(RECKONING)
    row(page, "Sambucus nigra").locator("td.num:not(.rank) a").nth(0).click()
    expect(page.locator("#margin h2")).to_have_text("UR of Sambucus nigra")
    row(page, "Thymus pulegioides").locator("td.num:not(.rank) a").nth(3).click()
    expect(page.locator("#margin h2")).to_have_text("RFC of Thymus pulegioides")
    page.go_back()
    expect(page.locator("#margin h2")).to_have_text("UR of Sambucus nigra")
    same = desk.open(page.url.partition("127.0.0.1")[2].partition("/")[2].join(("/", "")), READER)
    expect(same.locator("#margin h2")).to_have_text("UR of Sambucus nigra")
    expect(row(same, "Sambucus nigra")).to_have_class("open")


def test_what_is_counted_and_not_shown_is_told_without_saying_who(desk: Desk):
    page = desk.open(f"{RECKONING}?margin=ci:Plantago%20lanceolata&all=yes", READER)
    # fewer who are hidden told of it than the study's minimum of holders, so their number is not said
    expect(page.locator("#margin")).to_contain_text("not all of them shown under their terms")
    assert " of them not shown" not in page.locator("#margin").inner_text()
    assert "TAR-06" not in page.content()


def test_columns_sort_both_ways_and_say_so(desk: Desk):
    page = desk.open(RECKONING)
    for name, key in (("RFC", "rfc"), ("plant", "plant")):
        page.get_by_role("columnheader", name=name, exact=True).get_by_role("link").click()
        expect(page.locator("th[aria-sort]")).to_have_text(name)
        page.get_by_role("columnheader", name=name, exact=True).get_by_role("link").click()
        page.wait_for_url(f"**sort=-{key}**")
    names = page.locator("table.reckoned tbody th").all_inner_texts()
    assert names == sorted(names, reverse=True)


def test_communities_have_their_own_n_and_dashes_have_reasons(desk: Desk):
    page = desk.open(RECKONING)
    page.get_by_role("link", name=re.compile("^Onsmere")).click()
    expect(page.locator(".lede")).to_contain_text("in Onsmere")
    page.get_by_role("link", name="by use category").click()
    expect(page.locator("h1")).to_contain_text("Agreement in")
    page.get_by_role("link", name=re.compile("^the whole study")).click()
    dash = page.locator("tr", has_text="One use report only").first
    expect(dash.locator("td.num").nth(2)).to_have_text("–")
    dash.locator("td.num a").nth(2).click()
    expect(page.locator("#margin")).to_contain_text("0/0 is no agreement and no disagreement")


def test_without_askings_the_value_of_those_asked_is_a_dash_with_its_reason(desk: Desk, demo_db: str):
    from tender_ledger.storage.database import run

    run("UPDATE asking SET removed_at = now()")
    page = desk.open(RECKONING)
    expect(page.locator("table.reckoned tbody tr").first.locator("td.num").last).to_have_text("–")
    expect(page.locator("main")).to_contain_text("Nobody is on record as asked without naming a use")


def test_rules_are_switched_tried_out_and_put_in_force(desk: Desk):
    page = desk.open(RECKONING, REVIEWER)
    page.get_by_role("link", name="one report a holder, plant and category").click()
    margin = page.locator("#margin")
    margin.get_by_label("a holder, a plant, a specific use", exact=True).check()
    margin.get_by_label("holders and sources").check()
    margin.get_by_label("hearsay").check()
    margin.get_by_role("button", name="Count so").click()
    expect(page.locator(".lede")).to_contain_text("one report a holder, plant and specific use, told by holders and sources")
    expect(page.locator("main")).to_contain_text("Tried out in this window only")
    assert "basis=hearsay" in page.url
    page.locator("#margin").get_by_role("button", name="Put in force for the study").click()
    expect(page.locator(".notice")).to_contain_text("These rules are in force now")
    expect(page.locator(".lede")).to_contain_text("specific use")
    other = desk.open(RECKONING, READER)
    expect(other.locator(".lede")).to_contain_text("specific use")
    page.get_by_role("button", name="Undo").click()
    page.goto(RECKONING)
    expect(page.locator(".lede")).to_contain_text("plant and category")


def test_a_withdrawal_takes_a_holder_out_of_every_number_at_once(desk: Desk):
    page = desk.open(RECKONING, OWNER)
    expect(page.locator(".lede")).to_contain_text("N = 37")
    page.goto(f"{STUDY}/people/holders/ONS-01")
    page.get_by_text("Record a withdrawal").click()
    page.get_by_role("button", name="Seal what was told under it").click()
    expect(page.locator(".notice")).to_contain_text("is sealed")
    page.goto(f"{RECKONING}?margin=n")
    expect(page.locator(".lede")).to_contain_text("N = 36")
    assert "ONS-01" not in page.content()


def test_n_stays_in_sight_however_far_one_reads(desk: Desk):
    page = desk.open(RECKONING, height=500)
    page.locator("table.reckoned tr").last.scroll_into_view_if_needed()
    assert page.evaluate("scrollY") > 200
    expect(page.get_by_role("link", name="the whole study N 37")).to_be_in_viewport()


def test_a_number_of_a_view_opens_in_the_margin_and_leaves_the_page_as_it_is(desk: Desk):
    page = desk.open(f"{RECKONING}/indices")
    page.evaluate("document.querySelector('h1').dataset.same = 'yes'")
    page.locator("tr", has=page.get_by_role("rowheader", name="Tilia cordata")).first.locator("a.n").last.click()
    expect(page.locator("#margin h2")).to_have_text("UV (asked) of Tilia cordata")
    expect(page.locator("h1[data-same=yes]")).to_have_text("All indices")
    assert "margin=uva" in page.url
    page.goto(f"{RECKONING}/matrix")
    page.get_by_role("link", name="ONS-01: Tilia cordata").click()
    expect(page.locator("h1")).to_contain_text("reports")
    assert "informant=ONS-01" in page.url
