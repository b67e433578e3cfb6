"""An owner makes a link, somebody new opens it in another browser, joins, and records."""

from playwright.sync_api import expect

from tests.journeys.conftest import STUDY, Desk
from tests.journeys.test_every_page import violations


def test_somebody_new_joins_by_a_link_and_it_works_once(desk: Desk, axe: str):
    page = desk.open(STUDY)
    page.get_by_role("link", name="Members and invitations").click()
    page.get_by_label("Meant for").fill("the new student")
    page.get_by_label("Role").first.select_option("recorder")
    page.get_by_role("button", name="Make a link").click()
    link = page.get_by_label("Link of the invitation").input_value()
    assert violations(page, axe) == []
    context = desk.browser.new_context(viewport={"width": 360, "height": 740})
    desk.contexts.append(context)
    new = context.new_page()
    new.goto(link)
    expect(new.locator("main")).to_contain_text("invites you to work in this study as its recorder")
    assert violations(new, axe) == []
    assert new.evaluate("document.documentElement.scrollWidth") <= 360
    new.get_by_label("E-mail address").fill("new@veldra.example")
    new.get_by_label("Name").fill("N. Ew")
    new.get_by_label("Password").fill("a long enough one")
    new.get_by_role("button", name="Join").click()
    expect(new.locator("h1")).to_have_text("Veldra Hills")
    new.goto(new.url + "encounters/2")
    expect(new.get_by_role("button", name="Record", exact=False).first).to_be_visible()
    other = desk.browser.new_context().new_page()
    other.goto(link)
    expect(other.locator("h1")).to_have_text("Sign in")
    other.context.close()
    page.reload()
    expect(page.locator("main")).to_contain_text("N. Ew")
