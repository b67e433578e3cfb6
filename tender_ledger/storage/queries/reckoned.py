"""Floras, questionnaires with the answers that the scope allows, scores, and frozen reckonings."""

from typing import Any

from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import row, rows, value
from tender_ledger.storage.queries.terms import TERMS, allowed, barred, parameters, report_allowed


def floras(scope: Scope) -> list[dict[str, Any]]:
    return rows(
        "SELECT id, version, name, cited, families FROM flora WHERE study_id = %(study)s AND removed_at IS NULL ORDER BY name",
        study=scope.study_id,
    )


def questionnaires(scope: Scope) -> list[dict[str, Any]]:
    return rows(
        """SELECT id, version, title, alternatives, questions FROM questionnaire
           WHERE study_id = %(study)s AND removed_at IS NULL ORDER BY title""",
        study=scope.study_id,
    )


def answers(scope: Scope, questionnaire_id: int) -> list[dict[str, Any]]:
    """The answers to a questionnaire, by informant, as the scope allows them."""
    return rows(
        f"""SELECT a.id, a.version, a.informant_id, coalesce(h.code, s.code) AS informant, a.answers
            FROM questionnaire_answer a JOIN informant i ON i.id = a.informant_id {TERMS} i.id
            LEFT JOIN holder h ON h.id = i.holder_id LEFT JOIN source s ON s.id = i.source_id
            WHERE a.study_id = %(study)s AND a.questionnaire_id = %(questionnaire)s AND a.removed_at IS NULL
              AND {allowed(scope, written_by="h.recorded_by")} ORDER BY informant""",
        **parameters(scope, questionnaire=questionnaire_id),
    )


def is_answered(scope: Scope, questionnaire_id: int) -> bool:
    """Whether anybody’s answers are on record, also those that nobody may be shown."""
    return bool(
        value(
            """SELECT EXISTS (SELECT FROM questionnaire_answer
                 WHERE study_id = %(study)s AND questionnaire_id = %(questionnaire)s AND removed_at IS NULL)""",
            study=scope.study_id,
            questionnaire=questionnaire_id,
        )
    )


def still_published(scope: Scope, informants: list[int], report_ids: list[int]) -> bool:
    """Whether all of these may still leave the study, whatever else was done with them; `scope` is for publication."""
    return not value(
        f"""SELECT EXISTS (SELECT FROM unnest(%(informants)s::bigint[]) one WHERE NOT EXISTS (
                SELECT FROM informant i {TERMS} i.id WHERE i.id = one AND {allowed(scope)}))
              OR EXISTS (SELECT FROM use_report r {TERMS} r.informant_id
                WHERE r.id = ANY(%(reports)s) AND NOT ({report_allowed(scope)}))""",
        **parameters(scope, informants=informants, reports=report_ids),
    )


def scores(scope: Scope) -> list[dict[str, Any]]:
    """The scores of uses by taxon and category."""
    return rows(
        """SELECT u.id, u.version, u.taxon, v.code AS category, u.category_id, u.management, u.preference, u.frequency
           FROM use_score u JOIN vocabulary_term v ON v.id = u.category_id
           WHERE u.study_id = %(study)s AND u.removed_at IS NULL ORDER BY u.taxon, v.position""",
        study=scope.study_id,
    )


def frozen(scope: Scope) -> list[dict[str, Any]]:
    """The frozen reckonings without their values, the latest first; `withheld` counts the informants and reports whose terms
    no longer allow them to be counted, `hidden` the informants of whom something it counts is not shown."""
    return rows(
        f"""SELECT f.id, f.version, f.name, f.frozen_on, f.revision, f.rules, f.seed, f.replicates, f.software, f.counted,
                   f.fingerprint, f.body IS NULL AS emptied,
                   (SELECT count(*) FROM unnest(f.informants) one WHERE NOT EXISTS (
                      SELECT FROM informant i {TERMS} i.id WHERE i.id = one AND t.may_count))
                 + (SELECT count(DISTINCT r.informant_id) FROM use_report r WHERE r.id = ANY(f.reports)
                      AND {barred("r", ["no_count"])}) AS withheld,
                   (SELECT count(*) FROM unnest(f.informants) one JOIN informant i ON i.id = one {TERMS} i.id
                      WHERE t.may_count AND (NOT t.may_show OR EXISTS (SELECT FROM use_report r
                        WHERE r.informant_id = one AND r.id = ANY(f.reports) AND {barred("r", ["no_show"])}))) AS hidden,
                   (SELECT max(greatest(k.agreed_on, k.withdrawn_on, k.expires_on)) FROM consent k JOIN informant i
                      ON i.holder_id = k.holder_id WHERE i.id = ANY(f.informants) AND k.removed_at IS NULL
                      AND greatest(k.agreed_on, k.withdrawn_on, k.expires_on) <= %(day)s) AS since
            FROM frozen_reckoning f WHERE f.study_id = %(study)s AND f.removed_at IS NULL ORDER BY f.frozen_on DESC, f.id DESC""",
        **parameters(scope),
    )


def frozen_body(scope: Scope, number: int) -> dict[str, Any] | None:
    """The values of a frozen reckoning; whether they may be opened is asked of `frozen`."""
    found = row(
        "SELECT body FROM frozen_reckoning WHERE study_id = %(study)s AND id = %(id)s AND removed_at IS NULL",
        study=scope.study_id,
        id=number,
    )
    return found["body"] if found else None


def counted_informants(scope: Scope, codes: list[str]) -> list[int]:
    """The informants of the study by their codes."""
    found = rows(
        """SELECT i.id FROM informant i LEFT JOIN holder h ON h.id = i.holder_id LEFT JOIN source s ON s.id = i.source_id
           WHERE i.study_id = %(study)s AND coalesce(h.code, s.code) = ANY(%(codes)s) ORDER BY i.id""",
        study=scope.study_id,
        codes=codes,
    )
    return [int(one["id"]) for one in found]


def informant_of(scope: Scope, code: str) -> dict[str, Any] | None:
    """An informant of whom something may be recorded, by code, with the holder's number for the history."""
    return row(
        """SELECT i.id, i.holder_id FROM informant i LEFT JOIN holder h ON h.id = i.holder_id
           LEFT JOIN source s ON s.id = i.source_id JOIN informant_terms(%(study)s, %(day)s) t ON t.informant_id = i.id
           WHERE i.study_id = %(study)s AND coalesce(h.code, s.code) = %(code)s AND NOT t.sealed
             AND (t.may_record OR NOT t.on_file)""",
        **parameters(scope, code=code),
    )


def category_number(scope: Scope, scheme: str, code: str) -> int | None:
    found = value(
        """SELECT id FROM vocabulary_term WHERE vocabulary = 'category' AND scheme = %(scheme)s AND code = %(code)s
             AND (study_id IS NULL OR study_id = %(study)s) ORDER BY study_id NULLS LAST LIMIT 1""",
        study=scope.study_id,
        scheme=scheme,
        code=code,
    )
    return None if found is None else int(found)
