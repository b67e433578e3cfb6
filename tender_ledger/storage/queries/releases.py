"""What left a study before: cells with the contributions of holders, which no page shows."""

from collections.abc import Iterable
from typing import Any

from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import copy_rows, row, rows, run, value

CELL_COLUMNS = ("cell", "shown", "holders", "amounts")


def releases(scope: Scope) -> list[dict[str, Any]]:
    """Every release of the study, the first first: id, day, digest, how many cells were shown and how many held back."""
    return rows(
        """SELECT r.id, r.day, r.digest, count(*) FILTER (WHERE c.shown) AS shown, count(*) FILTER (WHERE NOT c.shown) AS hidden
           FROM release r JOIN release_cell c ON c.release_id = r.id WHERE r.study_id = %(study)s GROUP BY r.id ORDER BY r.id""",
        study=scope.study_id,
    )


def released_cells(scope: Scope) -> list[dict[str, Any]]:
    """The cells of all releases of the study: release, cell, shown, holders, amounts, erased."""
    return rows(
        """SELECT release_id, cell, shown, holders, amounts, erased FROM release_cell WHERE study_id = %(study)s
           ORDER BY release_id""",
        study=scope.study_id,
    )


def is_released(scope: Scope, digest: str) -> bool:
    return (
        row("SELECT 1 FROM release WHERE study_id = %(study)s AND digest = %(digest)s", study=scope.study_id, digest=digest)
        is not None
    )


def hold_releases(scope: Scope) -> None:
    """Until the caller's transaction ends nobody else adds a release to the study."""
    run("SELECT pg_advisory_xact_lock(hashtext('release'), %(study)s::int)", study=scope.study_id % 2**31)


def shown_of_state(scope: Scope, state: str) -> list[str] | None:
    """The cells that were shown when files left in this very state; None where none did."""
    found = row(
        "SELECT id FROM release WHERE study_id = %(study)s AND state = %(state)s ORDER BY id DESC LIMIT 1",
        study=scope.study_id,
        state=state,
    )
    if found is None:
        return None
    return [one["cell"] for one in rows("SELECT cell FROM release_cell WHERE release_id = %(id)s AND shown", id=found["id"])]


def keep_release(scope: Scope, revision: int, state: str, digest: str, cells: Iterable[tuple[Any, ...]]) -> int:
    """Remember what leaves now; `cells` by CELL_COLUMNS. Returns its number."""
    number = int(
        value(
            """INSERT INTO release (study_id, day, revision, person_id, state, digest)
           VALUES (%(study)s, %(day)s, %(revision)s, %(person)s, %(state)s, %(digest)s) RETURNING id""",
            study=scope.study_id,
            day=scope.day,
            revision=revision,
            person=scope.viewer.person_id,
            state=state,
            digest=digest,
        )
    )
    copy_rows("release_cell", ("study_id", "release_id", *CELL_COLUMNS), ((scope.study_id, number, *cell) for cell in cells))
    return number


def numbers_of_holders(scope: Scope) -> dict[str, int]:
    """The numbers of the informants who are holders, by code."""
    found = rows(
        """SELECT h.code::text AS code, i.id FROM informant i JOIN holder h ON h.id = i.holder_id
           WHERE i.study_id = %(study)s ORDER BY i.id""",
        study=scope.study_id,
    )
    return {one["code"]: one["id"] for one in found}


def holders_of_rows(scope: Scope) -> frozenset[int]:
    """The holders of whom rows may leave the study as they are, by the number of the informant; of the whole study."""
    found = rows(
        """SELECT t.informant_id FROM informant_terms(%(study)s, %(day)s) t
           WHERE t.holder_id IS NOT NULL AND t.may_show AND t.may_publish_aggregate AND t.may_publish_rows""",
        study=scope.study_id,
        day=scope.day,
    )
    return frozenset(one["informant_id"] for one in found)
