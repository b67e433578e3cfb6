"""What leaves in the tables beside reports.csv. The scope is one of publication, and of one report after another where the
caller has shown that they may be read."""

from collections.abc import Sequence
from typing import Any

from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import rows
from tender_ledger.storage.queries.plants import hidden_plants
from tender_ledger.storage.queries.terms import TERMS, THESE_TERMS, WITH_TERMS, allowed, parameters, telling_allowed

_CODE = "(SELECT code::text FROM vocabulary_term WHERE id = {term})"
# Who told something where: columns of every table of tellings, and the tables that they come from.
_WHO = """coalesce(h.code, s.code) AS informant, com.code AS community, s.id IS NOT NULL AS is_source, e.number AS encounter,
    e.day_from, e.day_to, e.approximate"""
_TOLD_BY = """JOIN encounter e ON e.id = c.encounter_id AND e.removed_at IS NULL JOIN informant i ON i.id = c.informant_id
    {terms} i.id LEFT JOIN holder h ON h.id = i.holder_id LEFT JOIN source s ON s.id = i.source_id
    LEFT JOIN community com ON com.id = coalesce(h.community_id, s.community_id)"""
_MAY_QUOTE = """t.may_publish_verbatim AND NOT EXISTS (SELECT FROM bars(%(study)s, %(day)s) b
    WHERE b.informant_id = c.informant_id AND b.plant_id = {plant} AND b.no_quote)"""


def steps(scope: Scope, report_ids: Sequence[int]) -> list[dict[str, Any]]:
    """Steps of preparations, by report and place: `preparation` is a code."""
    return rows(
        f"""SELECT report_id, position AS step, {_CODE.format(term="method_id")} AS preparation, lasts, heat, strength, words
            FROM report_step WHERE study_id = %(study)s AND report_id = ANY(%(reports)s) ORDER BY report_id, position""",
        study=scope.study_id,
        reports=list(report_ids),
    )


def ingredients(scope: Scope, report_ids: Sequence[int]) -> list[dict[str, Any]]:
    """What else goes into remedies, by report and place."""
    return rows(
        """SELECT report_id, position AS ingredient, words, role, amount FROM report_ingredient
           WHERE study_id = %(study)s AND report_id = ANY(%(reports)s) ORDER BY report_id, position""",
        study=scope.study_id,
        reports=list(report_ids),
    )


def teachings(scope: Scope, report_ids: Sequence[int]) -> list[dict[str, Any]]:
    """Who taught, by report and place; `teacher` is None for somebody in words, and for whoever may not be named."""
    return rows(
        f"""SELECT x.report_id, x.position AS teaching, taught.code AS teacher, x.words, x.told_when AS "when"
            FROM report_teaching x LEFT JOIN (
                SELECT i.id, coalesce(h.code, o.code) AS code FROM informant i {TERMS} i.id
                LEFT JOIN holder h ON h.id = i.holder_id LEFT JOIN source o ON o.id = i.source_id
                WHERE i.study_id = %(study)s AND {allowed(scope)}) taught ON taught.id = x.teacher_id
            WHERE x.study_id = %(study)s AND x.report_id = ANY(%(reports)s) ORDER BY x.report_id, x.position""",
        **parameters(scope, reports=list(report_ids)),
    )


def codings(scope: Scope, report_ids: Sequence[int]) -> list[dict[str, Any]]:
    """All codes of reports but the primary one of the study's own scheme, which stands in the row of the report."""
    return rows(
        f"""SELECT k.report_id, k.scheme, {_CODE.format(term="k.category_id")} AS category,
                {_CODE.format(term="k.subcategory_id")} AS subcategory, u.label AS "use", k.is_primary
            FROM report_coding k LEFT JOIN purpose u ON u.id = k.purpose_id
            WHERE k.study_id = %(study)s AND k.report_id = ANY(%(reports)s)
              AND NOT (k.is_primary AND k.scheme = (SELECT scheme FROM study WHERE id = %(study)s))
            ORDER BY k.report_id, k.scheme, k.is_primary DESC, category""",
        study=scope.study_id,
        reports=list(report_ids),
    )


def cited(scope: Scope, report_ids: Sequence[int]) -> dict[int, dict[str, Any]]:
    """By report the code of the source that it cites and the language of its words, "" for none."""
    found = rows(
        """SELECT r.id, coalesce(s.code, '') AS cited, coalesce(l.code, '') AS words_language FROM use_report r
           LEFT JOIN source s ON s.id = r.cited_id LEFT JOIN language l ON l.id = r.language_id
           WHERE r.study_id = %(study)s AND r.id = ANY(%(reports)s)""",
        study=scope.study_id,
        reports=list(report_ids),
    )
    return {one.pop("id"): one for one in found}


def determinations(scope: Scope, plant_ids: Sequence[int]) -> dict[int, dict[str, Any]]:
    """By plant what is said of its determination, and the code of its stage."""
    found = rows(
        f"""SELECT p.id, {_CODE.format(term="p.stage_id")} AS stage, d.verbatim, d.basis, d.confidence, d.determiner,
                d.determined_on, d.remarks
            FROM plant p LEFT JOIN determination d ON d.plant_id = p.id AND d.is_current AND d.removed_at IS NULL
            WHERE p.study_id = %(study)s AND p.id = ANY(%(plants)s)""",
        study=scope.study_id,
        plants=list(plant_ids),
    )
    return {one.pop("id"): one for one in found}


def features(scope: Scope, plant_ids: Sequence[int]) -> list[dict[str, Any]]:
    """What was measured of plants, by plant."""
    return rows(
        """SELECT plant_id, character, low, high, unit, approximate, words FROM feature
           WHERE study_id = %(study)s AND plant_id = ANY(%(plants)s) AND removed_at IS NULL ORDER BY plant_id, id""",
        study=scope.study_id,
        plants=list(plant_ids),
    )


def names(scope: Scope) -> list[dict[str, Any]]:
    """Local names of plants that may leave as spoken, a row for everybody who used one; without `informant` for what the team
    recorded by itself."""
    used = telling_allowed(scope, informant="c.informant_id", plant="n.plant_id")
    return rows(
        f"""{WITH_TERMS}, used AS (
                SELECT c.local_name_id, c.id, {_WHO} FROM attestation c JOIN local_name n ON n.id = c.local_name_id
                {_TOLD_BY.format(terms=THESE_TERMS)}
                WHERE c.study_id = %(study)s AND c.removed_at IS NULL AND {used} AND {_MAY_QUOTE.format(plant="n.plant_id")})
            SELECT n.plant_id, n.name::text AS name, l.code AS language, dl.name::text AS dialect, n.gloss, used.*
            FROM local_name n LEFT JOIN language l ON l.id = n.language_id LEFT JOIN dialect dl ON dl.id = n.dialect_id
            LEFT JOIN used ON used.local_name_id = n.id
            WHERE n.study_id = %(study)s AND n.removed_at IS NULL AND (NOT n.told OR used.id IS NOT NULL)
            ORDER BY n.plant_id, n.id, used.informant, used.encounter""",
        **parameters(scope),
    )


def properties(scope: Scope) -> list[dict[str, Any]]:
    """Properties that were told of plants, of whoever lets words leave: a property is told in words."""
    seen = telling_allowed(scope, informant="c.informant_id", plant="c.plant_id", written_by="c.recorded_by")
    return rows(
        f"""SELECT c.plant_id, c.property, {_CODE.format(term="c.part_id")} AS part, {_CODE.format(term="c.basis_id")} AS basis,
                c.words, c.start_s, {_WHO} FROM property_claim c {_TOLD_BY.format(terms=TERMS)}
            WHERE c.study_id = %(study)s AND c.removed_at IS NULL AND {seen} AND {_MAY_QUOTE.format(plant="c.plant_id")}
            ORDER BY e.number, informant, c.id""",
        **parameters(scope),
    )


def links(scope: Scope) -> list[dict[str, Any]]:
    """What plants were told to be to one another; the words of whoever lets them leave."""
    seen = telling_allowed(scope, informant="c.informant_id", plant="c.plant_id", written_by="c.recorded_by")
    other = telling_allowed(scope, informant="c.informant_id", plant="c.other_id", written_by="c.recorded_by")
    return rows(
        f"""SELECT c.plant_id, c.other_id, c.kind, CASE WHEN {_MAY_QUOTE.format(plant="c.plant_id")} THEN c.words ELSE '' END
                AS words, c.start_s, {_WHO} FROM plant_link c {_TOLD_BY.format(terms=TERMS)}
            WHERE c.study_id = %(study)s AND c.removed_at IS NULL AND {seen} AND {other}
              AND NOT c.plant_id = ANY(%(hidden)s) AND NOT c.other_id = ANY(%(hidden)s)
            ORDER BY e.number, informant, c.id""",
        **parameters(scope, hidden=hidden_plants(scope)),
    )
