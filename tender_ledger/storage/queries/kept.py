"""Answers that hold for one viewer until something is written in the study, or its day ends."""

import json
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from itertools import chain
from typing import Any

import numpy as np
import numpy.typing as npt
from psycopg.types.json import Jsonb

from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import ask_anew, database, row, rows, run, value

Ids = npt.NDArray[np.int64]
_OF_VIEWER = """c.study_id = %(study)s AND c.person_id = %(person)s AND c.day = %(day)s
    AND c.revision = (SELECT revision FROM study WHERE id = %(study)s)"""
_STANDS = f"{_OF_VIEWER} AND c.digest = %(digest)s"
_PACKED, _WIDTH = ">i8", 8  # how a list of numbers is kept: packed, which is written twenty times as fast as an array
_MOST = 60  # answers of one person that are kept
_SMALL = 500_000  # bytes, as the database stores them, of a body that is read with the others
_BODIES = """SELECT c.digest, c.revision, c.revision = s.revision AS stands, c.body::text AS kept FROM kept_answer c
    JOIN study s ON s.id = c.study_id
    WHERE c.study_id = %(study)s AND c.person_id = %(person)s AND c.day = %(day)s AND c.body IS NOT NULL"""


def _both(column: str) -> str:
    """A column of a record as a change left it, and as it was before."""
    return f"ARRAY[(c.before->>'{column}')::bigint, (c.after->>'{column}')::bigint]"


@dataclass(frozen=True)
class Parts:
    """What an answer has a value for each of: by entity the SQL of the parts (an array of ids) that a change `c` is of, and the
    entities of which any change renews all of it."""

    of: Mapping[str, str]
    renewed_by: frozenset[str] = frozenset()


_OF_NAMES = """ARRAY(SELECT n.plant_id FROM local_name n
    WHERE n.id IN ((c.before->>'local_name_id')::bigint, (c.after->>'local_name_id')::bigint))"""
_OF_TELLERS = """ARRAY(SELECT DISTINCT r.informant_id FROM use_report r
    WHERE r.plant_id IN ((c.before->>'plant_id')::bigint, (c.after->>'plant_id')::bigint))"""
PLANTS = Parts(
    {"use_report": _both("plant_id"), "asking": _both("plant_id"), "local_name": _both("plant_id"), "attestation": _OF_NAMES,
     "plant": "ARRAY[c.record_id]"}
)  # fmt: skip
INFORMANTS = Parts({"use_report": _both("informant_id")})
# What an informant told, with what it is told of: a determination or a plant taken back is of all who told of the plant.
INFORMANTS_AND_TAXA = Parts(
    {"use_report": _both("informant_id"), "determination": _OF_TELLERS,
     "plant": "ARRAY(SELECT DISTINCT r.informant_id FROM use_report r WHERE r.plant_id = c.record_id)"},
    renewed_by=frozenset({"caution"}),
)  # fmt: skip
ENCOUNTERS = Parts({"use_report": _both("encounter_id")})
# Entities that say nothing of who may see or count what; a change of any other renews the whole answer.
_WITHOUT_TERMS = frozenset(
    {"use_report", "asking", "attestation", "local_name", "plant", "encounter", "determination", "picture", "specimen",
     "feature", "free_list", "property_claim", "plant_link", "worklist_mark", "caution"}
)  # fmt: skip
_MOST_CHANGES = 500  # with more of them since, asking for everything is quicker


def kept_body(scope: Scope, digest: str, compute: Callable[[], dict[str, Any]]) -> dict[str, Any]:
    """A small answer of JSON values, computed when it is not kept. A page takes several: all that stand are read at once."""
    bodies = chain(_kept(scope), _large(scope, digest))
    found = next((one["kept"] for one in bodies if one["digest"] == digest and one["stands"]), None)
    if found is not None:
        return dict(json.loads(found))
    revision = _revision(scope)
    body = compute()
    _keep(scope, digest, revision, None, body)
    return body


def kept_ids(scope: Scope, digest: str, compute: Callable[[], Ids], first: int, last: int) -> tuple[list[int], int]:
    """A part of an ordered list of numbers, from the `first` place (from 1) to the `last`, and how long the list is."""
    found = row(
        f"""SELECT substring(c.ids FROM %(from)s FOR %(size)s) AS ids, octet_length(c.ids) / {_WIDTH} AS total
            FROM kept_answer c WHERE {_STANDS}""",
        **_key(scope, digest),
        **{"from": (first - 1) * _WIDTH + 1, "size": (last - first + 1) * _WIDTH},
    )
    if found is not None:
        return np.frombuffer(found["ids"], dtype=_PACKED).tolist(), int(found["total"])
    revision = _revision(scope)
    ids = compute()
    _keep(scope, digest, revision, ids.astype(_PACKED).tobytes(), None)
    return ids[first - 1 : last].tolist(), len(ids)


def kept_by_part(
    scope: Scope, digest: str, parts: Parts, compute: Callable[[list[int] | None], dict[int, Any]]
) -> dict[int, Any]:
    """A JSON value of each part of the study (by its id) that has one, as far as the viewer may see.

    After reports were written, `compute` is asked for the parts that they are of, else for all of them (None): after a
    change of the terms or of anything else that may bear on what is seen. Within a transaction nothing is kept, since what
    it wrote has no revision yet.
    """
    if database.in_transaction():
        return compute(None)
    there = next((one for one in chain(_kept(scope), _large(scope, digest)) if one["digest"] == digest), None)
    known = {} if there is None else {int(key): one for key, one in json.loads(there["kept"]).items()}
    if there is not None and there["stands"]:
        return known
    revision = _revision(scope)
    changed = None if there is None else _changed_parts(scope, parts, there["revision"], revision)
    if changed is None:
        known = compute(None)
    elif changed:
        known = {key: one for key, one in known.items() if key not in changed} | compute(sorted(changed))
    _keep(scope, digest, revision, None, known, by_part=True)
    return known


def _kept(scope: Scope) -> list[dict[str, Any]]:
    """The bodies that are kept for the viewer, small ones all at once, since a page takes several: those that stand, and
    those by part."""
    return rows(
        f"""{_BODIES} AND pg_column_size(c.body) < {_SMALL} AND (c.by_part OR c.revision = s.revision)""", **_viewer(scope)
    )


def _large(scope: Scope, digest: str) -> Iterator[dict[str, Any]]:
    """A body by part that is no small one; asked for only where it is looked for."""
    yield from rows(f"{_BODIES} AND pg_column_size(c.body) >= {_SMALL} AND c.digest = %(digest)s", **_key(scope, digest))


def _changed_parts(scope: Scope, parts: Parts, since: int, until: int) -> set[int] | None:
    """The parts that the changes between two revisions are of; None where they may bear on every part."""
    cases = " ".join(f"WHEN '{entity}' THEN {sql}" for entity, sql in parts.of.items())
    found = rows(
        f"""SELECT a.revision, c.entity::text AS entity, CASE c.entity {cases} END AS parts
            FROM act a JOIN change c ON c.act_id = a.id
            WHERE a.study_id = %(study)s AND a.revision > %(since)s AND a.revision <= %(until)s LIMIT %(most)s""",
        study=scope.study_id,
        since=since,
        until=until,
        most=_MOST_CHANGES + 1,
    )
    every_act = len({one["revision"] for one in found}) == until - since
    if (
        len(found) > _MOST_CHANGES
        or not every_act
        or any(one["entity"] not in _WITHOUT_TERMS - parts.renewed_by for one in found)
    ):
        return None
    return {key for one in found for key in one["parts"] or () if key is not None}


def _key(scope: Scope, digest: str) -> dict[str, Any]:
    return {**_viewer(scope), "digest": digest}


def _viewer(scope: Scope) -> dict[str, Any]:
    return {"study": scope.study_id, "person": scope.viewer.person_id, "day": scope.day}


def _revision(scope: Scope) -> int:
    """Read before anything is computed, so that what a write in between changes is kept under a revision that is past."""
    ask_anew()
    return int(value("SELECT revision FROM study WHERE id = %(study)s", study=scope.study_id))


def _keep(
    scope: Scope, digest: str, revision: int, ids: bytes | None, body: Mapping[Any, Any] | None, *, by_part: bool = False
) -> None:
    run(
        """INSERT INTO kept_answer (study_id, person_id, digest, revision, day, ids, body, by_part)
           SELECT s.id, %(person)s, %(digest)s, s.revision, %(day)s, %(ids)s::bytea, %(body)s, %(by_part)s FROM study s
           WHERE s.id = %(study)s AND s.revision = %(revision)s FOR SHARE OF s
           ON CONFLICT (study_id, person_id, digest) DO UPDATE
           SET revision = excluded.revision, day = excluded.day, ids = excluded.ids, body = excluded.body""",
        **_key(scope, digest),
        revision=revision,
        ids=ids,
        body=None if body is None else Jsonb(body),
        by_part=by_part,
    )
    if by_part:
        return
    run(
        """DELETE FROM kept_answer WHERE study_id = %(study)s AND person_id = %(person)s AND digest <> %(digest)s AND NOT by_part
             AND (revision <> %(revision)s OR (SELECT count(*) FROM kept_answer
                  WHERE study_id = %(study)s AND person_id = %(person)s AND NOT by_part) > %(most)s)""",
        **_key(scope, digest),
        revision=revision,
        most=_MOST,
    )
