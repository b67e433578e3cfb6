"""Who works in a study: roles given and taken, and invitations by a link that works once."""

import hashlib
import secrets
from datetime import timedelta
from typing import Any

from tender_ledger.core.limits import check_lengths
from tender_ledger.core.rights import Right, Role
from tender_ledger.core.terms import Member, Scope
from tender_ledger.core.text import clean, fold
from tender_ledger.operations import accounts, clock
from tender_ledger.operations.errors import NotFound, Refused, constraints_as_refusals, number_of
from tender_ledger.operations.saving import saving
from tender_ledger.storage.database import database
from tender_ledger.storage.history import act
from tender_ledger.storage.models import Invitation, Membership
from tender_ledger.storage.queries import accounts as account_queries
from tender_ledger.storage.queries import members as queries
from tender_ledger.storage.queries import people

INVITED_FOR = timedelta(days=14)


def add_member(scope: Scope, email: str, role: str, community: str | int = "") -> None:
    """Give somebody who can sign in a role in the study, a guardian's for one community; nothing happens where they have it."""
    scope.viewer.require(Right.ADMINISTER)
    person = account_queries.person_by_email(fold(email))
    if person is None:
        raise Refused({"email": "Nobody signs in with this address yet. Invite the person, or add them first: ./ledger user add"})
    _give(scope.viewer, person["id"], _role(role), _guarded(scope, role, community), "add_member")


def remove_role(scope: Scope, membership_id: int, version: int) -> None:
    """Take a role from a member; with the last one they are out of the study. Refused where nobody would be left to own it."""
    scope.viewer.require(Right.ADMINISTER)
    if queries.membership(scope, membership_id) is None:
        raise NotFound(f"membership {membership_id}")
    with saving(scope, "remove_role") as writing:
        writing.remove(Membership, membership_id, version)


def invite(scope: Scope, role: str, meant_for: str, community: str | int = "") -> str:
    """Make an invitation to a role, open for INVITED_FOR; returns the token of its link, which is kept nowhere."""
    scope.viewer.require(Right.ADMINISTER)
    token, guarded = secrets.token_urlsafe(32), _guarded(scope, role, community)
    with constraints_as_refusals():
        check_lengths({"meant_for": meant_for})
        Invitation.insert(
            study_id=scope.study_id,
            token_sha256=_digest(token),
            role=_role(role),
            meant_for=clean(meant_for),
            community_id=guarded,
            invited_by=scope.viewer.person_id,
            expires_at=clock.now() + INVITED_FOR,
        ).execute()
    return token


def revoke_invitation(scope: Scope, invitation_id: int) -> None:
    """Close an invitation that nobody took; its link leads nowhere from now on."""
    scope.viewer.require(Right.ADMINISTER)
    open_ones = (Invitation.study_id == scope.study_id) & Invitation.taken_at.is_null() & Invitation.revoked_at.is_null()
    if not Invitation.update(revoked_at=clock.now()).where(open_ones & (Invitation.id == invitation_id)).execute():
        raise NotFound(f"invitation {invitation_id}")


def open_invitation(token: str) -> dict[str, Any] | None:
    """What a link invites to; None where it was taken, revoked, ran out or never was."""
    return queries.open_invitation(_digest(token), clock.now())


def take_invitation(token: str, person_id: int) -> str:
    """Join the study that a link invites to; returns its code. Raises NotFound where the link is not open: it works once."""
    with database.atomic():
        found = queries.take_invitation(_digest(token), person_id, clock.now())
        if found is None:
            raise NotFound("invitation")
        member = Member(person_id, found["study_id"], frozenset({Role(found["role"])}))
        _give(member, person_id, found["role"], found["community_id"], "join_study")
        return str(found["code"])


def join_as_new(token: str, *, email: str, name: str, password: str) -> str:
    """Let somebody new sign in and join, both or neither; returns the study's code."""
    with database.atomic():
        return take_invitation(token, accounts.add_person(email, name, password))


def _give(member: Member, person_id: int, role: str, community_id: int | None, operation: str) -> None:
    if queries.has_role(member.study_id, person_id, role, community_id):
        return
    with constraints_as_refusals(), act(member, operation) as writing:
        writing.create(Membership, {"person_id": person_id, "role": role, "community_id": community_id})


def _guarded(scope: Scope, role: str, community: str | int) -> int | None:
    """The community that a guardian is to stand for; None for every other role, whatever was chosen."""
    if role != Role.GUARDIAN:
        return None
    number = number_of(community, "community_id", "Choose the community that the guardian stands for.")
    if number not in {one["id"] for one in people.communities(scope)}:
        raise Refused({"community_id": "Choose the community that the guardian stands for."})
    return number


def _role(role: str) -> str:
    if role not in set(Role):
        raise Refused({"role": f"There are the roles {', '.join(Role)}."})
    return role


def _digest(token: str) -> bytes:
    return hashlib.sha256(token.encode()).digest()
