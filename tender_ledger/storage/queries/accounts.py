"""Who somebody is, what they may enter, and how often a sign-in failed."""

from typing import Any

from tender_ledger.core.rights import Role
from tender_ledger.core.terms import Member
from tender_ledger.storage.database import row, rows, value


def session_person(token_sha256: bytes) -> dict[str, Any] | None:
    """The person of a session that was not ended; seen within 30 days."""
    return row(
        """WITH here AS (SELECT s.token_sha256, s.seen_at, p.id AS person_id, p.name, p.email FROM person_session s
             JOIN person p ON p.id = s.person_id AND p.disabled_at IS NULL
             WHERE s.token_sha256 = %(token)s AND s.ended_at IS NULL AND s.seen_at > now() - interval '30 days'),
           seen AS (UPDATE person_session s SET seen_at = now() FROM here
             WHERE s.token_sha256 = here.token_sha256 AND here.seen_at < now() - interval '1 minute')
           SELECT person_id AS id, name, email FROM here""",
        token=token_sha256,
    )


def sessions_of(person_id: int) -> list[dict[str, Any]]:
    """A person's open sessions, the latest seen first."""
    return rows(
        """SELECT encode(token_sha256, 'hex') AS key, browser, created_at, seen_at FROM person_session
           WHERE person_id = %(person)s AND ended_at IS NULL ORDER BY seen_at DESC""",
        person=person_id,
    )


def signed_in_lately(person_id: int) -> list[dict[str, Any]]:
    """The sign-ins of a person in the last 90 days, the latest first: from where, since when, last seen, and when ended."""
    return rows(
        """SELECT browser, created_at, seen_at, ended_at FROM person_session
           WHERE person_id = %(person)s AND created_at > now() - interval '90 days' ORDER BY created_at DESC LIMIT 50""",
        person=person_id,
    )


def failed_lately(account_digest: bytes) -> dict[str, Any]:
    """How many attempts to sign in as an account failed in the last 90 days, and when the last did."""
    found = row(
        """SELECT count(*) AS n, max(at) AS last FROM attempt
           WHERE account_digest = %(account)s AND at > now() - interval '90 days'""",
        account=account_digest,
    )
    assert found is not None
    return found


def member_of(person_id: int, study_code: str) -> Member | None:
    """The person as a member of the study, or None where there is no such study for this person."""
    return _member(person_id, "s.code = %(study)s", study_code)


def member_by_id(person_id: int, study_id: int) -> Member | None:
    """The same of a study by its number; None also for somebody whose sign-in was ended."""
    return _member(person_id, "s.id = %(study)s AND p.disabled_at IS NULL", study_id)


def _member(person_id: int, which: str, study: str | int) -> Member | None:
    found = rows(
        f"""SELECT s.id, s.zone, m.role, m.community_id, p.name,
                  m.role = 'owner' AND g.id IS NOT NULL AND f.person_id IS NULL AS lacks
           FROM study s JOIN membership m ON m.study_id = s.id JOIN person p ON p.id = m.person_id
           LEFT JOIN sign_in_rule g ON g.study_id = s.id AND g.removed_at IS NULL AND g.owners_need_second_factor
           LEFT JOIN second_factor f ON f.person_id = p.id AND f.confirmed_at IS NOT NULL
           WHERE {which} AND m.person_id = %(person)s AND m.removed_at IS NULL AND s.removed_at IS NULL""",
        study=study,
        person=person_id,
    )
    if not found:
        return None
    roles = frozenset(Role(one["role"]) for one in found)
    guards = frozenset(one["community_id"] for one in found if one["community_id"])
    lacks = any(one["lacks"] for one in found)
    return Member(person_id, found[0]["id"], roles, found[0]["name"], guards, found[0]["zone"], lacks)


def studies_of(person_id: int) -> list[dict[str, Any]]:
    """The studies of a person, with the roles held in each."""
    return rows(
        """SELECT s.code, s.title, s.question, s.invented, array_agg(m.role ORDER BY m.role) AS roles
           FROM study s JOIN membership m ON m.study_id = s.id
           WHERE m.person_id = %(person)s AND m.removed_at IS NULL AND s.removed_at IS NULL GROUP BY s.id ORDER BY s.title""",
        person=person_id,
    )


def first_owner(study_code: str) -> int | None:
    """The person who owned the study first, in whose name the command line acts by default."""
    found: int | None = value(
        """SELECT m.person_id FROM membership m JOIN study s ON s.id = m.study_id
           WHERE s.code = %(code)s AND m.role = 'owner' AND m.removed_at IS NULL ORDER BY m.person_id LIMIT 1""",
        code=study_code,
    )
    return found


def person_by_email(email_fold: str) -> dict[str, Any] | None:
    return row("SELECT id, name, password_hash, disabled_at FROM person WHERE email_fold = %(email)s", email=email_fold)
