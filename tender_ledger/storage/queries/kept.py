"""Answers that hold for all who see the same, until something is written in the study, or its day ends."""

import json
from collections.abc import Callable, Collection, Iterator, Mapping
from dataclasses import dataclass
from itertools import chain
from typing import Any

import numpy as np
import numpy.typing as npt
from psycopg.types.json import Jsonb

from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import database, row, rows, run
from tender_ledger.storage.queries.past_counts import (
    RECOUNT_AFTER,
    WITHOUT_TERMS,
    past_counts,
    past_may_be_given,
)
from tender_ledger.storage.queries.sight import Standing, may_be_kept_of, sight_of, standing_of

Ids = npt.NDArray[np.int64]
_OF_VIEWER = """c.study_id = %(study)s AND c.sight = %(sight)s AND c.day = %(day)s
    AND c.revision = (SELECT revision FROM study WHERE id = %(study)s)"""
_STANDS = f"{_OF_VIEWER} AND c.digest = %(digest)s"
_PACKED, _WIDTH = ">i8", 8  # how a list of numbers is kept: packed, which is written twenty times as fast as an array
_MOST = 200  # answers of one sight that are kept
_SMALL = 500_000  # bytes, as the database stores them, of a body that is read with the others
_BODIES = f"""SELECT c.digest, c.sight, c.revision, c.revision = s.revision AS stands, c.by_part, c.kept_at,
    c.kept_at > now() - make_interval(secs => {RECOUNT_AFTER}) AS recent, c.body::text AS kept FROM kept_answer c
    JOIN study s ON s.id = c.study_id
    WHERE c.study_id = %(study)s AND c.sight = %(sight)s AND c.day = %(day)s AND c.body IS NOT NULL"""


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
REPORTS = Parts({"use_report": "ARRAY[c.record_id]"}, renewed_by=frozenset({"encounter", "plant", "determination"}))
ENCOUNTERS = Parts({"use_report": _both("encounter_id")})
_MOST_PLACED = 100  # reports that are put in their places in a list; with more it is ordered anew
_MOST_CHANGES = 500  # with more of them since, asking for everything is quicker


def kept_body(scope: Scope, digest: str, compute: Callable[[], dict[str, Any]]) -> dict[str, Any]:
    """A small answer of JSON values, computed when it is not kept. A page takes several: all that stand are read at once."""
    bodies = chain(_kept(scope), _large(scope, digest))
    found = next((one for one in bodies if one["digest"] == digest), None)
    if found is not None and (found["stands"] or _may_be_shown(scope, found, own_reports=True)):
        return dict(json.loads(found["kept"]))
    now = standing_of(scope)
    body = compute()
    _keep(scope, digest, now, None, body)
    return body


def _may_be_shown(scope: Scope, found: dict[str, Any], *, own_reports: bool = False) -> bool:
    """Whether an answer of before the last reports may be given; it is noted then."""
    past = past_counts()
    if past is None or not found["recent"]:
        return False
    if not past_may_be_given(scope, found["revision"], found["kept_at"], own_reports=own_reports):
        return False
    past.give_past(found["kept_at"])
    return True


def kept_ids(scope: Scope, digest: str, order: Callable[[list[int] | None], Ids], first: int, last: int) -> tuple[list[int], int]:
    """A part of an ordered list of reports, from the `first` place (from 1) to the `last`, and how long the list is.

    `order` gives those of some reports that are of the list, or all of it (None), in order. After reports were written they
    are put in their places; after anything else that the list may depend on it is ordered anew.
    """
    found = row(
        f"""SELECT substring(c.packed FROM %(from)s FOR %(size)s) AS packed, octet_length(c.packed) / {_WIDTH} AS total
            FROM kept_answer c WHERE {_STANDS}""",
        **_key(scope, digest),
        **{"from": (first - 1) * _WIDTH + 1, "size": (last - first + 1) * _WIDTH},
    )
    if found is not None:
        return np.frombuffer(found["packed"], dtype=_PACKED).tolist(), int(found["total"])
    now = standing_of(scope)
    ids = _ordered(scope, digest, now, order)
    _keep(scope, digest, now, ids.astype(_PACKED).tobytes(), None)
    return ids[first - 1 : last].tolist(), len(ids)


def _ordered(scope: Scope, digest: str, now: Standing, order: Callable[[list[int] | None], Ids]) -> Ids:
    """The whole list (reports,): the one kept before with the changed reports in their places, or ordered anew."""
    found = row(
        """SELECT c.packed, c.revision FROM kept_answer c WHERE c.study_id = %(study)s AND c.sight = %(sight)s
             AND c.digest = %(digest)s AND c.day = %(day)s""",
        **_key(scope, digest, now.sight),
    )
    if found is None or database.in_transaction():
        return order(None)
    changed = _changed_parts(scope, REPORTS, found["revision"], now.revision)
    if changed is None or len(changed) > _MOST_PLACED:
        return order(None)
    before = np.frombuffer(found["packed"], dtype=_PACKED).astype(np.int64)
    placed = with_changed(before, changed, order)
    return order(None) if placed is None else placed


def with_changed(before: Ids, changed: Collection[int], order: Callable[[list[int] | None], Ids]) -> Ids | None:
    """An ordered list (reports,) with some reports taken out and put in where `order` has them now.

    It is asked of two short lists instead of the whole: every so many reports, and those between two of them. None where the
    rest of the list is not as it was.
    """
    rest = before[~np.isin(before, list(changed))]
    placed = order(sorted(changed))
    if not len(placed) or not len(rest):
        return placed if not len(rest) else rest
    step = max(int(len(rest) ** 0.5), 1)
    posts = rest[::step]
    among = order([*posts.tolist(), *placed.tolist()])
    is_post = np.isin(among, posts)
    if int(is_post.sum()) != len(posts) or not np.array_equal(among[is_post], posts):
        return None
    # How many posts stand before each of the placed reports; they go into the stretch that begins with the last of these.
    stretch = np.cumsum(is_post)[~is_post]
    pieces: list[Ids] = [among[~is_post][stretch == 0]]
    last = 0
    for number in np.unique(stretch[stretch > 0]).tolist():
        begin, end = (number - 1) * step, number * step
        own = among[~is_post][stretch == number]
        pieces += [rest[last:begin], order([*rest[begin:end].tolist(), *own.tolist()])]
        if len(pieces[-1]) != len(rest[begin:end]) + len(own):
            return None
        last = end
    return np.concatenate([*pieces, rest[last:]])


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
    if there is not None and (there["stands"] or _may_be_shown(scope, there)):
        return known
    now = standing_of(scope)
    if there is not None and there["sight"] != now.sight:
        there = None
    changed = None if there is None else _changed_parts(scope, parts, there["revision"], now.revision)
    if changed is None:
        known = compute(None)
    elif changed:
        known = {key: one for key, one in known.items() if key not in changed} | compute(sorted(changed))
    _keep(scope, digest, now, None, known, by_part=True)
    return known


def _kept(scope: Scope) -> list[dict[str, Any]]:
    """The bodies that are kept for who sees the same, small ones all at once, since a page takes several: those that
    stand, and those of before, in which only parts may have to be asked anew or which a page may allow."""
    return rows(f"{_BODIES} AND pg_column_size(c.body) < {_SMALL}", **_viewer(scope))


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
    if len(found) > _MOST_CHANGES or not every_act or any(one["entity"] not in WITHOUT_TERMS - parts.renewed_by for one in found):
        return None
    return {key for one in found for key in one["parts"] or () if key is not None}


def _key(scope: Scope, digest: str, sight: str = "") -> dict[str, Any]:
    return {**_viewer(scope, sight), "digest": digest}


def _viewer(scope: Scope, sight: str = "") -> dict[str, Any]:
    return {"study": scope.study_id, "sight": sight or sight_of(scope), "day": scope.day}


def _keep(
    scope: Scope, digest: str, now: Standing, packed: bytes | None, body: Mapping[Any, Any] | None, *, by_part: bool = False
) -> None:
    with database.atomic():
        if not may_be_kept_of(scope, now):
            return
        run(
            """INSERT INTO kept_answer (study_id, sight, digest, revision, day, packed, body, by_part)
               VALUES (%(study)s, %(sight)s, %(digest)s, %(revision)s, %(day)s, %(packed)s::bytea, %(body)s, %(by_part)s)
               ON CONFLICT (study_id, sight, digest) DO UPDATE
               SET revision = excluded.revision, day = excluded.day, packed = excluded.packed, body = excluded.body,
                 kept_at = now()""",
            **_key(scope, digest, now.sight),
            revision=now.revision,
            packed=packed,
            body=None if body is None else Jsonb(body),
            by_part=by_part,
        )
    if by_part:
        return
    run(
        """DELETE FROM kept_answer WHERE study_id = %(study)s AND sight = %(sight)s AND digest <> %(digest)s AND NOT by_part
             AND (revision <> %(revision)s AND kept_at < now() - interval '10 minutes' OR (SELECT count(*) FROM kept_answer
                  WHERE study_id = %(study)s AND sight = %(sight)s AND NOT by_part) > %(most)s)""",
        **_key(scope, digest, now.sight),
        revision=now.revision,
        most=_MOST,
    )
