"""Undo asks what a direct act would ask: no chain of undos gives a person, or a record, more than that person could give.

What is more than a direct act is judged by the table of rights as it is printed for users, written down here once more, and by
states of the database before and after; not by the tables of the code under test.
"""

from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

import pytest
from hypothesis import HealthCheck, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, rule, run_state_machine_as_test

from tender_ledger.core.rights import Role
from tender_ledger.core.rules import CountingRules
from tender_ledger.core.terms import Member, NotAllowed, Scope
from tender_ledger.operations import (
    accounts,
    bulk_edits,
    clock,
    guarding,
    members,
    people,
    permits,
    plants,
    reports,
    schemes,
    studies,
    worklist,
)
from tender_ledger.operations.errors import CannotUndo, Conflict, NotFound, Refused
from tender_ledger.operations.history import undo_act
from tender_ledger.operations.undo_rights import RIGHT_OF_ENTITY, RIGHT_OF_OPERATION
from tender_ledger.standins.names_service import ChecklistNames
from tender_ledger.storage.database import database, row, rows, value
from tender_ledger.storage.history import ENTITIES
from tender_ledger.storage.queries import accounts as account_queries
from tender_ledger.storage.queries import members as member_queries
from tender_ledger.storage.queries import people as people_queries
from tender_ledger.storage.queries.ledger import LedgerView
from tender_ledger.web.shared.act_names import ACTS
from tests.factories import ALL, PASSWORD, SmallStudy


def last_act() -> int:
    return int(value("SELECT max(id) FROM act"))


@pytest.fixture
def small(empty_db: str) -> SmallStudy:
    return SmallStudy()


def test_every_operation_and_every_kind_of_record_has_its_right():
    assert {*RIGHT_OF_OPERATION, "undo_act", "create_study", "erase_holder"} == set(ACTS)
    assert set(RIGHT_OF_ENTITY) == set(ENTITIES)


def test_a_reviewer_does_not_become_owner_by_undoing_the_undo_of_an_invitation(small: SmallStudy):
    reviewer = small.person("reviewer")
    email = next(one["email"] for one in member_queries.members(small.scope) if one["id"] == reviewer.viewer.person_id)
    members.add_member(small.scope, email, "owner")
    undo_act(small.scope, last_act())
    with pytest.raises(NotAllowed):
        undo_act(reviewer, last_act())
    assert value("SELECT count(*) FROM membership WHERE role = 'owner' AND removed_at IS NULL") == 1


def test_a_reviewer_does_not_widen_an_agreement_by_undoing_the_undo_of_its_withdrawal(small: SmallStudy):
    small.holder("X-01", may_publish_aggregate=False, may_publish_verbatim=False)
    small.agree("X-01", date(2026, 5, 1))
    undo_act(small.scope, last_act())
    with pytest.raises(NotAllowed):
        undo_act(small.person("reviewer"), value("SELECT max(id) FROM act WHERE operation = 'undo_act'"))
    assert value("SELECT bool_or(may_publish_aggregate) FROM consent WHERE removed_at IS NULL") is False


def test_a_reviewer_undoes_no_import_and_no_act_that_changed_what_they_may_not(small: SmallStudy):
    reviewer = small.person("reviewer")
    permits.record_permit(small.scope, {"kind": "research", "given_by": "Xan council", "granted_on": date(2026, 1, 2)})
    for _twice in range(2):
        with pytest.raises(NotAllowed):
            undo_act(reviewer, last_act())
        undo_act(small.scope, last_act())


def test_what_a_teller_lets_nobody_record_any_more_does_not_come_back(small: SmallStudy):
    willow = small.plant("Salix caprea")
    for code in CODES[:2]:
        small.report(small.encounter(small.holder(code)), code, willow)
    assert bulk_edits.edit_reports(small.scope, LedgerView(), "basis", "hearsay") == 2
    undo_act(small.scope, last_act())
    undone = last_act()
    small.agree("X-01", date(2026, 5, 1), **dict.fromkeys(ALL, False))
    with pytest.raises(CannotUndo, match="lets nothing of this be recorded"):
        undo_act(small.scope, undone)
    assert (
        value(
            "SELECT count(*) FROM use_report WHERE basis_id IS NULL OR basis_id <> (SELECT id FROM vocabulary_term "
            "WHERE vocabulary = 'basis' AND code = 'hearsay')"
        )
        == 2
    )


def test_an_agreement_does_not_come_back_after_its_giver_withdrew(small: SmallStudy):
    small.holder("X-01")
    small.agree("X-01", date(2026, 5, 1))
    undo_act(small.scope, last_act())
    undone = last_act()
    small.withdraw("X-01", date(2026, 6, 1))
    with pytest.raises(CannotUndo, match="withdrew since"):
        undo_act(small.scope, undone)
    assert value("SELECT sealed FROM informant_terms(%(s)s, '2026-07-01')", s=small.scope.study_id)


# What each role may do, as the page on members says it and as was agreed on; a guardian's for the own community.
MAY = {
    "members": {"owner"}, "scheme": {"owner"}, "rules": {"owner", "reviewer"}, "agreement": {"owner", "recorder"},
    "worklist": {"owner", "reviewer"}, "redetermine": {"owner", "reviewer"}, "record": {"owner", "recorder", "reviewer"},
    "others": {"owner", "reviewer"}, "bulk": {"owner", "reviewer"},
}  # fmt: skip
EXAMPLES = 60
OPERATIONS = (
    "add_member",
    "remove_role",
    "record_agreement",
    "withdraw_agreement",
    "restrict_records",
    "release_records",
    "set_rules",
    "save_rules",
    "add_category",
    "record_report",
    "remove_report",
    "edit_reports",
    "determine_plant",
    "set_item_aside",
)
Act = Callable[[Scope], object]
ROLES = ("owner", "second_owner", "recorder", "reviewer", "reader", "guardian", "recorder_and_reader")
WHO = st.sampled_from(ROLES)
CODES = ("X-01", "X-02", "Y-01")
TERMS = ("may_record", "may_count", "may_show", "may_publish_aggregate", "may_publish_verbatim")


@dataclass(frozen=True)
class State:
    """What rights and terms come to in the study, and what stands in it, read straight from its tables."""

    roles: frozenset[tuple[int, str, int | None]]
    terms: dict[int, tuple[bool, ...]]
    held_back: frozenset[tuple[int, str]]
    rules: tuple[str, ...]
    scheme: frozenset[int]
    marks: frozenset[int]
    current: frozenset[int]


def state_of(study: int, day: date) -> State:
    def ids(sql: str) -> frozenset[int]:
        return frozenset(one["id"] for one in rows(sql, s=study))

    held = rows("SELECT person_id, role, community_id FROM membership WHERE study_id = %(s)s AND removed_at IS NULL", s=study)
    terms = rows("SELECT * FROM informant_terms(%(s)s, %(d)s)", s=study, d=day)
    return State(
        frozenset((one["person_id"], one["role"], one["community_id"]) for one in held),
        {one["informant_id"]: (not one["sealed"], *(one[name] for name in TERMS)) for one in terms},
        frozenset((one["community_id"], one["refuses"]) for one in
                  rows("SELECT * FROM community_restriction WHERE study_id = %(s)s AND removed_at IS NULL", s=study)),
        tuple(str(one["body"]) for one in
              rows("SELECT body FROM rules WHERE study_id = %(s)s AND removed_at IS NULL ORDER BY id", s=study)),
        ids("SELECT id FROM vocabulary_term WHERE study_id = %(s)s AND removed_at IS NULL"),
        ids("SELECT id FROM worklist_mark WHERE study_id = %(s)s AND removed_at IS NULL"),
        ids("SELECT id FROM determination WHERE study_id = %(s)s AND removed_at IS NULL AND is_current"),
    )  # fmt: skip


class Cast:
    """Seven people of a study, three holders of two communities, a plant, and a report of each holder."""

    def __init__(self) -> None:
        small = self.small = SmallStudy()
        other = people.add_community(small.scope, code="Y", name="Yarrowick")
        self.ids = {"owner": small.scope.viewer.person_id}
        for name in ROLES[1:]:
            self._enter(name, *(["owner"] if name == "second_owner" else name.split("_and_")))
        for code in CODES[:2]:
            small.holder(code)
        people.add_holder(small.scope, {"code": "Y-01", "community_id": other})
        small.agree("Y-01")
        self.plant = small.plant("Salix caprea", "wickle")
        guardian = clock.scope_of(account_queries.member_of(self.ids["guardian"], small.code))
        small.plant("Betula pendula")  # held back from the start, so that there is something to release
        guarding.restrict_records(guardian, small.community, reason="sacred", refuses=guarding.HELD_BACK[0], plant="P-002")
        self.talk = small.encounter(*(people_queries.holder(small.scope, code)["informant_id"] for code in CODES))
        for code in CODES:
            small.report(self.talk, code, self.plant, purpose="cures the plague")
        self.started = last_act()

    def _enter(self, name: str, *roles: str) -> None:
        email = f"{name}@cast.example"
        self.ids[name] = accounts.add_person(email, name, PASSWORD)
        for role in roles:
            members.add_member(self.small.scope, email, role, self.small.community if role == "guardian" else "")


class UndoChains(RuleBasedStateMachine):
    """The cast does things, and undoes each other's acts and undos, as long as it is let; all of it in one transaction."""

    cast: Cast
    drawn: Counter[str] = Counter()

    @initialize()
    def begin(self) -> None:
        self.transaction = database.atomic()
        self.transaction.__enter__()
        self.small, self.ids, self.talk, self.plant = self.cast.small, self.cast.ids, self.cast.talk, self.cast.plant
        self.started, self.number = self.cast.started, 0

    def teardown(self) -> None:
        if hasattr(self, "transaction"):
            self.transaction.__exit__(RuntimeError, RuntimeError(), None)  # rolls everything back

    def scope(self, who: str) -> Scope | None:
        """The scope of a person as the roles stand now; None for one who is in the study no more."""
        member = account_queries.member_of(self.ids[who], self.small.code)
        return clock.scope_of(member) if member else None

    def attempt(self, who: str, name: str, act) -> None:  # type: ignore[no-untyped-def]
        """Do something as a person; what is refused changes nothing."""
        scope = self.scope(who)
        self.drawn[name] += 1
        if scope is None:
            return
        try:
            with database.atomic():
                act(scope)
                self.drawn[f"{name}, done"] += 1
        except (NotAllowed, NotFound, Refused, CannotUndo, Conflict, LookupError):
            pass

    @rule(who=WHO, what=st.sampled_from(OPERATIONS), data=st.data())
    def do(self, who: str, what: str, data: st.DataObject) -> None:
        self.number += 1
        act = getattr(self, what)(data)
        if act:
            self.attempt(who, what, act)

    def row(self, sql: str) -> dict[str, Any] | None:
        return row(sql, s=self.small.scope.study_id)

    def add_member(self, data: st.DataObject) -> Act:
        email = value("SELECT email FROM person WHERE id = %(p)s", p=self.ids[data.draw(WHO)])
        role = data.draw(st.sampled_from([str(role) for role in Role]))
        return lambda scope: members.add_member(scope, email, role, self.small.community)

    def remove_role(self, data: st.DataObject) -> Act:
        held = rows(
            "SELECT id, version FROM membership WHERE study_id = %(s)s AND removed_at IS NULL ORDER BY id",
            s=self.small.scope.study_id,
        )
        one = data.draw(st.sampled_from(held))
        return lambda scope: members.remove_role(scope, one["id"], one["version"])

    def record_agreement(self, data: st.DataObject) -> Act:
        code, allowed = data.draw(st.sampled_from(CODES)), data.draw(st.integers(0, len(TERMS)))
        holder = value("SELECT id FROM holder WHERE study_id = %(s)s AND code = %(c)s", s=self.small.scope.study_id, c=code)
        terms, day = {name: at < allowed for at, name in enumerate(TERMS)}, date(2026, 2, 1) + timedelta(self.number)
        return lambda scope: people.record_agreement(scope, agreed_on=day, form="oral", terms=terms, holder_id=holder)

    def withdraw_agreement(self, data: st.DataObject) -> Act | None:
        found = row(
            """SELECT k.id, k.version FROM consent k JOIN holder h ON h.id = k.holder_id
            WHERE h.study_id = %(s)s AND h.code = %(c)s AND k.removed_at IS NULL ORDER BY k.agreed_on DESC LIMIT 1""",
            s=self.small.scope.study_id,
            c=data.draw(st.sampled_from(CODES)),
        )
        return found and (lambda scope: people.withdraw_agreement(scope, found["id"], found["version"], date(2026, 6, 1)))

    def restrict_records(self, data: st.DataObject) -> Act:
        held_back = {"refuses": data.draw(st.sampled_from(guarding.HELD_BACK)), "plant": f"P-{self.plant:03d}"}
        return lambda scope: guarding.restrict_records(scope, self.small.community, reason="sacred", **held_back)

    def release_records(self, _data: st.DataObject) -> Act | None:
        found = self.row("SELECT id, version FROM community_restriction WHERE study_id = %(s)s AND removed_at IS NULL LIMIT 1")
        return found and (lambda scope: guarding.release_records(scope, found["id"], found["version"]))

    def set_rules(self, data: st.DataObject) -> Act:
        nc = data.draw(st.integers(8, 20))
        return lambda scope: studies.set_rules(scope, CountingRules().with_(nc=nc))

    def save_rules(self, _data: st.DataObject) -> Act:
        return lambda scope: studies.save_rules(scope, f"R {self.number}", CountingRules())

    def add_category(self, _data: st.DataObject) -> Act:
        return lambda scope: schemes.add_category(scope, f"Own {self.number}")

    def record_report(self, data: st.DataObject) -> Act:
        code = data.draw(st.sampled_from(CODES))
        return lambda scope: self.small.report(self.talk, code, self.plant, scope=scope)

    def remove_report(self, _data: st.DataObject) -> Act | None:
        found = self.row("SELECT id, version FROM use_report WHERE study_id = %(s)s AND removed_at IS NULL LIMIT 1")
        return found and (lambda scope: reports.remove_report(scope, found["id"], found["version"]))

    def edit_reports(self, data: st.DataObject) -> Act:
        basis = data.draw(st.sampled_from(["hearsay", "own practice"]))
        return lambda scope: bulk_edits.edit_reports(scope, LedgerView(), "basis", basis)

    def determine_plant(self, data: st.DataObject) -> Act:
        taxon = data.draw(st.sampled_from(["Salix alba", "Betula pendula"]))
        return lambda scope: plants.determine_plant(
            scope, self.plant, ChecklistNames(), taxon=taxon, qualifier="none", basis="specimen", confidence="sure"
        )

    def set_item_aside(self, _data: st.DataObject) -> Act:
        def act(scope: Scope) -> None:
            for found in worklist.read_worklist(scope):
                for item in found.items:
                    return worklist.set_item_aside(scope, item.rule, item.about, "known")
            return None

        return act

    @rule(who=WHO)
    def undo_the_last(self, who: str) -> None:
        self.undo(who, 0)

    @rule(who=WHO)
    def undo_the_last_but_one(self, who: str) -> None:
        self.undo(who, 1)

    @rule(who=WHO)
    def undo_an_undo(self, who: str) -> None:
        acts = self.acts()
        undos = [at for at, one in enumerate(acts) if self.chain(one)[0]["operation"] == "undo_act"]
        if undos:
            self.undo(who, undos[0])

    def acts(self) -> list[int]:
        return [
            one["id"]
            for one in rows(
                "SELECT id FROM act WHERE study_id = %(s)s AND id > %(a)s ORDER BY id DESC",
                s=self.small.scope.study_id,
                a=self.started,
            )
        ]

    @rule(who=WHO, back=st.integers(0, 6))
    def undo(self, who: str, back: int) -> None:
        acts = self.acts()
        if back >= len(acts):
            return
        scope = self.scope(who)
        before = state_of(self.small.scope.study_id, self.small.scope.day)
        chain = self.chain(acts[back])
        undone = last_act()
        self.attempt(who, f"undo of a chain of {min(len(chain), 4)}", lambda s: undo_act(s, acts[back]))
        if last_act() == undone or scope is None:
            return
        after = state_of(self.small.scope.study_id, self.small.scope.day)
        self.judge(scope.viewer, before, after, chain)

    def chain(self, act: int) -> list[dict]:
        found = []
        while act:
            one = row("SELECT person_id, operation, undoes_act_id FROM act WHERE id = %(a)s", a=act)
            found.append(one)
            act = one["undoes_act_id"]
        return found

    def judge(self, viewer: Member, before: State, after: State, chain: list[dict]) -> None:
        """What an undo that was let did, against what its doer may do directly."""
        roles = {str(role) for role in viewer.roles}

        def needs(what: str) -> None:
            assert roles & MAY[what], f"{roles} did {what} by undoing {[one['operation'] for one in chain]}"

        if after.held_back != before.held_back:
            assert "guardian" in roles
            assert {community for community, _ in after.held_back ^ before.held_back} <= viewer.guards
        else:
            needs("record")
            if any(one["person_id"] != viewer.person_id for one in chain):
                needs("others")
        if after.roles != before.roles:
            needs("members")
        if after.scheme != before.scheme:
            needs("scheme")
        if after.rules != before.rules:
            needs("rules")
        if after.marks != before.marks:
            needs("worklist")
        if after.current != before.current:
            needs("redetermine")
        if chain[-1]["operation"] == "edit_reports":
            needs("bulk")
        changed = {one for one in after.terms if after.terms[one] != before.terms.get(one)}
        if changed and after.held_back == before.held_back:
            needs("agreement")


def test_no_chain_of_undos_gives_more_than_a_direct_act(empty_db: str):
    """Seven people (all five roles, a second owner, one with two roles), 14 operations, undos of undos as they come."""
    UndoChains.cast, UndoChains.drawn = Cast(), Counter()
    checks = settings(
        max_examples=EXAMPLES, stateful_step_count=30, deadline=None, derandomize=True, suppress_health_check=list(HealthCheck)
    )
    run_state_machine_as_test(UndoChains, settings=checks)
    let = Counter({name: number for name, number in UndoChains.drawn.items() if name.startswith("undo") and "done" in name})
    assert let.total() > EXAMPLES
    assert let["undo of a chain of 2, done"] > 5
    assert {name for name in UndoChains.drawn if not name.startswith("undo") and "," not in name} == set(OPERATIONS)
