"""Answers that hold for one viewer until something is written in the study, or its day ends."""

import json
from collections.abc import Callable
from typing import Any

from psycopg.types.json import Jsonb

from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import ask_anew, row, rows, run, value

_OF_VIEWER = """c.study_id = %(study)s AND c.person_id = %(person)s AND c.day = %(day)s
    AND c.revision = (SELECT revision FROM study WHERE id = %(study)s)"""
_STANDS = f"{_OF_VIEWER} AND c.digest = %(digest)s"
_MOST = 60  # answers of one person that are kept


def kept_body(scope: Scope, digest: str, compute: Callable[[], dict[str, Any]]) -> dict[str, Any]:
    """A small answer of JSON values, computed when it is not kept. A page takes several: all that stand are read at once."""
    stand = rows(
        f"SELECT c.digest, c.body::text AS kept FROM kept_answer c WHERE {_OF_VIEWER} AND c.body IS NOT NULL", **_viewer(scope)
    )
    found = next((one["kept"] for one in stand if one["digest"] == digest), None)
    if found is not None:
        return dict(json.loads(found))
    revision = _revision(scope)
    body = compute()
    _keep(scope, digest, revision, None, body)
    return body


def kept_ids(scope: Scope, digest: str, compute: Callable[[], list[int]], first: int, last: int) -> tuple[list[int], int]:
    """A part of an ordered list of numbers, from the `first` place (from 1) to the `last`, and how long the list is."""
    found = row(
        f"SELECT c.ids[%(first)s:%(last)s] AS ids, cardinality(c.ids) AS total FROM kept_answer c WHERE {_STANDS}",
        **_key(scope, digest),
        first=first,
        last=last,
    )
    if found is not None:
        return list(found["ids"]), int(found["total"])
    revision = _revision(scope)
    ids = compute()
    _keep(scope, digest, revision, ids, None)
    return ids[first - 1 : last], len(ids)


def _key(scope: Scope, digest: str) -> dict[str, Any]:
    return {**_viewer(scope), "digest": digest}


def _viewer(scope: Scope) -> dict[str, Any]:
    return {"study": scope.study_id, "person": scope.viewer.person_id, "day": scope.day}


def _revision(scope: Scope) -> int:
    """Read before anything is computed, so that what a write in between changes is kept under a revision that is past."""
    ask_anew()
    return int(value("SELECT revision FROM study WHERE id = %(study)s", study=scope.study_id))


def _keep(scope: Scope, digest: str, revision: int, ids: list[int] | None, body: dict[str, Any] | None) -> None:
    run(
        """INSERT INTO kept_answer (study_id, person_id, digest, revision, day, ids, body)
           SELECT s.id, %(person)s, %(digest)s, s.revision, %(day)s, %(ids)s::bigint[], %(body)s FROM study s
           WHERE s.id = %(study)s AND s.revision = %(revision)s FOR SHARE OF s
           ON CONFLICT (study_id, person_id, digest) DO UPDATE
           SET revision = excluded.revision, day = excluded.day, ids = excluded.ids, body = excluded.body""",
        **_key(scope, digest),
        revision=revision,
        ids=ids,
        body=None if body is None else Jsonb(body),
    )
    run(
        """DELETE FROM kept_answer WHERE study_id = %(study)s AND person_id = %(person)s AND digest <> %(digest)s
             AND (revision <> %(revision)s OR (SELECT count(*) FROM kept_answer
                  WHERE study_id = %(study)s AND person_id = %(person)s) > %(most)s)""",
        **_key(scope, digest),
        revision=revision,
        most=_MOST,
    )
