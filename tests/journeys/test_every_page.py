"""Every page, read from the application's own route table: accessible, whole on a phone, readable without scripts."""

import logging
import re
from collections.abc import Iterator
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from tender_ledger.core.recognition import rank
from tender_ledger.operations.vocabularies import choices
from tender_ledger.web.app import create_app
from tests.conftest import OWNER, READER, settings
from tests.journeys.conftest import STUDY, Desk
from tests.web.test_routes import routes

TAGS = ["wcag2a", "wcag2aa", "wcag21aa", "wcag22aa"]
NOT_PAGES = {
    "static",
    "health",
    "ready",
    "encounters.choices",
    "encounters.measure",
    "plants.taxa",
    "giveback.download",
    "imports.failing",
    "reckoning.ladder_file",
    "reckoning.analysis_file",
    "reckoning.answer_key",
    "reckoning.frozen_file",
    "people.places",
    "plants.name_check",
    "plants.picture",
    "specimens.labels",
    "ledger.row",
    "reports.line",
    "account.sign_in",
}
MARGINS = [
    "reckoning?margin=rules",
    "reckoning?margin=n",
    "reckoning?margin=ci:Plantago%20lanceolata",
    "reckoning?margin=uva:Salix%20caprea",
    "reckoning?show=categories&margin=icf:medicines",
    "reckoning?group=ONS",
    *(f"reckoning/{view}" for view in ("indices", "groups", "holders", "matrix", "lists", "parts")),
    "reckoning/heard?margin=coverage:taxa:plants",
    "reckoning?show=ladder&margin=ci:Plantago%20lanceolata",
    "reckoning?group=ONS&with=TAR&of=TAR&margin=ci:Plantago%20lanceolata",
    "reckoning?show=categories&group=ONS&with=KEL",
    "reckoning?family=Lamiaceae&part=leaf&filtering=1",
    "encounters/2?margin=plant:11",
]


def pages(url: str) -> list[str]:
    found = [
        address
        for endpoint, method, address in routes(create_app(settings(url)))
        if method == "GET" and endpoint not in NOT_PAGES
    ]
    return sorted({*found, *(f"{STUDY}/{margin}" for margin in MARGINS), f"{STUDY}/plants/999", "/?all=1"})


# Rows drawn alike say nothing new to axe: of siblings of one shape (elements, classes, names of attributes) two are kept, of the
# marks of a figure whatever their class, of rows whichever of their values have an interval.
PRUNE = """() => {
    const shape = one => [one.tagName, ...one.getAttributeNames().sort(), one.closest("svg") ? "" : one.className,
                          one.getAttribute("role"),
                          ...[...one.children].filter(child => !child.matches("svg.interval")).map(shape)].join(" ");
    for (const parent of [...document.querySelectorAll("tbody, ul, ol, dl, svg, select, fieldset, p")].reverse()) {
        const seen = new Map();
        for (const child of [...parent.children]) {
            const like = shape(child);
            seen.set(like, (seen.get(like) ?? 0) + 1);
            if (seen.get(like) > 2) child.remove();
        }
    }
}"""


def violations(page: Page, axe: str, within: str = "html", **only: Any) -> list[str]:
    """What axe finds on the page, or within a part of it, by default under TAGS."""
    if not page.evaluate("!!window.axe"):
        page.evaluate(axe)
    asked = [within, only or {"type": "tag", "values": TAGS}]
    run = "([within, only]) => axe.run(within, {runOnly: only, resultTypes: ['violations'], preload: false})"
    found = page.evaluate(run, asked)
    return [f"{one['id']}: {node['target']} {node['failureSummary']}" for one in found["violations"] for node in one["nodes"]]


# What can fail on one width alone; the elements and their names are the same on all.
OF_THE_LAYOUT = ["color-contrast", "target-size", "scrollable-region-focusable", "link-in-text-block", "meta-viewport"]


def part_of(address: str) -> str:
    """What is new on a page: where only the margin differs from a page that is walked too, the margin."""
    return "#margin" if "?margin=" in address else "html"


@pytest.mark.parametrize("half", [0, 1])
def test_axe_finds_no_violation_on_any_page(desk: Desk, demo_db: str, axe: str, half: int):
    """On a desk; on a phone, where no page is wider than the screen either, by the rules that ask where things lie; and in the
    dark, which differs in its colours alone, so that their contrast is what is asked."""
    desk.expected = {404}
    page = desk.open(STUDY, OWNER)
    told = []
    walked = [*pages(demo_db), "/sign-in"]
    assert len(walked) > 28
    for address in walked[half::2]:
        page.goto(address)
        for width, height in ((360, 740), (1280, 800)):
            page.set_viewport_size({"width": width, "height": height})
            wide = page.evaluate("document.documentElement.scrollWidth")
            if wide > width:
                told.append(f"{address} is {wide} wide of {width}")
        page.evaluate(PRUNE)
        part = part_of(address)
        page.set_viewport_size({"width": 360, "height": 740})
        told += [f"{address}, 360 wide: {one}" for one in violations(page, axe, part, type="rule", values=OF_THE_LAYOUT)]
        page.set_viewport_size({"width": 1280, "height": 800})
        told += [f"{address}, 1280 wide: {one}" for one in violations(page, axe, part)]
        page.emulate_media(color_scheme="dark")
        told += [f"{address}, dark: {one}" for one in violations(page, axe, part, type="rule", values=["color-contrast"])]
        page.emulate_media(color_scheme="light")
    assert not told, "\n".join(told)


def test_a_contrast_that_only_fails_in_the_dark_is_seen(desk: Desk, axe: str):
    page = desk.open(f"{STUDY}/plants", OWNER)
    page.evaluate("document.querySelector('h1').style.color = '#1b2526'")
    assert violations(page, axe, type="rule", values=["color-contrast"]) == []
    page.emulate_media(color_scheme="dark")
    assert violations(page, axe, type="rule", values=["color-contrast"]) != []


@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_axe_finds_no_violation_while_one_works(desk: Desk, axe: str, scheme: Any):
    """With a pick list open, a slot in error, a report being corrected, and a form opened in a page."""
    desk.expected = {422}
    page = desk.open(f"{STUDY}/encounters/2", OWNER, color_scheme=scheme)
    page.locator("#capture [name=parts]").press_sequentially("le")
    expect(page.locator("#n-parts-picks [role=option]").first).to_be_visible()
    told = violations(page, axe)
    page.locator("#capture [name=parts]").press("Escape")
    page.fill("#capture [name=category]", "zzz")
    page.locator("#capture [name=category]").press("Enter")
    expect(page.locator(".slot.wrong").first).to_be_visible()
    told += violations(page, axe)
    page.keyboard.press("F8")
    page.locator("#whole [name=steps-0-method]").press_sequentially("dec")
    expect(page.locator("#whole [name=steps-1-method]")).to_be_visible()
    page.locator("#whole [name=taker]").press_sequentially("chi")
    told += violations(page, axe)
    page.locator(".told li").first.get_by_role("link", name="Correct").click()
    expect(page.locator(".told form.capture")).to_be_visible()
    told += violations(page, axe)
    page.goto(f"{STUDY}/people/holders/ONS-01")
    for summary in page.locator("summary").all():
        summary.click()
    assert told + violations(page, axe) == []


def test_every_page_reads_without_scripts(desk: Desk, demo_db: str):
    """As a reader, to whom the forms of others are refused with a page that says who has the right."""
    desk.expected = {403, 404}
    page = desk.open(STUDY, READER, java_script_enabled=False)
    for address in pages(demo_db):
        page.goto(address)
        assert page.locator("h1").count() == 1, address
        assert len(page.locator("main").inner_text()) > 20, address
    page.goto(f"{STUDY}/reckoning?margin=icf:medicines&show=categories")
    expect(page.locator("#margin math")).to_be_visible()


def test_recording_without_scripts(desk: Desk):
    page = desk.open(f"{STUDY}/encounters/2", OWNER, java_script_enabled=False)
    for name, text in {
        "informant": "ONS-03",
        "plant": "P-002",
        "parts": "leaf",
        "category": "food",
        "note": "without scripts",
    }.items():
        page.fill(f"#capture [name={name}]", text)
    page.get_by_role("button", name="Record Enter").click()
    expect(page.locator(".notice")).to_contain_text("Recorded.")
    expect(page.locator(".told", has_text="without scripts")).to_be_visible()


PROBE = """([text, klass]) => {
    const probe = document.createElement("span");
    Object.assign(probe, {id: "probe", className: klass, textContent: text});
    document.querySelector("h1").replaceChildren(probe);
}"""


@pytest.fixture
def fonts(desk: Desk) -> Iterator[Any]:
    """The fonts that the browser really used for a text, in a page of the application."""
    page = desk.open(f"{STUDY}/plants", OWNER)
    session = page.context.new_cdp_session(page)
    session.send("DOM.enable")
    session.send("CSS.enable")

    def used(text: str, klass: str) -> set[str]:
        page.evaluate(PROBE, [text, klass])
        page.evaluate("document.fonts.ready")
        root = session.send("DOM.getDocument", {"depth": -1})["root"]["nodeId"]
        node = session.send("DOM.querySelector", {"nodeId": root, "selector": "#probe"})["nodeId"]
        return {one["familyName"] for one in session.send("CSS.getPlatformFontsForNode", {"nodeId": node})["fonts"]}

    return used


@pytest.mark.parametrize(("klass", "family"), [("local", "Gentium Plus"), ("sans", "Noto Sans")])
def test_names_of_the_field_stand_in_one_font(fonts: Any, klass: str, family: str):
    for text in ("ʔasdel", "ŋelʷa", "ɬəp’a", "ṯ", "a̱", "ɨ́", "kʼʷ", "ǫsen", "ʔ ŋ ɬ ə ṯ a̱ ɨ́ ʷ ʼ"):
        assert {one.removesuffix(" Regular") for one in fonts(text, klass)} == {family}, text


RANKED = """async ([typed, known]) => {
    const {rank} = await import("/static/ledger.js");
    return typed.map(text => rank(text, known).map(choice => choice.l));
}"""


def test_the_pick_lists_rank_as_the_server_does(desk: Desk, scope: Any):
    page = desk.open(f"{STUDY}/encounters/2", OWNER)
    for vocabulary in ("part", "method", "application", "stage", "basis", "category", "subcategory"):
        known = choices(scope.study_id, vocabulary)
        short = [{"l": one.label, "c": one.code, "s": one.short, "w": one.weight} for one in known]
        typed = sorted({one.label[:length] for one in known for length in (1, 2, 3, 5)} | {"ŋ", "MD", "ON_", "  le", "É"})
        found = page.evaluate(
            RANKED,
            [typed, short],
        )
        assert found == [[one.label for one in rank(text, known)] for text in typed], vocabulary


def test_a_printed_reckoning_is_black_on_white_without_navigation(desk: Desk):
    page = desk.open(f"{STUDY}/reckoning?margin=ci:Plantago%20lanceolata", OWNER)
    page.emulate_media(media="print")
    expect(page.locator(".thread ol")).to_be_hidden()
    expect(page.locator("table.reckoned")).to_be_visible()
    expect(page.locator("#margin math")).to_be_visible()
    assert page.evaluate("getComputedStyle(document.body).color") == "rgb(0, 0, 0)"


def test_nothing_told_or_named_is_in_the_log_of_a_whole_journey(desk: Desk, caplog: pytest.LogCaptureFixture):
    from tender_ledger.storage.database import rows

    logging.getLogger("tender_ledger.requests").addHandler(caplog.handler)
    page = desk.open(STUDY, OWNER)
    for address in (
        "people",
        "people/holders/ONS-01",
        "encounters/2",
        "plants/4",
        "reports",
        "reports/3",
        "reckoning?margin=ci:Plantago%20lanceolata",
    ):
        page.goto(f"{STUDY}/{address}")
    page.goto(f"{STUDY}/encounters/2")
    page.wait_for_load_state("networkidle")
    for name, text in {"informant": "ONS-03", "plant": "P-002", "category": "food", "words": "Secretly told, ŋelʷa"}.items():
        page.fill(f"#capture [name={name}]", text)
    page.locator("#capture [name=words]").press("Enter")
    expect(page.locator("#said")).to_contain_text("Recorded.")
    logging.getLogger("tender_ledger.requests").removeHandler(caplog.handler)
    log = "\n".join(record.message for record in caplog.records)
    assert log.count('"route"') > 12
    told = rows("""SELECT words AS text FROM use_report WHERE words <> '' UNION SELECT code FROM holder
                   UNION SELECT name FROM local_name UNION SELECT name FROM taxon UNION SELECT label FROM purpose
                   UNION SELECT title FROM encounter UNION SELECT email FROM person""")
    assert len(told) > 100
    assert [one["text"] for one in told if re.search(rf"(?<!\w){re.escape(one['text'])}(?!\w)", log)] == []
