"""Candidates of a search, within what the viewer may see; how near they are is told by `core.search`."""

from typing import Any

from tender_ledger.core.days import PartialDay
from tender_ledger.core.search import Sought
from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import like_pattern, rows
from tender_ledger.storage.queries import encounters, plants
from tender_ledger.storage.queries.terms import (
    TERMS,
    THESE_BARRED,
    THESE_TERMS,
    WITH_TERMS,
    allowed,
    parameters,
    report_allowed,
)

_CANDIDATES = 60  # of one kind that are weighed
_WORDS = 500  # reports whose words are looked through for a place in the list
_SHARED = (
    0.3  # of the letters in threes, from which a text is weighed at all: two letters turned round in a short name keep a third
)
# A folded text that holds what is sought, or may be spelt nearly so.
_LIKE = f"({{text}} LIKE %(like)s OR word_similarity(%(sought)s, {{text}}) >= {_SHARED})"


def plants_like(scope: Scope, sought: Sought) -> list[dict[str, Any]]:
    """Plants with a local name or a taxon like it, or with this number: as `plants` gives them, so with the names that the
    viewer may know alone."""
    found = rows(
        f"""WITH named AS (
              SELECT n.plant_id AS id, n.name_fold AS folded FROM local_name n
              WHERE n.study_id = %(study)s AND n.removed_at IS NULL
              UNION ALL SELECT d.plant_id, x.name_fold FROM determination d JOIN taxon own ON own.id = d.taxon_id
              JOIN taxon x ON x.id IN (own.id, own.accepted_id)
              WHERE d.study_id = %(study)s AND d.is_current AND d.removed_at IS NULL),
            near AS (SELECT id, max(word_similarity(%(sought)s, folded)) AS share FROM named
              WHERE {_LIKE.format(text="folded")} GROUP BY id)
            SELECT p.id FROM plant p LEFT JOIN near ON near.id = p.id
            WHERE p.study_id = %(study)s AND p.removed_at IS NULL AND (near.id IS NOT NULL OR p.number = %(number)s)
            ORDER BY near.share DESC NULLS FIRST, p.id""",
        **_asked(scope, sought),
    )
    ids = [one["id"] for one in found]
    if len(ids) > _CANDIDATES:  # then none of the hidden may take the place of another
        hidden = set(plants.hidden_plants(scope))
        ids = [one for one in ids if one not in hidden][:_CANDIDATES]
    return plants.plants(scope, ids) if ids else []


def holders_like(scope: Scope, sought: Sought) -> list[dict[str, Any]]:
    """Holders whom the viewer may see, with a code or a community like it: `code`, `community`."""
    return rows(
        f"""SELECT h.code::text AS code, c.name::text AS community, c.code::text AS community_code FROM holder h
            JOIN community c ON c.id = h.community_id JOIN informant i ON i.holder_id = h.id {TERMS} i.id
            WHERE h.study_id = %(study)s AND {allowed(scope, written_by="h.recorded_by")}
              AND {_LIKE.format(text="lower(h.code)")}
            ORDER BY word_similarity(%(sought)s, lower(h.code)) DESC, h.code LIMIT {_CANDIDATES}""",
        **_asked(scope, sought),
    )


def purposes_like(scope: Scope, sought: Sought) -> list[dict[str, Any]]:
    """Purposes like it that a report bears which the viewer may see: `label`, and that of the `category`."""
    return rows(
        f"""{WITH_TERMS}, near AS MATERIALIZED (
              SELECT id, label::text AS label, category_id, word_similarity(%(sought)s, label_fold) AS share FROM purpose
              WHERE study_id = %(study)s AND {_LIKE.format(text="label_fold")})
            SELECT near.label, l.label::text AS category FROM near CROSS JOIN LATERAL (
              SELECT FROM report_coding k JOIN use_report r ON r.id = k.report_id AND r.removed_at IS NULL
              {THESE_TERMS} r.informant_id
              WHERE k.purpose_id = near.id AND {report_allowed(scope, among=THESE_BARRED)} LIMIT 1) seen
            LEFT JOIN term_label l ON l.term_id = near.category_id AND l.language = 'en'
            ORDER BY near.share DESC, near.label LIMIT {_CANDIDATES}""",
        **_asked(scope, sought),
    )


def words_like(scope: Scope, sought: Sought, *, near: bool) -> list[dict[str, Any]]:
    """Reports that the viewer may see whose words or caution hold it, or with `near` words spelt nearly so: `id`, `words`,
    `caution`, the `encounter`, the `plant` and who told it, the latest first."""
    within = "(r.words ILIKE %(like)s OR r.caution ILIKE %(like)s)"
    if near:
        within = "%(sought)s <%% r.words"  # by the index, from the share of letters that pg_trgm sets
    return rows(
        f"""{WITH_TERMS}, hit AS MATERIALIZED (
              SELECT r.id, r.words, r.caution, r.encounter_id, r.plant_id, r.informant_id FROM use_report r
              {THESE_TERMS} r.informant_id
              WHERE r.study_id = %(study)s AND r.removed_at IS NULL AND {within}
                AND {report_allowed(scope, among=THESE_BARRED)} LIMIT {_WORDS})
            SELECT hit.id, hit.words, hit.caution, e.number AS encounter, 'P-' || lpad(p.number::text, 3, '0') AS plant,
              coalesce(h.code, s.code)::text AS informant
            FROM hit JOIN encounter e ON e.id = hit.encounter_id AND e.removed_at IS NULL
            JOIN plant p ON p.id = hit.plant_id AND p.removed_at IS NULL JOIN informant i ON i.id = hit.informant_id
            LEFT JOIN holder h ON h.id = i.holder_id LEFT JOIN source s ON s.id = i.source_id
            ORDER BY hit.id DESC LIMIT {_CANDIDATES}""",
        **_asked(scope, sought) | {"like": like_pattern(sought.text)},
    )


def encounters_like(scope: Scope, sought: Sought, day: PartialDay | None) -> list[dict[str, Any]]:
    """Encounters that the viewer may know of with a title, a place or a community like it, with this number, or on the day:
    `number`, `title`, `place`, `community`, `day_from`, `day_to`."""
    found = rows(
        f"""SELECT e.id, e.number, e.title, e.place, c.name::text AS community, e.day_from, e.day_to FROM encounter e
            LEFT JOIN community c ON c.id = e.community_id
            WHERE e.study_id = %(study)s AND e.removed_at IS NULL AND (e.number = %(number)s
              OR (e.day_from <= %(last)s AND e.day_to >= %(first)s)
              OR {_LIKE.format(text="lower(concat_ws(' ', e.title, e.place, c.name))")})
            ORDER BY e.day_from DESC NULLS LAST, e.number DESC""",
        first=day.first if day else None,
        last=day.last if day else None,
        **_asked(scope, sought),
    )
    hidden = encounters.hidden_encounters(scope, [one["id"] for one in found]) if found else []
    return [one for one in found if one["id"] not in set(hidden)][:_CANDIDATES]


def _asked(scope: Scope, sought: Sought) -> dict[str, Any]:
    return parameters(scope, sought=sought.folded, like=like_pattern(sought.folded), number=sought.number)
