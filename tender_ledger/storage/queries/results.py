"""Results that hold for everybody in a study until something is written in it, or its day ends; and computations under way."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import database, row, rows, run, value
from tender_ledger.storage.queries.past_counts import (
    RECOUNT_AFTER,
    RECOUNT_SHARE,
    may_be_kept,
    past_counts,
    past_may_be_given,
)

_MOST = 400  # results of one study that are kept


@dataclass(frozen=True)
class KeptResults:
    """The bodies by digest; whether they are of before the last reports and so old that a new count is due."""

    bodies: Mapping[str, bytes] = field(default_factory=dict)
    is_due: bool = False


def kept_results(scope: Scope, digests: list[str]) -> KeptResults:
    """All of the results as they are kept of one revision, or none of them.

    They are of the revision that stands, or, where past counts are allowed and nothing but reports changed since, of the last
    one that they were all computed at.
    """
    past = past_counts()
    found = rows(
        f"""SELECT k.digest, k.body, k.revision, k.kept_at, k.revision = s.revision AS stands,
              k.kept_at < now() - make_interval(secs => greatest({RECOUNT_AFTER}, {RECOUNT_SHARE} * k.seconds)) AS is_due
            FROM kept_result k JOIN study s ON s.id = k.study_id
            WHERE k.study_id = %(study)s AND k.day = %(day)s AND k.digest = ANY(%(digests)s)
              AND (k.revision = s.revision OR %(past)s)""",
        study=scope.study_id,
        day=scope.day,
        digests=digests,
        past=past is not None,
    )
    if {one["digest"] for one in found} != set(digests) or len({one["revision"] for one in found}) > 1:
        return KeptResults()
    bodies = {one["digest"]: bytes(one["body"]) for one in found}
    if all(one["stands"] for one in found):
        return KeptResults(bodies)
    oldest = min(one["kept_at"] for one in found)
    if past is None or not past_may_be_given(scope, found[0]["revision"], oldest):
        return KeptResults()
    past.give_past(oldest)
    return KeptResults(bodies, any(one["is_due"] for one in found))


def was_kept(scope: Scope, digest: str) -> bool:
    """Whether a result is kept, of whatever revision."""
    asked = "SELECT EXISTS (SELECT FROM kept_result WHERE study_id = %(study)s AND digest = %(digest)s)"
    return bool(value(asked, study=scope.study_id, digest=digest))


def keep_results(scope: Scope, revision: int, bodies: Mapping[str, bytes], *, seconds: float = 0.0) -> None:
    """Keep results computed at a revision that stands, or since which nothing but the reports of a large study changed.

    `seconds` says how long computing them took. Those of other revisions go after an hour, and the oldest where there are too
    many.
    """
    with database.atomic():
        if not may_be_kept(scope, revision):
            return
        for digest, body in bodies.items():
            run(
                """INSERT INTO kept_result (study_id, digest, revision, day, body, seconds)
                   VALUES (%(study)s, %(digest)s, %(revision)s, %(day)s, %(body)s, %(seconds)s)
                   ON CONFLICT (study_id, digest) DO UPDATE
                   SET revision = excluded.revision, day = excluded.day, body = excluded.body, seconds = excluded.seconds,
                     kept_at = now()
                   WHERE kept_result.revision <= excluded.revision""",
                study=scope.study_id,
                digest=digest,
                revision=revision,
                day=scope.day,
                body=body,
                seconds=seconds,
            )
    run(
        """DELETE FROM kept_result k WHERE k.study_id = %(study)s AND (
             (k.revision < %(revision)s AND k.kept_at < now() - interval '1 hour') OR k.digest IN (
             SELECT digest FROM kept_result WHERE study_id = %(study)s ORDER BY kept_at DESC OFFSET %(most)s))""",
        study=scope.study_id,
        revision=revision,
        most=_MOST,
    )


def size_of(scope: Scope) -> dict[str, int]:
    """How much there is to compute on: holders and sources, plants."""
    found = row(
        """SELECT (SELECT count(*) FROM informant WHERE study_id = %(study)s) AS informants,
                  (SELECT count(*) FROM plant WHERE study_id = %(study)s AND removed_at IS NULL) AS plants""",
        study=scope.study_id,
    )
    return {key: int(number) for key, number in (found or {}).items()}


def number_of_reports(scope: Scope) -> int:
    """Reports of the study, which take longer to count than to say what else there is."""
    return int(value("SELECT count(*) FROM use_report WHERE study_id = %(study)s AND removed_at IS NULL", study=scope.study_id))


def begin(scope: Scope, digest: str, revision: int) -> int | None:
    """A new computation; None where one for the same is under way. One without a sign of life for ten minutes is given up."""
    run(
        """UPDATE computation SET state = 'failed', told = 'It gave no sign of life.'
           WHERE study_id = %(study)s AND digest = %(digest)s AND state = 'working'
             AND beat_at < now() - interval '10 minutes'""",
        study=scope.study_id,
        digest=digest,
    )
    found = value(
        """INSERT INTO computation (study_id, digest, revision) VALUES (%(study)s, %(digest)s, %(revision)s)
           ON CONFLICT DO NOTHING RETURNING id""",
        study=scope.study_id,
        digest=digest,
        revision=revision,
    )
    return None if found is None else int(found)


def computation(scope: Scope, digest: str, revision: int) -> dict[str, Any] | None:
    """The latest computation of a digest at a revision."""
    return row(
        """SELECT id, state, done, total, told FROM computation
           WHERE study_id = %(study)s AND digest = %(digest)s AND revision = %(revision)s ORDER BY id DESC LIMIT 1""",
        study=scope.study_id,
        digest=digest,
        revision=revision,
    )


def still_wanted(number: int, done: int, total: int) -> bool:
    """Say how far a computation is; whether nobody cancelled it."""
    state = value(
        "UPDATE computation SET done = %(done)s, total = %(total)s, beat_at = now() WHERE id = %(id)s RETURNING state",
        id=number,
        done=done,
        total=total,
    )
    return state == "working"


def end(number: int, state: str, told: str = "") -> None:
    """What became of a computation; those of yesterday are forgotten."""
    run("UPDATE computation SET state = %(state)s, told = %(told)s WHERE id = %(id)s AND state = 'working'",
        id=number, state=state, told=told)  # fmt: skip
    run("DELETE FROM computation WHERE begun_at < now() - interval '1 day'")


def cancel(scope: Scope, number: int) -> None:
    run("UPDATE computation SET state = 'cancelled' WHERE id = %(id)s AND study_id = %(study)s AND state = 'working'",
        id=number, study=scope.study_id)  # fmt: skip


def forget(scope: Scope) -> None:
    """Nothing that was computed of the study is kept any more."""
    for table in ("kept_result", "computation"):
        run(f"DELETE FROM {table} WHERE study_id = %(study)s", study=scope.study_id)
