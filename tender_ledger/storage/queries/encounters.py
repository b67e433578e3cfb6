"""Encounters that the viewer may know of, and who was present."""

import json
from collections.abc import Sequence
from typing import Any

from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import row, rows
from tender_ledger.storage.queries.kept import ENCOUNTERS, kept_by_part
from tender_ledger.storage.queries.terms import (
    TERMS,
    THESE_BARRED,
    THESE_TERMS,
    WITH_TERMS,
    allowed,
    narrowed,
    parameters,
    report_allowed,
)

# An encounter is known by its people: it is hidden when it had some and none of them may be seen. Whoever opened it still
# reaches it while somebody in it may be recorded, or what is told on narrow terms could not be written down at all.
_SHOWN = """(there.shown OR (e.recorded_by = %(person)s AND there.recordable)
    OR NOT EXISTS (SELECT FROM encounter_informant x WHERE x.encounter_id = e.id))"""


def _there(scope: Scope, number: int | None = None, which: str = "") -> str:
    """CTEs `terms`, `wanted` (encounters, one by its number, or those that are `which`) and `there`, who of their people may
    be seen."""
    seen = allowed(scope, written_by="e.recorded_by")
    return f"""{WITH_TERMS}, wanted AS (
            SELECT * FROM encounter WHERE study_id = %(study)s AND removed_at IS NULL
              {narrowed(number=("number", number))} {which}),
        there AS (SELECT x.encounter_id, bool_or({seen}) AS shown, bool_or(t.may_record AND NOT t.sealed) AS recordable,
                array_agg(coalesce(h.code, s.code)::text ORDER BY coalesce(h.code, s.code)) FILTER (WHERE {seen}) AS codes
            FROM wanted e JOIN encounter_informant x ON x.encounter_id = e.id JOIN informant i ON i.id = x.informant_id
            {THESE_TERMS} i.id LEFT JOIN holder h ON h.id = i.holder_id LEFT JOIN source s ON s.id = i.source_id
            GROUP BY x.encounter_id)"""


def hidden_encounters(scope: Scope, among: Sequence[int] | None = None) -> list[int]:
    """The identities of encounters, of all or of some, that the viewer may not know of."""
    which = "" if among is None else "AND id = ANY(%(among)s)"
    found = rows(
        f"""{_there(scope, which=which)}
            SELECT e.id FROM wanted e LEFT JOIN there ON there.encounter_id = e.id WHERE {_SHOWN} IS NOT TRUE""",
        **parameters(scope, **({} if among is None else {"among": list(among)})),
    )
    return [one["id"] for one in found]


def _report_numbers(scope: Scope, which: str) -> str:
    """The statement that counts the reports shown of the encounters that are `which`; it begins WITH_TERMS."""
    return f"""SELECT r.encounter_id, count(*) AS n FROM use_report r {THESE_TERMS} r.informant_id
        WHERE r.study_id = %(study)s AND r.removed_at IS NULL AND {report_allowed(scope, among=THESE_BARRED)} AND {which}
        GROUP BY r.encounter_id"""


def _kept_report_numbers(scope: Scope) -> dict[int, int]:
    """How many reports of each encounter are shown."""

    def compute(ids: list[int] | None) -> dict[int, int]:
        which = "true" if ids is None else "r.encounter_id = ANY(%(encounters)s)"
        found = rows(f"{WITH_TERMS} {_report_numbers(scope, which)}", **parameters(scope, encounters=ids))
        return {one["encounter_id"]: one["n"] for one in found}

    return kept_by_part(scope, f"reports of encounters {scope.purpose}", ENCOUNTERS, compute)


def _encounters(scope: Scope, number: int | None = None) -> str:
    """Encounters that the viewer may know of, each with the codes of the people and the number of the reports shown; of all
    encounters the numbers are those that are kept."""
    told = "SELECT key::bigint AS encounter_id, value::bigint AS n FROM jsonb_each_text(%(kept)s::jsonb)"
    if number is not None:
        told = _report_numbers(scope, "r.encounter_id IN (SELECT id FROM wanted)")
    return f"""{_there(scope, number)}, told AS ({told})
        SELECT e.id, e.number, e.kind, e.title, e.day_from, e.day_to, e.approximate, e.interpreter, e.version, e.community_id,
            e.place, e.latitude, e.longitude,
            e.language_id, coalesce(c.name, '') AS community, l.name AS language, l.code AS language_code,
            coalesce(there.codes, '{{}}') AS informants, coalesce(told.n, 0) AS reports
        FROM wanted e LEFT JOIN there ON there.encounter_id = e.id LEFT JOIN told ON told.encounter_id = e.id
        LEFT JOIN community c ON c.id = e.community_id LEFT JOIN language l ON l.id = e.language_id
        WHERE {_SHOWN}"""


def encounters(scope: Scope) -> list[dict[str, Any]]:
    """The encounters, the latest first, those of unknown day last."""
    kept = json.dumps(_kept_report_numbers(scope))
    return rows(f"{_encounters(scope)} ORDER BY e.day_from DESC NULLS LAST, e.number DESC", **parameters(scope, kept=kept))


def encounter(scope: Scope, number: int) -> dict[str, Any] | None:
    return row(_encounters(scope, number), **parameters(scope, number=number))


def titles_of(scope: Scope, numbers: Sequence[int]) -> dict[int, str]:
    """The titles of those of the encounters that the viewer may know of, by number."""
    found = rows(
        """SELECT id, number, title::text AS title FROM encounter
           WHERE study_id = %(study)s AND removed_at IS NULL AND number = ANY(%(numbers)s)""",
        study=scope.study_id,
        numbers=list(numbers),
    )
    hidden = set(hidden_encounters(scope, [one["id"] for one in found])) if found else set()
    return {one["number"]: one["title"] for one in found if one["id"] not in hidden}


def present(scope: Scope, encounter_id: int) -> list[dict[str, Any]]:
    """The informants of an encounter whom the viewer may see, with their terms of the day."""
    return rows(
        f"""SELECT i.id AS informant_id, i.holder_id, coalesce(h.code, s.code) AS code, x.part,
                  t.on_file, t.may_record, t.may_count, t.may_show, t.may_publish_aggregate,
                  t.may_publish_rows, s.id IS NOT NULL AS is_source
           FROM encounter_informant x JOIN encounter e ON e.id = x.encounter_id
           JOIN informant i ON i.id = x.informant_id {TERMS} i.id
           LEFT JOIN holder h ON h.id = i.holder_id LEFT JOIN source s ON s.id = i.source_id
           WHERE x.study_id = %(study)s AND x.encounter_id = %(encounter)s
             AND {allowed(scope, written_by="e.recorded_by")} ORDER BY x.part DESC, code""",
        **parameters(scope, encounter=encounter_id),
    )


def tellers_not_shown(scope: Scope, encounter_id: int) -> list[dict[str, Any]]:
    """Tellers who may be recorded and whom the viewer may not see: only to take a code that was typed whole, never to list."""
    return rows(
        f"""SELECT i.id AS informant_id, i.holder_id, h.code FROM encounter_informant x JOIN encounter e ON e.id = x.encounter_id
            JOIN informant i ON i.id = x.informant_id {TERMS} i.id JOIN holder h ON h.id = i.holder_id
            WHERE x.study_id = %(study)s AND x.encounter_id = %(encounter)s AND x.part = 'teller' AND t.may_record
              AND NOT t.sealed AND NOT {allowed(scope, written_by="e.recorded_by")}""",
        **parameters(scope, encounter=encounter_id),
    )


def community_of_informants(scope: Scope, informant_ids: Sequence[int]) -> int | None:
    """The community that all of these informants are of; None where they are of several, or nobody is named."""
    found = rows(
        """SELECT DISTINCT coalesce(h.community_id, s.community_id) AS community FROM informant i
           LEFT JOIN holder h ON h.id = i.holder_id LEFT JOIN source s ON s.id = i.source_id
           WHERE i.study_id = %(study)s AND i.id = ANY(%(informants)s)""",
        study=scope.study_id,
        informants=list(informant_ids),
    )
    return found[0]["community"] if len(found) == 1 else None
