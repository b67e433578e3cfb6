"""Plants with the names and determinations that the viewer may see."""

import json
from collections.abc import Sequence
from typing import Any

from tender_ledger.core.terms import Scope
from tender_ledger.core.text import LARGEST_NUMBER, fold
from tender_ledger.storage.database import row, rows, value
from tender_ledger.storage.queries.kept import PLANTS, kept_by_part
from tender_ledger.storage.queries.terms import (
    THESE_BARRED,
    THESE_BARS,
    THESE_TERMS,
    WITH_TERMS,
    parameters,
    report_allowed,
    telling_allowed,
)

# A plant that came with a telling is known by what was told of it: it is hidden when none of it may be seen. Whoever entered it
# still reaches it while somebody who told of it may be recorded, as with an encounter.
_SHOWN = """(coalesce(known.shown, false) OR NOT p.told OR NOT coalesce(known.hidden, false) OR (known.recordable AND EXISTS (
    SELECT FROM change made JOIN act a ON a.id = made.act_id AND a.person_id = %(person)s
    WHERE made.study_id = %(study)s AND made.entity = 'plant' AND made.record_id = p.id AND made.before IS NULL)))"""


def _tellings(scope: Scope, which: str) -> str:
    """CTEs of what people told of the plants that are `which` and what of it may be seen: `wanted` (the plants), `telling` (every
    report, asking and name), `known` (by plant) and `heard` (by local name: how many attested it, whether they are seen)."""
    report = report_allowed(scope, among=THESE_BARRED)
    asking = telling_allowed(scope, informant="a.informant_id", plant="a.plant_id", written_by="a.recorded_by", among=THESE_BARS)
    name = telling_allowed(scope, informant="a.informant_id", plant="n.plant_id", written_by="e.recorded_by", among=THESE_BARS)
    recordable = "t.may_record AND NOT t.sealed AS recordable"
    return f"""{WITH_TERMS}, wanted AS (
            SELECT * FROM plant WHERE study_id = %(study)s AND removed_at IS NULL AND {which}),
        telling AS (
            SELECT r.plant_id, NULL::bigint AS name_id, true AS is_report, r.removed_at IS NULL AS live, {report} AS seen,
                {recordable}
            FROM use_report r JOIN wanted w ON w.id = r.plant_id {THESE_TERMS} r.informant_id
            UNION ALL SELECT a.plant_id, NULL, false, a.removed_at IS NULL, {asking}, {recordable}
            FROM asking a JOIN wanted w ON w.id = a.plant_id {THESE_TERMS} a.informant_id
            UNION ALL SELECT n.plant_id, n.id, false, a.removed_at IS NULL AND n.removed_at IS NULL, {name}, {recordable}
            FROM local_name n JOIN wanted w ON w.id = n.plant_id JOIN attestation a ON a.local_name_id = n.id
            JOIN encounter e ON e.id = a.encounter_id {THESE_TERMS} a.informant_id),
        known AS (SELECT plant_id, bool_or(seen AND live) AS shown, bool_or(NOT seen) AS hidden,
                    bool_or(recordable) AS recordable, count(*) FILTER (WHERE is_report AND seen AND live) AS reports
            FROM telling GROUP BY plant_id),
        heard AS (SELECT plant_id, name_id, count(*) FILTER (WHERE seen AND live) AS attested,
                    bool_or(seen) FILTER (WHERE live) AS seen, bool_or(seen) AS ever_seen
            FROM telling WHERE name_id IS NOT NULL GROUP BY plant_id, name_id)"""


# The same CTEs of all plants, out of what is kept of them in `kept`.
_KEPT_TELLINGS = """WITH wanted AS (SELECT * FROM plant WHERE study_id = %(study)s AND removed_at IS NULL
          AND (%(ids)s::bigint[] IS NULL OR id = ANY(%(ids)s))),
        kept AS MATERIALIZED (SELECT key::bigint AS plant_id, value FROM jsonb_each(%(kept)s::jsonb)),
        known AS (SELECT plant_id, (value->>0)::boolean AS shown, (value->>1)::boolean AS hidden,
                    (value->>2)::boolean AS recordable, (value->>3)::bigint AS reports FROM kept),
        heard AS (SELECT k.plant_id, (name->>0)::bigint AS name_id, (name->>1)::bigint AS attested,
                    (name->>2)::boolean AS seen, (name->>3)::boolean AS ever_seen
            FROM kept k, jsonb_array_elements(k.value->4) name)"""


def _kept_tellings(scope: Scope, ids: Sequence[int] | None = None) -> dict[str, Any]:
    """The values of _KEPT_TELLINGS, of all plants or of those in `ids`.

    Kept is what is known of each plant of which anything was told: whether some of it is seen, hidden, may be recorded; the
    number of reports seen; and of each name heard its number, how many attested it, and whether some who do, or ever did, are
    seen.
    """

    def compute(ids: list[int] | None) -> dict[int, Any]:
        which = "true" if ids is None else "id = ANY(%(plants)s)"
        found = rows(
            f"""{_tellings(scope, which)}
                SELECT k.plant_id,
                    json_build_array(k.shown, k.hidden, k.recordable, k.reports, coalesce(h.names, '[]')) AS of_plant
                FROM known k LEFT JOIN (
                    SELECT plant_id, json_agg(json_build_array(name_id, attested, seen, ever_seen) ORDER BY name_id) AS names
                    FROM heard GROUP BY plant_id) h ON h.plant_id = k.plant_id""",
            **parameters(scope, plants=ids),
        )
        return {one["plant_id"]: one["of_plant"] for one in found}

    known = kept_by_part(scope, f"tellings of plants {scope.purpose}", PLANTS, compute)
    if ids is not None:
        known = {one: known[one] for one in ids if one in known}
    return parameters(scope, kept=json.dumps(known), ids=None if ids is None else list(ids))


def _plants(tellings: str) -> str:
    """Plants with their local names, most attested first; a name that only hidden holders used is hidden with them."""
    return f"""{tellings},
        names AS (SELECT n.id, n.version, n.plant_id, n.name, n.gloss, l.code AS code,
                l.name || coalesce(', ' || dl.name, '') AS language, coalesce(heard.attested, 0) AS attested
            FROM local_name n JOIN wanted w ON w.id = n.plant_id LEFT JOIN language l ON l.id = n.language_id
            LEFT JOIN dialect dl ON dl.id = n.dialect_id LEFT JOIN heard ON heard.name_id = n.id
            WHERE n.removed_at IS NULL AND (NOT n.told OR heard.seen IS NOT FALSE)),
        listed AS (SELECT plant_id, json_agg(json_build_object('id', id, 'version', version, 'name', name,
                     'language', language, 'code', code, 'gloss', gloss,
                     'attested', attested) ORDER BY attested DESC, id) AS names FROM names GROUP BY plant_id)
        SELECT p.id, p.number, 'P-' || lpad(p.number::text, 3, '0') AS field_number, p.growth_form, p.remarks, p.version,
            p.habitat, p.origin, p.management, p.stage_id,
            (SELECT l.label::text FROM term_label l WHERE l.term_id = p.stage_id AND l.language = 'en') AS stage,
            coalesce(listed.names, '[]') AS names,
            d.id AS determination_id, d.qualifier, d.basis AS determination_basis, d.confidence, d.determiner,
            d.determined_on, x.name AS taxon, x.authorship, x.rank, x.family,
            EXISTS (SELECT FROM checklist c WHERE c.id = x.checklist_id AND c.study_id IS NOT NULL
                AND NOT EXISTS (SELECT FROM study_checklist b WHERE b.checklist_id = c.id)) AS unlisted,
            acc.name AS accepted, acc.authorship AS accepted_authorship, coalesce(known.reports, 0) AS reports
        FROM wanted p LEFT JOIN listed ON listed.plant_id = p.id LEFT JOIN known ON known.plant_id = p.id
        LEFT JOIN determination d ON d.plant_id = p.id AND d.is_current AND d.removed_at IS NULL
        LEFT JOIN taxon x ON x.id = d.taxon_id LEFT JOIN taxon acc ON acc.id = x.accepted_id
        WHERE {_SHOWN}"""


def local_name(scope: Scope, name_id: int) -> dict[str, Any] | None:
    """A local name by its number, where the viewer may know of its plant and of it: version, plant (its number)."""
    found = row(
        """SELECT n.id, n.version, p.number AS plant FROM local_name n JOIN plant p ON p.id = n.plant_id
           WHERE n.study_id = %(study)s AND n.id = %(name)s AND n.removed_at IS NULL AND p.removed_at IS NULL""",
        study=scope.study_id,
        name=name_id,
    )
    of = plant(scope, found["plant"]) if found else None
    return found if of and any(one["id"] == name_id for one in of["names"]) else None


def hidden_plants(scope: Scope) -> list[int]:
    """The identities of plants that the viewer may not know of."""
    return hidden_plants_and_names(scope)[0]


def hidden_plants_and_names(scope: Scope) -> tuple[list[int], list[int]]:
    """The identities of plants that the viewer may not know of, and of local names that came with people who used them, none of
    whom the viewer may see."""
    found = row(
        f"""{_KEPT_TELLINGS}
            SELECT ARRAY(SELECT p.id FROM wanted p LEFT JOIN known ON known.plant_id = p.id WHERE {_SHOWN} IS NOT TRUE) AS plants,
                ARRAY(SELECT n.id FROM local_name n JOIN heard ON heard.name_id = n.id
                    WHERE n.study_id = %(study)s AND n.told AND NOT heard.ever_seen) AS names""",
        **_kept_tellings(scope),
    )
    assert found is not None
    return list(found["plants"]), list(found["names"])


def count_undetermined(scope: Scope) -> int:
    """How many plants without a determination there are, of those the viewer may know of."""
    found = value(
        f"""{_KEPT_TELLINGS} SELECT count(*) FROM wanted p LEFT JOIN known ON known.plant_id = p.id
            WHERE {_SHOWN} AND NOT EXISTS (SELECT FROM determination d WHERE d.plant_id = p.id AND d.is_current
              AND d.taxon_id IS NOT NULL AND d.removed_at IS NULL)""",
        **_kept_tellings(scope),
    )
    return int(found)


def plants(scope: Scope, ids: Sequence[int] | None = None) -> list[dict[str, Any]]:
    """All plants, or those of some identities, in the order of their field numbers."""
    return rows(f"{_plants(_KEPT_TELLINGS)} ORDER BY p.number", **_kept_tellings(scope, ids))


def plant(scope: Scope, number: int) -> dict[str, Any] | None:
    if number > LARGEST_NUMBER:
        return None
    return row(_plants(_tellings(scope, "number = %(number)s")), **parameters(scope, number=number))


def id_of_number(scope: Scope, number: int) -> int | None:
    """The plant that bears a field number, where the viewer may know of it."""
    found = plant(scope, number)
    return found["id"] if found else None


def determinations(scope: Scope, plant_id: int) -> list[dict[str, Any]]:
    """The determinations of a plant, the latest first."""
    return rows(
        """SELECT d.*, x.name AS taxon, x.authorship, x.rank, acc.name AS accepted FROM determination d
           LEFT JOIN taxon x ON x.id = d.taxon_id LEFT JOIN taxon acc ON acc.id = x.accepted_id
           WHERE d.study_id = %(study)s AND d.plant_id = %(plant)s AND d.removed_at IS NULL ORDER BY d.id DESC""",
        study=scope.study_id,
        plant=plant_id,
    )


def near_names(scope: Scope, name: str, limit: int = 3) -> list[dict[str, Any]]:
    """Names of plants that are spelt nearly like this one, the nearest first: the plant's number, the name, how near (0 to 1).

    Near is by the letters in threes that two folds share (pg_trgm). What the viewer may not know of is not in it.
    """
    hidden, hidden_names = hidden_plants_and_names(scope)
    return rows(
        """SELECT DISTINCT ON (near, p.number) p.number, n.name::text, similarity(n.name_fold, %(fold)s) AS near
           FROM local_name n JOIN plant p ON p.id = n.plant_id
           WHERE n.study_id = %(study)s AND n.removed_at IS NULL AND p.removed_at IS NULL
             AND similarity(n.name_fold, %(fold)s) >= 0.4 AND n.name_fold <> %(fold)s
             AND NOT n.id = ANY(%(names)s) AND NOT p.id = ANY(%(plants)s)
           ORDER BY near DESC, p.number LIMIT %(limit)s""",
        study=scope.study_id, fold=fold(name), plants=hidden, names=hidden_names, limit=limit,
    )  # fmt: skip


def features(scope: Scope, plant_id: int) -> list[dict[str, Any]]:
    """What was measured of a plant. The caller has shown that the plant may be seen."""
    return rows(
        """SELECT id, character, low, high, unit, approximate, words, version FROM feature
           WHERE study_id = %(study)s AND plant_id = %(plant)s AND removed_at IS NULL ORDER BY character, id""",
        study=scope.study_id,
        plant=plant_id,
    )


def plant_of_feature(scope: Scope, feature_id: int) -> int | None:
    """The number of the plant that a feature is of; None where there is no such feature."""
    found = row(
        """SELECT p.number FROM feature f JOIN plant p ON p.id = f.plant_id
           WHERE f.study_id = %(study)s AND f.id = %(feature)s AND f.removed_at IS NULL""",
        study=scope.study_id,
        feature=feature_id,
    )
    return found["number"] if found else None


def uses_of_names(found: Sequence[dict[str, Any]]) -> list[dict[str, Any]]:
    """Which name was used for which of the plants found, and how often: name, language (with its dialect), plant (its field
    number), times."""
    return [
        {"name": name["name"], "language": name["language"] or "", "plant": plant["field_number"], "times": name["attested"]}
        for plant in found
        for name in plant["names"]
    ]


def quotable_names(scope: Scope) -> dict[int, list[tuple[str, str]]]:
    """The names of plants that may be published as they were spoken: plant -> (name, language), the oldest first.

    That is what the team recorded by itself, and what somebody used whose terms allow it. The scope is one of publication.
    """
    used = telling_allowed(scope, informant="a.informant_id", plant="n.plant_id")
    found = rows(
        f"""{WITH_TERMS} SELECT n.plant_id, n.name::text AS name, coalesce(l.name::text, '') AS language
            FROM local_name n LEFT JOIN language l ON l.id = n.language_id
            WHERE n.study_id = %(study)s AND n.removed_at IS NULL AND (NOT n.told OR EXISTS (
                SELECT FROM attestation a {THESE_TERMS} a.informant_id
                WHERE a.local_name_id = n.id AND a.removed_at IS NULL AND t.may_publish_verbatim AND {used}
                  AND NOT EXISTS (SELECT FROM bars(%(study)s, %(day)s) b WHERE b.informant_id = a.informant_id
                                  AND b.plant_id = n.plant_id AND b.no_quote)))
            ORDER BY n.id""",
        **parameters(scope),
    )
    names: dict[int, list[tuple[str, str]]] = {}
    for one in found:
        names.setdefault(one["plant_id"], []).append((one["name"], one["language"]))
    return names


def names_used(scope: Scope) -> dict[tuple[int, int, int], tuple[str, str]]:
    """What an informant called a plant in an encounter: (plant, informant, encounter) -> (name, language code)."""
    used = telling_allowed(scope, informant="a.informant_id", plant="n.plant_id")
    found = rows(
        f"""{WITH_TERMS} SELECT DISTINCT ON (n.plant_id, a.informant_id, a.encounter_id) n.plant_id, a.informant_id,
                  a.encounter_id, n.name, coalesce(l.code, '') AS code
            FROM attestation a JOIN local_name n ON n.id = a.local_name_id AND n.removed_at IS NULL
            LEFT JOIN language l ON l.id = n.language_id {THESE_TERMS} a.informant_id
            WHERE a.study_id = %(study)s AND a.removed_at IS NULL AND {used}
            ORDER BY n.plant_id, a.informant_id, a.encounter_id, n.id""",
        **parameters(scope),
    )
    return {(one["plant_id"], one["informant_id"], one["encounter_id"]): (one["name"], one["code"]) for one in found}


def counted_plants(scope: Scope) -> list[dict[str, Any]]:
    """Every plant with its accepted taxon, as the tally needs it; a plant without determination has taxon ""."""
    return rows(
        """SELECT p.id, 'P-' || lpad(p.number::text, 3, '0') AS label, coalesce(acc.name, x.name, '') AS taxon,
                  coalesce(acc.rank, x.rank, '') AS rank, coalesce(acc.family, x.family, '') AS family,
                  CASE d.qualifier WHEN 'cf' THEN 'cf.' WHEN 'aff' THEN 'aff.' ELSE '' END AS qualifier,
                  p.origin = 'introduced' AND p.management IN ('cultivated', 'bought') AS foreign
           FROM plant p LEFT JOIN determination d ON d.plant_id = p.id AND d.is_current AND d.removed_at IS NULL
           LEFT JOIN taxon x ON x.id = d.taxon_id LEFT JOIN taxon acc ON acc.id = x.accepted_id
           WHERE p.study_id = %(study)s AND p.removed_at IS NULL ORDER BY p.id""",
        study=scope.study_id,
    )
