"""Search by the keyboard, from wherever one is."""

import re

import pytest
from playwright.sync_api import expect

from tests.journeys.conftest import STUDY, Desk

FOUND = "#search-hits [data-hit]"


@pytest.mark.parametrize(
    ("text", "opens"),
    [
        ("nelva", "/plants/1"),
        ("sambcus nigra", "/plants/1"),
        ("ons-02", "/people/holders/ONS-02"),
        ("onsmeer", "/people/communities/ONS"),
        ("salt medow", r"/encounters/\d+"),
        ("5 August 2026", r"/encounters/\d+"),
        ("cough", r"/reports\?purpose=cough"),
        ("stabel with teh pan", r"/reports/\d+"),
    ],
)
def test_whatever_is_looked_for_is_opened_by_three_keys_and_its_letters(desk: Desk, text: str, opens: str):
    page = desk.open(f"{STUDY}/history")
    page.keyboard.press("F3")
    page.keyboard.type(text)
    expect(page.locator(FOUND).first).to_be_visible()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    page.wait_for_url(re.compile(f"{STUDY}{opens}$"))


def test_it_is_left_as_it_was_entered_and_shows_everything_on_a_page(desk: Desk):
    page = desk.open(f"{STUDY}/encounters/2")
    slot = page.locator("#capture [name=informant]")
    slot.focus()
    slot.fill("KEL")
    page.keyboard.press("F3")
    expect(page.locator("#search")).to_be_focused()
    page.keyboard.type("walk")
    expect(page.locator(FOUND)).not_to_have_count(0)
    for _more in range(3):
        page.keyboard.press("ArrowDown")
    expect(page.locator(FOUND).nth(2)).to_be_focused()
    page.keyboard.press("ArrowUp")
    expect(page.locator(FOUND).nth(1)).to_be_focused()
    page.keyboard.press("Escape")
    expect(slot).to_be_focused()
    expect(slot).to_have_value("KEL")  # what was being typed is still there
    expect(page.locator("#search-hits")).to_be_hidden()
    page.keyboard.press("F3")
    page.keyboard.type("walk")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Search", exact=True)).to_be_visible()
    assert page.locator("main [data-hit]").count() > 6
    assert "walk" not in page.url


def test_on_a_phone_what_is_found_stays_on_the_screen(desk: Desk):
    page = desk.open(f"{STUDY}/plants", width=360, height=740)
    page.locator("#search").fill("cough")
    expect(page.locator(FOUND).first).to_be_visible()
    box = page.locator("#search-hits").bounding_box()
    assert box is not None
    assert box["x"] >= 0
    assert box["x"] + box["width"] <= 360
