"""Plants with the names and determinations that the viewer may see."""

from typing import Any

from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import row, rows
from tender_ledger.storage.queries.terms import THESE_TERMS, WITH_TERMS, allowed, parameters


def _plants(scope: Scope) -> str:
    """Plants with their local names, most attested first; a name that only hidden holders used is hidden with them."""
    used = allowed(scope, written_by="e.recorded_by")
    told = allowed(scope, written_by="r.recorded_by")
    return f"""{WITH_TERMS}, wanted AS (
            SELECT * FROM plant WHERE study_id = %(study)s AND removed_at IS NULL
              AND (%(number)s::integer IS NULL OR number = %(number)s)),
        names AS (SELECT n.id, n.plant_id, n.name, n.gloss, l.code AS code, l.name AS language, count(a.id) AS attested
            FROM local_name n JOIN wanted w ON w.id = n.plant_id LEFT JOIN language l ON l.id = n.language_id
            LEFT JOIN (attestation a JOIN encounter e ON e.id = a.encounter_id {THESE_TERMS} a.informant_id AND {used})
              ON a.local_name_id = n.id AND a.removed_at IS NULL
            WHERE n.removed_at IS NULL AND (a.id IS NOT NULL OR NOT EXISTS (
                SELECT FROM attestation o WHERE o.local_name_id = n.id AND o.removed_at IS NULL))
            GROUP BY n.id, l.code, l.name),
        listed AS (SELECT plant_id, json_agg(json_build_object('name', name, 'language', language, 'code', code, 'gloss', gloss,
                     'attested', attested) ORDER BY attested DESC, id) AS names FROM names GROUP BY plant_id),
        told AS (SELECT r.plant_id, count(*) AS n FROM use_report r JOIN wanted w ON w.id = r.plant_id
            {THESE_TERMS} r.informant_id WHERE r.removed_at IS NULL AND {told} GROUP BY r.plant_id)
        SELECT p.id, p.number, 'P-' || lpad(p.number::text, 3, '0') AS field_number, p.growth_form, p.remarks, p.version,
            coalesce(listed.names, '[]') AS names,
            d.id AS determination_id, d.qualifier, d.basis AS determination_basis, d.confidence, d.determiner,
            d.determined_on, x.name AS taxon, x.authorship, x.rank, x.family,
            acc.name AS accepted, acc.authorship AS accepted_authorship, coalesce(told.n, 0) AS reports
        FROM wanted p LEFT JOIN listed ON listed.plant_id = p.id LEFT JOIN told ON told.plant_id = p.id
        LEFT JOIN determination d ON d.plant_id = p.id AND d.is_current AND d.removed_at IS NULL
        LEFT JOIN taxon x ON x.id = d.taxon_id LEFT JOIN taxon acc ON acc.id = x.accepted_id"""


def plants(scope: Scope) -> list[dict[str, Any]]:
    """All plants in the order of their field numbers."""
    return rows(f"{_plants(scope)} ORDER BY p.number", **parameters(scope, number=None))


def plant(scope: Scope, number: int) -> dict[str, Any] | None:
    return row(_plants(scope), **parameters(scope, number=number))


def id_of_number(scope: Scope, number: int) -> int | None:
    """The plant that bears a field number."""
    found = row(
        "SELECT id FROM plant WHERE study_id = %(study)s AND number = %(number)s AND removed_at IS NULL",
        study=scope.study_id,
        number=number,
    )
    return found["id"] if found else None


def determinations(scope: Scope, plant_id: int) -> list[dict[str, Any]]:
    """The determinations of a plant, the latest first."""
    return rows(
        """SELECT d.*, x.name AS taxon, x.authorship, x.rank, acc.name AS accepted FROM determination d
           JOIN taxon x ON x.id = d.taxon_id LEFT JOIN taxon acc ON acc.id = x.accepted_id
           WHERE d.study_id = %(study)s AND d.plant_id = %(plant)s AND d.removed_at IS NULL ORDER BY d.id DESC""",
        study=scope.study_id,
        plant=plant_id,
    )


def names_used(scope: Scope) -> dict[tuple[int, int, int], tuple[str, str]]:
    """What an informant called a plant in an encounter: (plant, informant, encounter) -> (name, language code)."""
    found = rows(
        f"""{WITH_TERMS} SELECT DISTINCT ON (n.plant_id, a.informant_id, a.encounter_id) n.plant_id, a.informant_id,
                  a.encounter_id, n.name, coalesce(l.code, '') AS code
            FROM attestation a JOIN local_name n ON n.id = a.local_name_id AND n.removed_at IS NULL
            LEFT JOIN language l ON l.id = n.language_id {THESE_TERMS} a.informant_id
            WHERE a.study_id = %(study)s AND a.removed_at IS NULL AND {allowed(scope)}
            ORDER BY n.plant_id, a.informant_id, a.encounter_id, n.id""",
        **parameters(scope),
    )
    return {(one["plant_id"], one["informant_id"], one["encounter_id"]): (one["name"], one["code"]) for one in found}


def counted_plants(scope: Scope) -> list[dict[str, Any]]:
    """Every plant with its accepted taxon, as the tally needs it; a plant without determination has taxon ""."""
    return rows(
        """SELECT p.id, 'P-' || lpad(p.number::text, 3, '0') AS label, coalesce(acc.name, x.name, '') AS taxon,
                  coalesce(acc.rank, x.rank, '') AS rank, coalesce(acc.family, x.family, '') AS family
           FROM plant p LEFT JOIN determination d ON d.plant_id = p.id AND d.is_current AND d.removed_at IS NULL
           LEFT JOIN taxon x ON x.id = d.taxon_id LEFT JOIN taxon acc ON acc.id = x.accepted_id
           WHERE p.study_id = %(study)s AND p.removed_at IS NULL ORDER BY p.id""",
        study=scope.study_id,
    )
