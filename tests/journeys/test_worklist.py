"""The worklist of the demo, brought to nothing by the keyboard."""

import pytest
from playwright.sync_api import Page, expect

from tests.conftest import READER
from tests.journeys.conftest import STUDY, Desk

ROWS = "[data-worklist] tr"


def chosen(page: Page) -> str:
    return page.locator(f"{ROWS}.open").inner_text()


def test_the_worklist_is_brought_to_nothing_by_keys(desk: Desk, capsys: pytest.CaptureFixture[str]):
    page = desk.open(f"{STUDY}/worklist")
    items, keys, reason = page.locator(ROWS).count(), 0, "nobody can be asked any more"
    assert items > 10
    for done in range(items):
        row = page.locator(f"{ROWS}.open")
        if row.get_attribute("data-reviewed") is not None:
            pressed = ["s"]
        elif page.locator("[data-reason]").count():
            pressed = ["1"]
        else:
            pressed = ["a", *reason, "Enter"]
        for key in pressed:
            page.keyboard.press(key)
        keys += len(pressed)
        if done < items - 1:
            expect(page.locator(ROWS)).to_have_count(items - done - 1)
    expect(page.locator("h1")).to_have_text("Nothing waits for a decision")
    with capsys.disabled():
        print(f"\nworklist of the demo: {items} items, {keys} keys, {keys / items:.2f} an item")
    assert keys / items <= 4


def test_rows_are_moved_through_opened_and_what_was_decided_is_undone(desk: Desk):
    desk.expected.add(422)
    page = desk.open(f"{STUDY}/worklist")
    items, first = page.locator(ROWS).count(), chosen(page)
    page.keyboard.press("ArrowDown")
    second = chosen(page)
    assert second != first
    page.keyboard.press("ArrowUp")
    assert chosen(page) == first
    page.keyboard.press("a")
    page.keyboard.press("Enter")  # no reason was given
    expect(page.locator("[data-refusal]")).to_have_text("The reason is missing.", ignore_case=True)
    expect(page.locator(ROWS)).to_have_count(items)
    page.keyboard.type("both are said")
    page.keyboard.press("Enter")
    expect(page.locator(ROWS)).to_have_count(items - 1)
    assert chosen(page) == second
    expect(page.locator("h1")).to_have_text(f"{items - 1} things wait for a decision")
    page.locator("#notices").get_by_role("button", name="Undo").click()
    page.goto(f"{desk.address}{STUDY}/worklist")
    expect(page.locator(ROWS)).to_have_count(items)
    place = page.locator(f"{ROWS}.open .records a").first.get_attribute("href")
    page.keyboard.press("Enter")
    page.wait_for_url(f"**{place}")


def test_who_may_not_decide_sees_the_rows_alone(desk: Desk):
    page = desk.open(f"{STUDY}/worklist", READER)
    expect(page.locator("#decide")).to_have_count(0)
    expect(page.locator("[data-worklist] input")).to_have_count(0)
