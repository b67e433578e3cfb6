"""Second factors of signing in, and the codes to recover with."""

from collections.abc import Sequence
from typing import Any

from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import row, run, value


def second_factor(person_id: int) -> dict[str, Any] | None:
    """The sealed secret of a person: nonce, sealed, confirmed_at, and how many recovery codes are unused."""
    return row(
        """SELECT f.nonce, f.sealed, f.confirmed_at,
                  (SELECT count(*) FROM recovery_code r WHERE r.person_id = f.person_id AND r.used_at IS NULL) AS codes_left
           FROM second_factor f WHERE f.person_id = %(person)s""",
        person=person_id,
    )


def is_confirmed(person_id: int) -> bool:
    found = value(
        "SELECT 1 FROM second_factor WHERE person_id = %(person)s AND confirmed_at IS NOT NULL",
        person=person_id,
    )
    return found is not None


def keep_secret(person_id: int, nonce: bytes, sealed: bytes) -> bool:
    """Keep a new secret, not yet confirmed; returns False where a confirmed one stands."""
    found = value(
        """INSERT INTO second_factor AS f (person_id, nonce, sealed) VALUES (%(person)s, %(nonce)s, %(sealed)s)
           ON CONFLICT (person_id) DO UPDATE SET nonce = excluded.nonce, sealed = excluded.sealed, last_step = 0
           WHERE f.confirmed_at IS NULL RETURNING person_id""",
        person=person_id,
        nonce=nonce,
        sealed=sealed,
    )
    return found is not None


def take_step(person_id: int, step: int) -> bool:
    """Whether the code of a time step is taken now: each is taken once, and none before one that was taken."""
    found = value(
        "UPDATE second_factor SET last_step = %(step)s WHERE person_id = %(person)s AND last_step < %(step)s RETURNING person_id",
        person=person_id,
        step=step,
    )
    return found is not None


def confirm(person_id: int, code_digests: Sequence[bytes]) -> None:
    """The secret is in use from now on, with these recovery codes in place of earlier ones."""
    run("UPDATE second_factor SET confirmed_at = now() WHERE person_id = %(person)s", person=person_id)
    run("DELETE FROM recovery_code WHERE person_id = %(person)s", person=person_id)
    run(
        "INSERT INTO recovery_code (person_id, code_sha256) SELECT %(person)s, unnest(%(codes)s::bytea[])",
        person=person_id,
        codes=list(code_digests),
    )


def take_recovery_code(person_id: int, code_sha256: bytes) -> bool:
    """Whether a recovery code is taken now; each is taken once."""
    found = value(
        """UPDATE recovery_code SET used_at = now() WHERE person_id = %(person)s AND code_sha256 = %(code)s AND used_at IS NULL
           RETURNING person_id""",
        person=person_id,
        code=code_sha256,
    )
    return found is not None


def remove(person_id: int) -> None:
    run("DELETE FROM second_factor WHERE person_id = %(person)s", person=person_id)


def sign_in_rule(scope: Scope) -> dict[str, Any]:
    """What the study asks of its owners when they sign in; id 0 and version 0 where it never said."""
    found = row(
        "SELECT id, version, owners_need_second_factor FROM sign_in_rule WHERE study_id = %(study)s AND removed_at IS NULL",
        study=scope.study_id,
    )
    return found or {"id": 0, "version": 0, "owners_need_second_factor": False}
