"""The acts of a study and the changes they made, as far as the viewer may know of what they touched."""

from collections.abc import Mapping
from typing import Any

from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import row, rows, value
from tender_ledger.storage.history import untouched
from tender_ledger.storage.models import CommunityRestriction, Consent
from tender_ledger.storage.queries.encounters import hidden_encounters
from tender_ledger.storage.queries.plants import hidden_plants_and_names
from tender_ledger.storage.queries.terms import allowed, parameters

_HIDDEN_HOLDERS = """SELECT t.holder_id FROM informant_terms(%(study)s, %(day)s) t JOIN holder h ON h.id = t.holder_id
    WHERE NOT {seen}"""
# A change `c` of an act `a` is hidden with what it was about. Owners, and whoever recorded it, still see what was agreed, to keep
# the terms.
_HIDDEN = """((c.holder_id IN ({holders}) AND NOT {keeps})
      OR (c.entity = 'use_report' AND c.record_id IN (
            SELECT b.report_id FROM barred_reports(%(study)s, %(day)s) b WHERE b.no_show))
      OR (c.entity = 'asking' AND c.record_id IN (
            SELECT x.id FROM asking x JOIN bars(%(study)s, %(day)s) b
              ON b.informant_id = x.informant_id AND b.plant_id = x.plant_id AND b.no_show))
      OR (c.entity = 'attestation' AND c.record_id IN (
            SELECT x.id FROM attestation x JOIN local_name n ON n.id = x.local_name_id JOIN bars(%(study)s, %(day)s) b
              ON b.informant_id = x.informant_id AND b.plant_id = n.plant_id AND b.no_show))
      OR (c.entity = 'dispute' AND c.record_id IN (
            SELECT d.id FROM dispute d JOIN use_report r ON r.id IN (d.report_id, d.other_id)
            JOIN informant i ON i.id = r.informant_id
            WHERE d.study_id = %(study)s AND (i.holder_id IN ({holders}) OR r.id IN (
                SELECT b.report_id FROM barred_reports(%(study)s, %(day)s) b WHERE b.no_show))))
      OR (c.entity IN ('property_claim', 'plant_link') AND c.record_id IN (
            SELECT x.id FROM property_claim x JOIN bars(%(study)s, %(day)s) b
              ON c.entity = 'property_claim' AND b.informant_id = x.informant_id AND b.plant_id = x.plant_id AND b.no_show
            UNION ALL SELECT x.id FROM plant_link x JOIN bars(%(study)s, %(day)s) b
              ON c.entity = 'plant_link' AND b.informant_id = x.informant_id AND b.plant_id IN (x.plant_id, x.other_id)
                AND b.no_show
            UNION ALL SELECT x.id FROM plant_link x WHERE c.entity = 'plant_link'
                AND (x.plant_id = ANY(%(plants)s) OR x.other_id = ANY(%(plants)s))))
      OR (c.entity = 'worklist_mark' AND (
            EXISTS (SELECT FROM barred_reports(%(study)s, %(day)s) b WHERE b.no_show
              AND coalesce(c.after, c.before) ->> 'about' LIKE ANY (ARRAY['report %%', 'twice %%'])
              AND b.report_id::text = ANY(string_to_array(coalesce(c.after, c.before) ->> 'about', ' ')))
            OR EXISTS (SELECT FROM plant p WHERE p.id = ANY(%(plants)s) AND coalesce(c.after, c.before) ->> 'about' LIKE 'plant%%'
              AND p.number::text = ANY(string_to_array(coalesce(c.after, c.before) ->> 'about', ' ')))))
      OR (c.entity = 'plant' AND c.record_id = ANY(%(plants)s))
      OR (c.entity = 'determination' AND c.record_id IN (SELECT d.id FROM determination d WHERE d.plant_id = ANY(%(plants)s)))
      OR (c.entity = 'feature' AND c.record_id IN (SELECT f.id FROM feature f WHERE f.plant_id = ANY(%(plants)s)))
      OR (c.entity = 'picture' AND c.record_id IN (SELECT f.id FROM picture f WHERE f.plant_id = ANY(%(plants)s)))
      OR (c.entity = 'specimen' AND c.record_id IN (SELECT f.id FROM specimen f WHERE f.plant_id = ANY(%(plants)s)))
      OR (c.entity = 'local_name' AND (c.record_id = ANY(%(names)s)
            OR c.record_id IN (SELECT n.id FROM local_name n WHERE n.plant_id = ANY(%(plants)s))))
      OR (c.entity = 'encounter' AND (c.record_id = ANY(%(encounters)s) OR {nobody_seen}))
      OR (c.entity = 'community_restriction'
            AND NOT (coalesce(c.after, c.before) ->> 'community_id')::bigint = ANY(%(guards)s)))"""
_KEEPS_TERMS = "(c.entity IN ('holder', 'consent') AND (%(owner)s OR (%(agrees)s AND a.person_id = %(person)s)))"
# A correction of an encounter that did nothing but let hidden people in or out.
_NOBODY_SEEN = """(c.before - 'informants' = c.after - 'informants' AND NOT EXISTS (
    SELECT FROM jsonb_array_elements((c.before -> 'informants') || (c.after -> 'informants')) one
    WHERE NOT (c.before -> 'informants' @> jsonb_build_array(one) AND c.after -> 'informants' @> jsonb_build_array(one))
      AND (one ->> 'informant_id')::bigint NOT IN (SELECT i.id FROM informant i WHERE i.holder_id IN ({holders}))))"""
# The act that an act `a` goes back to through undos, and whether anybody else than the viewer acted on the way.
_CHAIN = """WITH RECURSIVE chain AS (
        SELECT x.id, x.operation, x.person_id, x.undoes_act_id, 1 AS step FROM act x
        WHERE x.study_id = %(study)s AND x.id = {of}
        UNION ALL SELECT x.id, x.operation, x.person_id, x.undoes_act_id, chain.step + 1
        FROM act x JOIN chain ON x.id = chain.undoes_act_id)"""
_ROOT = f"""LATERAL ({_CHAIN.format(of="a.id")}
    SELECT (array_agg(chain.operation ORDER BY chain.step DESC))[1] AS root_operation,
           bool_or(chain.person_id <> %(person)s) AS others FROM chain) root"""
_HIDDEN_CHANGES = """SELECT c.act_id, count(*) AS n FROM change c JOIN act a ON a.id = c.act_id
    WHERE c.study_id = %(study)s AND {hidden} GROUP BY c.act_id"""
_NONE_HIDDEN = "SELECT NULL::bigint AS act_id, 0 AS n WHERE false"
# An import's own record is no reason to show it where all that came with it is hidden.
_SHOWN = "(hidden.n IS NULL OR a.records - hidden.n > (a.operation = 'import_table')::int)"
# What belongs to a record and has changes of its own: the entity, and its column that names the record.
PARTS: Mapping[str, tuple[tuple[str, str], ...]] = {
    "plant": (
        ("determination", "plant_id"),
        ("feature", "plant_id"),
        ("local_name", "plant_id"),
        ("picture", "plant_id"),
        ("specimen", "plant_id"),
    ),
    "encounter": (("free_list", "encounter_id"),),
    "holder": (("consent", "holder_id"),),
    "community": (("consent", "community_id"), ("community_restriction", "community_id")),
}


def _hidden_condition(scope: Scope, keeps: str) -> tuple[str, dict[str, Any]]:
    """The condition that the viewer may not know of a change `c` of an act `a`, with its parameters; "" where all is known.

    What `keeps` says of a hidden holder's change is known in spite of that.
    """
    values = parameters(scope, guards=sorted(scope.viewer.guards), agrees=scope.viewer.may(Right.AGREE))
    holders = _HIDDEN_HOLDERS.format(seen=allowed(scope, written_by="h.recorded_by"))
    anything = f"""SELECT EXISTS ({holders}) OR EXISTS (SELECT FROM bars(%(study)s, %(day)s))
        OR EXISTS (SELECT FROM community_restriction WHERE study_id = %(study)s)"""
    if not value(anything, **values):
        return "", values
    hidden, names = hidden_plants_and_names(scope)
    values |= {"plants": hidden, "names": names, "encounters": hidden_encounters(scope)}
    return _HIDDEN.format(holders=holders, keeps=keeps, nobody_seen=_NOBODY_SEEN.format(holders=holders)), values


def _hidden(scope: Scope) -> tuple[str, dict[str, Any]]:
    """How many changes of each act the viewer may not know of, as a statement with its parameters."""
    condition, values = _hidden_condition(scope, _KEEPS_TERMS)
    return (_HIDDEN_CHANGES.format(hidden=condition) if condition else _NONE_HIDDEN), values


def acts(scope: Scope, *, limit: int = 50, offset: int = 0) -> list[dict[str, Any]]:
    """The latest acts without any content: who, when, what kind, how many records, and whether it was undone."""
    hidden, values = _hidden(scope)
    return rows(
        f"""WITH hidden AS ({hidden})
            SELECT a.id, a.person_id, p.name AS person, a.at, a.operation, a.undoes_act_id,
                   a.records - coalesce(hidden.n, 0) AS records, root.root_operation, root.others,
                   (SELECT u.id FROM act u WHERE u.undoes_act_id = a.id) AS undone_by
            FROM act a JOIN person p ON p.id = a.person_id LEFT JOIN hidden ON hidden.act_id = a.id CROSS JOIN {_ROOT}
            WHERE a.study_id = %(study)s AND {_SHOWN} ORDER BY a.id DESC LIMIT %(limit)s OFFSET %(offset)s""",
        **values,
        limit=limit,
        offset=offset,
    )


def acts_since(scope: Scope, revision: int) -> dict[str, int]:
    """How many acts of each kind that the viewer may know of were done after a revision of the study."""
    hidden, values = _hidden(scope)
    found = rows(
        f"""WITH hidden AS ({hidden})
            SELECT a.operation, count(*) AS n FROM act a LEFT JOIN hidden ON hidden.act_id = a.id
            WHERE a.study_id = %(study)s AND a.revision > %(revision)s AND {_SHOWN}
            GROUP BY a.operation ORDER BY n DESC, a.operation""",
        **values,
        revision=revision,
    )
    return {one["operation"]: int(one["n"]) for one in found}


def may_know(scope: Scope, act_id: int) -> bool:
    """Whether the act is of the study and touched something that the viewer may know of."""
    hidden, values = _hidden(scope)
    return bool(
        value(
            f"""WITH hidden AS ({hidden}) SELECT EXISTS (SELECT FROM act a LEFT JOIN hidden ON hidden.act_id = a.id
                WHERE a.study_id = %(study)s AND a.id = %(act)s AND {_SHOWN})""",
            **values,
            act=act_id,
        )
    )


def own_latest_act(scope: Scope) -> dict[str, Any] | None:
    """The viewer's own latest act that was not undone, of those whose records are shown, with what undoing it asks for."""
    hidden, values = _hidden(scope)
    return row(
        f"""WITH hidden AS ({hidden}) SELECT a.id, a.operation, root.root_operation, root.others
            FROM act a LEFT JOIN hidden ON hidden.act_id = a.id CROSS JOIN {_ROOT}
            WHERE a.study_id = %(study)s AND a.person_id = %(person)s AND {_SHOWN}
              AND NOT EXISTS (SELECT FROM act u WHERE u.undoes_act_id = a.id) ORDER BY a.id DESC LIMIT 1""",
        **values,
    )


def record_history(scope: Scope, entity: str, record_id: int) -> list[dict[str, Any]]:
    """The changes of one record and of its PARTS, oldest first; none where the viewer may not know of the record.

    Owners too: of a sealed holder they see that there was an act, and the agreements on the holder's page.
    """
    condition, values = _hidden_condition(scope, "false")
    parts = PARTS.get(entity, ())
    whose = "(c.entity = %(entity)s AND c.record_id = %(record)s)" + "".join(
        f" OR (c.entity = '{part}' AND c.record_id IN (SELECT x.id FROM {part} x WHERE x.{column} = %(record)s))"
        for part, column in parts
    )
    found = rows(
        f"""SELECT a.id AS act_id, a.at, a.person_id, p.name AS person, a.operation, a.records, c.entity, c.record_id, c.before,
                  root.root_operation, root.others, c.after, {condition or "false"} AS hidden,
                  (SELECT u.id FROM act u WHERE u.undoes_act_id = a.id) AS undone_by
           FROM change c JOIN act a ON a.id = c.act_id JOIN person p ON p.id = a.person_id CROSS JOIN {_ROOT}
           WHERE c.study_id = %(study)s AND ({whose}) ORDER BY c.id""",
        **values,
        entity=entity,
        record=record_id,
    )
    if next((one["hidden"] for one in found if one["entity"] == entity), True):  # its making is hidden with the record
        return []
    return [one for one in found if not one["hidden"]]


def act_changes(scope: Scope, act_id: int) -> list[dict[str, Any]]:
    """What an act changed, the last change first. The caller has shown that the viewer may know of the act.

    `as_made` marks a record that the act made and nobody touched since; its state is then left out (`after` is empty) unless the
    right to undo it hangs on that.
    """
    as_made = untouched(scope.study_id, act_id)
    entities = [entity for entity, ids in as_made.items() for _one in ids]
    return rows(
        """SELECT c.entity, c.record_id, c.holder_id, c.before, m.entity IS NOT NULL AS as_made,
                  CASE WHEN m.entity IS NULL OR c.entity = ANY(%(stated)s) THEN c.after ELSE '{}' END AS after,
                  a.person_id, a.operation, (SELECT u.id FROM act u WHERE u.undoes_act_id = a.id) AS undone_by
           FROM change c JOIN act a ON a.id = c.act_id
           LEFT JOIN unnest(%(entities)s::text[], %(ids)s::bigint[]) m (entity, record_id)
             ON m.entity = c.entity AND m.record_id = c.record_id AND c.before IS NULL
           WHERE a.study_id = %(study)s AND a.id = %(act)s ORDER BY c.id DESC""",
        study=scope.study_id,
        act=act_id,
        entities=entities,
        ids=[number for ids in as_made.values() for number in ids],
        stated=[Consent.ENTITY, CommunityRestriction.ENTITY],
    )


def chain_of_undos(scope: Scope, act_id: int) -> list[dict[str, Any]]:
    """The act, the act that it undid if it is an undo, and so on back to the act that is no undo."""
    return rows(
        f"{_CHAIN.format(of='%(act)s')} SELECT id, operation, person_id FROM chain ORDER BY step",
        study=scope.study_id,
        act=act_id,
    )


def later_writers(scope: Scope, act_id: int, entity: str, record_id: int) -> list[str]:
    """Names of those who changed a record after an act."""
    found = rows(
        """SELECT DISTINCT p.name FROM change c JOIN act a ON a.id = c.act_id JOIN person p ON p.id = a.person_id
           WHERE c.study_id = %(study)s AND c.entity = %(entity)s AND c.record_id = %(record)s AND a.id > %(act)s
           ORDER BY p.name""",
        study=scope.study_id,
        entity=entity,
        record=record_id,
        act=act_id,
    )
    return [one["name"] for one in found]
