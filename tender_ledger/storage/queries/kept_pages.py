"""Pages of numbers as they were drawn for all who see the same, until anything is written in the study or the day ends."""

import json
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import database, row, run
from tender_ledger.storage.queries.past_counts import (
    RECOUNT_AFTER,
    CountNotes,
    count_notes,
    may_be_kept,
    past_may_be_given,
)
from tender_ledger.storage.queries.sight import sight_of, standing_of

_MOST = 400  # pages of one sight that are kept


@dataclass(frozen=True)
class DrawnPage:
    """Parts of a page by their names; `may_be_kept` where they hold nothing that is of one request alone."""

    parts: dict[str, str]
    may_be_kept: bool = True


def kept_page(scope: Scope, digest: str, draw: Callable[[], DrawnPage]) -> dict[str, str]:
    """The parts of a page, drawn where it is not kept.

    A page that shows counts of before the last reports, or that may change without anything being written, is kept for a
    minute; one that waits for a computation is not kept.
    """
    key = {"study": scope.study_id, "sight": sight_of(scope), "day": scope.day, "digest": digest}
    notes = count_notes()
    found = row(
        f"""SELECT c.packed, c.revision, c.revision = s.revision AS stands, c.counted_at, c.kept_at,
              c.may_change OR c.counted_at IS NOT NULL AS brief,
              c.kept_at > now() - make_interval(secs => {RECOUNT_AFTER}) AS recent
            FROM kept_answer c JOIN study s ON s.id = c.study_id
            WHERE c.study_id = %(study)s AND c.sight = %(sight)s AND c.day = %(day)s AND c.digest = %(digest)s""",
        **key,
    )
    if found is not None and _may_be_shown(scope, found, notes):
        return dict(json.loads(zlib.decompress(found["packed"])))
    now = standing_of(scope)
    drawn = draw()
    if drawn.may_be_kept and not notes.under_way:
        packed = zlib.compress(json.dumps(drawn.parts).encode(), 1)
        _keep(scope, {**key, "sight": now.sight}, now.revision, packed, notes)
    return drawn.parts


def _may_be_shown(scope: Scope, found: dict[str, Any], notes: CountNotes) -> bool:
    if found["stands"] and not found["brief"]:
        return True
    if not found["recent"]:
        return False
    if found["stands"] and found["counted_at"] is None:
        return True
    if not past_may_be_given(scope, found["revision"]):
        return False
    notes.give_past(found["counted_at"] or found["kept_at"])
    return True


def _keep(scope: Scope, key: dict[str, Any], revision: int, packed: bytes, notes: CountNotes) -> None:
    with database.atomic():
        if not may_be_kept(scope, revision) or sight_of(scope) != key["sight"]:
            return
        run(
            """INSERT INTO kept_answer (study_id, sight, digest, revision, day, packed, counted_at, may_change)
               VALUES (%(study)s, %(sight)s, %(digest)s, %(revision)s, %(day)s, %(packed)s, %(counted_at)s, %(may_change)s)
               ON CONFLICT (study_id, sight, digest) DO UPDATE
               SET revision = excluded.revision, day = excluded.day, packed = excluded.packed, kept_at = now(),
                 counted_at = excluded.counted_at, may_change = excluded.may_change""",
            **key,
            revision=revision,
            packed=packed,
            counted_at=notes.oldest,
            may_change=notes.may_change,
        )
    run(
        """DELETE FROM kept_answer c WHERE c.study_id = %(study)s AND c.sight = %(sight)s AND c.digest LIKE 'page %%'
             AND c.digest <> %(digest)s AND (c.kept_at < now() - interval '1 hour' OR c.digest IN (
             SELECT digest FROM kept_answer WHERE study_id = %(study)s AND sight = %(sight)s AND digest LIKE 'page %%'
             ORDER BY kept_at DESC OFFSET %(most)s))""",
        study=key["study"],
        sight=key["sight"],
        digest=key["digest"],
        most=_MOST,
    )
