"""A study's own record, languages, vocabularies, counts for the thread, and what points at a record."""

from collections.abc import Mapping
from typing import Any

from tender_ledger.core.disclosure import MINIMUM_HOLDERS
from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import row, rows, value
from tender_ledger.storage.queries.kept import INFORMANTS, kept_body, kept_by_part
from tender_ledger.storage.queries.plants import count_undetermined
from tender_ledger.storage.queries.terms import THESE_BARRED, THESE_TERMS, WITH_TERMS, parameters, report_allowed


def study(scope: Scope) -> dict[str, Any]:
    """The study of the scope."""
    found = row("SELECT * FROM study WHERE id = %(study)s", study=scope.study_id)
    if found is None:
        raise LookupError("study")
    return found


def hold_revision(scope: Scope) -> int:
    """The study's revision, which nobody raises before the caller's transaction ends."""
    return int(value("SELECT revision FROM study WHERE id = %(study)s FOR UPDATE", study=scope.study_id))


def publishing_rule(scope: Scope) -> dict[str, Any]:
    """The study's minimum_holders, with id and version; the usual minimum, of id and version 0, where none is set."""
    found = row(
        "SELECT id, version, minimum_holders FROM publishing_rule WHERE study_id = %(study)s AND removed_at IS NULL",
        study=scope.study_id,
    )
    return found or {"id": 0, "version": 0, "minimum_holders": MINIMUM_HOLDERS}


def zone_of(study_id: int) -> str:
    """The time zone in which the study's days begin and end."""
    found = row("SELECT zone FROM study WHERE id = %(study)s", study=study_id)
    return found["zone"] if found else "UTC"


def languages(scope: Scope) -> list[dict[str, Any]]:
    return rows(
        "SELECT id, code, name, version FROM language WHERE study_id = %(study)s AND removed_at IS NULL ORDER BY name",
        study=scope.study_id,
    )


def dialects(scope: Scope) -> list[dict[str, Any]]:
    return rows(
        """SELECT d.id, d.name, d.language_id, l.name AS language, l.code AS language_code FROM dialect d
           JOIN language l ON l.id = d.language_id
           WHERE d.study_id = %(study)s AND d.removed_at IS NULL ORDER BY l.name, d.name""",
        study=scope.study_id,
    )


def permits(scope: Scope) -> list[dict[str, Any]]:
    """What allows the study to work, each with whether its last day is past; those that stand first."""
    return rows(
        """SELECT id, kind, given_by, reference, granted_on, expires_on, conditions, version,
                  coalesce(expires_on < %(day)s, false) AS expired
           FROM permit WHERE study_id = %(study)s AND removed_at IS NULL ORDER BY expired, kind, granted_on DESC, id""",
        study=scope.study_id,
        day=scope.day,
    )


def choice_of_holders(scope: Scope) -> dict[str, Any] | None:
    """How the study came to its holders: way, words, version; None where nobody said it."""
    return row(
        "SELECT id, way, words, version FROM choice_of_holders WHERE study_id = %(study)s AND removed_at IS NULL",
        study=scope.study_id,
    )


def terms(study_id: int, vocabulary: str, scheme: str | None = None) -> list[dict[str, Any]]:
    """The terms of a vocabulary, shipped and the study's own, in their order. All vocabularies are read at once, since a page
    takes several."""
    found = rows(
        """SELECT v.id, v.code, v.abbreviation, v.parent_id, l.label, v.vocabulary, v.scheme FROM vocabulary_term v
           JOIN term_label l ON l.term_id = v.id AND l.language = 'en'
           WHERE (v.study_id IS NULL OR v.study_id = %(study)s) AND v.retired_at IS NULL AND v.removed_at IS NULL
           ORDER BY v.position, v.id""",
        study=study_id,
    )
    asked = [one for one in found if one["vocabulary"] == vocabulary and scheme in (None, one["scheme"])]
    return [{name: one[name] for name in ("id", "code", "abbreviation", "parent_id", "label")} for one in asked]


def use_codes(scope: Scope) -> list[dict[str, Any]]:
    """The categories of the study's scheme, each followed by its subcategories, as a limit can name them."""
    scheme = study(scope)["scheme"]
    below: dict[int, list[dict[str, Any]]] = {}
    for one in terms(scope.study_id, "subcategory", scheme):
        below.setdefault(one["parent_id"], []).append(one)
    return [found for one in terms(scope.study_id, "category", scheme) for found in (one, *below.get(one["id"], ()))]


def waiting(scope: Scope) -> dict[str, int]:
    """What waits for a decision at each step of the work, as the thread shows it."""
    return kept_body(scope, "waiting", lambda: _waiting(scope))


def _waiting(scope: Scope) -> dict[str, int]:
    undocumented = value(
        """SELECT count(*) FROM informant_terms(%(study)s, %(day)s) w JOIN holder h ON h.id = w.holder_id
           WHERE NOT w.on_file AND (%(owner)s OR h.recorded_by = %(person)s)""",
        **parameters(scope),
    )
    return {"people": undocumented, "plants": count_undetermined(scope), "reports": sum(_uncoded(scope).values())}


def _uncoded(scope: Scope) -> dict[int, int]:
    """How many reports of each informant bear no code, of those shown; informants without one are not in it."""

    def compute(ids: list[int] | None) -> dict[int, int]:
        which = "" if ids is None else "AND r.informant_id = ANY(%(informants)s)"
        found = rows(
            f"""{WITH_TERMS} SELECT r.informant_id, count(*) AS n FROM use_report r {THESE_TERMS} r.informant_id
                WHERE r.study_id = %(study)s AND r.removed_at IS NULL AND {report_allowed(scope, among=THESE_BARRED)} {which}
                  AND NOT EXISTS (SELECT FROM report_coding c WHERE c.report_id = r.id) GROUP BY r.informant_id""",
            **parameters(scope, informants=ids),
        )
        return {one["informant_id"]: one["n"] for one in found}

    return kept_by_part(scope, f"reports without a code {scope.purpose}", INFORMANTS, compute)


def rules_in_force(scope: Scope) -> dict[str, Any] | None:
    return row(
        """SELECT id, name, body, version FROM rules
           WHERE study_id = %(study)s AND in_force AND removed_at IS NULL""",
        study=scope.study_id,
    )


def schemes(scope: Scope) -> list[str]:
    """The coding schemes of use categories that the study can count by."""
    found = rows(
        """SELECT DISTINCT scheme FROM vocabulary_term WHERE vocabulary = 'category' AND removed_at IS NULL
             AND (study_id IS NULL OR study_id = %(study)s) ORDER BY scheme""",
        study=scope.study_id,
    )
    return [one["scheme"] for one in found]


def saved_rules(scope: Scope) -> list[dict[str, Any]]:
    return rows(
        """SELECT id, version, name, body FROM rules WHERE study_id = %(study)s AND NOT in_force AND removed_at IS NULL
           ORDER BY name""",
        study=scope.study_id,
    )


# What points at a record of each kind: the table, and its columns that name one.
_POINTING: Mapping[str, tuple[tuple[str, tuple[str, ...]], ...]] = {
    "plant": (
        ("use_report", ("plant_id",)),
        ("asking", ("plant_id",)),
        ("feature", ("plant_id",)),
        ("picture", ("plant_id",)),
        ("specimen", ("plant_id",)),
        ("property_claim", ("plant_id",)),
        ("plant_link", ("plant_id", "other_id")),
    ),
    "encounter": (
        ("use_report", ("encounter_id",)),
        ("asking", ("encounter_id",)),
        ("free_list", ("encounter_id",)),
        ("property_claim", ("encounter_id",)),
        ("plant_link", ("encounter_id",)),
    ),
    "use_report": (("dispute", ("report_id", "other_id")),),
    "community": (
        ("holder", ("community_id",)),
        ("encounter", ("community_id",)),
        ("source", ("community_id",)),
        ("community", ("parent_id",)),
    ),
    "language": (
        ("local_name", ("language_id",)),
        ("encounter", ("language_id",)),
        ("dialect", ("language_id",)),
        ("use_report", ("language_id",)),
    ),
    "dialect": (("local_name", ("dialect_id",)),),
    "local_name": (("attestation", ("local_name_id",)),),
    "vocabulary_term": (
        ("use_report", ("basis_id", "stage_id")),
        ("property_claim", ("part_id", "basis_id")),
        ("caution", ("part_id", "stage_id", "method_id", "asks_id")),
        ("plant", ("stage_id",)),
        ("specimen", ("stage_id",)),
        ("vocabulary_term", ("parent_id",)),
    ),
}
_SPOKEN = """SELECT count(*) FROM community_{entity} x JOIN community c ON c.id = x.community_id
    WHERE x.{entity}_id = ANY(%(ids)s) AND c.removed_at IS NULL"""
_LISTED = """SELECT count(*) FROM free_list_item x JOIN free_list f ON f.id = x.free_list_id
    WHERE x.plant_id = ANY(%(ids)s) AND f.removed_at IS NULL"""
_CODED = """SELECT count(*) FROM use_report r WHERE r.removed_at IS NULL AND r.id IN (
    SELECT report_id FROM report_coding WHERE category_id = ANY(%(ids)s) OR subcategory_id = ANY(%(ids)s)
    UNION SELECT report_id FROM report_part WHERE part_id = ANY(%(ids)s)
    UNION SELECT report_id FROM report_method WHERE method_id = ANY(%(ids)s)
    UNION SELECT report_id FROM report_application WHERE application_id = ANY(%(ids)s))"""
_TOLD = """SELECT count(*) FROM informant i WHERE i.{column} = ANY(%(ids)s) AND (
    EXISTS (SELECT FROM use_report r WHERE r.informant_id = i.id AND r.removed_at IS NULL)
    OR EXISTS (SELECT FROM asking a WHERE a.informant_id = i.id AND a.removed_at IS NULL)
    OR EXISTS (SELECT FROM free_list f WHERE f.informant_id = i.id AND f.removed_at IS NULL)
    OR EXISTS (SELECT FROM encounter_informant x JOIN encounter e ON e.id = x.encounter_id
               WHERE x.informant_id = i.id AND e.removed_at IS NULL))"""


def live_dependents(entity: str, record_ids: list[int]) -> int:
    """How many visible or hidden live records point at one of these, so that they cannot be hidden from under them."""
    statements = [
        f"SELECT count(*) FROM {table} WHERE ({' OR '.join(f'{one} = ANY(%(ids)s)' for one in columns)}) AND removed_at IS NULL"
        for table, columns in _POINTING.get(entity, ())
    ]
    if entity == "vocabulary_term":
        statements.append(_CODED)
    if entity == "plant":
        statements.append(_LISTED)
    if entity in ("language", "dialect"):
        statements.append(_SPOKEN.format(entity=entity))
    if entity in ("holder", "source"):
        statements.append(_TOLD.format(column=f"{entity}_id"))
    return sum(int(value(statement, ids=record_ids)) for statement in statements)


def count_studies() -> int:
    """How many studies the database holds; asked before the demo is loaded, by nobody in particular."""
    found = row("SELECT count(*) AS n FROM study")
    return int(found["n"]) if found else 0
