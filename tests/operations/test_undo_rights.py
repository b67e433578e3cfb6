"""Undo asks what a direct act would ask: no chain of undos gives a person, or a record, more than that person could give.

What is more than a direct act is judged by the table of rights as it is printed for users, written down here once more, and by
states of the database before and after; not by the tables of the code under test.
"""

from collections import Counter
from dataclasses import dataclass
from datetime import date, timedelta

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
    assert value("SELECT count(*) FROM use_report WHERE basis_id IS NULL OR basis_id <> (SELECT id FROM vocabulary_term "
                 "WHERE vocabulary = 'basis' AND code = 'hearsay')") == 2  # fmt: skip


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

    @rule(who=WHO, whom=st.sampled_from(ROLES), role=st.sampled_from([str(role) for role in Role]))
    def give_role(self, who: str, whom: str, role: str) -> None:
        email = value("SELECT email FROM person WHERE id = %(p)s", p=self.ids[whom])
        self.attempt(who, "add_member", lambda s: members.add_member(s, email, role, self.small.community))

    @rule(who=WHO, data=st.data())
    def take_role(self, who: str, data) -> None:  # type: ignore[no-untyped-def]
        found = rows("SELECT id, version FROM membership WHERE study_id = %(s)s AND removed_at IS NULL ORDER BY id",
                     s=self.small.scope.study_id)  # fmt: skip
        one = data.draw(st.sampled_from(found))
        self.attempt(who, "remove_role", lambda s: members.remove_role(s, one["id"], one["version"]))

    @rule(who=WHO, code=st.sampled_from(CODES), allowed=st.integers(0, len(TERMS)))
    def agree(self, who: str, code: str, allowed: int) -> None:
        self.number += 1
        day = date(2026, 2, 1) + timedelta(self.number)
        holder = row("SELECT id FROM holder WHERE study_id = %(s)s AND code = %(c)s", s=self.small.scope.study_id, c=code)
        terms = {name: at < allowed for at, name in enumerate(TERMS)}
        self.attempt(who, "record_agreement", lambda s: people.record_agreement(
            s, agreed_on=day, form="oral", terms=terms, holder_id=holder["id"]))  # fmt: skip

    @rule(who=WHO, code=st.sampled_from(CODES))
    def withdraw(self, who: str, code: str) -> None:
        found = row("""SELECT k.id, k.version FROM consent k JOIN holder h ON h.id = k.holder_id
            WHERE h.study_id = %(s)s AND h.code = %(c)s AND k.removed_at IS NULL ORDER BY k.agreed_on DESC LIMIT 1""",
                    s=self.small.scope.study_id, c=code)  # fmt: skip
        if found:
            self.attempt(who, "withdraw_agreement", lambda s: people.withdraw_agreement(
                s, found["id"], found["version"], date(2026, 6, 1)))  # fmt: skip

    @rule(who=WHO, refuses=st.sampled_from(guarding.HELD_BACK))
    def hold_back(self, who: str, refuses: str) -> None:
        self.attempt(who, "restrict_records", lambda s: guarding.restrict_records(
            s, self.small.community, refuses=refuses, reason="sacred", plant=f"P-{self.plant:03d}"))  # fmt: skip

    @rule(who=WHO)
    def release(self, who: str) -> None:
        found = row("SELECT id, version FROM community_restriction WHERE study_id = %(s)s AND removed_at IS NULL LIMIT 1",
                    s=self.small.scope.study_id)  # fmt: skip
        if found:
            self.attempt(who, "release_records", lambda s: guarding.release_records(s, found["id"], found["version"]))

    @rule(who=WHO, nc=st.integers(8, 20))
    def set_rules(self, who: str, nc: int) -> None:
        self.attempt(who, "set_rules", lambda s: studies.set_rules(s, CountingRules().with_(nc=nc)))

    @rule(who=WHO)
    def freeze(self, who: str) -> None:
        self.attempt(who, "save_rules", lambda s: studies.save_rules(s, f"R {last_act()}", CountingRules()))

    @rule(who=WHO)
    def widen_scheme(self, who: str) -> None:
        self.number += 1
        self.attempt(who, "add_category", lambda s: schemes.add_category(s, f"Own {self.number}"))

    @rule(who=WHO, code=st.sampled_from(CODES))
    def record(self, who: str, code: str) -> None:
        self.attempt(who, "record_report", lambda s: self.small.report(self.talk, code, self.plant, scope=s))

    @rule(who=WHO)
    def take_back(self, who: str) -> None:
        found = row("SELECT id, version FROM use_report WHERE study_id = %(s)s AND removed_at IS NULL LIMIT 1",
                    s=self.small.scope.study_id)  # fmt: skip
        if found:
            self.attempt(who, "remove_report", lambda s: reports.remove_report(s, found["id"], found["version"]))

    @rule(who=WHO, field=st.sampled_from(["hearsay", "own practice"]))
    def edit_many(self, who: str, field: str) -> None:
        self.attempt(who, "edit_reports", lambda s: bulk_edits.edit_reports(s, LedgerView(), "basis", field))

    @rule(who=WHO, taxon=st.sampled_from(["Salix alba", "Betula pendula"]))
    def redetermine(self, who: str, taxon: str) -> None:
        self.attempt(who, "determine_plant", lambda s: plants.determine_plant(
            s, self.plant, ChecklistNames(), taxon=taxon, qualifier="none", basis="specimen", confidence="sure"))  # fmt: skip

    @rule(who=WHO)
    def settle(self, who: str) -> None:
        def act(scope: Scope) -> None:
            item = next(one for found in worklist.read_worklist(scope) for one in found.items)
            worklist.set_item_aside(scope, item.rule, item.about, "known")

        self.attempt(who, "set_item_aside", lambda s: act(s) if any(one.items for one in worklist.read_worklist(s)) else None)

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
        return [one["id"] for one in rows("SELECT id FROM act WHERE study_id = %(s)s AND id > %(a)s ORDER BY id DESC",
                                          s=self.small.scope.study_id, a=self.started)]  # fmt: skip

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
    run_state_machine_as_test(UndoChains, settings=settings(
        max_examples=EXAMPLES, stateful_step_count=30, deadline=None, suppress_health_check=list(HealthCheck)))  # fmt: skip
    let = Counter({name: number for name, number in UndoChains.drawn.items() if name.startswith("undo") and "done" in name})
    assert let.total() > EXAMPLES
    assert let["undo of a chain of 2, done"] > 5
    assert {name.removesuffix(", done") for name in UndoChains.drawn if not name.startswith("undo")} <= set(RIGHT_OF_OPERATION)
