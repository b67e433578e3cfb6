"""Recording at the desk with the keyboard: fast, once, and with nothing lost."""

import re
import time

from playwright.sync_api import Page, expect

from tender_ledger.storage.database import rows, value
from tests.conftest import OWNER, RECORDER
from tests.journeys.conftest import STUDY, Desk

WALK = f"{STUDY}/encounters/2"


class Keys:
    """Presses keys one by one and counts every press."""

    def __init__(self, page: Page, between: float = 0) -> None:
        self.page, self.between, self.presses = page, between, 0

    def type(self, text: str) -> None:
        for letter in text:
            self.press(letter)

    def press(self, *keys: str) -> None:
        for key in keys:
            self.page.keyboard.press(key)
            self.presses += 1
            time.sleep(self.between)


def ready(page: Page) -> None:
    """The lists of the slots have come."""
    page.wait_for_function("document.querySelector('#capture') && document.activeElement.closest('.slot')")
    page.wait_for_load_state("networkidle")


def slot(page: Page, name: str) -> str:
    return page.locator(f"#capture [name={name}]").input_value()


def choose(page: Page, holder: str = "03", plant: str = "nelwa") -> None:
    """Holder and plant by a few letters; ends in the slot of the parts."""
    keys = Keys(page)
    keys.type(f"ons-{holder}")
    keys.press("Tab")
    keys.type(plant)
    keys.press("Tab")


def reports() -> int:
    return int(value("SELECT count(*) FROM use_report WHERE removed_at IS NULL"))


def record_one(page: Page) -> None:
    """A first short report, so that holder, plant and grounds stand in their slots."""
    choose(page)
    keys = Keys(page)
    keys.type("fru")
    keys.press("Tab", "Tab", "Tab")
    keys.type("fd")
    keys.press("Tab", "Tab", "Tab")
    keys.type("own")
    before = reports()
    keys.press("Enter")
    expect(page.locator("#said")).to_contain_text("Recorded.")
    assert reports() == before + 1


def test_a_full_report_within_forty_keystrokes_and_twelve_seconds(desk: Desk, capsys):
    page = desk.open(WALK, RECORDER)
    ready(page)
    record_one(page)
    ready(page)
    assert (slot(page, "informant"), slot(page, "plant"), slot(page, "basis")) == ("ONS-03", "nelva P-001", "own practice")
    keys, began = Keys(page, between=0.12), time.monotonic()
    keys.type("you")
    keys.press(",")
    keys.type("flo")
    keys.press("Tab")
    keys.type("inf")
    keys.press("Tab", "Tab")
    keys.type("me")
    keys.press("Tab")
    keys.type("res")
    keys.press("Tab")
    keys.type("cou")
    keys.press("Tab")
    keys.type("wi")
    keys.press("Tab", "Tab")
    besides_note = keys.presses + 1
    note = "at dusk"
    keys.type(note)
    keys.press("Enter")
    expect(page.locator("#said")).to_contain_text("Recorded.")
    seconds = time.monotonic() - began
    with capsys.disabled():
        print(f"\n  a full report: {besides_note} keystrokes besides the note, {seconds:.1f} s with 120 ms between presses")
    assert besides_note <= 40
    line = page.locator("li.changed", has_text="young leaf")
    expect(line).to_contain_text("young leaf, flower, infusion")
    expect(line).to_contain_text("cough")
    expect(line).to_contain_text("witnessed")
    expect(line).to_contain_text(note)
    kept = rows("""SELECT s.code AS sub, c.code AS cat FROM report_coding k JOIN vocabulary_term c ON c.id = k.category_id
                   JOIN vocabulary_term s ON s.id = k.subcategory_id ORDER BY k.report_id DESC LIMIT 1""")
    assert kept == [{"sub": "respiratory_system_disorders", "cat": "medicines"}]
    focused = page.evaluate("document.activeElement.name")
    assert focused == "parts"


def test_enter_twice_makes_one_report(desk: Desk):
    page = desk.open(WALK, RECORDER)
    ready(page)
    choose(page)
    page.fill("#capture [name=category]", "food")
    page.focus("#capture [name=note]")
    before = reports()
    page.evaluate("""() => {
        const field = document.querySelector('#capture [name=note]'), form = field.form;
        form.requestSubmit(); form.requestSubmit();
    }""")
    expect(page.locator("#said")).to_contain_text("Recorded.")
    page.keyboard.press("Enter")
    page.keyboard.press("Enter")
    page.wait_for_load_state("networkidle")
    assert reports() == before + 1


def test_a_new_plant_on_the_spot_with_just_a_local_name(desk: Desk):
    page = desk.open(WALK, RECORDER)
    ready(page)
    keys = Keys(page)
    keys.type("ons-07")
    keys.press("Tab")
    keys.type("+ ")
    page.keyboard.insert_text("ɬəp’a")
    expect(page.locator("#n-plant-picks [role=option]")).to_have_text(re.compile("a new plant called ɬəp’a"))
    keys.press("Tab")
    page.fill("#capture [name=category]", "materials")
    page.focus("#capture [name=note]")
    keys.press("Enter")
    expect(page.locator("h2", has_text="ɬəp’a")).to_be_visible()
    assert slot(page, "plant") == "ɬəp’a P-059"
    expect(page.locator(".entry", has_text="ɬəp’a")).to_contain_text("undetermined")


def test_one_key_records_that_no_use_was_named(desk: Desk):
    page = desk.open(WALK, RECORDER)
    ready(page)
    choose(page, plant="P-029")
    before = value("SELECT count(*) FROM asking")
    page.keyboard.press("F2")
    expect(page.locator("#said")).to_contain_text("Recorded: asked, no use named.")
    assert value("SELECT count(*) FROM asking") == before + 1
    ready(page)
    page.keyboard.press("F2")
    desk.expected = {422}
    expect(page.locator(".slot .error")).to_contain_text("is recorded here already")


def test_what_is_wrong_is_said_in_its_slot_and_nothing_typed_is_lost(desk: Desk):
    desk.expected = {422}
    page = desk.open(WALK, RECORDER)
    ready(page)
    choose(page)
    page.fill("#capture [name=parts]", "leaf, roott")
    page.fill("#capture [name=words]", "“It draws, ʔa̱s,” she said")
    page.focus("#capture [name=words]")
    page.keyboard.press("Enter")
    expect(page.locator(".slot.wrong .error")).to_contain_text("No part is called “roott”. Near it: root")
    assert slot(page, "words") == "“It draws, ʔa̱s,” she said"
    assert slot(page, "parts") == "leaf, roott"
    expect(page.locator("#capture [name=parts]")).to_be_focused()


def test_a_draft_outlives_the_browser(desk: Desk):
    page = desk.open(WALK, RECORDER)
    ready(page)
    choose(page)
    with page.expect_response(lambda response: response.url.endswith("/draft")):
        page.locator("#capture [name=words]").fill("Half a sentence, ŋelʷa")
    page.context.close()
    desk.contexts.pop()
    again = desk.open(WALK, RECORDER)
    assert slot(again, "words") == "Half a sentence, ŋelʷa"
    assert slot(again, "plant") == "nelva P-001"
    expect(again.locator("#said")).to_have_text("What you had typed here is back.")
    other = desk.open(WALK, OWNER)
    assert slot(other, "words") == ""


def test_without_the_server_what_was_typed_stays_and_is_recorded_once_later(desk: Desk):
    desk.expected = {0}
    page = desk.open(WALK, RECORDER)
    ready(page)
    choose(page)
    page.fill("#capture [name=category]", "food")
    page.fill("#capture [name=note]", "in the rain")
    page.context.set_offline(True)
    page.focus("#capture [name=note]")
    page.keyboard.press("Enter")
    expect(page.locator("#said")).to_contain_text("Enter tries again")
    assert slot(page, "note") == "in the rain"
    before = reports()
    page.context.set_offline(False)
    page.keyboard.press("Enter")
    expect(page.locator("#said")).to_contain_text("Recorded.")
    assert reports() == before + 1


def test_two_recorders_in_one_encounter_lose_nothing(desk: Desk):
    first, second = desk.open(WALK, RECORDER), desk.open(WALK, OWNER)
    before = reports()
    for page, note in ((first, "heard by the first"), (second, "heard by the second"), (first, "and by the first again")):
        if not slot(page, "plant"):
            page.focus("#capture [name=informant]")
            choose(page)
        page.fill("#capture [name=category]", "food")
        page.fill("#capture [name=note]", note)
        page.focus("#capture [name=note]")
        page.keyboard.press("Enter")
        expect(page.locator(".told .said", has_text=re.compile(f"^{note}$"))).to_be_visible()
        ready(page)
    assert reports() == before + 3
    for note in ("heard by the first", "heard by the second", "and by the first again"):
        expect(first.locator(".told", has_text=note).first).to_be_visible()


def test_correcting_in_place_and_two_at_once_are_both_shown(desk: Desk):
    first, second = desk.open(WALK, RECORDER), desk.open(WALK, OWNER)
    lines = [page.locator(".told li").first for page in (first, second)]
    identity = lines[0].get_attribute("id")
    for page, line in zip((first, second), lines, strict=True):
        line.get_by_role("link", name="Correct").click()
        expect(page.locator(f"#{identity} form.capture")).to_be_visible()
    second.fill(f"#{identity} [name=note]", "as the owner heard it")
    second.locator(f"#{identity} [name=note]").press("Enter")
    expect(second.locator(f"#{identity}")).to_contain_text("as the owner heard it")
    expect(second.locator(f"#{identity} form")).to_have_count(0)
    expect(second.locator(f"#{identity} a").first).to_be_focused()
    second.keyboard.press("?")
    expect(second.locator("#keys")).to_be_focused()
    desk.expected = {409}
    first.fill(f"#{identity} [name=note]", "as I heard it")
    first.locator(f"#{identity} [name=note]").press("Enter")
    both = first.locator(f"#{identity} .conflict")
    expect(both).to_contain_text("as the owner heard it")
    expect(both).to_contain_text("as I heard it")
    first.get_by_role("button", name="Put mine in its place").click()
    expect(first.locator(f"#{identity}.changed")).to_contain_text("as I heard it")


def test_a_report_is_taken_back_and_undone(desk: Desk):
    page = desk.open(WALK, RECORDER)
    identity = page.locator(".told li").first.get_attribute("id")
    assert identity is not None
    page.locator(f"#{identity}").get_by_role("link", name="Correct").click()
    page.get_by_role("button", name="Take it back").click()
    expect(page.locator(".notice")).to_contain_text("Taken back")
    expect(page.locator(f"#{identity}")).to_have_count(0)
    page.get_by_role("button", name="Undo").first.click()
    expect(page.locator(f"#{identity}")).to_be_visible()


def test_picks_by_arrows_and_escape_keeps_what_was_typed(desk: Desk):
    page = desk.open(WALK, RECORDER)
    ready(page)
    choose(page)
    keys = Keys(page)
    keys.type("bu")
    expect(page.locator("#n-parts-picks [role=option]").first).to_have_text("bud")
    keys.press("ArrowDown", "ArrowUp", "ArrowDown")
    marked = page.locator("#n-parts-picks [aria-selected=true]").text_content()
    keys.press("Tab")
    assert slot(page, "parts") == marked == "bulb"
    page.fill("#capture [name=category]", "food")
    page.focus("#capture [name=purpose]")
    keys.type("jam")
    keys.press("Escape", "Tab")
    assert slot(page, "purpose") == "jam"


def slowly(page: Page) -> None:
    """Every recording takes eight tenths of a second longer from here on."""
    page.evaluate("""() => {
        const plain = window.fetch;
        window.fetch = async (address, options) => {
            if (String(address).endsWith("/reports")) await new Promise(done => setTimeout(done, 800));
            return plain(address, options);
        };
    }""")


def test_keys_pressed_while_a_recording_is_on_its_way_come_into_the_next_line(desk: Desk):
    page = desk.open(WALK, RECORDER)
    ready(page)
    choose(page)
    page.fill("#capture [name=category]", "food")
    slowly(page)
    page.focus("#capture [name=note]")
    keys, before = Keys(page), reports()
    keys.type("first")
    keys.press("Enter")
    keys.type("lea")
    keys.press("Tab")
    keys.type("dri")
    keys.press("Tab", "Tab")
    keys.type("me")
    expect(page.locator("#said")).to_contain_text("Recorded.")
    expect(page.locator("#capture [name=category]")).to_have_value("me")
    assert (slot(page, "parts"), slot(page, "methods"), slot(page, "note")) == ("leaf", "dried", "")
    keys.press("Tab", "Tab", "Tab", "Tab")
    page.keyboard.press("Enter")
    expect(page.locator("li.changed", has_text="leaf, dried")).to_be_visible()
    assert reports() == before + 2


def test_what_is_typed_ahead_of_a_refusal_waits_and_the_draft_is_what_was_refused(desk: Desk):
    desk.expected = {422}
    page = desk.open(WALK, RECORDER)
    ready(page)
    choose(page)
    page.fill("#capture [name=parts]", "leaf")
    page.wait_for_timeout(700)  # an older draft is kept
    slowly(page)
    page.fill("#capture [name=category]", "nothing like it")
    page.focus("#capture [name=note]")
    keys = Keys(page)
    keys.type("said twice")
    keys.press("Enter")
    keys.type("ahead")
    expect(page.locator(".slot.wrong")).to_have_count(1)
    assert (slot(page, "category"), slot(page, "note")) == ("nothing like it", "said twice")
    expect(page.locator("#said")).to_contain_text("for the next report: ahead")
    page.reload()
    assert (slot(page, "category"), slot(page, "note")) == ("nothing like it", "said twice")


def test_enter_records_no_pick_that_was_only_marked(desk: Desk):
    """Letters that several choices can mean are put into the slot and shown; one more Enter records them."""
    page = desk.open(WALK, RECORDER)
    ready(page)
    choose(page)
    page.fill("#capture [name=category]", "food")
    page.focus("#capture [name=parts]")
    keys, before = Keys(page), reports()
    keys.type("le")
    keys.press("Enter")
    expect(page.locator("#said")).to_have_text("Enter records it.")
    assert (slot(page, "parts"), reports()) == ("leaf", before)
    keys.press("Enter")
    expect(page.locator("#said")).to_contain_text("Recorded.")
    assert reports() == before + 1
    page.fill("#capture [name=category]", "food")
    page.focus("#capture [name=parts]")
    keys.type("young l")  # one choice alone begins so
    keys.press("Enter")
    expect(page.locator("li.changed", has_text="young leaf")).to_be_visible()
    assert reports() == before + 2


def test_what_the_plant_has_comes_first_then_what_the_study_has(desk: Desk):
    page = desk.open(WALK, RECORDER)
    ready(page)
    choose(page)
    of_plant = rows("""SELECT v.code FROM report_part m JOIN use_report r ON r.id = m.report_id JOIN plant p ON p.id = r.plant_id
        JOIN vocabulary_term v ON v.id = m.part_id WHERE p.number = 1 AND r.removed_at IS NULL AND left(v.code, 1) = 'f'
        GROUP BY 1 ORDER BY count(*) DESC""")
    first = of_plant[0]["code"]
    page.focus("#capture [name=parts]")
    Keys(page).type("f")
    expect(page.locator("#n-parts-picks [role=option]").first).to_have_text(first.replace("_", " "))


def test_a_slot_can_be_browsed_and_knows_everyday_words(desk: Desk):
    page = desk.open(WALK, RECORDER)
    ready(page)
    choose(page)
    keys = Keys(page)
    keys.press("ArrowDown")
    picks = page.locator("#n-parts-picks [role=option]")
    assert picks.count() > 30
    of_plant = rows("""SELECT v.code FROM report_part m JOIN use_report r ON r.id = m.report_id JOIN plant p ON p.id = r.plant_id
        JOIN vocabulary_term v ON v.id = m.part_id WHERE p.number = 1 AND r.removed_at IS NULL
        GROUP BY 1 ORDER BY count(*) DESC""")
    expect(picks.first).to_have_text(of_plant[0]["code"].replace("_", " "))
    keys.press("Escape")
    keys.type("berries")
    expect(picks.first).to_contain_text("fruit")
    keys.press("Tab")
    assert slot(page, "parts") == "fruit"
    keys.type("boil")  # two preparations are called so
    keys.press("Enter")
    expect(page.locator("#said")).to_have_text("Enter records it.")
    assert slot(page, "methods") in ("cooked", "decoction")


def test_one_key_repeats_the_last_report_with_another_purpose(desk: Desk):
    page = desk.open(WALK, RECORDER)
    ready(page)
    record_one(page)
    ready(page)
    first = rows("SELECT id, encounter_id, informant_id, plant_id, basis_id FROM use_report ORDER BY id DESC LIMIT 1")[0]
    keys, before = Keys(page), reports()
    keys.press("F4")
    expect(page.locator("#said")).to_contain_text("As the last report")
    expect(page.locator("#capture [name=purpose]")).to_be_focused()
    keys.type("another use")
    keys.press("Enter")
    expect(page.locator("#said")).to_contain_text("Recorded.")
    assert (reports(), keys.presses) == (before + 1, len("another use") + 2)
    again = rows("SELECT id, encounter_id, informant_id, plant_id, basis_id FROM use_report ORDER BY id DESC LIMIT 1")[0]
    assert {**again, "id": 0} == {**first, "id": 0}
    parts = "SELECT part_id FROM report_part WHERE report_id = %(r)s ORDER BY part_id"
    assert rows(parts, r=again["id"]) == rows(parts, r=first["id"]) != []
    purpose = "SELECT u.label FROM report_coding k JOIN purpose u ON u.id = k.purpose_id WHERE k.report_id = %(r)s"
    assert rows(purpose, r=again["id"]) == [{"label": "another use"}]


def test_all_that_is_told_beside_the_line_is_kept_as_typed_said_where_it_is_wrong_and_recorded_at_once(desk: Desk):
    desk.expected = {422}
    page = desk.open(WALK, RECORDER)
    ready(page)
    choose(page)
    page.fill("#capture [name=category]", "food")
    keys = Keys(page)
    keys.press("F8")
    expect(page.locator("#whole [name=dose]")).to_be_focused()
    keys.type("two cups")
    expect(page.locator("#n-dose + .read")).to_have_text("480\u2009ml")
    keys.press("PageDown", "PageDown", "Tab")
    assert page.evaluate("document.activeElement.name") == "steps-0-words"
    keys.type("boil it")
    expect(page.locator("#whole [name=steps-1-words]")).to_be_visible()  # rows grow as they are typed
    page.reload()  # at once: the last keys were not sent yet
    expect(page.locator("#whole [name=steps-0-words]")).to_have_value("boil it")
    ready(page)
    assert (slot(page, "dose"), slot(page, "steps-0-words")) == ("two cups", "boil it")
    page.fill("#whole [name=steps-1-method]", "sung to")
    page.focus("#whole [name=steps-1-method]")
    before = reports()
    keys.press("Escape", "Enter")
    expect(page.locator("#whole .slot.wrong .error")).to_contain_text("No method is called “sung to”")
    expect(page.locator("#whole [name=steps-1-method]")).to_be_focused()
    assert reports() == before
    page.fill("#whole [name=steps-1-method]", "infusion")
    page.focus("#whole [name=season]")
    keys.press("Enter")
    expect(page.locator("#said")).to_contain_text("Recorded. Report")
    assert reports() == before + 1
    expect(page.locator("#whole")).to_be_hidden()
    expect(page.locator("li.changed")).to_be_in_viewport()
    made = rows("SELECT id, dose FROM use_report ORDER BY id DESC LIMIT 1")[0]
    assert made["dose"] == "two cups"
    assert value("SELECT count(*) FROM report_step WHERE report_id = %(r)s", r=made["id"]) == 2
    keys.press("F4")  # the same again, with all of it
    expect(page.locator("#whole [name=dose]")).to_have_value("two cups")
    assert slot(page, "steps-1-method") == "infusion"


def test_one_key_opens_the_report_in_full_and_recording_it_returns_to_its_line(desk: Desk):
    page = desk.open(WALK, RECORDER)
    ready(page)
    record_one(page)
    ready(page)
    identity = page.locator("li.changed").get_attribute("id")
    with page.expect_navigation():
        page.keyboard.press("F9")
    page.fill("[name=dose]", "a handful")
    with page.expect_navigation():
        page.get_by_role("button", name="Record it").click()
    assert page.url.endswith(f"{WALK}#{identity}")
    expect(page.locator(f"#{identity}")).to_be_in_viewport()


def test_choices_say_what_they_mean(desk: Desk):
    page = desk.open(WALK, RECORDER)
    ready(page)
    choose(page)
    page.focus("#capture [name=basis]")
    Keys(page).type("as p")
    expect(page.locator("#n-basis-picks [aria-selected=true]")).to_contain_text("It was done to the teller")


def test_a_report_that_was_recorded_is_not_drawn_again_by_the_next_page(desk: Desk):
    page = desk.open(WALK, RECORDER)
    ready(page)
    record_one(page)
    drafts = []
    page.on("request", lambda request: drafts.append(request.url) if request.url.endswith("/draft") else None)
    page.goto(WALK)
    ready(page)
    assert (drafts, slot(page, "purpose")) == ([], "")
    assert page.evaluate("sessionStorage.length") == 0
