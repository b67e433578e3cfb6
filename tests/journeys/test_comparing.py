"""Two communities side by side, filters in the address, and the use ladder with its files, in the browser."""

import re
import struct
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.conftest import READER
from tests.journeys.conftest import STUDY, Desk

RECKONING = f"{STUDY}/reckoning"


def values(page: Page, plant: str) -> list[str]:
    return page.locator("table.faces tr", has_text=plant).locator("td.num").all_inner_texts()


def test_two_communities_side_by_side_and_each_number_opens_to_its_own_working(desk: Desk):
    page = desk.open(RECKONING)
    page.get_by_role("link", name="two side by side").click()
    expect(page.locator("h1")).to_have_text(re.compile("and .* side by side"))
    page.locator(".pair-of [name=group]").select_option("ONS")
    page.locator(".pair-of [name=with]").select_option("TAR")
    page.get_by_role("button", name="Compare").click()
    page.wait_for_url("**group=ONS**with=TAR**")
    expect(page.locator("h1")).to_have_text("Onsmere and Tarrowby side by side")
    cells = values(page, "Plantago lanceolata")
    first, second, difference = float(cells[2]), float(cells[3]), float(cells[-1].replace("−", "-"))
    assert abs(first - second - difference) < 0.011
    row = page.locator("table.faces tr", has_text="Plantago lanceolata")
    row.locator("td.num:not(.rank) a").nth(2).click()
    margin = page.locator("#margin")
    expect(margin.locator("h2")).to_have_text("CI of Plantago lanceolata")
    expect(margin).to_contain_text(cells[3])
    expect(margin).to_contain_text("Tarrowby")
    page.goto(f"{RECKONING}?group=TAR")
    alone = page.locator("table.reckoned tr", has_text="Plantago lanceolata").locator("td.num:not(.rank) a").all_inner_texts()
    assert cells[3] in alone


def test_the_first_plant_is_the_one_that_differs_most_and_the_order_can_be_turned(desk: Desk):
    page = desk.open(f"{RECKONING}?group=ONS&with=KEL")

    def differences() -> list[float]:
        texts = page.locator("table.faces tbody tr td:last-child").all_inner_texts()
        return [abs(float(text.replace("−", "-").replace("±", ""))) for text in texts]

    found = differences()
    assert found == sorted(found, reverse=True)
    page.get_by_role("columnheader", name="difference").get_by_role("link").click()
    page.wait_for_url("**sort=-difference**")
    assert differences() == sorted(found)


def test_a_filter_stands_in_the_address_as_a_sentence_and_leaves_n(desk: Desk):
    page = desk.open(RECKONING)
    n = page.locator(".lede a.n").inner_text()
    page.get_by_text("Show only some").click()
    page.get_by_label("family").select_option("Lamiaceae")
    page.get_by_label("with the part").select_option("leaf")
    page.get_by_role("button", name="Show these").click()
    page.wait_for_url("**family=Lamiaceae**part=leaf**")
    expect(page.locator(".shown")).to_contain_text("those of Lamiaceae, told with the leaf")
    expect(page.locator(".lede a.n")).to_have_text(n)
    shared = desk.open(page.url.partition("127.0.0.1")[2].partition("/")[2].join(("/", "")), READER)
    expect(shared.locator(".shown")).to_have_text(page.locator(".shown").inner_text())
    page.get_by_role("link", name="by use category").click()
    expect(page.locator(".shown")).to_contain_text("use categories: those of Lamiaceae")
    page.get_by_role("link", name="Show all").click()
    expect(page.locator(".shown")).to_have_count(0)


def test_a_rung_of_the_ladder_opens_its_working_by_mouse_and_keyboard(desk: Desk):
    page = desk.open(RECKONING)
    page.get_by_role("link", name="as a ladder").click()
    ladder = page.locator("svg.ladder")
    rungs = ladder.locator("a")
    told = int(re.search(r"\d+", page.locator("h1").inner_text())[0])  # type: ignore[index]
    expect(rungs).to_have_count(told)
    name = rungs.first.get_attribute("aria-label").partition(",")[0]  # type: ignore[union-attr]
    rungs.first.click()
    expect(page.locator("#margin h2")).to_have_text(f"CI of {name}")
    second = rungs.nth(1).get_attribute("aria-label").partition(",")[0]  # type: ignore[union-attr]
    rungs.nth(1).focus()
    page.keyboard.press("Enter")
    expect(page.locator("#margin h2")).to_have_text(f"CI of {second}")
    page.get_by_role("link", name="RFC", exact=True).first.click()
    expect(page.locator(".lede b")).to_have_text("RFC")
    shown = [float(text) for text in page.locator("svg.ladder a g > text.value").all_text_contents()]
    ranked = page.locator("svg.ladder a g > text.rank").count()
    assert shown[:ranked] == sorted(shown[:ranked], reverse=True)


def test_the_ladder_is_taken_out_as_svg_png_and_data(desk: Desk):
    page = desk.open(f"{RECKONING}?show=ladder&index=rfc&family=Lamiaceae")
    files: dict[str, bytes] = {}
    for name in ("SVG", "PNG", "its data, CSV"):
        with page.expect_download() as coming:
            page.get_by_role("link", name=name, exact=True).click()
        files[coming.value.suggested_filename] = Path(coming.value.path()).read_bytes()
    assert set(files) == {"use-ladder.svg", "use-ladder.png", "use-ladder.csv"}
    svg, png, data = files["use-ladder.svg"].decode(), files["use-ladder.png"], files["use-ladder.csv"].decode()
    size = struct.unpack(">II", png[16:24])
    drawn = [float(re.search(rf'<svg[^>]* {side}="([\d.]+)"', svg)[1]) for side in ("width", "height")]  # type: ignore[index]
    assert [round(2 * one) for one in drawn] == list(size)
    plants = [line.split(",")[1] for line in data.splitlines()[1:]]
    assert plants
    for plant in plants:
        assert plant.split()[0] in svg
    assert "those of Lamiaceae" in svg or "of Lamiaceae" in svg


def test_the_ladder_prints_and_fits_a_phone(desk: Desk):
    page = desk.open(f"{RECKONING}?show=ladder", width=360, height=740)
    assert page.evaluate("document.documentElement.scrollWidth") <= 360
    page.emulate_media(media="print")
    expect(page.locator("svg.ladder")).to_be_visible()
    expect(page.get_by_text("Show only some")).to_be_hidden()
