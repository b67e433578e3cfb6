"""What is kept of plants, informants and encounters is what asking for everything anew gives, whatever was done since."""

import random
from collections.abc import Callable
from contextlib import suppress
from datetime import date, timedelta

import pytest

from tender_ledger.core.ledger import read_view
from tender_ledger.core.terms import Scope
from tender_ledger.operations import accounts, clock, guarding, members, plants, reports, worklist
from tender_ledger.operations.errors import CannotUndo, Refused
from tender_ledger.operations.history import undo_act
from tender_ledger.standins.names_service import ChecklistNames
from tender_ledger.storage.database import row, run, value
from tender_ledger.storage.queries import accounts as account_queries
from tender_ledger.storage.queries import encounters as encounter_queries
from tender_ledger.storage.queries import kept, ledger, studies
from tender_ledger.storage.queries import people as people_queries
from tender_ledger.storage.queries import plants as plant_queries
from tender_ledger.storage.queries import reports as report_queries
from tender_ledger.storage.queries.kept import INFORMANTS, kept_by_part
from tests.factories import PASSWORD, SmallStudy, latest_act

VIEWS = [
    read_view(asked)
    for asked in (
        {},
        {"sort": "taxon"},
        {"sort": "informant", "back": "1"},
        {"sort": "category", "group": "plant"},
        {"category": "food", "sort": "plant"},
        {"q": "snake"},
    )
]
TAXA = ("Sambucus nigra", "Plantago major", "Sambucus ebulus")
Act = Callable[["Field"], object]


class Field(SmallStudy):
    """A study of three holders, two talks and three plants, with acts drawn by chance."""

    def __post_init__(self) -> None:
        super().__post_init__()
        self.rng, self.day = random.Random(18), date(2026, 2, 3)
        self.informants = [self.holder(f"X-0{number}") for number in (1, 2, 3)]
        self.talks = [self.encounter(*self.informants), self.encounter(*self.informants[:2], title="A walk")]
        guardian = accounts.add_person(f"guardian@{self.code}.example", "A guardian", PASSWORD)
        members.add_member(self.scope, f"guardian@{self.code}.example", "guardian", self.community)
        member = account_queries.member_of(guardian, self.code)
        assert member is not None
        self.guardian = clock.scope_of(member)
        self.numbers = [self.plant(name=name) for name in ("vesta", "lorim", "tavel")]
        self.recorders = [self.person("recorder"), self.person("recorder")]
        quiet = self.holder("X-04", agreed=False)
        self.quiet_talk = self.encounter(quiet, self.informants[0], title="Nothing on file")

    def told(self) -> None:
        code, talk = self.rng.choice((("X-01", 0), ("X-02", 1), ("X-03", 0)))
        category = self.rng.choice(("food", "medicines"))
        with suppress(Refused):  # who withdrew tells nothing more
            self.report(self.talks[talk], code, self.rng.choice(self.numbers), category, purpose="snakebite")

    def told_without_terms(self) -> None:
        """A recorder writes down what nobody else but the owner is shown."""
        self.report(self.quiet_talk, "X-04", self.rng.choice(self.numbers), scope=self.rng.choice(self.recorders))

    def of_report(self, act: Callable[[int, int], object]) -> None:
        """Do something to a report that the owner sees."""
        seen = [one["id"] for one in report_queries.reports(self.scope)]
        if not seen:
            self.told()
            return
        found = self.rng.choice(seen)
        act(found, int(value("SELECT version FROM use_report WHERE id = %(id)s", id=found)))

    def corrected(self) -> None:
        def correct(report: int, version: int) -> None:
            seen = report_queries.report(self.scope, report)
            assert seen is not None
            other = f"P-{self.rng.choice(self.numbers):03d}"
            typed = reports.TypedReport(informant=seen["informant"], plant=other, category="food", parts="leaf")
            reports.correct_report(self.scope, report, version, typed)

        self.of_report(correct)

    def taken_back(self) -> None:
        self.of_report(lambda report, version: reports.remove_report(self.scope, report, version))

    def undone(self) -> None:
        with suppress(CannotUndo):
            undo_act(self.scope, latest_act(self.scope))

    def asked(self) -> None:
        with suppress(Refused):  # who was asked once of a plant is not asked again
            self.asking(self.talks[0], "X-01", self.rng.choice(self.numbers))

    def named(self) -> None:
        informant = self.rng.choice(self.informants)
        holder = int(value("SELECT holder_id FROM informant WHERE id = %(id)s", id=informant))
        talk = int(value("SELECT id FROM encounter WHERE study_id = %(s)s AND number = 1", s=self.scope.study_id))
        name = f"name {self.rng.random():.6f}"
        number = self.rng.choice(self.numbers)
        plants.name_plant(self.scope, number, name=name, language_id=None, attested=[(informant, talk, holder)])

    def determined(self) -> None:
        number, taxon = self.rng.choice(self.numbers), self.rng.choice(TAXA)
        determined = {"taxon": taxon, "qualifier": "none", "basis": "photo", "confidence": "sure"}
        plants.determine_plant(self.scope, number, ChecklistNames(), **determined)

    def restricted(self) -> None:
        """Hold back a category, or release it where it is held back."""
        standing = row("SELECT id, version FROM community_restriction WHERE removed_at IS NULL")
        if standing is not None:
            guarding.release_records(self.guardian, standing["id"], standing["version"])
            return
        category = next(one["id"] for one in studies.use_codes(self.scope) if one["code"] == "medicines")
        what = {"refuses": "show", "reason": "theirs to tell", "category": str(category)}
        guarding.restrict_records(self.guardian, self.community, **what)

    def hidden(self) -> None:
        shown = self.rng.random() < 0.5
        self.agree("X-02", date(2026, 1, 3), may_show=shown, may_publish_verbatim=shown)

    def withdrawn(self) -> None:
        self.day += timedelta(2)
        self.withdraw("X-03", self.day)
        if self.rng.random() < 0.5:
            self.agree("X-03", self.day + timedelta(1))
        else:
            undo_act(self.scope, latest_act(self.scope))

    def warned(self) -> None:
        what = {"taxon": "Sambucus nigra", "kind": "skin", "harm": "vomiting", "source": "tables"}
        worklist.record_caution(self.scope, what)


ACTS: tuple[Act, ...] = (
    Field.told, Field.told, Field.told, Field.told_without_terms, Field.corrected, Field.taken_back, Field.undone,
    Field.asked, Field.named,
    Field.determined, Field.determined, Field.determined, Field.restricted, Field.hidden, Field.withdrawn, Field.warned,
)  # fmt: skip


def everything(scope: Scope) -> list[object]:
    """All that is answered out of what is kept."""
    return [
        plant_queries.plants(scope),
        plant_queries.hidden_plants_and_names(scope),
        people_queries.holders(scope),
        encounter_queries.encounters(scope),
        studies.waiting(scope),
        [ledger.ledger_page(scope, view) for view in VIEWS],
        [(one.rule.code, one.items, one.decided) for one in worklist.read_worklist(scope)],
    ]


def anew(scope: Scope) -> list[object]:
    run("DELETE FROM kept_answer")
    return everything(scope)


def test_what_is_kept_is_what_asking_anew_gives_after_any_act(empty_db: str):
    study = Field()
    viewers = [study.scope, *study.recorders, study.person("reader")]
    study.report(study.talks[0], "X-01", 1, scope=viewers[1])
    done = set()
    for _turn in range(60):
        act = study.rng.choice(ACTS)
        act(study)
        done.add(act.__name__)
        answers = [everything(one) for one in viewers]
        assert answers == [anew(one) for one in viewers], act.__name__
        for one in viewers:
            everything(one)
    assert done == {act.__name__ for act in ACTS}


@pytest.fixture
def field(empty_db: str) -> Field:
    return Field()


def test_only_whom_a_report_is_of_is_asked_for_anew(field: Field):
    asked: list[list[int] | None] = []

    def compute(ids: list[int] | None) -> dict[int, int]:
        asked.append(ids)
        return {one: len(asked) for one in ids or [1, 2, 3]}

    def answer() -> dict[int, int]:
        return kept_by_part(field.scope, "a test", INFORMANTS, compute)

    first = answer()
    assert (answer(), asked) == (first, [None])
    field.report(field.talks[0], "X-02", 1)
    told = int(value("SELECT max(informant_id) FROM use_report"))
    assert answer()[told] == 2
    assert asked[1:] == [[told]]
    field.named()  # says nothing of informants
    answer()
    assert asked[2:] == []
    field.hidden()
    answer()
    assert asked[2:] == [None]


def test_many_changes_renew_all_of_an_answer(field: Field, monkeypatch: pytest.MonkeyPatch):
    monkeypatch.setattr(kept, "_MOST_CHANGES", 2)
    asked: list[list[int] | None] = []

    def compute(ids: list[int] | None) -> dict[int, int]:
        asked.append(ids)
        return {}

    kept_by_part(field.scope, "a test", INFORMANTS, compute)
    for _report in range(3):
        field.report(field.talks[0], "X-02", 1)
    kept_by_part(field.scope, "a test", INFORMANTS, compute)
    assert asked == [None, None]


def test_a_determination_renews_the_worklist_of_all_who_told_of_the_plant(field: Field):
    field.warned()
    field.report(field.talks[0], "X-01", 1, stance="affirms")

    def met() -> list[str]:
        return [item.about for one in worklist.read_worklist(field.scope) if one.rule.code == "caution_met" for item in one.items]

    assert met() == []
    for taxon, items in (("Sambucus nigra", 1), ("Plantago major", 0)):
        determined = {"taxon": taxon, "qualifier": "none", "basis": "photo", "confidence": "sure"}
        plants.determine_plant(field.scope, 1, ChecklistNames(), **determined)
        assert len(met()) == items
