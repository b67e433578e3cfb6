"""Results that hold for everybody in a study until something is written in it, or its day ends; and computations under way."""

from collections.abc import Mapping
from typing import Any

from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import row, rows, run, value

_MOST = 400  # results of one study that are kept


def kept_results(scope: Scope, digests: list[str]) -> dict[str, bytes]:
    """Those of the results that are kept and stand, by digest."""
    found = rows(
        """SELECT k.digest, k.body FROM kept_result k JOIN study s ON s.id = k.study_id AND s.revision = k.revision
           WHERE k.study_id = %(study)s AND k.day = %(day)s AND k.digest = ANY(%(digests)s)""",
        study=scope.study_id,
        day=scope.day,
        digests=digests,
    )
    return {one["digest"]: bytes(one["body"]) for one in found}


def keep_results(scope: Scope, revision: int, bodies: Mapping[str, bytes]) -> None:
    """Keep results computed at a revision that stands; those of other revisions go, and the oldest where there are too many.

    It waits for whoever holds the study: a result computed while somebody is erased is of a revision that is past by then.
    """
    for digest, body in bodies.items():
        run(
            """INSERT INTO kept_result (study_id, digest, revision, day, body)
               SELECT s.id, %(digest)s, s.revision, %(day)s, %(body)s FROM study s
               WHERE s.id = %(study)s AND s.revision = %(revision)s FOR SHARE OF s
               ON CONFLICT (study_id, digest) DO UPDATE
               SET revision = excluded.revision, day = excluded.day, body = excluded.body, kept_at = now()""",
            study=scope.study_id,
            digest=digest,
            revision=revision,
            day=scope.day,
            body=body,
        )
    run(
        """DELETE FROM kept_result k WHERE k.study_id = %(study)s AND (k.revision < %(revision)s OR k.digest IN (
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
