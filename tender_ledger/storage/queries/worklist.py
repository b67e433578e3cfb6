"""What the rules of the worklist look at, as far as the viewer may see it; cautions; and what was decided of items."""

from collections.abc import Sequence
from typing import Any

from tender_ledger.core.terms import Scope
from tender_ledger.core.worklist import Caution, EncounterFacts, Facts, HolderFacts, PlantFacts, ReportFacts
from tender_ledger.storage.database import rows
from tender_ledger.storage.queries import encounters, people, plants
from tender_ledger.storage.queries.terms import THESE_BARRED, THESE_TERMS, WITH_TERMS, parameters, report_allowed

_CODE = "(SELECT code::text FROM vocabulary_term WHERE id = {term})"


def facts_but_reports(scope: Scope) -> Facts:
    """What the rules look at beside the reports, as far as the viewer may see it."""
    here = plants.plants(scope)
    taxa = _taxa(here)
    met = [
        PlantFacts(one["number"], taxa[one["id"]], tuple(name["name"] for name in one["names"]), one["reports"]) for one in here
    ]
    places = [(one["latitude"], one["longitude"]) for one in people.communities(scope) if one["latitude"] is not None]
    holders = _holders(scope)
    talks = _encounters(scope, {one.code for one in holders})
    return Facts(scope.day, met, (), holders, talks, cautions_in_force(scope), places)


def _taxa(found: Sequence[dict[str, Any]]) -> dict[int, str]:
    return {one["id"]: one["accepted"] or one["taxon"] or "" for one in found}


def report_facts(scope: Scope, informants: Sequence[int] | None = None) -> dict[int, Facts]:
    """What the rules of reports look at, by informant: all who told something that the viewer may see, or those of some ids."""
    cautions, told = cautions_in_force(scope), _reports(scope, _taxa(plants.plants(scope)), informants)
    return {one: Facts(scope.day, reports=reports, cautions=cautions) for one, reports in told.items()}


def _reports(scope: Scope, taxa: dict[int, str], informants: Sequence[int] | None) -> dict[int, list[ReportFacts]]:
    """The reports in codes, by informant; arrays of codes are put together once for all reports."""
    which = "" if informants is None else "AND r.informant_id = ANY(%(informants)s)"
    listed = (
        ""
        if informants is None
        else """AND m.report_id IN (
        SELECT r.id FROM use_report r WHERE r.study_id = %(study)s AND r.informant_id = ANY(%(informants)s))"""
    )
    told = ", ".join(
        f"""{kind}s AS (SELECT m.report_id, array_agg(DISTINCT v.code::text) AS codes FROM {source} m
            JOIN vocabulary_term v ON v.id = m.{kind}_id WHERE m.study_id = %(study)s {listed} GROUP BY 1)"""
        for kind, source in (
            ("part", "report_part"),
            ("method", "(SELECT study_id, report_id, method_id FROM report_method UNION ALL "
                       "SELECT study_id, report_id, method_id FROM report_step WHERE method_id IS NOT NULL)"),
            ("application", "report_application"),
        )
    )  # fmt: skip
    found = rows(
        f"""{WITH_TERMS}, {told}
            SELECT r.id, r.informant_id, coalesce(h.code, s.code)::text AS informant, r.plant_id, p.number AS plant,
              e.number AS encounter,
              coalesce(cat.code::text, '') AS category, coalesce(u.label::text, '') AS purpose,
              coalesce(parts.codes, '{{}}') AS parts, coalesce(methods.codes, '{{}}') AS methods,
              coalesce(applications.codes, '{{}}') AS applications, coalesce(stage.code::text, '') AS stage,
              basis.code::text AS basis, stance.code::text AS stance, outcome.code::text AS outcome, r.dose, r.words, r.note
            FROM use_report r JOIN encounter e ON e.id = r.encounter_id AND e.removed_at IS NULL
            JOIN plant p ON p.id = r.plant_id AND p.removed_at IS NULL {THESE_TERMS} r.informant_id
            JOIN informant i ON i.id = r.informant_id LEFT JOIN holder h ON h.id = i.holder_id
            LEFT JOIN source s ON s.id = i.source_id
            LEFT JOIN parts ON parts.report_id = r.id LEFT JOIN methods ON methods.report_id = r.id
            LEFT JOIN applications ON applications.report_id = r.id
            LEFT JOIN report_coding k ON k.report_id = r.id AND k.is_primary
                AND k.scheme = (SELECT scheme FROM study WHERE id = %(study)s)
            LEFT JOIN vocabulary_term cat ON cat.id = k.category_id LEFT JOIN purpose u ON u.id = k.purpose_id
            LEFT JOIN vocabulary_term stage ON stage.id = r.stage_id JOIN vocabulary_term basis ON basis.id = r.basis_id
            JOIN vocabulary_term stance ON stance.id = r.stance_id JOIN vocabulary_term outcome ON outcome.id = r.outcome_id
            WHERE r.study_id = %(study)s AND r.removed_at IS NULL AND {report_allowed(scope, among=THESE_BARRED)} {which}
            ORDER BY r.id""",
        **parameters(scope, informants=None if informants is None else list(informants)),
    )
    made: dict[int, list[ReportFacts]] = {}
    for one in found:
        informant = one.pop("informant_id")
        taxon = taxa.get(one.pop("plant_id"), "")
        lists = {name: tuple(one.pop(name)) for name in ("parts", "methods", "applications")}
        made.setdefault(informant, []).append(ReportFacts(**{**one, **lists, "taxon": taxon}))
    return made


def _holders(scope: Scope) -> list[HolderFacts]:
    return [
        HolderFacts(one["code"], one["on_file"], one["expired_on"], one["birth_year"] or one["birth_decade"], one["reports"])
        for one in people.holders(scope)
    ]


def _encounters(scope: Scope, known: set[str]) -> list[EncounterFacts]:
    """The encounters with those of their tellers who are `known` to the viewer."""
    tellers: dict[int, list[str]] = {}
    for one in rows(
        """SELECT x.encounter_id, h.code::text AS code FROM encounter_informant x JOIN informant i ON i.id = x.informant_id
           JOIN holder h ON h.id = i.holder_id WHERE x.study_id = %(study)s AND x.part = 'teller' ORDER BY h.code""",
        study=scope.study_id,
    ):
        tellers.setdefault(one["encounter_id"], []).append(one["code"])
    return [
        EncounterFacts(one["number"], one["day_from"], one["day_to"], one["latitude"], one["longitude"],
                       tuple(code for code in tellers.get(one["id"], ()) if code in known))
        for one in encounters.encounters(scope)
    ]  # fmt: skip


def cautions(scope: Scope) -> list[dict[str, Any]]:
    """The cautions on record, by taxon, with the labels of what they are about."""
    label = "(SELECT l.label::text FROM term_label l WHERE l.term_id = c.{name}_id AND l.language = 'en')"
    labels = ", ".join(f"{label.format(name=name)} AS {name}, {_CODE.format(term=f'c.{name}_id')} AS {name}_code"
                       for name in ("part", "stage", "method", "asks"))  # fmt: skip
    return rows(
        f"""SELECT c.id, c.version, c.taxon::text AS taxon, c.kind, c.harm::text AS harm, c.source::text AS source, {labels}
            FROM caution c WHERE c.study_id = %(study)s AND c.removed_at IS NULL ORDER BY c.taxon, c.id""",
        study=scope.study_id,
    )


def cautions_of(scope: Scope, plant: dict[str, Any] | None) -> list[dict[str, Any]]:
    """The cautions on record about what a plant was determined as, or about its genus."""
    taxon = (plant or {}).get("accepted") or (plant or {}).get("taxon") or ""
    return [one for one in cautions(scope) if taxon and one["taxon"] in (taxon, taxon.split()[0])]


def cautions_in_force(scope: Scope) -> list[Caution]:
    return [
        Caution(one["id"], one["taxon"], one["kind"], one["harm"], one["source"], one["part_code"] or "", one["stage_code"] or "",
                one["method_code"] or "", one["asks_code"] or "")
        for one in cautions(scope)
    ]  # fmt: skip


def marks(scope: Scope) -> dict[tuple[str, str], dict[str, Any]]:
    """What was decided, by rule and item: id, version, way, reason, person."""
    found = rows(
        """SELECT m.id, m.version, m.rule, m.about, m.way, m.reason, p.name AS person FROM worklist_mark m
           JOIN person p ON p.id = m.marked_by WHERE m.study_id = %(study)s AND m.removed_at IS NULL""",
        study=scope.study_id,
    )
    return {(one["rule"], one["about"]): one for one in found}
