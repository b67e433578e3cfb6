"""Members of a study with their roles, and invitations."""

from datetime import datetime
from typing import Any

from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import row, rows, value


def members(scope: Scope) -> list[dict[str, Any]]:
    """Everybody who works in the study, with their roles, each with its number and version."""
    return rows(
        """SELECT p.id, p.name, p.email, array_agg(DISTINCT m.role) AS roles,
                  json_agg(json_build_object('id', m.id, 'role', m.role, 'of', coalesce(c.name, ''), 'version', m.version)
                    ORDER BY m.role, c.name) AS held
           FROM membership m JOIN person p ON p.id = m.person_id LEFT JOIN community c ON c.id = m.community_id
           WHERE m.study_id = %(study)s AND m.removed_at IS NULL GROUP BY p.id ORDER BY p.name""",
        study=scope.study_id,
    )


def membership(scope: Scope, membership_id: int) -> dict[str, Any] | None:
    return row(
        "SELECT id, person_id, role FROM membership WHERE study_id = %(study)s AND id = %(id)s AND removed_at IS NULL",
        study=scope.study_id,
        id=membership_id,
    )


def has_role(study_id: int, person_id: int, role: str, community_id: int | None) -> bool:
    return bool(
        value(
            """SELECT EXISTS (SELECT FROM membership WHERE study_id = %(study)s AND person_id = %(person)s
                 AND role = %(role)s AND community_id IS NOT DISTINCT FROM %(community)s AND removed_at IS NULL)""",
            study=study_id,
            person=person_id,
            role=role,
            community=community_id,
        )
    )


def invitations(scope: Scope, now: datetime) -> list[dict[str, Any]]:
    """The invitations that are open, and those of the last 90 days that ended, the latest first."""
    return rows(
        """SELECT i.id, i.role, i.meant_for, i.invited_at, i.expires_at, i.taken_at, i.revoked_at, p.name AS by, c.name AS of,
                  t.name AS taken_by, i.taken_at IS NULL AND i.revoked_at IS NULL AND i.expires_at > %(now)s AS open
           FROM invitation i JOIN person p ON p.id = i.invited_by LEFT JOIN person t ON t.id = i.taken_by
           LEFT JOIN community c ON c.id = i.community_id
           WHERE i.study_id = %(study)s AND i.invited_at > %(now)s::timestamptz - interval '90 days' ORDER BY i.id DESC""",
        study=scope.study_id,
        now=now,
    )


_OPEN = "i.token_sha256 = %(token)s AND i.taken_at IS NULL AND i.revoked_at IS NULL AND i.expires_at > %(now)s"


def open_invitation(token_sha256: bytes, now: datetime) -> dict[str, Any] | None:
    """The open invitation of a token: its role, who invited, and the study's title."""
    return row(
        f"""SELECT i.role, c.name AS of, p.name AS by, s.title, s.code FROM invitation i JOIN person p ON p.id = i.invited_by
            LEFT JOIN community c ON c.id = i.community_id
            JOIN study s ON s.id = i.study_id AND s.removed_at IS NULL WHERE {_OPEN}""",
        token=token_sha256,
        now=now,
    )


def take_invitation(token_sha256: bytes, person_id: int, now: datetime) -> dict[str, Any] | None:
    """Mark an open invitation as taken; None where another took it first, or it is not open."""
    return row(
        f"""UPDATE invitation i SET taken_by = %(person)s, taken_at = %(now)s FROM study s
            WHERE s.id = i.study_id AND s.removed_at IS NULL AND {_OPEN} RETURNING i.study_id, i.role, i.community_id, s.code""",
        token=token_sha256,
        person=person_id,
        now=now,
    )
