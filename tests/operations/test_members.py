"""Members: roles given and taken with history, an owner who always stays, and links that let one person in once."""

from datetime import timedelta

import pytest

from tender_ledger.core.rights import Role
from tender_ledger.core.terms import NotAllowed
from tender_ledger.operations import accounts, clock, members, sign_in_delays
from tender_ledger.operations.errors import CannotUndo, NotFound, Refused
from tender_ledger.operations.history import undo_act
from tender_ledger.storage.database import rows, run, value
from tender_ledger.storage.queries import accounts as account_queries
from tender_ledger.storage.queries import members as queries
from tests.factories import PASSWORD, SmallStudy, session_of


@pytest.fixture
def small(empty_db: str) -> SmallStudy:
    return SmallStudy()


def roles(small: SmallStudy, email: str) -> set[str]:
    return next((set(one["roles"]) for one in queries.members(small.scope) if one["email"] == email), set())


def held(small: SmallStudy, email: str, role: str) -> tuple[int, int]:
    """The number and version of a role that somebody holds."""
    one = next(one for one in queries.members(small.scope) if one["email"] == email)
    return next((role_held["id"], role_held["version"]) for role_held in one["held"] if role_held["role"] == role)


def last_act() -> int:
    return int(value("SELECT max(id) FROM act"))


def test_a_role_is_given_and_taken_in_acts_that_can_be_undone(small: SmallStudy):
    accounts.add_person("new@x.example", "N. Ew", PASSWORD)
    members.add_member(small.scope, "NEW@x.example", "recorder")
    members.add_member(small.scope, "new@x.example", "reader")
    members.add_member(small.scope, "new@x.example", "reader")  # has it already: no act
    given = last_act()
    assert roles(small, "new@x.example") == {"recorder", "reader"}
    members.remove_role(small.scope, *held(small, "new@x.example", "recorder"))
    assert roles(small, "new@x.example") == {"reader"}
    undo_act(small.scope, last_act())
    undo_act(small.scope, given)
    assert roles(small, "new@x.example") == {"recorder"}
    found = rows(
        """SELECT a.operation, c.before ->> 'role' AS b, c.after ->> 'role' AS a FROM change c JOIN act a ON a.id = c.act_id
           WHERE c.entity = 'membership' ORDER BY c.id"""
    )
    assert [tuple(one.values()) for one in found] == [
        ("add_member", None, "recorder"), ("add_member", None, "reader"), ("remove_role", "recorder", None),
        ("undo_act", None, "recorder"), ("undo_act", "reader", None),
    ]  # fmt: skip


def test_who_lost_the_last_role_is_outside_at_once(small: SmallStudy):
    other = small.person("reader")
    email = next(one["email"] for one in queries.members(small.scope) if one["id"] == other.viewer.person_id)
    members.remove_role(small.scope, *held(small, email, "reader"))
    assert account_queries.member_of(other.viewer.person_id, small.code) is None
    assert account_queries.studies_of(other.viewer.person_id) == []


def test_a_study_always_keeps_an_owner(small: SmallStudy):
    mine = held(small, small.email, "owner")
    with pytest.raises(Refused, match="Make another member an owner first"):
        members.remove_role(small.scope, *mine)
    small.person("owner")
    given = last_act()
    members.remove_role(small.scope, *mine)
    with pytest.raises(CannotUndo, match="needs somebody who owns it"):
        undo_act(clock.scope_of(_owner(small)), given)
    assert roles(small, small.email) == set()


def _owner(small: SmallStudy):
    first = account_queries.first_owner(small.code)
    member = account_queries.member_of(first, small.code) if first else None
    assert member is not None
    return member


def test_only_owners_let_people_in_or_out_or_undo_it(small: SmallStudy):
    others = [small.person(role) for role in ("recorder", "reviewer", "reader")]
    number, version = held(small, small.email, "owner")
    for other in others:
        for attempt in (
            lambda o=other: members.add_member(o, small.email, "reader"),
            lambda o=other: members.remove_role(o, number, version),
            lambda o=other: members.invite(o, "reader", ""),
            lambda o=other: members.revoke_invitation(o, 1),
            lambda o=other: undo_act(o, last_act()),
        ):
            with pytest.raises(NotAllowed):
                attempt()


def test_an_invitation_lets_one_person_in_once(small: SmallStudy):
    token = members.invite(small.scope, "recorder", "for the summer")
    invited = members.open_invitation(token)
    assert invited is not None
    assert (invited["role"], invited["by"], invited["code"]) == ("recorder", small.scope.viewer.name, small.code)
    assert token.encode() not in b"".join(bytes(one["token_sha256"]) for one in rows("SELECT token_sha256 FROM invitation"))
    assert members.join_as_new(token, email="new@x.example", name="N. Ew", password=PASSWORD) == small.code
    assert roles(small, "new@x.example") == {"recorder"}
    assert members.open_invitation(token) is None
    another = accounts.add_person("late@x.example", "L. Ate", PASSWORD)
    with pytest.raises(NotFound):
        members.take_invitation(token, another)
    assert account_queries.member_of(another, small.code) is None
    act = rows("SELECT operation, p.name FROM act a JOIN person p ON p.id = a.person_id ORDER BY a.id DESC LIMIT 1")
    assert act == [{"operation": "join_study", "name": "N. Ew"}]


def test_a_link_that_ran_out_or_was_revoked_or_never_was_leads_nowhere(small: SmallStudy, monkeypatch: pytest.MonkeyPatch):
    person = accounts.add_person("new@x.example", "N. Ew", PASSWORD)
    revoked, late = members.invite(small.scope, "reader", ""), members.invite(small.scope, "reader", "")
    members.revoke_invitation(small.scope, int(value("SELECT min(id) FROM invitation")))
    with pytest.raises(NotFound):
        members.revoke_invitation(small.scope, int(value("SELECT min(id) FROM invitation")))
    now = clock.now()
    monkeypatch.setattr(clock, "now", lambda: now + members.INVITED_FOR - timedelta(seconds=1))
    assert members.open_invitation(late) is not None
    monkeypatch.setattr(clock, "now", lambda: now + members.INVITED_FOR + timedelta(seconds=1))
    for token in (revoked, late, "never"):
        assert members.open_invitation(token) is None
        with pytest.raises(NotFound):
            members.take_invitation(token, person)
    assert roles(small, "new@x.example") == set()


def test_a_taken_address_or_a_short_password_leaves_the_link_open_and_adds_nobody(small: SmallStudy):
    token, before = members.invite(small.scope, "reader", ""), value("SELECT count(*) FROM person")
    for email, password in ((small.email, PASSWORD), ("new@x.example", "short")):
        with pytest.raises(Refused):
            members.join_as_new(token, email=email, name="N. Ew", password=password)
    assert members.open_invitation(token) is not None
    assert value("SELECT count(*) FROM person") == before


def test_a_link_of_a_study_that_is_gone_leads_nowhere(small: SmallStudy):
    token = members.invite(small.scope, Role.READER, "")
    run("UPDATE study SET removed_at = now()")
    assert members.open_invitation(token) is None


def test_a_new_password_needs_the_present_one_and_ends_every_other_session(small: SmallStudy):
    key = b"only for tests"
    here, there = (session_of(small.email, PASSWORD, key) for _ in range(2))
    person = accounts.signed_in(here)
    assert person is not None
    for current, new, told in (
        ("wrong", "another long one", "present password"),
        (PASSWORD, "eleven char", "12 to 128 characters"),
        (PASSWORD, "x" * 129, "12 to 128 characters"),
    ):
        with pytest.raises(Refused, match=told):
            accounts.change_password(person, current, new, token=here, key=key)
    accounts.change_password(person, PASSWORD, "another long one", token=here, key=key)
    assert accounts.signed_in(here) is not None
    assert accounts.signed_in(there) is None
    with pytest.raises(Refused):
        session_of(small.email, PASSWORD, key)
    assert session_of(small.email, "another long one", key)
    assert accounts.attempts_on(person, key)["n"] == 2
    assert len(account_queries.signed_in_lately(person.id)) == 3


def test_guessing_the_present_password_is_stopped_like_guessing_at_the_door(small: SmallStudy):
    key = b"only for tests"
    token = session_of(small.email, PASSWORD, key)
    person = accounts.signed_in(token)
    assert person is not None
    for _ in range(sign_in_delays.OF_DEVICE.free + 1):
        with pytest.raises(Refused):
            accounts.change_password(person, "guess", "another long one", token=token, key=key)
    with pytest.raises(sign_in_delays.TooManyAttempts):
        accounts.change_password(person, PASSWORD, "another long one", token=token, key=key)
