"""Pages of numbers as they were drawn for all who see and may do the same.

A page stands until anything is written in the study, or the day ends.
"""

import json
import time
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import database, row, run
from tender_ledger.storage.queries.past_counts import (
    OLDEST,
    RECOUNT_AFTER,
    RECOUNT_SHARE,
    REDRAW_AFTER,
    CountNotes,
    count_notes,
    past_may_be_given,
)
from tender_ledger.storage.queries.sight import (
    Standing,
    may_be_kept_of,
    sight_of,
    standing_of,
    with_roles,
)

_MOST = 400  # pages of one sight that are kept


@dataclass(frozen=True)
class DrawnPage:
    """Parts of a page by their names; `may_be_kept` where they hold nothing that is of one request alone."""

    parts: dict[str, str]
    may_be_kept: bool = True


def kept_page(scope: Scope, digest: str, draw: Callable[[], DrawnPage], draw_later: Callable[[], None]) -> dict[str, str]:
    """The parts of a page, drawn where it is not kept.

    A page that may change without anything being written is kept for a minute; one that waits for a computation is not kept.
    One that shows counts of before the last reports is shown for longer, and `draw_later` has it drawn anew meanwhile.
    """
    notes = count_notes()
    found = _kept(scope, digest)
    if found is not None and _may_be_shown(scope, found, notes):
        if found["is_due"]:
            draw_later()
        return _parts(found)
    return draw_page(scope, digest, draw)


def draw_page(scope: Scope, digest: str, draw: Callable[[], DrawnPage]) -> dict[str, str]:
    """The parts of a page as they are drawn now; they are kept."""
    now, begun, notes = standing_of(scope), time.monotonic(), count_notes()
    drawn = draw()
    if drawn.may_be_kept and not notes.under_way:
        packed = zlib.compress(json.dumps(drawn.parts).encode(), 1)
        _keep(scope, digest, now, packed, notes, time.monotonic() - begun)
    return drawn.parts


def due_page(scope: Scope, digest: str) -> dict[str, str] | None:
    """The parts of a page of before the last reports that was shown for so long that it is to be drawn anew; else None."""
    found = _kept(scope, digest)
    return _parts(found) if found is not None and found["is_due"] else None


def _parts(found: dict[str, Any]) -> dict[str, str]:
    return dict(json.loads(zlib.decompress(found["packed"])))


def _kept(scope: Scope, digest: str) -> dict[str, Any] | None:
    return row(
        f"""SELECT c.packed, c.revision, c.revision = s.revision AS stands, c.counted_at, c.kept_at, c.may_change,
              c.kept_at > now() - make_interval(secs => CASE WHEN c.may_change THEN {RECOUNT_AFTER} ELSE {OLDEST} END) AS recent,
              (c.revision <> s.revision OR c.counted_at IS NOT NULL)
                AND c.kept_at < now() - make_interval(secs => greatest({REDRAW_AFTER}, {RECOUNT_SHARE} * c.seconds)) AS is_due
            FROM kept_answer c JOIN study s ON s.id = c.study_id
            WHERE c.study_id = %(study)s AND c.sight = %(sight)s AND c.day = %(day)s AND c.digest = %(digest)s""",
        **_key(scope, digest, sight_of(scope)),
    )


def _key(scope: Scope, digest: str, sight: str) -> dict[str, Any]:
    return {"study": scope.study_id, "sight": with_roles(sight, scope), "day": scope.day, "digest": digest}


def _may_be_shown(scope: Scope, found: dict[str, Any], notes: CountNotes) -> bool:
    if found["stands"] and not found["may_change"] and found["counted_at"] is None:
        return True
    if not found["recent"]:
        return False
    if found["stands"] and found["counted_at"] is None:
        return True
    if not past_may_be_given(scope, found["revision"], found["kept_at"]):
        return False
    notes.give_past(found["counted_at"] or found["kept_at"])
    return True


def _keep(scope: Scope, digest: str, now: Standing, packed: bytes, notes: CountNotes, seconds: float) -> None:
    key = _key(scope, digest, now.sight)
    with database.atomic():
        if not may_be_kept_of(scope, now):
            return
        run(
            """INSERT INTO kept_answer (study_id, sight, digest, revision, day, packed, counted_at, may_change, seconds)
               VALUES (%(study)s, %(sight)s, %(digest)s, %(revision)s, %(day)s, %(packed)s, %(counted_at)s, %(may_change)s,
                 %(seconds)s)
               ON CONFLICT (study_id, sight, digest) DO UPDATE
               SET revision = excluded.revision, day = excluded.day, packed = excluded.packed, kept_at = now(),
                 counted_at = excluded.counted_at, may_change = excluded.may_change, seconds = excluded.seconds""",
            **key,
            revision=now.revision,
            packed=packed,
            counted_at=notes.oldest,
            may_change=notes.may_change,
            seconds=seconds,
        )
    run(
        """DELETE FROM kept_answer c WHERE c.study_id = %(study)s AND c.sight = %(sight)s AND c.digest LIKE 'page %%'
             AND c.digest <> %(digest)s AND (c.kept_at < now() - interval '1 hour' OR c.digest IN (
             SELECT digest FROM kept_answer WHERE study_id = %(study)s AND sight = %(sight)s AND digest LIKE 'page %%'
             ORDER BY kept_at DESC OFFSET %(most)s))""",
        study=key["study"],
        sight=key["sight"],
        digest=digest,
        most=_MOST,
    )
