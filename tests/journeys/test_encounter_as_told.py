"""An encounter of twenty reports as it was told, recorded by keyboard without leaving the desk: how many keys each report takes
besides the words that were told, and that all of it is there afterwards, field by field."""

import csv
import io
import statistics
import time
from collections.abc import Iterator, Mapping
from contextlib import contextmanager

from playwright.sync_api import Page, expect

from tender_ledger.core.rights import Role
from tender_ledger.core.rules import CountingRules
from tender_ledger.operations import members, plants
from tender_ledger.operations.export import export_study
from tender_ledger.operations.reckoning import reckon_study
from tender_ledger.operations.worklist import read_worklist
from tender_ledger.standins.names_service import ChecklistNames
from tender_ledger.storage.database import rows, value
from tests.conftest import OWNER
from tests.factories import SmallStudy
from tests.journeys.conftest import Desk

TAXA = {"vesta": "Salix caprea", "orel": "Betula pendula", "gorka": "Artemisia absinthium", "plata": "Plantago major"}
Said = Mapping[str, str]


class Told(str):
    """Words that were told; their letters are not counted."""


class Recorder:
    """Types at the desk as a recorder does; letters of words that were told are counted apart from all other keys."""

    def __init__(self, page: Page) -> None:
        self.page, self.keys, self.seconds = page, list[int](), list[float]()
        self.presses = 0

    def press(self, *keys: str) -> None:
        for key in keys:
            self.page.keyboard.press(key)
            self.presses += 1

    def code(self, letters: str) -> None:
        for letter in letters:
            self.press(letter)

    def at(self) -> str:
        return str(self.page.evaluate("document.activeElement.name || ''"))

    def go(self, slot: str, most: int = 40) -> None:
        """Tab to a slot; backwards where it lies behind."""
        order = self.page.evaluate("[...document.querySelectorAll('#capture input')].map(one => one.name)")
        back = order.index(slot) < order.index(self.at())
        for _ in range(most):
            if self.at() == slot:
                return
            self.press("Shift+Tab" if back else "Tab")
        raise AssertionError(f"{slot} is not to be reached, the focus is in {self.at()}")

    def fill(self, said: Said) -> None:
        """Slots in the order given: codes by a few letters, words as they were told."""
        for slot, text in said.items():
            self.go(slot)
            if isinstance(text, Told):
                self.page.keyboard.type(text)
            else:
                self.code(text)

    def more(self, *groups: Said) -> None:
        """What is told beside the line: unfolded by a key, from group to group by another."""
        self.press("F8")
        for said in groups:
            for _ in range(20):
                here = "[...document.activeElement.closest('fieldset').querySelectorAll('input')].some(one => one.name === %r)"
                if self.page.evaluate(here % next(iter(said))):
                    break
                self.press("PageDown")
            self.fill(said)

    def record(self) -> None:
        """Enter, once more where it shows a marked pick first; ends when the next line is drawn and has the focus."""
        self.page.evaluate("document.getElementById('capture').dataset.before = 'yes'")
        self.press("Enter")
        if "Enter records it." in self.page.locator("#said").inner_text():
            self.press("Enter")
        self.page.wait_for_selector("#capture:not([data-before])")
        self.page.wait_for_function("document.activeElement.closest('#capture .slot')")
        expect(self.page.locator("#said")).to_contain_text("Recorded")

    @contextmanager
    def telling(self, reports: int = 1) -> Iterator[None]:
        """One act that records so many reports; its keys and seconds are counted for each."""
        self.presses, began = 0, time.monotonic()
        before = value("SELECT count(*) FROM use_report")
        yield
        self.record()
        assert value("SELECT count(*) FROM use_report") == before + reports, self.page.locator("#capture").inner_text()
        self.keys += [round(self.presses / reports)] * max(reports, 1)
        self.seconds += [(time.monotonic() - began) / max(reports, 1)] * max(reports, 1)


def set_up() -> SmallStudy:
    """A study with two holders in one encounter, and four plants that have a name and a taxon."""
    study = SmallStudy()
    members.add_member(study.scope, OWNER, Role.OWNER)
    study.encounter(study.holder("H-1"), study.holder("H-2"), title="Along the dyke")
    for name, taxon in TAXA.items():
        study.plant(taxon, name)
    return study


def record(page: Page) -> Recorder:
    """The encounter as it was told."""
    told = Recorder(page)
    cure = {"category": "me"}
    with told.telling():
        made = {"parts": "bark", "methods": "dec", "applications": "dr"}
        told.fill({"informant": "h-1", "plant": "ves", **made, **cure, "purpose": Told("fever"), "basis": "own",
                   "words": Told("Boil the bark till the water is brown."), "start": "61"})  # fmt: skip
    with told.telling():  # the same again, for something else
        told.press("F4")
        expect(page.locator("#capture [name=purpose]")).to_be_focused()
        told.fill({"purpose": Told("headache")})
    with told.telling():  # denied by the other
        told.fill({"informant": "h-2", "parts": "bark", **cure, "purpose": Told("fever"), "stance": "den"})
    with told.telling():
        told.fill({"informant": "h-1", "parts": "stem", "methods": "work", "category": "ma", "purpose": Told("baskets"),
                   "basis": "own"})  # fmt: skip
    with told.telling():
        made = {"parts": "sap", "methods": "raw", "applications": "dr"}
        told.fill({"plant": "ore", **made, "category": "fd", "purpose": Told("drink")})
        told.more({"season": Told("when the snow goes")})
    with told.telling():
        told.fill({"informant": "h-2", "parts": "wood", "category": "fu", "purpose": Told("kindling"), "basis": "own"})
    with told.telling():
        told.fill({"informant": "h-1", "plant": "pla", "parts": "leaf", "methods": "poul", **cure, "purpose": Told("sores"),
                   "caution": Told("not where it bleeds")})  # fmt: skip
    with told.telling():
        told.fill({"informant": "h-2", "parts": "leaf", **cure, "purpose": Told("sores")})
    with told.telling():  # with who taught it, and a dose
        made = {"parts": "leaf", "methods": "inf", "applications": "dr"}
        told.fill({"informant": "h-1", "plant": "gor", **made, **cure, "purpose": Told("belly ache"), "basis": "tau"})
        told.more({"dose": Told("half a cup")}, {"teachings-0-teacher": "h-2", "teachings-0-told_when": Told("as a girl")})
    with told.telling():  # nobody has a name for it
        told.fill({"plant": "+?", "parts": "root", "methods": "pow", **cure, "purpose": Told("cough")})
    with told.telling():  # declined
        told.fill({"informant": "h-2", "plant": "gor", "parts": "leaf", **cure, "purpose": Told("belly ache"), "stance": "dec"})
    with told.telling(4):  # a remedy of four plants in two steps
        told.fill({"informant": "h-1", **made, **cure, "purpose": Told("chest cold"), "basis": "own"})
        told.more(
            {"dose": Told("two cups"), "course": Told("three days")},
            {"steps-0-method": "dri", "steps-0-words": Told("in the loft"), "steps-1-method": "inf",
             "steps-1-words": Told("under a lid"), "steps-1-lasts": Told("a quarter of an hour")},
            {"mixture": Told("winter tea")},
            {"plants-0-plant": "ves", "plants-0-parts": "bark", "plants-0-proportion": Told("one in five"),
             "plants-1-plant": "ore", "plants-1-parts": "leaf", "plants-2-plant": "pla", "plants-2-parts": "leaf",
             "plants-2-role": "corr"},
        )  # fmt: skip
    with told.telling():
        told.fill({"plant": "ore", "parts": "bud", "methods": "tin", **cure, "purpose": Told("cough"), "outcome": "hel"})
        told.more({"dose": Told("three drops"), "taker": "chi"})
    with told.telling():
        told.fill({"informant": "h-2", "plant": "ves", "parts": "leaf", "category": "af", "purpose": Told("fodder")})
    with told.telling(2):  # two uses in one line
        told.fill({"informant": "h-1", "plant": "pla", "parts": "leaf", "methods": "coo", "category": "fd",
                   "purpose": Told("greens; soup")})  # fmt: skip
    with told.telling():
        told.fill({"informant": "h-2", "plant": "P-005", "parts": "leaf", "category": "fa", "purpose": Told("seasoning")})
    return told


def beside(told: Recorder) -> None:
    """What is no report: the plant named late with a property, and a correction."""
    page = told.page
    told.fill({"plant": "P-005"})
    told.more({"property": Told("bitter"), "other_name": Told("zimna")})
    told.record()
    told.press("PageDown")
    for _ in range(30):
        if "baskets" in str(page.evaluate("document.activeElement.closest('li').innerText")):
            break
        told.press("ArrowDown")
    told.press("c")
    form = page.locator("#desk li form.capture")
    expect(form.locator("[name=parts]")).to_be_focused()
    told.press("Control+a")
    told.code("twig")
    told.press("Tab", "Enter")
    expect(page.locator("#desk li.changed")).to_contain_text("twig")


# informant, name of the plant, part, preparation, application, category, use, basis, stance, outcome
TOLD = [
    ("H-1", "vesta", "bark", "decoction", "drunk", "medicines", "fever", "own", "affirms", "unstated"),
    ("H-1", "vesta", "bark", "decoction", "drunk", "medicines", "headache", "own", "affirms", "unstated"),
    ("H-2", "vesta", "bark", "", "", "medicines", "fever", "own", "denies", "unstated"),
    ("H-1", "vesta", "twig", "worked", "", "materials", "baskets", "own", "affirms", "unstated"),
    ("H-1", "orel", "sap", "raw", "drunk", "food", "drink", "own", "affirms", "unstated"),
    ("H-2", "orel", "wood", "", "", "fuels", "kindling", "own", "affirms", "unstated"),
    ("H-1", "plata", "leaf", "poultice", "", "medicines", "sores", "own", "affirms", "unstated"),
    ("H-2", "plata", "leaf", "", "", "medicines", "sores", "own", "affirms", "unstated"),
    ("H-1", "gorka", "leaf", "infusion", "drunk", "medicines", "belly ache", "taught", "affirms", "unstated"),
    ("H-1", "zimna", "root", "powder", "", "medicines", "cough", "taught", "affirms", "unstated"),
    ("H-2", "gorka", "leaf", "", "", "medicines", "belly ache", "taught", "declines", "unstated"),
    ("H-1", "gorka", "leaf", "infusion", "drunk", "medicines", "chest cold", "own", "affirms", "unstated"),
    ("H-1", "vesta", "bark", "infusion", "drunk", "medicines", "chest cold", "own", "affirms", "unstated"),
    ("H-1", "orel", "leaf", "infusion", "drunk", "medicines", "chest cold", "own", "affirms", "unstated"),
    ("H-1", "plata", "leaf", "infusion", "drunk", "medicines", "chest cold", "own", "affirms", "unstated"),
    ("H-1", "orel", "bud", "tincture", "", "medicines", "cough", "own", "affirms", "helped"),
    ("H-2", "vesta", "leaf", "", "", "animal_food", "fodder", "own", "affirms", "unstated"),
    ("H-1", "plata", "leaf", "cooked", "", "food", "greens", "own", "affirms", "unstated"),
    ("H-1", "plata", "leaf", "cooked", "", "food", "soup", "own", "affirms", "unstated"),
    ("H-2", "zimna", "leaf", "", "", "food_additives", "seasoning", "own", "affirms", "unstated"),
]  # fmt: skip
# Further columns of the reports that say more, by their place; no other report says anything in them.
FURTHER: dict[int, dict[str, str]] = {
    0: {"words": "Boil the bark till the water is brown.", "start": "61"},
    4: {"season": "when the snow goes"},
    6: {"caution_told": "not where it bleeds"},
    8: {"dose": "half a cup"},
    **{at: {"mixture": "winter tea", "dose": "two cups", "course": "three days"} for at in (11, 12, 13, 14)},
    15: {"dose": "three drops", "for_whom": "child"},
}
FURTHER[11] |= {"role": "main"}
FURTHER[12] |= {"role": "companion", "proportion": "one in five"}
FURTHER[13] |= {"role": "companion"}
FURTHER[14] |= {"role": "corrective"}
MORE = ("words", "start", "season", "caution_told", "dose", "mixture", "course", "for_whom", "role", "proportion", "note", "end",
        "harvest", "phase", "frequency", "attributed_to", "cited", "actor")  # fmt: skip


def table(files: Mapping[str, bytes], name: str) -> list[dict[str, str]]:
    return list(csv.DictReader(io.StringIO(files[f"{name}.csv"].decode())))


def test_twenty_reports_as_told_by_keyboard_without_leaving_the_desk(desk: Desk, capsys):
    page = desk.open("/study/VELDRA", OWNER)
    small = set_up()
    page.goto(f"/study/{small.code}/encounters/1")
    visited: list[str] = []
    page.on("framenavigated", lambda frame: visited.append(frame.url))
    told = record(page)
    keys, seconds = list(told.keys), list(told.seconds)
    beside(told)
    assert [one for one in visited if not one.startswith(page.url.split("?")[0])] == []
    with capsys.disabled():
        each = ", ".join(f"{count} ({spent:.1f} s)" for count, spent in zip(keys, seconds, strict=True))
        print(f"\n  keys besides words told: {each}; median {statistics.median(keys)}, most {max(keys)}")
    assert len(keys) == 20
    assert statistics.median(keys) <= 45
    assert max(keys) <= 90
    waiting = [item for kind in read_worklist(small.scope) for item in kind.items]
    assert [(item.rule, item.about) for item in waiting] == [("undetermined", "plant 5")]
    plants.determine_plant(small.scope, 5, ChecklistNames(), taxon="Thymus serpyllum", qualifier="none", basis="living_plant",
                           confidence="sure")  # fmt: skip

    files = export_study(small.scope)
    named = {row["plant"]: row["name"] for row in table(files, "names")}
    exported = sorted(table(files, "reports"), key=lambda row: ids_in_order(small).index(report_key(row, named)))
    columns = ("part", "preparation", "application", "category", "use", "basis", "stance", "outcome")
    for at, (expected, row) in enumerate(zip(TOLD, exported, strict=True)):
        assert (row["informant"], named[row["plant"]], *(row[name] or default(name) for name in columns)) == expected, at
        assert {name: row[name] for name in MORE if row[name]} == FURTHER.get(at, {}), at
    assert [(one["step"], one["preparation"], one["words"], one["lasts"]) for one in table(files, "steps")] == [
        ("1", "dried", "in the loft", ""), ("2", "infusion", "under a lid", "a quarter of an hour")] * 4  # fmt: skip
    assert [(one["teacher"], one["when"]) for one in table(files, "teachings")] == [("H-2", "as a girl")]
    assert [(one["informant"], one["plant"], one["property"]) for one in table(files, "properties")] == [
        ("H-2", "P-005", "bitter")
    ]
    assert ("P-005", "zimna", "H-2") in [(row["plant"], row["name"], row["informant"]) for row in table(files, "names")]

    result = reckon_study(small.scope, CountingRules()).result
    counted = {(row[0], name_of(row[1]), row[5]) for at, row in enumerate(TOLD) if row[8] == "affirms" and at != 14}
    assert {taxon: int(ur) for taxon, ur in zip(result.taxa, result.ur, strict=True)} == {
        taxon: sum(one[1] == taxon for one in counted) for taxon in {one[1] for one in counted}
    }
    assert [item for kind in read_worklist(small.scope) for item in kind.items] == []


def test_two_steps_a_dose_a_season_and_a_teacher_in_one_go_within_ninety_keys(desk: Desk, capsys):
    page = desk.open("/study/VELDRA", OWNER)
    small = set_up()
    page.goto(f"/study/{small.code}/encounters/1")
    told = Recorder(page)
    with told.telling():
        told.fill({"informant": "h-1", "plant": "ves", "parts": "bark", "methods": "dec", "applications": "dr", "category": "me",
                   "purpose": Told("fever"), "basis": "own"})  # fmt: skip
        told.more(
            {"dose": Told("a rounded spoon")},
            {"season": Told("when the sap rises")},
            {"steps-0-method": "dri", "steps-0-words": Told("in the loft"), "steps-1-method": "dec",
             "steps-1-words": Told("slowly"), "steps-1-lasts": Told("half an hour")},
            {"teachings-0-teacher": "h-2"},
        )  # fmt: skip
        expect(page.locator("#n-dose + .read")).to_have_text("1\u2009rounded spoon")
        expect(page.locator("[name=steps-1-lasts] ~ .read")).to_have_text("30\u2009min")
    with capsys.disabled():
        print(f"\n  a report with two steps, a dose, a season and a teacher: {told.keys[0]} keys besides words told")
    assert told.keys[0] <= 90
    made = rows("SELECT id, dose, season FROM use_report ORDER BY id DESC LIMIT 1")[0]
    assert (made["dose"], made["season"]) == ("a rounded spoon", "when the sap rises")
    steps = rows("SELECT words, lasts FROM report_step WHERE report_id = %(r)s ORDER BY position", r=made["id"])
    assert [tuple(one.values()) for one in steps] == [("in the loft", ""), ("slowly", "half an hour")]


def ids_in_order(small: SmallStudy) -> list[tuple[str, str, str, str]]:
    """What tells the reports apart, in the order in which they were recorded."""
    found = rows(
        """SELECT h.code AS informant, 'P-' || lpad(p.number::text, 3, '0') AS plant, u.label AS use, v.code AS category
           FROM use_report r JOIN plant p ON p.id = r.plant_id JOIN informant i ON i.id = r.informant_id
           JOIN holder h ON h.id = i.holder_id JOIN report_coding k ON k.report_id = r.id JOIN purpose u ON u.id = k.purpose_id
           JOIN vocabulary_term v ON v.id = k.category_id WHERE r.study_id = %(study)s ORDER BY r.id""",
        study=small.scope.study_id,
    )
    return [tuple(str(one) for one in row.values()) for row in found]


def report_key(row: Mapping[str, str], _named: Mapping[str, str]) -> tuple[str, str, str, str]:
    return row["informant"], row["plant"], row["use"], row["category"]


def default(column: str) -> str:
    return {"stance": "affirms", "outcome": "unstated"}.get(column, "")


def name_of(local: str) -> str:
    return {**TAXA, "zimna": "Thymus serpyllum"}[local]
