"""What records are called, by kind and number, as far as the viewer may know of them."""

from collections.abc import Collection, Mapping
from typing import Any

from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import rows
from tender_ledger.storage.queries.encounters import hidden_encounters
from tender_ledger.storage.queries.plants import hidden_plants_and_names
from tender_ledger.storage.queries.terms import TERMS, allowed, parameters, report_allowed

# Of each kind: a statement that gives (id, name) of the records in `ids` that are of the study, or of no study.
_OF_STUDY = "SELECT id, {what} AS name FROM {table} WHERE study_id = %(study)s AND id = ANY(%(ids)s)"
_NAMES: Mapping[str, str] = {
    "community": _OF_STUDY.format(table="community", what="name"),
    "language": _OF_STUDY.format(table="language", what="name"),
    "dialect": _OF_STUDY.format(table="dialect", what="name"),
    "source": _OF_STUDY.format(table="source", what="code"),
    "plant": _OF_STUDY.format(table="plant", what="'P-' || lpad(number::text, 3, '0')") + " AND NOT id = ANY(%(plants)s)",
    "encounter": _OF_STUDY.format(table="encounter", what="title") + " AND NOT id = ANY(%(encounters)s)",
    "local_name": _OF_STUDY.format(table="local_name", what="name") + " AND NOT id = ANY(%(names)s)",
    "purpose": _OF_STUDY.format(table="purpose", what="label"),
    "term": "SELECT term_id AS id, label AS name FROM term_label WHERE language = 'en' AND term_id = ANY(%(ids)s)",
    "taxon": "SELECT id, name FROM taxon WHERE id = ANY(%(ids)s)",
    "person": """SELECT p.id, p.name FROM person p WHERE p.id = ANY(%(ids)s)
        AND EXISTS (SELECT FROM membership m WHERE m.person_id = p.id AND m.study_id = %(study)s)""",
}
_PEOPLE = """SELECT {key}.id AS id, coalesce(h.code, s.code) AS name FROM informant i {terms} i.id
    LEFT JOIN holder h ON h.id = i.holder_id LEFT JOIN source s ON s.id = i.source_id
    WHERE i.study_id = %(study)s AND {key}.id = ANY(%(ids)s) AND {allowed}"""


def names_of(scope: Scope, wanted: Mapping[str, Collection[int]]) -> dict[tuple[str, int], str]:
    """The names of records by (kind, id); what the viewer may not know of, or is not of the study, is not in it.

    Kinds are those of _NAMES, `report`, and `informant` and `holder`, who go by their codes.
    """
    hidden: dict[str, Any] = {}
    if wanted.keys() & {"plant", "encounter", "local_name"}:
        plants, names = hidden_plants_and_names(scope)
        hidden = {"plants": plants, "encounters": hidden_encounters(scope), "names": names}
    people = {kind: _PEOPLE.format(key=key, terms=TERMS, allowed=allowed(scope, written_by="h.recorded_by"))
              for kind, key in (("informant", "i"), ("holder", "h"))}  # fmt: skip
    reports = f"""SELECT r.id, 'report ' || r.id AS name FROM use_report r {TERMS} r.informant_id
        WHERE r.study_id = %(study)s AND r.id = ANY(%(ids)s) AND {report_allowed(scope)}"""
    statements = {**_NAMES, **people, "report": reports}
    return {
        (kind, one["id"]): str(one["name"])
        for kind, ids in wanted.items()
        if ids
        for one in rows(statements[kind], **parameters(scope, ids=sorted(ids), **hidden))
    }
