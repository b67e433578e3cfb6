"""What is told beside the line of a report: its rows in full, what contradicts it, properties of plants and their links."""

from typing import Any

from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import row, rows
from tender_ledger.storage.queries.plants import hidden_plants
from tender_ledger.storage.queries.terms import TERMS, allowed, narrowed, parameters, report_allowed, telling_allowed

_LABEL = "(SELECT label::text FROM term_label WHERE term_id = {term} AND language = 'en')"


def report_in_full(scope: Scope, report_id: int) -> dict[str, Any] | None:
    """What a report holds beside its line: its further columns; `components` (each with parts, methods and applications),
    `codings` (the primary one of a scheme first), `steps`, `ingredients` and `teachings`. The caller has shown that it may be
    seen.

    A teacher whom the viewer may not see is not named; who was told of in words stays.
    """
    label = _LABEL.format
    teachers = allowed(scope, written_by="h.recorded_by")
    return row(
        f"""SELECT r.season, r.harvest, r.harvest_effect, r.dose, r.actor, r.taker, r.phase, r.frequency, r.course, r.proportion,
            r.currency, r.attributed_to, r.mixture, r.role, r.end_s, r.language_id, r.cited_id, l.name::text AS words_language,
            s.code::text AS cited, s.csl AS cited_work,
            coalesce((SELECT json_agg(json_build_object('component', c.component,
                'parts', (SELECT coalesce(json_agg({label(term="m.part_id")} ORDER BY m.position), '[]') FROM report_part m
                    WHERE m.report_id = r.id AND m.component = c.component),
                'methods', (SELECT coalesce(json_agg({label(term="m.method_id")} ORDER BY m.position), '[]') FROM report_method m
                    WHERE m.report_id = r.id AND m.component = c.component),
                'applications', (SELECT coalesce(json_agg({label(term="m.application_id")} ORDER BY m.position), '[]')
                    FROM report_application m WHERE m.report_id = r.id AND m.component = c.component)) ORDER BY c.component)
              FROM (SELECT component FROM report_part WHERE report_id = r.id UNION
                    SELECT component FROM report_method WHERE report_id = r.id UNION
                    SELECT component FROM report_application WHERE report_id = r.id) c), '[]') AS components,
            coalesce((SELECT json_agg(json_build_object('scheme', k.scheme, 'category', {label(term="k.category_id")},
                'category_id', k.category_id, 'subcategory', {label(term="k.subcategory_id")}, 'purpose', u.label,
                'is_primary', k.is_primary) ORDER BY k.scheme, k.is_primary DESC, k.category_id)
              FROM report_coding k LEFT JOIN purpose u ON u.id = k.purpose_id WHERE k.report_id = r.id), '[]') AS codings,
            coalesce((SELECT json_agg(json_build_object('method', {label(term="x.method_id")}, 'words', x.words, 'lasts', x.lasts,
                'heat', x.heat, 'strength', x.strength) ORDER BY x.position)
              FROM report_step x WHERE x.report_id = r.id), '[]') AS steps,
            coalesce((SELECT json_agg(json_build_object('words', x.words, 'role', x.role, 'amount', x.amount) ORDER BY x.position)
              FROM report_ingredient x WHERE x.report_id = r.id), '[]') AS ingredients,
            coalesce((SELECT json_agg(json_build_object('teacher', taught.code, 'words', x.words, 'told_when', x.told_when)
                ORDER BY x.position)
              FROM report_teaching x LEFT JOIN (SELECT i.id, coalesce(h.code, o.code) AS code FROM informant i {TERMS} i.id
                LEFT JOIN holder h ON h.id = i.holder_id LEFT JOIN source o ON o.id = i.source_id
                WHERE i.study_id = %(study)s AND {teachers}) taught ON taught.id = x.teacher_id
              WHERE x.report_id = r.id AND (taught.code IS NOT NULL OR x.words <> '' OR x.told_when <> '')), '[]') AS teachings
        FROM use_report r LEFT JOIN language l ON l.id = r.language_id LEFT JOIN source s ON s.id = r.cited_id
        WHERE r.study_id = %(study)s AND r.id = %(report)s AND r.removed_at IS NULL""",
        **parameters(scope, report=report_id),
    )


def told_beside(scope: Scope, report_ids: list[int]) -> dict[int, dict[str, Any]]:
    """By the number of each of these reports what stands once beside its line. The caller has shown that they may be read."""
    found = rows(
        """SELECT id, season, harvest, harvest_effect, dose, taker, phase, frequency, course, proportion FROM use_report
           WHERE study_id = %(study)s AND id = ANY(%(reports)s)""",
        study=scope.study_id,
        reports=report_ids,
    )
    return {one.pop("id"): one for one in found}


def components_told(scope: Scope, report_ids: list[int]) -> dict[int, list[dict[str, Any]]]:
    """Of those of the reports that have several components each one in order: its number, and codes of `parts`, `methods` and
    `applications`. The caller has shown that they may be read."""
    found = rows(
        """SELECT m.report_id, m.component, m.kind, v.code::text AS code FROM (
              SELECT study_id, report_id, component, position, 'parts' AS kind, part_id AS term FROM report_part
              UNION ALL SELECT study_id, report_id, component, position, 'methods', method_id FROM report_method
              UNION ALL SELECT study_id, report_id, component, position, 'applications', application_id FROM report_application) m
           JOIN vocabulary_term v ON v.id = m.term
           WHERE m.study_id = %(study)s AND m.report_id = ANY(%(reports)s)
           ORDER BY m.report_id, m.component, m.kind, m.position""",
        study=scope.study_id,
        reports=report_ids,
    )
    told: dict[int, dict[int, dict[str, Any]]] = {}
    for one in found:
        empty = {"component": one["component"], "parts": [], "methods": [], "applications": []}
        told.setdefault(one["report_id"], {}).setdefault(one["component"], empty)[one["kind"]].append(one["code"])
    return {number: list(components.values()) for number, components in told.items() if len(components) > 1}


def steps_told(scope: Scope, report_ids: list[int]) -> dict[int, list[str]]:
    """By report the steps of its preparation in words, in their order. The caller has shown that the reports may be read."""
    found = rows(
        f"""SELECT report_id, {_LABEL.format(term="method_id")} AS method, words, lasts, heat, strength FROM report_step
            WHERE study_id = %(study)s AND report_id = ANY(%(reports)s) ORDER BY report_id, position""",
        study=scope.study_id,
        reports=report_ids,
    )
    steps: dict[int, list[str]] = {}
    for one in found:
        said = ", ".join(text for text in (one["words"], one["lasts"], one["heat"], one["strength"]) if text)
        steps.setdefault(one["report_id"], []).append(": ".join(text for text in (one["method"], said) if text))
    return steps


def schemes(study_id: int) -> list[str]:
    """The coding schemes that categories stand in, shipped and the study's own."""
    return [
        one["scheme"]
        for one in rows(
            """SELECT DISTINCT scheme::text AS scheme FROM vocabulary_term WHERE vocabulary = 'category'
               AND (study_id IS NULL OR study_id = %(study)s) AND removed_at IS NULL ORDER BY 1""",
            study=study_id,
        )
    ]


def disputes_of(scope: Scope, report_id: int) -> list[dict[str, Any]]:
    """What contradicts a report, where the viewer may see both: id, version, note, and the other `report`, which is None where
    its teller was erased."""
    return rows(
        f"""SELECT d.id, d.version, d.note, o.id AS report, coalesce(h.code, s.code) AS informant, e.number AS encounter,
                {_LABEL.format(term="o.stance_id")} AS stance, o.words
            FROM dispute d
            LEFT JOIN use_report o ON o.id = CASE WHEN d.report_id = %(report)s THEN d.other_id ELSE d.report_id END
            LEFT JOIN encounter e ON e.id = o.encounter_id
            LEFT JOIN informant i ON i.id = o.informant_id LEFT JOIN holder h ON h.id = i.holder_id
            LEFT JOIN source s ON s.id = i.source_id
            WHERE d.study_id = %(study)s AND d.removed_at IS NULL AND %(report)s IN (d.report_id, d.other_id)
              AND (o.id IS NULL OR (o.removed_at IS NULL AND e.removed_at IS NULL AND EXISTS (
                   SELECT FROM use_report r {TERMS} r.informant_id WHERE r.id = o.id AND {report_allowed(scope)})))
            ORDER BY d.id""",
        **parameters(scope, report=report_id),
    )


def dispute(scope: Scope, dispute_id: int) -> dict[str, Any] | None:
    """A contradiction by its number, where the viewer may see it: report (one of the two) and version."""
    found = row(
        "SELECT id, version, report_id FROM dispute WHERE study_id = %(study)s AND id = %(dispute)s AND removed_at IS NULL",
        study=scope.study_id,
        dispute=dispute_id,
    )
    seen = found and any(one["id"] == dispute_id for one in disputes_of(scope, found["report_id"]))
    return found if seen else None


_TOLD_BY = """coalesce(h.code, s.code) AS informant, h.id AS holder_id, e.number AS encounter, c.id, c.version, c.words,
    c.start_s"""
_TELLING = """JOIN encounter e ON e.id = c.encounter_id AND e.removed_at IS NULL JOIN informant i ON i.id = c.informant_id
    {terms} i.id LEFT JOIN holder h ON h.id = i.holder_id LEFT JOIN source s ON s.id = i.source_id"""


def claims(scope: Scope, *, plant_id: int | None = None, claim_id: int | None = None) -> list[dict[str, Any]]:
    """Properties that were told of a plant, or one of them."""
    seen = telling_allowed(scope, informant="c.informant_id", plant="c.plant_id", written_by="c.recorded_by")
    return rows(
        f"""SELECT {_TOLD_BY}, c.property, p.number AS plant, {_LABEL.format(term="c.part_id")} AS part,
                {_LABEL.format(term="c.basis_id")} AS basis
            FROM property_claim c JOIN plant p ON p.id = c.plant_id AND p.removed_at IS NULL {_TELLING.format(terms=TERMS)}
            WHERE c.study_id = %(study)s AND c.removed_at IS NULL AND {seen}
              {narrowed(plant=("c.plant_id", plant_id), claim=("c.id", claim_id))} ORDER BY c.id""",
        **parameters(scope, plant=plant_id, claim=claim_id),
    )


def links(scope: Scope, *, plant_id: int | None = None, link_id: int | None = None) -> list[dict[str, Any]]:
    """What plants were told to be to one another: of one plant on either side, or one link. Both plants may be seen."""
    seen = telling_allowed(scope, informant="c.informant_id", plant="c.plant_id", written_by="c.recorded_by")
    other = telling_allowed(scope, informant="c.informant_id", plant="c.other_id", written_by="c.recorded_by")
    of_plant = "" if plant_id is None else "AND %(plant)s IN (c.plant_id, c.other_id)"
    return rows(
        f"""SELECT {_TOLD_BY}, c.kind, p.number AS plant, o.number AS other, c.plant_id, c.other_id
            FROM plant_link c JOIN plant p ON p.id = c.plant_id AND p.removed_at IS NULL
            JOIN plant o ON o.id = c.other_id AND o.removed_at IS NULL {_TELLING.format(terms=TERMS)}
            WHERE c.study_id = %(study)s AND c.removed_at IS NULL AND {seen} AND {other}
              AND NOT c.plant_id = ANY(%(hidden)s) AND NOT c.other_id = ANY(%(hidden)s)
              {of_plant} {narrowed(link=("c.id", link_id))} ORDER BY c.id""",
        **parameters(scope, plant=plant_id, link=link_id, hidden=hidden_plants(scope)),
    )
