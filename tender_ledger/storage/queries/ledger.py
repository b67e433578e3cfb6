"""The table of all reports: one page of it under any filter and order, and how many there are."""

import hashlib
from collections.abc import Mapping
from typing import Any

import numpy as np

from tender_ledger.core.ledger import NOTHING, LedgerView
from tender_ledger.core.terms import Purpose, Scope
from tender_ledger.storage.database import like_pattern, row, rows
from tender_ledger.storage.masking import masked_text
from tender_ledger.storage.queries.kept import Ids, kept_ids
from tender_ledger.storage.queries.terms import (
    THESE_BARRED,
    THESE_TERMS,
    WITH_TERMS,
    allowed,
    parameters,
    report_allowed,
    telling_allowed,
)

PAGE = 100
_OF_TERM = "(SELECT v.id FROM vocabulary_term v WHERE v.vocabulary = '{kind}' AND v.code = %({name})s AND v.study_id IS NULL)"
_HAS = """EXISTS (SELECT FROM report_{kind} m JOIN vocabulary_term v ON v.id = m.{kind}_id
    WHERE m.report_id = r.id AND v.code = %({name})s)"""
_HAS_NONE = "NOT EXISTS (SELECT FROM report_{kind} m WHERE m.report_id = r.id)"
# A condition for every filter; the joins that it needs stand in _NEEDS.
_CONDITIONS: Mapping[str, str] = {
    "q": """(r.words ILIKE %(q)s OR r.note ILIKE %(q)s OR r.caution ILIKE %(q)s OR r.id IN (
        SELECT c.report_id FROM report_coding c JOIN purpose u ON u.id = c.purpose_id
        WHERE u.study_id = %(study)s AND u.label ILIKE %(q)s))""",
    "informant": "coalesce(h.code, s.code) = upper(%(informant)s)",
    "community": "com.code = upper(%(community)s)",
    "kind": "(s.id IS NOT NULL) = (%(kind)s = 'source')",
    "plant": "'P-' || lpad(p.number::text, 3, '0') = upper(%(plant)s)",
    "taxon": "coalesce(acc.name, x.name) = %(taxon)s",
    "family": "coalesce(acc.family, x.family) = %(family)s",
    "category": """EXISTS (SELECT FROM report_coding c JOIN vocabulary_term v ON v.id IN (c.category_id, c.subcategory_id)
        WHERE c.report_id = r.id AND v.code = %(category)s)""",
    "purpose": """EXISTS (SELECT FROM report_coding c JOIN purpose u ON u.id = c.purpose_id
        WHERE c.report_id = r.id AND u.label = %(purpose)s)""",
    **{kind: _HAS.format(kind=kind, name=kind) for kind in ("part", "method", "application")},
    **{kind: f"r.{kind}_id = {_OF_TERM.format(kind=kind, name=kind)}" for kind in ("basis", "stance", "outcome", "stage")},
    "currency": "r.currency = %(currency)s",
    "taker": "r.taker = %(taker)s",
    "mixture": "r.mixture = %(mixture)s",
    "encounter": "e.number::text = %(encounter)s",
    "beside": """(concat_ws(' ', r.season, r.harvest, r.dose, r.phase, r.frequency, r.course, r.attributed_to, r.proportion,
          (SELECT c.code::text FROM source c WHERE c.id = r.cited_id),
          (SELECT l.name::text FROM language l WHERE l.id = r.language_id))
          ILIKE %(beside)s
        OR EXISTS (SELECT FROM report_step m WHERE m.report_id = r.id
            AND concat_ws(' ', m.words, m.lasts, m.heat, m.strength) ILIKE %(beside)s)
        OR EXISTS (SELECT FROM report_ingredient m WHERE m.report_id = r.id
            AND concat_ws(' ', m.words, m.amount) ILIKE %(beside)s)
        OR EXISTS (SELECT FROM report_teaching m WHERE m.report_id = r.id
            AND concat_ws(' ', m.words, m.told_when) ILIKE %(beside)s))""",
    "since": "e.day_to >= %(since)s::date",
    "until": "e.day_from <= %(until)s::date",
}
_UNSAID: Mapping[str, str] = {
    "taxon": "x.id IS NULL",
    "family": "coalesce(acc.family, x.family, '') = ''",
    "category": _HAS_NONE.format(kind="coding"),
    **{kind: _HAS_NONE.format(kind=kind) for kind in ("part", "method", "application")},
    "stage": "r.stage_id IS NULL",
}
_MARKED: Mapping[str, str] = {
    "caution": "r.caution <> ''",
    "disputed": "EXISTS (SELECT FROM dispute d WHERE d.removed_at IS NULL AND r.id IN (d.report_id, d.other_id))",
    "several": "EXISTS (SELECT FROM report_part m WHERE m.report_id = r.id AND m.component > 1)",
    "own_note": "r.note <> ''",
}
_PEOPLE = """JOIN informant i ON i.id = r.informant_id LEFT JOIN holder h ON h.id = i.holder_id
    LEFT JOIN source s ON s.id = i.source_id LEFT JOIN community com ON com.id = coalesce(h.community_id, s.community_id)"""
_TAXA = """LEFT JOIN determination d ON d.plant_id = r.plant_id AND d.is_current AND d.removed_at IS NULL
    LEFT JOIN taxon x ON x.id = d.taxon_id LEFT JOIN taxon acc ON acc.id = x.accepted_id"""
_CODES = """LEFT JOIN report_coding k ON k.report_id = r.id AND k.is_primary
        AND k.scheme = (SELECT scheme FROM study WHERE id = %(study)s)
    LEFT JOIN vocabulary_term cat ON cat.id = k.category_id"""
_NEEDS: Mapping[str, str] = {
    **dict.fromkeys(("informant", "community", "kind"), _PEOPLE),
    **dict.fromkeys(("taxon", "family"), _TAXA),
}
_ORDERS: Mapping[str, tuple[str, str]] = {  # what it is ordered by, and the join it needs
    "day": ("e.day_from", ""),
    "taxon": ("coalesce(acc.name, x.name)", _TAXA),
    "plant": ("p.number", ""),
    "informant": ("coalesce(h.code, s.code)", _PEOPLE),
    "category": ("cat.position", _CODES),
    "basis": ("r.basis_id", ""),
    "encounter": ("e.number", ""),
}


def ledger_page(scope: Scope, view: LedgerView) -> tuple[list[dict[str, Any]], int]:
    """The reports of one page, and how many the whole view has. The order of a view is kept until something is written."""
    first = (view.page - 1) * PAGE + 1
    ids, total = kept_ids(scope, _digest(view), lambda among: _ordered_ids(scope, view, among), first, first + PAGE - 1)
    return lines_of(scope, ids), total


def _digest(view: LedgerView) -> str:
    parts = repr((sorted(view.asked.items()), view.sort, view.backwards, view.group))
    return f"ledger {hashlib.sha256(parts.encode()).hexdigest()}"


def ledger_ids(scope: Scope, view: LedgerView) -> list[int]:
    """The numbers of all reports of a view, in its order."""
    return [int(number) for number in _ordered_ids(scope, view)]


def _ordered_ids(scope: Scope, view: LedgerView, among: list[int] | None = None) -> Ids:
    """The numbers of all reports of a view in its order (reports,), or of those among some."""
    conditions, joins = [], []
    for name, said in view.asked.items():
        if name == "marked":
            conditions.append(_MARKED[said])
            continue
        conditions.append(_UNSAID[name] if said == NOTHING and name in _UNSAID else _CONDITIONS[name])
        joins.append(_NEEDS.get(name, ""))
    keys = [_ORDERS[name] for name in dict.fromkeys((view.group, view.sort)) if name]
    joins += [join for _key, join in keys]
    turn = "DESC" if view.backwards != (view.sort == "day") else "ASC"
    order = [f"{key} {turn if at == len(keys) - 1 else 'ASC'} NULLS LAST" for at, (key, _join) in enumerate(keys)]
    if among is not None:
        conditions.append("r.id = ANY(%(among)s)")
    asked = {name: like_pattern(said) if name in ("q", "beside") else said for name, said in view.asked.items()}
    if any(masked_text(said) != said for said in view.asked.values()):
        return np.empty(0, dtype=np.int64)  # what is masked where it stands is not found by asking for it either
    found = row(
        f"""WITH terms AS MATERIALIZED (SELECT * FROM informant_terms(%(study)s, %(day)s)),
              barred AS MATERIALIZED (SELECT report_id FROM barred_reports(%(study)s, %(day)s) b WHERE {_barring(scope)})
            SELECT string_agg(int8send(r.id), '' ORDER BY {", ".join((*order, "e.number DESC", "r.id"))}) AS ids
            FROM use_report r JOIN encounter e ON e.id = r.encounter_id AND e.removed_at IS NULL
            JOIN plant p ON p.id = r.plant_id AND p.removed_at IS NULL
            JOIN terms t ON t.informant_id = r.informant_id {" ".join(dict.fromkeys(joins))}
            WHERE r.study_id = %(study)s AND r.removed_at IS NULL AND {allowed(scope, written_by="r.recorded_by")}
              AND r.id NOT IN (SELECT report_id FROM barred){"".join(f" AND {one}" for one in conditions)}""",
        **parameters(scope, **asked, **({} if among is None else {"among": among})),
    )
    packed = (found or {}).get("ids") or b""  # one value, and not a list of a hundred thousand
    return np.frombuffer(packed, dtype=">i8").astype(np.int64)


def _told_of(kind: str) -> str:
    """A CTE of the labels of a report's parts, methods or applications, in their order."""
    return f"""{kind}s AS (SELECT m.report_id, array_agg(l.label ORDER BY m.component, m.position) AS labels
        FROM report_{kind} m JOIN label l ON l.id = m.{kind}_id WHERE m.report_id = ANY(%(ids)s) GROUP BY 1)"""


def lines_of(scope: Scope, ids: list[int]) -> list[dict[str, Any]]:
    """Reports in the order of `ids` with what their lines show, each with its plant's most told name that the viewer may know;
    those that the viewer may not see are left out. Labels are joined once, not looked up report by report."""
    named = telling_allowed(scope, informant="a.informant_id", plant="n.plant_id")
    return rows(
        f"""{WITH_TERMS},
              label AS MATERIALIZED (SELECT v.id, v.code::text AS code, v.abbreviation::text AS abbreviation,
                  l.label::text AS label
                FROM vocabulary_term v JOIN term_label l ON l.term_id = v.id AND l.language = 'en'
                WHERE v.study_id IS NULL OR v.study_id = %(study)s),
              line AS MATERIALIZED (SELECT r.*, t.community_id AS of_community FROM use_report r {THESE_TERMS} r.informant_id
                WHERE r.study_id = %(study)s AND r.id = ANY(%(ids)s) AND r.removed_at IS NULL
                  AND {report_allowed(scope, among=THESE_BARRED)}),
              {", ".join(_told_of(kind) for kind in ("part", "method", "application"))},
              named AS (SELECT DISTINCT ON (plant_id) plant_id, name FROM (
                SELECT n.id, n.plant_id, n.name::text AS name, n.told,
                  (SELECT count(*) FROM attestation a {THESE_TERMS} a.informant_id
                   WHERE a.local_name_id = n.id AND a.removed_at IS NULL AND {named}) AS told_by
                FROM local_name n WHERE n.removed_at IS NULL AND n.plant_id IN (SELECT plant_id FROM line)) name
              WHERE NOT told OR told_by > 0 ORDER BY plant_id, told_by DESC, id)
            SELECT r.id, r.version, r.words, r.note, r.caution, r.currency, r.start_s, e.number AS encounter,
              e.title AS encounter_title, e.day_from, e.day_to, e.approximate, p.number AS plant,
              'P-' || lpad(p.number::text, 3, '0') AS field_number, coalesce(h.code, s.code)::text AS informant,
              com.code::text AS community, basis.label AS basis, stance.label AS stance, stance.code AS stance_code,
              outcome.label AS outcome, outcome.code AS outcome_code, stage.label AS stage,
              coalesce(parts.labels, '{{}}') AS parts, coalesce(methods.labels, '{{}}') AS methods,
              coalesce(applications.labels, '{{}}') AS applications,
              cat.code AS category_code, cat.abbreviation, cat.label AS category, below.label AS subcategory,
              u.label::text AS purpose, named.name AS plant_name, d.qualifier, x.name::text AS taxon, x.authorship,
              acc.name::text AS accepted, acc.authorship AS accepted_authorship, coalesce(acc.family, x.family) AS family
            FROM line r JOIN encounter e ON e.id = r.encounter_id AND e.removed_at IS NULL
            JOIN plant p ON p.id = r.plant_id AND p.removed_at IS NULL
            JOIN informant i ON i.id = r.informant_id LEFT JOIN holder h ON h.id = i.holder_id
            LEFT JOIN source s ON s.id = i.source_id LEFT JOIN community com ON com.id = r.of_community
            LEFT JOIN label basis ON basis.id = r.basis_id LEFT JOIN label stance ON stance.id = r.stance_id
            LEFT JOIN label outcome ON outcome.id = r.outcome_id LEFT JOIN label stage ON stage.id = r.stage_id
            LEFT JOIN parts ON parts.report_id = r.id LEFT JOIN methods ON methods.report_id = r.id
            LEFT JOIN applications ON applications.report_id = r.id
            LEFT JOIN report_coding k ON k.report_id = r.id AND k.is_primary
                AND k.scheme = (SELECT scheme FROM study WHERE id = %(study)s)
            LEFT JOIN label cat ON cat.id = k.category_id LEFT JOIN label below ON below.id = k.subcategory_id
            LEFT JOIN purpose u ON u.id = k.purpose_id LEFT JOIN named ON named.plant_id = r.plant_id
            LEFT JOIN determination d ON d.plant_id = r.plant_id AND d.is_current AND d.removed_at IS NULL
            LEFT JOIN taxon x ON x.id = d.taxon_id LEFT JOIN taxon acc ON acc.id = x.accepted_id
            ORDER BY array_position(%(ids)s::bigint[], r.id)""",
        **parameters(scope, ids=ids),
    )


def holders_of(scope: Scope, ids: list[int]) -> dict[int, int | None]:
    """The holder who told each of the reports, None for a source."""
    found = rows(
        """SELECT r.id, i.holder_id FROM use_report r JOIN informant i ON i.id = r.informant_id
           WHERE r.study_id = %(study)s AND r.id = ANY(%(ids)s)""",
        study=scope.study_id,
        ids=ids,
    )
    return {one["id"]: one["holder_id"] for one in found}


def words_known(scope: Scope) -> dict[str, list[tuple[str, str]]]:
    """The codes and labels that a filter can name, by vocabulary, in their order; one statement for all of them."""
    found = rows(
        """SELECT v.vocabulary::text AS vocabulary, v.code::text AS code, l.label::text AS label FROM vocabulary_term v
           JOIN term_label l ON l.term_id = v.id AND l.language = 'en'
           WHERE (v.study_id IS NULL OR v.study_id = %(study)s) AND v.retired_at IS NULL AND v.removed_at IS NULL
             AND (v.scheme IS NULL OR v.scheme = (SELECT scheme FROM study WHERE id = %(study)s))
           ORDER BY v.vocabulary, v.position, v.id""",
        study=scope.study_id,
    )
    known: dict[str, list[tuple[str, str]]] = {}
    for one in found:
        known.setdefault(one["vocabulary"], []).append((one["code"], one["label"]))
    return known


def _barring(scope: Scope) -> str:
    return "b.no_publish OR b.no_show" if scope.purpose in (Purpose.PUBLISHED, Purpose.PUBLISHED_ROWS) else "b.no_show"
