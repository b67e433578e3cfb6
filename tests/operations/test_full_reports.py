"""Reports in full: what stands beside a line; reports split, made one, doubled and contradicted; nothing lost by a correction."""

import uuid
from dataclasses import replace

import pytest

from tender_ledger.core.rules import CountingRules
from tender_ledger.operations import full_reports, people, reports
from tender_ledger.operations.errors import Conflict, NotFound, Refused
from tender_ledger.operations.history import undo_act
from tender_ledger.operations.reckoning import reckon_study
from tender_ledger.operations.told_in_full import ToldInFull
from tender_ledger.operations.typed_report import as_typed
from tender_ledger.storage.database import rows, value
from tender_ledger.storage.queries import acts, plants, told
from tender_ledger.storage.queries import reports as queries
from tests.factories import SmallStudy

TWO = [{"parts": "leaf", "methods": "infusion", "applications": "drunk"}, {"parts": "root, bark", "methods": "decoction"}]
MEDICINE = {"scheme": "economic_botany", "category": "medicines", "purpose": "cough"}
WHOLE = ToldInFull(
    {"dose": "three drops", "taker": "child", "season": "after the first frost", "harvest_effect": "light", "currency": "former",
     "mixture": "winter tea", "role": "companion", "end": "1:10"},
    {"components": TWO,
     "codings": [MEDICINE, {"scheme": "economic_botany", "category": "food"}, {"scheme": "icpc_2", "category": "respiratory"}],
     "steps": [{"method": "soaked", "lasts": "four or five nights"}, {"words": "strained", "heat": "18 to 24 °C"}],
     "ingredients": [{"words": "honey", "role": "carrier", "amount": "a spoon"}, {"words": " "}],
     "teachings": [{"teacher": "X-02", "told_when": "as a child"}, {"words": "her aunt"}]},
)  # fmt: skip


class Told(SmallStudy):
    """Two tellers in one talk, with a report each of the same plant."""

    def __post_init__(self) -> None:
        super().__post_init__()
        self.first, self.second = self.holder("X-01"), self.holder("X-02")
        self.talk = self.encounter(self.first, self.second)
        self.number = self.plant("Salix caprea")
        self.one = self.report(self.talk, "X-01", self.number, parts="leaf")
        self.other = self.report(self.talk, "X-02", self.number, stance="denies")

    def version(self, report: int) -> int:
        return int(value("SELECT version FROM use_report WHERE id = %(id)s", id=report))

    def in_full(self, report: int, told_in_full: ToldInFull = WHOLE) -> dict[str, object]:
        full_reports.complete_report(self.scope, report, self.version(report), told_in_full)
        found = told.report_in_full(self.scope, report)
        assert found is not None
        return found

    def undo(self) -> None:
        undo_act(self.scope, acts.acts(self.scope, limit=1)[0]["id"])


@pytest.fixture
def small(empty_db: str) -> Told:
    return Told()


def test_all_that_was_told_stands_in_its_order_with_its_words(small: Told):
    found = small.in_full(small.one)
    assert (found["dose"], found["taker"], found["season"], found["harvest_effect"], found["currency"], found["end_s"]) == (
        "three drops", "child", "after the first frost", "light", "former", 70,
    )  # fmt: skip
    assert found["components"] == [
        {"component": 1, "parts": ["leaf"], "methods": ["infusion"], "applications": ["drunk"]},
        {"component": 2, "parts": ["root", "bark"], "methods": ["decoction"], "applications": []},
    ]
    codes = [(one["scheme"], one["category"], one["purpose"], one["is_primary"]) for one in found["codings"]]
    assert codes == [("economic_botany", "medicines", "cough", True), ("economic_botany", "food", None, False),
                     ("icpc_2", "respiratory", None, True)]  # fmt: skip
    assert [(one["method"], one["words"], one["lasts"], one["heat"]) for one in found["steps"]] == [
        ("soaked or leached", "", "four or five nights", ""), (None, "strained", "", "18 to 24 °C"),
    ]  # fmt: skip
    assert found["ingredients"] == [{"words": "honey", "role": "carrier", "amount": "a spoon"}]
    assert found["teachings"] == [{"teacher": "X-02", "words": "", "told_when": "as a child"},
                                  {"teacher": None, "words": "her aunt", "told_when": ""}]  # fmt: skip
    assert small.in_full(small.one, ToldInFull(rows={"codings": [MEDICINE]}))["steps"] == []


@pytest.mark.parametrize(
    ("values", "rows_typed", "field"),
    [({}, {"steps": [{"lasts": "a night"}, {"method": "flown"}]}, "steps-1-method"),
     ({}, {"components": [{"parts": "leaf, wing"}]}, "components-0-parts"),
     ({}, {"codings": [{"scheme": "economic_botany", "purpose": "cough"}]}, "codings-0-category"),
     ({}, {"codings": [MEDICINE, MEDICINE]}, "codings-1-category"),
     ({}, {"codings": [{**MEDICINE, "subcategory": "nuts"}]}, "codings-0-subcategory"),
     ({}, {"ingredients": [{"amount": "much"}]}, "ingredients-0-words"),
     ({}, {"teachings": [{"teacher": "X-99"}]}, "teachings-0-teacher"),
     ({"end": "later"}, {}, "end"), ({"language_id": "x"}, {}, "language_id"), ({"taker": "king"}, {}, "taker"),
     ({"cited_id": "999999"}, {}, "cited_id")],
)  # fmt: skip
def test_what_names_nothing_is_refused_at_its_place_and_nothing_is_saved(small: Told, values, rows_typed, field: str):  # type: ignore[no-untyped-def]
    before = small.version(small.one)
    with pytest.raises(Refused) as refused:
        small.in_full(small.one, ToldInFull(values, rows_typed))
    assert list(refused.value.errors) == [field]
    assert small.version(small.one) == before


def test_a_refused_form_leaves_no_new_purpose(small: Told):
    kept = value("SELECT count(*) FROM purpose")
    with pytest.raises(Refused):
        small.in_full(
            small.one, ToldInFull(rows={"codings": [{**MEDICINE, "purpose": "a new one"}], "steps": [{"method": "flown"}]})
        )
    assert value("SELECT count(*) FROM purpose") == kept


def test_correcting_the_line_leaves_what_a_line_does_not_show(small: Told):
    small.in_full(small.one)
    found = queries.report(small.scope, small.one)
    plant = plants.plant(small.scope, small.number)
    assert found is not None
    assert plant is not None
    typed = replace(as_typed(found, plant), note="looked at again")
    reports.correct_report(small.scope, small.one, found["version"], typed)
    after = told.report_in_full(small.scope, small.one)
    assert after is not None
    assert [one["category"] for one in after["codings"]] == ["medicines", "food", "respiratory"]
    assert len(after["components"]) == 2
    assert len(after["steps"]) == 2
    with pytest.raises(Refused, match="several components"):
        reports.correct_report(small.scope, small.one, small.version(small.one), replace(typed, parts="flower"))


def test_a_second_save_on_an_old_version_is_a_conflict_and_one_undo_takes_it_all_back(small: Told):
    before = told.report_in_full(small.scope, small.one)
    small.in_full(small.one)
    with pytest.raises(Conflict):
        full_reports.complete_report(small.scope, small.one, 1, WHOLE)
    small.undo()
    assert told.report_in_full(small.scope, small.one) == before


def test_split_by_component_or_by_code_and_undone_as_one(small: Told):
    small.in_full(small.one)
    key = str(uuid.uuid4())
    made = full_reports.split_report(small.scope, small.one, small.version(small.one), key, components=[2])
    assert full_reports.split_report(small.scope, small.one, 0, key, components=[1]) == made
    first, second = told.report_in_full(small.scope, small.one), told.report_in_full(small.scope, made)
    assert first is not None
    assert second is not None
    assert [one["parts"] for one in first["components"]] == [["leaf"]]
    assert [(one["component"], one["parts"]) for one in second["components"]] == [(1, ["root", "bark"])]
    assert first["codings"] == second["codings"]
    small.undo()
    assert queries.report(small.scope, made) is None
    food = next(one["category_id"] for one in first["codings"] if one["category"] == "food")
    made = full_reports.split_report(small.scope, small.one, small.version(small.one), None, categories=[food])
    split = told.report_in_full(small.scope, made)
    assert split is not None
    assert [(one["category"], one["is_primary"]) for one in split["codings"]] == [("food", True)]
    for chosen in ({}, {"components": [1, 2]}, {"components": [9]}):
        with pytest.raises(Refused):
            full_reports.split_report(small.scope, small.one, small.version(small.one), None, **chosen)


def test_split_and_made_one_again_counts_as_before(small: Told):
    small.in_full(small.one)
    rules = CountingRules()
    before = reckon_study(small.scope, rules).result
    version = small.version(small.one)
    made = full_reports.split_report(small.scope, small.one, version, None, components=[2])
    full_reports.merge_reports(small.scope, small.one, small.version(small.one), made)
    after = reckon_study(small.scope, rules).result
    assert (list(before.ur), list(before.fc)) == (list(after.ur), list(after.fc))
    joined = told.report_in_full(small.scope, small.one)
    assert joined is not None
    assert [one["parts"] for one in joined["components"]] == [["leaf"], ["root", "bark"]]
    assert len(joined["steps"]) == 2
    assert queries.report(small.scope, made) is None
    with pytest.raises(Refused, match="same teller"):
        full_reports.merge_reports(small.scope, small.one, small.version(small.one), small.other)


@pytest.mark.parametrize(
    ("first", "second", "said"),
    [
        ({"stance": "affirms"}, {"stance": "denies"}, "stance"),
        ({"outcome": "helped"}, {"outcome": "no effect"}, "outcome"),
        ({"basis": "own practice"}, {"basis": "hearsay"}, "basis"),
        ({"stage": "flowering"}, {"stage": "ripe fruit"}, "plant stage"),
        ({"purpose": "cough"}, {"purpose": "fever"}, "what it is used for"),
    ],
)
def test_joining_two_that_differ_is_refused_and_says_in_what(small: Told, first: dict, second: dict, said: str):
    one, other = (small.report(small.talk, "X-01", small.number, category="medicines", **told) for told in (first, second))
    with pytest.raises(Refused, match=f"differ in {said}"):
        full_reports.merge_reports(small.scope, one, 1, other)
    assert {queries.report(small.scope, number) is not None for number in (one, other)} == {True}


def test_joining_two_of_different_encounters_is_refused(small: Told):
    elsewhere = small.encounter(small.first)
    again = small.report(elsewhere, "X-01", small.number, parts="leaf")
    with pytest.raises(Refused, match="the encounter they were told in"):
        full_reports.merge_reports(small.scope, small.one, small.version(small.one), again)


def test_joining_keeps_every_detail_of_both(small: Told):
    """What can stand beside is a further component; what one of them alone says stands; when the other was told is noted."""
    told_at = {"category": "food", "purpose": ""}
    one = small.report(small.talk, "X-01", small.number, parts="leaf", words="first words", start="1:00", **told_at)
    other = small.report(
        small.talk,
        "X-01",
        small.number,
        parts="root",
        words="other words",
        start="2:30",
        outcome="helped",
        note="a note",
        **told_at,
    )
    full_reports.merge_reports(small.scope, one, 1, other)
    found = queries.report(small.scope, one)
    assert found is not None
    assert (found["words"], found["note"]) == ("first words / other words", "a note / also told at 2:30")
    assert (found["outcome_code"], found["start_s"]) == ("helped", 60)
    joined = told.report_in_full(small.scope, one)
    assert joined is not None
    assert [one["parts"] for one in joined["components"]] == [["leaf"], ["root"]]


def test_a_contradiction_links_both_and_both_stay(small: Told):
    made = full_reports.dispute_report(small.scope, small.other, small.one, "she says never")
    assert [(one["informant"], one["stance"], one["note"]) for one in told.disputes_of(small.scope, small.one)] == [
        ("X-02", "denies", "she says never")
    ]
    assert told.disputes_of(small.scope, small.other)[0]["report"] == small.one
    with pytest.raises(Refused, match="on record already"):
        full_reports.dispute_report(small.scope, small.one, small.other)
    with pytest.raises(Refused, match="another teller"):
        full_reports.dispute_report(small.scope, small.one, full_reports.duplicate_report(small.scope, small.one, None))
    assert full_reports.settle_dispute(small.scope, made, 1) == min(small.one, small.other)
    assert told.disputes_of(small.scope, small.one) == []
    with pytest.raises(NotFound):
        full_reports.settle_dispute(small.scope, made, 2)


def test_who_is_sealed_teaches_and_contradicts_nobody_any_more(small: Told):
    small.in_full(small.one)
    full_reports.dispute_report(small.scope, small.one, small.other)
    small.withdraw("X-02")
    found = told.report_in_full(small.scope, small.one)
    assert found is not None
    assert found["teachings"] == [{"teacher": None, "words": "", "told_when": "as a child"},
                                  {"teacher": None, "words": "her aunt", "told_when": ""}]  # fmt: skip
    assert told.disputes_of(small.scope, small.one) == []


def test_who_was_erased_is_an_erased_holder_to_those_taught_and_contradicted(small: Told):
    small.in_full(small.one)
    full_reports.dispute_report(small.scope, small.one, small.other, "X-02 says never")
    people.erase_holder(small.scope, "X-02", "X-02")
    found = told.report_in_full(small.scope, small.one)
    assert found is not None
    assert found["teachings"][0] == {"teacher": None, "words": "an erased holder", "told_when": "as a child"}
    assert [(one["report"], one["note"]) for one in told.disputes_of(small.scope, small.one)] == [(None, "an erased holder")]
    assert not any("X-02" in str(one) for one in rows("SELECT before, after FROM change"))
    assert value(f"SELECT count(*) FROM change WHERE after::text LIKE '%%\"teacher_id\": {small.second}%%'") == 0


def test_what_an_animal_does_of_itself_is_noted_and_never_counted(small: Told):
    def counted() -> int:
        return int(reckon_study(small.scope, CountingRules()).result.ur.sum())

    coded = {"codings": [MEDICINE]}
    assert counted() == 1
    assert small.in_full(small.one, ToldInFull({"actor": "people", "taker": "animal"}, coded))["taker"] == "animal"
    assert counted() == 1
    assert small.in_full(small.one, ToldInFull({"actor": "animal"}, coded))["actor"] == "animal"
    assert counted() == 0
    assert [one["id"] for one in queries.reports(small.scope)] == [small.one, small.other]
    with pytest.raises(Refused, match="No user is called “spirits”"):
        small.in_full(small.one, ToldInFull({"actor": "spirits"}))
