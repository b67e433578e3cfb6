"""A whole encounter in the browser: a study set up, two holders asked, a walk past five plants with fourteen reports, one plant
redetermined, the worklist brought to nothing, one holder withdrawing; and the numbers, counted by hand, before and after."""

import re

from playwright.sync_api import Page, expect

from tests.conftest import OWNER
from tests.journeys.conftest import Desk

AT = "/study/WALK"

# Who told of which plant, for what, with which part; the plants in the order in which they were pointed at. The first to
# tell of a plant gives its name. The tenth denies; the thirteenth is not yet coded; of the fourteenth the part was not said.
TOLD = [
    ("W-01", "+ vesta", "medicines", "bark", "fever"), ("W-02", "P-001", "medicines", "bark", "fever"),
    ("W-01", "P-001", "materials", "stem", "baskets"), ("W-02", "P-001", "materials", "stem", "baskets"),
    ("W-01", "+ orel", "food", "sap", "spring drink"), ("W-02", "P-002", "fuels", "wood", "kindling"),
    ("W-01", "+ plātna", "medicines", "leaf", "sore throat"), ("W-01", "+ gorka", "medicines", "leaf", "sore throat"),
    ("W-02", "P-003", "food", "leaf", "greens"), ("W-02", "P-004", "medicines", "leaf", "sore throat"),
    ("W-01", "P-005", "materials", "leaf", "wrapping"), ("W-02", "P-005", "animal food", "leaf", "fodder"),
    ("W-01", "P-003", "", "leaf", ""), ("W-02", "P-002", "medicines", "", "cough"),
]  # fmt: skip
TAXA = {1: "Salix caprea", 2: "Betula pendula", 3: "Salix alba", 4: "Artemisia absinthium"}

# Distinct (holder, taxon, category) of affirmed uses, counted by hand from TOLD. P-005 is of no taxon and in no value.
FIRST = {"Salix caprea": 4, "Betula pendula": 3, "Salix alba": 2, "Artemisia absinthium": 1}
# P-003 is a Malva, and the thirteenth is food.
SETTLED = {"Salix caprea": 4, "Betula pendula": 3, "Malva sylvestris": 3, "Artemisia absinthium": 1}
AFTER = {"Salix caprea": 2, "Betula pendula": 1, "Malva sylvestris": 2, "Artemisia absinthium": 1}  # W-02 withdrew


def send(page: Page, button: str) -> None:
    with page.expect_navigation():
        page.locator("main").get_by_role("button", name=button, exact=True).first.click()


def reckoned(page: Page) -> tuple[int, dict[str, int]]:
    """N, and the reports of each plant in the table of values."""
    page.goto(f"{AT}/reckoning")
    heads = [one.strip() for one in page.locator("main table thead th").all_inner_texts()]
    at = heads.index("reports")
    values = {}
    for row in page.locator("main table tbody tr").all():
        cells = row.locator("th, td").all_inner_texts()
        if len(cells) == len(heads):
            values[" ".join(cells[heads.index("plant")].split()[:2])] = int(cells[at])
    found = re.search(r"N = (\d+)", page.locator("main").inner_text())
    assert found is not None
    return int(found[1]), values


def set_up(page: Page) -> None:
    page.goto("/studies/new")
    for name, said in {"code": "WALK", "title": "Walk study", "question": "What grows along the path?", "zone": "UTC"}.items():
        page.fill(f"[name={name}]", said)
    send(page, "Set up the study")
    page.goto(f"{AT}/people/communities/new")
    page.fill("[name=code]", "W")
    page.fill("[name=name]", "Wendel")
    send(page, "Record")
    for code in ("W-01", "W-02"):
        page.goto(f"{AT}/people/holders/new")
        page.fill("[name=code]", code)
        page.select_option("[name=community_id]", label="Wendel")
        send(page, "Record")
        page.goto(f"{AT}/people/holders/{code}")
        page.get_by_text("Record an agreement", exact=True).click()
        for tick in page.locator("form[action$=agreements] fieldset.ticks input[type=checkbox]").all():
            tick.check()
        page.fill("form[action$=agreements] [name=agreed_on]", "2026-01-02")
        send(page, "Record the agreement")


def walk(page: Page) -> None:
    page.goto(f"{AT}/encounters/new")
    page.select_option("[name=kind]", value="walk")
    page.fill("[name=title]", "Along the path")
    page.fill("[name=day]", "12 May 2026")
    page.select_option("[name=community_id]", label="Wendel")
    for tick in page.locator("[name=informants]").all():
        tick.check()
    send(page, "Record the encounter")
    for at, (holder, plant, category, part, purpose) in enumerate(TOLD, 1):
        if plant == "P-005" and holder == "W-01":  # nobody had a name for it: it is recorded by itself
            page.goto(f"{AT}/plants/new")
            page.fill("[name=growth_form]", "climber")
            send(page, "Record the plant")
        page.goto(f"{AT}/encounters/1")
        said = {"informant": holder, "plant": plant, "parts": part, "category": category, "purpose": purpose,
                "basis": "own practice", "stance": "denies" if at == 10 else "", "note": f"number {at}"}  # fmt: skip
        for name, text in said.items():
            page.fill(f"#capture [name={name}]", text)
        page.locator("#capture").get_by_role("button", name="Record Enter").click()
        expect(page.locator("#said")).to_contain_text("Recorded.")


def determine(page: Page, number: int, taxon: str) -> None:
    page.goto(f"{AT}/plants/{number}")
    page.locator("summary", has_text=re.compile("^(Determine|Redetermine)$")).click()
    page.fill("[name=taxon]", taxon)
    if page.get_by_role("button", name="See what it would move").count():
        send(page, "See what it would move")
        expect(page.locator("main")).to_contain_text(TAXA[number])
    send(page, "Record the determination")


def name_remedy(page: Page, numbers: dict[int, str]) -> None:
    """The seventh and eighth report are of one remedy."""
    for number, role in numbers.items():
        page.goto(f"{AT}/reports?q=number+{number}")
        page.locator("[data-row]").first.click()
        page.get_by_role("link", name="In full", exact=True).click()
        page.fill("[name=mixture]", "evening tea")
        page.select_option("[name=role]", label=role)
        send(page, "Record it")
        expect(page.locator("main")).to_contain_text("evening tea")


def correct_in_place(page: Page, number: int, **slots: str) -> None:
    """Correct a report where it stands in the table of all reports."""
    page.goto(f"{AT}/reports?q=number+{number}")
    page.locator("[data-row]").first.focus()
    page.keyboard.press("c")
    form = page.locator("table[data-rows] form.capture")
    expect(form).to_be_visible()
    for name, text in slots.items():
        form.locator(f"[name={name}]").fill(text)
        page.keyboard.press("Tab")  # takes the pick: an open list lies over the button
    form.get_by_role("button", name="Record the correction Enter").click()
    expect(page.locator("table[data-rows] tr.changed")).to_be_visible()


def waiting(page: Page) -> str:
    page.goto(f"{AT}/worklist")
    return page.locator("h1").inner_text()


def test_from_the_first_question_to_a_withdrawal(desk: Desk):
    page = desk.open("/studies/new", OWNER)
    set_up(page)
    walk(page)
    for number, taxon in TAXA.items():
        determine(page, number, taxon)
    name_remedy(page, {7: "main", 8: "companion"})
    assert reckoned(page) == (2, FIRST)

    page.goto(f"{AT}/plants/4")  # somebody else calls it otherwise
    page.get_by_text("Add a local name", exact=True).click()
    page.locator("form[action$=names] [name=name]").fill("bitter one")
    send(page, "Record the name")
    determine(page, 3, "Malva sylvestris")
    assert waiting(page) == "3 things wait for a decision"
    correct_in_place(page, 13, category="food")
    correct_in_place(page, 14, parts="leaf")
    assert waiting(page) == "1 thing waits for a decision"
    expect(page.locator("[data-worklist] tr", has_text="2 reports wait with it")).to_have_class("open")
    page.keyboard.press("a")
    page.keyboard.type("nobody present knew it")
    page.keyboard.press("Enter")
    expect(page.locator("h1")).to_have_text("Nothing waits for a decision")
    assert reckoned(page) == (2, SETTLED)

    page.goto(f"{AT}/people/holders/W-02")
    page.get_by_text("Record a withdrawal", exact=True).click()
    send(page, "Seal what was told under it")
    assert reckoned(page) == (1, AFTER)
    page.goto(f"{AT}/reports")
    expect(page.locator("h1")).to_have_text("7 use reports")
    assert "W-02" not in page.locator("main").inner_text()
