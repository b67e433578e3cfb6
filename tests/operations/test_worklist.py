"""The worklist over a study: rules raised by what is recorded and settled by what settles them; decisions kept and hidden."""

from collections.abc import Callable
from datetime import timedelta

import pytest

from tender_ledger.core.rights import Role
from tender_ledger.core.terms import NotAllowed
from tender_ledger.operations import encounters, full_reports, people, plants, reports, worklist
from tender_ledger.operations.errors import NotFound, Refused
from tender_ledger.operations.export import export_study
from tender_ledger.operations.history import undo_act
from tender_ledger.operations.told_in_full import ToldInFull
from tender_ledger.operations.typed_report import TypedReport
from tender_ledger.standins.names_service import ChecklistNames
from tender_ledger.storage.database import value
from tender_ledger.storage.queries import acts
from tender_ledger.storage.queries import encounters as encounter_queries
from tender_ledger.storage.queries import people as people_queries
from tests.factories import ALL, SmallStudy

Settle = Callable[[], object]
SURE = {"qualifier": "none", "basis": "specimen", "confidence": "sure"}
CAUTION = {
    "taxon": "Sambucus nigra",
    "kind": "poisonous_raw",
    "part": "fruit",
    "harm": "vomiting",
    "source": "tables",
    "asks": "cooked",
}


class Waiting(SmallStudy):
    """A study with one holder, one talk, one plant; everything in order."""

    def __post_init__(self) -> None:
        super().__post_init__()
        self.informant = self.holder("X-01")
        self.talk = self.encounter(self.informant)
        self.number = self.plant("Sambucus nigra", "vesta")

    def told(self, plant: int = 1, **more: str) -> int:
        return self.report(self.talk, "X-01", plant, **{"parts": "leaf", **more})

    def correct(self, report: int, **changed: str) -> None:
        seen = int(value("SELECT version FROM use_report WHERE id = %(id)s", id=report))
        typed = TypedReport(**{"informant": "X-01", "plant": "P-001", "category": "food", "parts": "leaf", **changed})
        reports.correct_report(self.scope, report, seen, typed)

    def in_full(self, report: int, **told: object) -> None:
        seen = int(value("SELECT version FROM use_report WHERE id = %(id)s", id=report))
        full_reports.complete_report(self.scope, report, seen, ToldInFull(**told))  # type: ignore[arg-type]

    def day(self, day: str) -> None:
        found = encounter_queries.encounter(self.scope, self.talk)
        assert found is not None
        values = {"kind": "interview", "title": "A talk", "day": day, "community_id": self.community}
        encounters.correct_encounter(self.scope, self.talk, found["version"], values, [(self.informant, "teller")])

    def waits(self) -> list[tuple[str, str]]:
        return [(one.rule.code, item.about) for one in worklist.read_worklist(self.scope) for item in one.items]

    def codes(self) -> set[str]:
        return {code for code, _about in self.waits()}


def no_agreement(study: Waiting) -> Settle:
    study.informant = study.holder("X-02", agreed=False)
    study.talk = study.encounter(study.informant)
    study.report(study.talk, "X-02", 1, parts="leaf")
    return lambda: study.agree("X-02")


def agreement_ended(study: Waiting) -> Settle:
    study.told()
    holder = people_queries.holder(study.scope, "X-01")
    assert holder is not None
    day = study.scope.day
    people.record_agreement(
        study.scope, agreed_on=day - timedelta(1), form="oral", terms=ALL, holder_id=holder["id"], expires_on=day - timedelta(1)
    )
    return lambda: study.agree("X-01", day)


def undetermined(study: Waiting) -> Settle:
    study.told(study.plant())
    return lambda: plants.determine_plant(study.scope, 2, ChecklistNames(), taxon="Salix caprea", **SURE)


def homonym(study: Waiting) -> Settle:
    study.plant("Salix caprea", "vesta")
    return lambda: plants.determine_plant(study.scope, 2, ChecklistNames(), taxon="Sambucus nigra", **SURE)


def near_names(study: Waiting) -> Settle:
    study.plant("Salix caprea", "vestas")
    return lambda: worklist.set_item_aside(study.scope, *study.waits()[0], "both are said")


def no_category(study: Waiting) -> Settle:
    made = study.told(category="", note="told of it")
    return lambda: study.correct(made)


def no_part(study: Waiting) -> Settle:
    made = study.told(parts="")
    return lambda: study.correct(made)


def part_and_stage(study: Waiting) -> Settle:
    made = study.told(parts="seed", stage="flowering")
    return lambda: study.correct(made, parts="seed", stage="seeding")


def told_twice(study: Waiting) -> Settle:
    first, second = study.told(), study.told()
    return lambda: full_reports.merge_reports(study.scope, first, 1, second)


def hearsay_as_own(study: Waiting) -> Settle:
    made = study.told(words="They say so.", basis="own practice")
    return lambda: study.correct(made, words="They say so.", basis="hearsay")


def strong_claim(study: Waiting) -> Settle:
    made = study.told(category="medicines", purpose="cancer")
    return lambda: worklist.settle_item(study.scope, "strong_claim", f"report {made}")


def caution_met(study: Waiting) -> Settle:
    number = worklist.record_caution(study.scope, {**CAUTION, "part": "leaf", "asks": "", "kind": "skin"})
    made = study.told()
    return lambda: worklist.settle_item(study.scope, "caution_met", f"report {made} caution {number}")


def dose_missing(study: Waiting) -> Settle:
    worklist.record_caution(study.scope, {**CAUTION, "asks": ""})
    made = study.told(applications="drunk")
    return lambda: study.in_full(
        made, values={"dose": "a cup"}, rows={"components": [{"parts": "leaf", "applications": "drunk"}]}
    )


def step_missing(study: Waiting) -> Settle:
    worklist.record_caution(study.scope, {**CAUTION, "kind": "preparation_fault", "part": ""})
    made = study.told(applications="eaten")
    steps = [{"method": "cooked", "lasts": "an hour"}]
    return lambda: study.in_full(made, rows={"components": [{"parts": "leaf", "applications": "eaten"}], "steps": steps})


def impossible_day(study: Waiting) -> Settle:
    study.day(f"1 June {study.scope.day.year + 1}")
    return lambda: study.day("3 May 2026")


RAISED = [no_agreement, agreement_ended, undetermined, homonym, near_names, no_category, no_part, part_and_stage, told_twice,
          hearsay_as_own, strong_claim, caution_met, dose_missing, step_missing, impossible_day]  # fmt: skip


@pytest.fixture
def study(empty_db: str) -> Waiting:
    return Waiting()


@pytest.mark.parametrize("raise_it", RAISED, ids=lambda one: one.__name__)
def test_what_is_recorded_raises_a_rule_and_what_settles_it_does(study: Waiting, raise_it: Callable[[Waiting], Settle]):
    assert study.waits() == []
    settle = raise_it(study)
    assert raise_it.__name__ in study.codes()
    settle()
    assert raise_it.__name__ not in study.codes()


def test_a_position_far_from_every_community_waits(study: Waiting):
    people.correct_community(study.scope, study.community, 1, name="Xanmere", latitude="1.0", longitude="1.0")
    values = {
        "kind": "interview",
        "title": "Far",
        "day": "3 May 2026",
        "community_id": study.community,
        "latitude": "9.0",
        "longitude": "1.0",
    }
    made = encounters.open_encounter(study.scope, values, [(study.informant, "teller")])
    assert ("outside", f"encounter {made}") in study.waits()
    encounters.correct_encounter(study.scope, made, 1, {**values, "latitude": "1.5"}, [(study.informant, "teller")])
    assert study.waits() == []


def test_what_is_set_aside_keeps_its_reason_and_can_be_taken_up_again(study: Waiting):
    study.told(parts="")
    item = study.waits()[0]
    with pytest.raises(Refused, match="reason is missing"):
        worklist.set_item_aside(study.scope, *item, " ")
    with pytest.raises(Refused, match="correcting"):
        worklist.settle_item(study.scope, *item)
    worklist.set_item_aside(study.scope, *item, "nobody knows")
    (one,) = worklist.read_worklist(study.scope)
    assert (one.items, [mark["reason"] for _item, mark in one.decided]) == ((), ["nobody knows"])
    worklist.reopen_item(study.scope, one.decided[0][1]["id"], 1)
    assert study.waits() == [item]
    undo_act(study.scope, acts.acts(study.scope, limit=1)[0]["id"])
    assert study.waits() == []
    with pytest.raises(NotFound):
        worklist.set_item_aside(study.scope, "no_part", "report 999", "x")


def test_recorders_see_the_list_and_decide_nothing(study: Waiting):
    study.told(parts="")
    recorder = study.person(Role.RECORDER)
    assert [one.rule.code for one in worklist.read_worklist(recorder)] == ["no_part"]
    with pytest.raises(NotAllowed):
        worklist.set_item_aside(recorder, *study.waits()[0], "x")


def test_a_strong_claim_leaves_the_study_only_after_it_was_reviewed(study: Waiting):
    made = study.told(category="medicines", purpose="cancer", words="It melts the lump.")

    def leaves() -> tuple[bool, bool, bool]:
        table = export_study(study.scope)["reports.csv"].decode()
        return "medicines" in table, "cancer" in table, "lump" in table

    assert leaves() == (True, False, False)
    worklist.set_item_aside(study.scope, "strong_claim", f"report {made}", "later")
    assert leaves() == (True, False, False)
    (one,) = worklist.read_worklist(study.scope)
    worklist.reopen_item(study.scope, one.decided[0][1]["id"], 1)
    worklist.settle_item(study.scope, "strong_claim", f"report {made}")
    assert leaves() == (True, True, True)


def test_decisions_go_from_sight_and_from_the_database_with_whom_they_are_about(study: Waiting):
    study.told(parts="")
    worklist.set_item_aside(study.scope, *study.waits()[0], "a secret reason")
    seen = len(acts.acts(study.scope))
    study.withdraw("X-01")
    assert len(acts.acts(study.scope)) < seen
    assert worklist.read_worklist(study.scope) == []
    people.erase_holder(study.scope, "X-01", "X-01")
    assert value("SELECT count(*) FROM worklist_mark") == 0
    assert value("SELECT count(*) FROM change WHERE coalesce(after, before)::text LIKE '%%secret reason%%'") == 0


@pytest.mark.parametrize(
    ("wrong", "field"),
    [
        ({"taxon": ""}, "taxon"),
        ({"harm": " "}, "harm"),
        ({"source": ""}, "source"),
        ({"part": "wing"}, "part"),
        ({"kind": "x"}, "kind"),
    ],
)
def test_a_caution_says_of_what_what_and_who(study: Waiting, wrong: dict[str, str], field: str):
    with pytest.raises(Refused) as refused:
        worklist.record_caution(study.scope, {**CAUTION, **wrong})
    assert list(refused.value.errors) == [field]
