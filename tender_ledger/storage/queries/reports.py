"""Use reports as the viewer may see them, purposes in use, askings, drafts."""

from typing import Any

import numpy as np
import numpy.typing as npt

from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import row, rows, value
from tender_ledger.storage.queries.terms import (
    TERMS,
    THESE_BARRED,
    THESE_TERMS,
    WITH_TERMS,
    barred,
    narrowed,
    parameters,
    report_allowed,
    telling_allowed,
)

# Terms with their labels, joined once for all rows of a statement.
_LABELS = """label AS MATERIALIZED (SELECT v.id, v.code::text AS code, v.abbreviation, l.label::text AS label
    FROM vocabulary_term v LEFT JOIN term_label l ON l.term_id = v.id AND l.language = 'en'
    WHERE v.study_id IS NULL OR v.study_id = %(study)s)"""


def _listed(name: str, kind: str) -> str:
    """The labels and codes of a report's parts, methods or applications in their order, and of its last component."""
    return f"""CROSS JOIN LATERAL (
            SELECT coalesce(array_agg(l.label::text ORDER BY m.component, m.position), '{{}}') AS labels,
                coalesce(array_agg(v.code::text ORDER BY m.component, m.position), '{{}}') AS codes,
                max(m.component) AS component
            FROM report_{kind} m JOIN vocabulary_term v ON v.id = m.{kind}_id
            LEFT JOIN term_label l ON l.term_id = v.id AND l.language = 'en' WHERE m.report_id = r.id) {name}"""


def _select(scope: Scope, condition: str) -> str:
    """Reports with everything a line of the ledger shows, under the terms of the scope, each with the `component` of a remedy
    that it tells of: a table that numbers them has one a row."""
    return f"""{WITH_TERMS}, {_LABELS}
        SELECT r.id, r.version, r.encounter_id, r.informant_id, r.plant_id, r.words, r.start_s, r.caution, r.note,
            e.number AS encounter, e.title AS encounter_title, e.day_from, e.day_to, e.approximate, e.kind AS encounter_kind,
            p.number AS plant, 'P-' || lpad(p.number::text, 3, '0') AS field_number,
            coalesce(h.code, s.code) AS informant, h.id AS holder_id, s.id IS NOT NULL AS is_source, com.code AS community,
            com.id AS community_id, basis.label AS basis, basis.code AS basis_code, stance.label AS stance,
            stance.code AS stance_code, outcome.label AS outcome, outcome.code AS outcome_code,
            applications.labels AS applications, applications.codes AS application_codes,
            greatest(parts.component, methods.component, applications.component, 1) AS component,
            r.end_s, r.currency, r.attributed_to, r.mixture, r.role, r.actor, r.extra,
            stage.label AS stage, stage.code AS stage_code, parts.labels AS parts, parts.codes AS part_codes,
            methods.labels AS methods, methods.codes AS method_codes,
            cat.code AS category_code, cat.abbreviation, cat.label AS category,
            below.label AS subcategory, below.code AS subcategory_code,
            u.label AS purpose, t.may_publish_verbatim AND NOT {barred("r", ["no_quote"], THESE_BARRED)} AS may_publish_verbatim,
            t.may_count AND NOT {barred("r", ["no_count"], THESE_BARRED)} AS may_count
        FROM use_report r JOIN encounter e ON e.id = r.encounter_id AND e.removed_at IS NULL
        JOIN plant p ON p.id = r.plant_id AND p.removed_at IS NULL
        JOIN informant i ON i.id = r.informant_id {THESE_TERMS} i.id
        LEFT JOIN holder h ON h.id = i.holder_id LEFT JOIN source s ON s.id = i.source_id
        LEFT JOIN community com ON com.id = coalesce(h.community_id, s.community_id)
        LEFT JOIN label basis ON basis.id = r.basis_id LEFT JOIN label stance ON stance.id = r.stance_id
        LEFT JOIN label outcome ON outcome.id = r.outcome_id LEFT JOIN label stage ON stage.id = r.stage_id
        {_listed("parts", "part")} {_listed("methods", "method")} {_listed("applications", "application")}
        LEFT JOIN report_coding k ON k.report_id = r.id AND k.is_primary
            AND k.scheme = (SELECT scheme FROM study WHERE id = %(study)s)
        LEFT JOIN label cat ON cat.id = k.category_id LEFT JOIN label below ON below.id = k.subcategory_id
        LEFT JOIN purpose u ON u.id = k.purpose_id
        WHERE r.study_id = %(study)s AND r.removed_at IS NULL AND {report_allowed(scope, among=THESE_BARRED)}
          AND {condition}"""


def reports(scope: Scope, *, encounter_id: int | None = None, plant_id: int | None = None, informant_id: int | None = None,
            limit: int | None = None, offset: int = 0) -> list[dict[str, Any]]:  # fmt: skip
    """Reports in the order they were told, optionally of one encounter, plant or informant."""
    told = {
        "encounter": ("r.encounter_id", encounter_id),
        "plant": ("r.plant_id", plant_id),
        "informant": ("r.informant_id", informant_id),
    }
    condition = f"""true {narrowed(**told)}
        ORDER BY e.day_from DESC NULLS LAST, e.number DESC, r.id LIMIT %(limit)s OFFSET %(offset)s"""
    more = {"encounter": encounter_id, "plant": plant_id, "informant": informant_id, "limit": limit, "offset": offset}
    return rows(_select(scope, condition), **parameters(scope, **more))


def count_reports(scope: Scope) -> int:
    found = row(
        f"""SELECT count(*) AS n FROM use_report r JOIN encounter e ON e.id = r.encounter_id AND e.removed_at IS NULL
            JOIN plant p ON p.id = r.plant_id AND p.removed_at IS NULL {TERMS} r.informant_id
            WHERE r.study_id = %(study)s AND r.removed_at IS NULL AND {report_allowed(scope)}""",
        **parameters(scope),
    )
    return int(found["n"]) if found else 0


def reports_by_id(scope: Scope, ids: list[int]) -> list[dict[str, Any]]:
    """Those of the reports that the viewer may see."""
    condition = "r.id = ANY(%(ids)s) ORDER BY coalesce(h.code, s.code), e.number, r.id"
    return rows(_select(scope, condition), **parameters(scope, ids=ids))


def reports_by_community(scope: Scope) -> dict[str, list[int]]:
    """The numbers of all reports that the viewer may see, by the code of their teller's community, "" where there is none."""
    found = rows(
        f"""{WITH_TERMS} SELECT coalesce(com.code, '')::text AS community, array_agg(r.id) AS ids
            FROM use_report r JOIN encounter e ON e.id = r.encounter_id AND e.removed_at IS NULL
            JOIN plant p ON p.id = r.plant_id AND p.removed_at IS NULL {THESE_TERMS} r.informant_id
            LEFT JOIN community com ON com.id = t.community_id
            WHERE r.study_id = %(study)s AND r.removed_at IS NULL AND {report_allowed(scope, among=THESE_BARRED)}
            GROUP BY 1 ORDER BY 1""",
        **parameters(scope),
    )
    return {one["community"]: one["ids"] for one in found}


def reports_with_part(scope: Scope, part: str) -> npt.NDArray[np.int64]:
    """The identities of the study's reports that tell of a part. They are matched with rows read under the scope, never shown."""
    found = rows(
        """SELECT DISTINCT m.report_id AS id FROM report_part m JOIN vocabulary_term v ON v.id = m.part_id
           WHERE m.study_id = %(study)s AND v.code = %(part)s""",
        study=scope.study_id,
        part=part,
    )
    return np.array([one["id"] for one in found], dtype=np.int64)


def parts_in_use(scope: Scope) -> list[dict[str, Any]]:
    """The parts that reports within the scope tell of, by label."""
    return rows(
        f"""SELECT v.code, l.label FROM vocabulary_term v JOIN term_label l ON l.term_id = v.id AND l.language = 'en'
            WHERE v.vocabulary = 'part' AND EXISTS (SELECT FROM report_part m
              JOIN use_report r ON r.id = m.report_id AND r.removed_at IS NULL {TERMS} r.informant_id
              WHERE m.part_id = v.id AND m.study_id = %(study)s AND {report_allowed(scope)}) ORDER BY l.label""",
        **parameters(scope),
    )


def report(scope: Scope, report_id: int) -> dict[str, Any] | None:
    return row(_select(scope, "r.id = %(report)s"), **parameters(scope, report=report_id))


def purposes(scope: Scope) -> list[dict[str, Any]]:
    """Purposes that reports the viewer may see already use, with their category and how often."""
    return rows(
        f"""SELECT u.id, u.label, u.category_id, k.subcategory_id, count(*) AS n FROM purpose u
            JOIN report_coding k ON k.purpose_id = u.id JOIN use_report r ON r.id = k.report_id AND r.removed_at IS NULL
            {TERMS} r.informant_id
            WHERE u.study_id = %(study)s AND {report_allowed(scope)}
            GROUP BY u.id, k.subcategory_id ORDER BY n DESC, u.label""",
        **parameters(scope),
    )


def mixtures_of(scope: Scope, informant_id: int) -> set[str]:
    """The names of remedies that an informant told of in reports that the viewer may see."""
    found = rows(
        f"""SELECT DISTINCT r.mixture::text AS name FROM use_report r {TERMS} r.informant_id
            WHERE r.study_id = %(study)s AND r.informant_id = %(informant)s AND r.removed_at IS NULL AND r.mixture <> ''
              AND {report_allowed(scope)}""",
        **parameters(scope, informant=informant_id),
    )
    return {one["name"] for one in found}


def term_usage(scope: Scope) -> list[dict[str, Any]]:
    """How many reports that the viewer may see use a term, plant by plant: `term` and `plant` as numbers, `n`.

    Terms are parts, preparations, applications, stages, grounds and use categories; `purpose` says that it is a purpose.
    """
    return rows(
        f"""{WITH_TERMS}, told AS MATERIALIZED (
              SELECT r.id, p.number AS plant, r.stage_id, r.basis_id FROM use_report r
              JOIN encounter e ON e.id = r.encounter_id AND e.removed_at IS NULL
              JOIN plant p ON p.id = r.plant_id AND p.removed_at IS NULL {THESE_TERMS} r.informant_id
              WHERE r.study_id = %(study)s AND r.removed_at IS NULL AND {report_allowed(scope, among=THESE_BARRED)}),
            used AS (
              SELECT m.part_id AS term, t.plant, false AS purpose FROM told t JOIN report_part m ON m.report_id = t.id
              UNION ALL SELECT m.method_id, t.plant, false FROM told t JOIN report_method m ON m.report_id = t.id
              UNION ALL SELECT m.application_id, t.plant, false FROM told t JOIN report_application m ON m.report_id = t.id
              UNION ALL SELECT k.category_id, t.plant, false FROM told t JOIN report_coding k ON k.report_id = t.id
              UNION ALL SELECT k.subcategory_id, t.plant, false FROM told t JOIN report_coding k ON k.report_id = t.id
              UNION ALL SELECT k.purpose_id, t.plant, true FROM told t JOIN report_coding k ON k.report_id = t.id
              UNION ALL SELECT t.stage_id, t.plant, false FROM told t UNION ALL SELECT t.basis_id, t.plant, false FROM told t)
            SELECT term, plant, purpose, count(*) AS n FROM used WHERE term IS NOT NULL GROUP BY 1, 2, 3""",
        **parameters(scope),
    )


def asking(scope: Scope, asking_id: int) -> dict[str, Any] | None:
    return next(iter(askings(scope, asking_id=asking_id)), None)


def askings(
    scope: Scope, *, encounter_id: int | None = None, plant_id: int | None = None, asking_id: int | None = None
) -> list[dict[str, Any]]:
    """Who was asked about which plant and named no use; optionally of one encounter or plant, or just one."""
    seen = telling_allowed(scope, informant="a.informant_id", plant="a.plant_id", written_by="a.recorded_by")
    return rows(
        f"""SELECT a.id, a.version, a.encounter_id, a.plant_id, p.number AS plant, e.number AS encounter, e.day_from,
                  e.day_to, e.approximate, coalesce(h.code, s.code) AS informant, com.code AS community,
                  s.id IS NOT NULL AS is_source
           FROM asking a JOIN encounter e ON e.id = a.encounter_id AND e.removed_at IS NULL
           JOIN plant p ON p.id = a.plant_id AND p.removed_at IS NULL
           JOIN informant i ON i.id = a.informant_id {TERMS} i.id
           LEFT JOIN holder h ON h.id = i.holder_id LEFT JOIN source s ON s.id = i.source_id
           LEFT JOIN community com ON com.id = coalesce(h.community_id, s.community_id)
           WHERE a.study_id = %(study)s AND a.removed_at IS NULL AND {seen}
             {narrowed(encounter=("a.encounter_id", encounter_id), plant=("a.plant_id", plant_id), asking=("a.id", asking_id))}
           ORDER BY a.id""",
        **parameters(scope, encounter=encounter_id, plant=plant_id, asking=asking_id),
    )


# A draft `d` that is not what a holder told who withdrew since.
NOT_OF_SEALED = """NOT EXISTS (SELECT FROM informant_terms(%(study)s, %(day)s) t JOIN holder h ON h.id = t.holder_id
    WHERE t.sealed AND h.code = upper(btrim(d.body ->> 'informant')))"""


def draft(scope: Scope, place: str) -> dict[str, Any] | None:
    """What the viewer had typed at a place and not yet recorded; not what a holder told who withdrew since."""
    found = row(
        f"""SELECT d.body FROM draft d WHERE d.study_id = %(study)s AND d.person_id = %(person)s AND d.place = %(place)s
              AND {NOT_OF_SEALED}""",
        **parameters(scope, place=place),
    )
    return found["body"] if found else None


def record_of_key(scope: Scope, client_key: str, table: str = "use_report") -> int | None:
    """The record that a form with this key made already."""
    if table not in ("use_report", "asking", "holder", "consent", "encounter", "plant", "free_list", "picture",
                     "property_claim", "plant_link"):  # fmt: skip
        raise ValueError(table)
    found = row(
        f"SELECT id FROM {table} WHERE study_id = %(study)s AND client_key = %(key)s", study=scope.study_id, key=client_key
    )
    return found["id"] if found else None


def number_of_tellers(scope: Scope, ids: list[int]) -> int:
    """How many informants told these reports of the study, whether or not they are shown."""
    return int(
        value(
            "SELECT count(DISTINCT informant_id) FROM use_report WHERE study_id = %(study)s AND id = ANY(%(ids)s)",
            study=scope.study_id,
            ids=ids,
        )
    )
