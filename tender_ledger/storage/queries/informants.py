"""What is known of the informants who are counted: the grounds on which they can be set in groups."""

from typing import Any

from tender_ledger.core.terms import Purpose, Scope
from tender_ledger.storage.database import rows
from tender_ledger.storage.queries.terms import TERMS, THESE_TERMS, WITH_TERMS, allowed, parameters


def informant_facts(scope: Scope) -> dict[str, dict[str, Any]]:
    """By code: community, gender, occupation, year of birth (of a decade its middle), years in the place, and whether the viewer
    may see who it is."""
    shown = allowed(scope.for_purpose(Purpose.SHOWN), written_by="h.recorded_by")
    found = rows(
        f"""SELECT coalesce(h.code, s.code) AS code, c.code AS community, coalesce(h.gender, 'unstated') AS gender,
                   coalesce(h.birth_year, h.birth_decade + 5) AS born, h.years_in_place AS years,
                   coalesce(h.occupation, '') AS occupation, {shown} AS shown
            FROM informant i {TERMS} i.id
            LEFT JOIN holder h ON h.id = i.holder_id LEFT JOIN source s ON s.id = i.source_id
            LEFT JOIN community c ON c.id = coalesce(h.community_id, s.community_id)
            WHERE i.study_id = %(study)s AND {allowed(scope)} AND EXISTS (
                SELECT FROM encounter_informant x JOIN encounter e ON e.id = x.encounter_id
                WHERE x.informant_id = i.id AND x.part = 'teller' AND e.removed_at IS NULL)""",
        **parameters(scope),
    )
    return {one["code"]: one for one in found}


def hidden_holders(scope: Scope) -> list[dict[str, Any]]:
    """Everybody who told in an encounter and of whom something is counted that members are not shown: whether `altogether`, and
    what could set them in groups, `talks` (kind and day) among it.

    It is asked to keep them out of small groups, never to be shown.
    """
    return rows(
        f"""{WITH_TERMS}
            SELECT i.id, NOT t.may_show AS altogether, c.code AS community, h.gender,
                   coalesce(h.birth_year, h.birth_decade + 5) AS born, h.occupation, h.years_in_place AS years,
                   told.talks
            FROM informant i {THESE_TERMS} i.id JOIN holder h ON h.id = i.holder_id JOIN community c ON c.id = h.community_id
            JOIN LATERAL (SELECT json_agg(json_build_object('kind', e.kind, 'day', e.day_from)) AS talks
                FROM encounter_informant x JOIN encounter e ON e.id = x.encounter_id AND e.removed_at IS NULL
                WHERE x.informant_id = i.id AND x.part = 'teller') told ON told.talks IS NOT NULL
            WHERE i.study_id = %(study)s AND t.may_count AND (NOT t.may_show OR EXISTS (
                SELECT FROM barred_reports(%(study)s, %(day)s) b JOIN use_report r ON r.id = b.report_id
                WHERE r.informant_id = i.id AND b.no_show AND NOT b.no_count AND r.removed_at IS NULL))""",
        **parameters(scope),
    )


def tellings(scope: Scope) -> list[dict[str, Any]]:
    """Who told in which encounter: code of the informant, number, kind and first day of the encounter, as the scope allows."""
    return rows(
        f"""SELECT coalesce(h.code, s.code) AS informant, e.id AS encounter, e.kind, e.day_from AS day
            FROM informant i {TERMS} i.id
            LEFT JOIN holder h ON h.id = i.holder_id LEFT JOIN source s ON s.id = i.source_id
            JOIN encounter_informant x ON x.informant_id = i.id AND x.part = 'teller'
            JOIN encounter e ON e.id = x.encounter_id AND e.removed_at IS NULL
            WHERE i.study_id = %(study)s AND {allowed(scope)} ORDER BY informant, e.id""",
        **parameters(scope),
    )


def lists_to_weigh(scope: Scope) -> list[dict[str, Any]]:
    """Every free list that the scope allows: who gave it, its items by taxon where a plant is known, else as named, and whether
    the viewer may see the list itself."""
    shown = allowed(scope.for_purpose(Purpose.SHOWN), written_by="e.recorded_by")
    return rows(
        f"""SELECT coalesce(h.code, s.code) AS informant, c.code AS community, {shown} AS shown, e.number AS encounter,
                (SELECT json_agg(coalesce(acc.name, x.name, 'P-' || lpad(p.number::text, 3, '0'), i.name) ORDER BY i.position)
                   FROM free_list_item i LEFT JOIN plant p ON p.id = i.plant_id AND p.removed_at IS NULL
                     AND NOT EXISTS (SELECT FROM bars(%(study)s, %(day)s) b
                                     WHERE b.informant_id = f.informant_id AND b.plant_id = p.id)
                   LEFT JOIN determination d ON d.plant_id = p.id AND d.is_current AND d.removed_at IS NULL
                   LEFT JOIN taxon x ON x.id = d.taxon_id LEFT JOIN taxon acc ON acc.id = x.accepted_id
                   WHERE i.free_list_id = f.id) AS items
            FROM free_list f JOIN encounter e ON e.id = f.encounter_id AND e.removed_at IS NULL
            JOIN informant n ON n.id = f.informant_id {TERMS} n.id
            LEFT JOIN holder h ON h.id = n.holder_id LEFT JOIN source s ON s.id = n.source_id
            LEFT JOIN community c ON c.id = coalesce(h.community_id, s.community_id)
            WHERE f.study_id = %(study)s AND f.removed_at IS NULL AND {allowed(scope)} ORDER BY informant, f.id""",
        **parameters(scope),
    )
