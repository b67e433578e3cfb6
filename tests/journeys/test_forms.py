"""Forms under the keyboard: what Enter does in each, and where one begins."""

from playwright.sync_api import Page, expect

from tests.conftest import OWNER
from tests.journeys.conftest import STUDY, Desk
from tests.journeys.test_every_page import pages

# Every form of the page, with its details opened: its fields that Enter submits from, and the act that is to be its main one.
FORMS = """() => {
    document.querySelectorAll("details").forEach(one => { one.open = true; });
    const typed = "input:not([type=hidden], [type=checkbox], [type=radio], [type=file]):not([data-pick])";
    const found = [];
    [...document.forms].forEach((form, at) => {
        const field = [...form.elements].find(one => one.matches(typed) && one.getClientRects().length);
        const acts = [...form.elements].filter(one => one.matches("button:not([type=button])"));
        if (!field || !acts.length || form.id === "capture") return;
        field.setAttribute("data-entered", at);
        const main = acts.find(one => one.matches(".button:not(.plain, .grave)")) || acts[0];
        found.push({at, main: main.textContent.trim()});
    });
    window.pressed = [];
    addEventListener("submit", event => {
        event.preventDefault();
        event.stopImmediatePropagation();
        window.pressed.push(event.submitter?.textContent.trim());
    }, {capture: true});
    return found;
}"""


def test_enter_does_the_main_act_of_every_form(desk: Desk, demo_db: str):
    """The main act is the one drawn as such, else the first; what the browser submits by is asked of the browser."""
    desk.expected = {404}
    page = desk.open(STUDY, OWNER)
    walked = 0
    for address in pages(demo_db):
        page.goto(address)
        for form in page.evaluate(FORMS):
            field = page.locator(f"[data-entered='{form['at']}']")
            field.evaluate("one => { one.form.noValidate = true; }")
            field.press("Enter")
            assert page.evaluate("window.pressed.pop()") == form["main"], (address, form)
            walked += 1
    assert walked > 50


def focused(page: Page) -> str:
    return str(page.evaluate("document.activeElement.name || document.activeElement.tagName"))


def test_a_form_begins_at_its_first_field_and_after_an_error_at_the_field_in_question(desk: Desk):
    page = desk.open(f"{STUDY}/encounters/new", OWNER)
    assert focused(page) == "kind"
    page.fill("[name=title]", "Walk along the ford")
    page.fill("[name=day]", "soon")
    desk.expected = {422}
    page.press("[name=day]", "Enter")
    expect(page.locator(".wrong")).not_to_have_count(0)
    assert focused(page) == "day"
    expect(page.locator("[name=title]")).to_have_value("Walk along the ford")
    for path, first in (("people/holders/new", "code"), ("plants/new", "name"), ("people/communities/new", "code")):
        page.goto(f"{STUDY}/{path}")
        assert focused(page) == first, path
    page.goto(f"{STUDY}/plants/1")
    assert focused(page) == "BODY"


def test_the_community_follows_who_told_and_enter_records_the_encounter(desk: Desk):
    page = desk.open(f"{STUDY}/encounters/new", OWNER)
    community = page.locator("[name=community_id]")
    page.get_by_role("group", name="Who told").get_by_label("ONS-01").check()
    expect(community.locator("option:checked")).to_have_text("Onsmere")
    page.get_by_role("group", name="Who told").get_by_label("ONS-01").uncheck()
    page.get_by_role("group", name="Who told").get_by_label("KEL-01").check()
    expect(community.locator("option:checked")).to_have_text("Kelvasund")
    community.select_option(label="Tarrowby")
    page.get_by_role("group", name="Who told").get_by_label("KEL-02").check()
    expect(community.locator("option:checked")).to_have_text("Tarrowby")  # chosen otherwise
    page.fill("[name=title]", "Talk at the ford")
    page.fill("[name=day]", "2026-06-01")
    page.press("[name=title]", "Enter")
    page.wait_for_url("**/encounters/*")
    expect(page.locator(".notice")).to_contain_text("The encounter is open")
    assert "47." not in page.content()  # no position was taken from anywhere
