"""Communities, holders with their terms of the day, sources, agreements."""

from typing import Any

from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import row, rows, value
from tender_ledger.storage.queries.kept import INFORMANTS, kept_by_part
from tender_ledger.storage.queries.terms import TERMS, THESE_BARRED, WITH_TERMS, allowed, barred, parameters


def community_names(scope: Scope) -> dict[str, str]:
    """The names of the study's communities by code."""
    found = rows(
        "SELECT code, name FROM community WHERE study_id = %(study)s AND removed_at IS NULL ORDER BY name", study=scope.study_id
    )
    return {one["code"]: one["name"] for one in found}


def community_codes(scope: Scope, ids: list[int]) -> list[str]:
    """The codes of communities of the study by their numbers."""
    found = rows(
        "SELECT code::text AS code FROM community WHERE study_id = %(study)s AND id = ANY(%(ids)s) ORDER BY code",
        study=scope.study_id,
        ids=ids,
    )
    return [one["code"] for one in found]


def communities(scope: Scope) -> list[dict[str, Any]]:
    """The communities, with their languages, what they lie within, and how many of their holders the viewer may see."""
    return rows(
        f"""WITH seen AS (SELECT h.community_id, count(*) AS holders FROM holder h JOIN informant i ON i.holder_id = h.id
              {TERMS} i.id WHERE h.study_id = %(study)s AND {allowed(scope, written_by="h.recorded_by")} GROUP BY 1)
           SELECT c.id, c.code, c.name, c.place, c.latitude, c.longitude, c.version, c.protocol, c.parent_id,
                  up.code AS parent_code, up.name AS parent,
                  coalesce((SELECT array_agg(d.name::text ORDER BY d.name) FROM community_dialect cd
                    JOIN dialect d ON d.id = cd.dialect_id WHERE cd.community_id = c.id), '{{}}') AS dialects,
                  coalesce((SELECT array_agg(cd.dialect_id ORDER BY cd.dialect_id) FROM community_dialect cd
                    WHERE cd.community_id = c.id), '{{}}') AS dialect_ids,
                  coalesce((SELECT array_agg(l.name::text ORDER BY l.name) FROM community_language cl
                    JOIN language l ON l.id = cl.language_id WHERE cl.community_id = c.id), '{{}}') AS languages,
                  coalesce((SELECT array_agg(cl.language_id ORDER BY cl.language_id) FROM community_language cl
                    WHERE cl.community_id = c.id), '{{}}') AS language_ids,
                  coalesce(seen.holders, 0) AS holders
           FROM community c LEFT JOIN community up ON up.id = c.parent_id LEFT JOIN seen ON seen.community_id = c.id
           WHERE c.study_id = %(study)s AND c.removed_at IS NULL ORDER BY c.name""",
        **parameters(scope),
    )


def lies_within(scope: Scope, community_id: int, other_id: int) -> bool:
    """Whether a community is the other one or lies within it, however many steps up."""
    return bool(value(
        """WITH RECURSIVE above AS (SELECT id, parent_id FROM community WHERE study_id = %(study)s AND id = %(community)s
             UNION SELECT c.id, c.parent_id FROM community c JOIN above ON c.id = above.parent_id)
           SELECT EXISTS (SELECT FROM above WHERE id = %(other)s)""",
        study=scope.study_id, community=community_id, other=other_id))  # fmt: skip


def _report_numbers(scope: Scope) -> dict[int, int]:
    """How many reports of each informant there are that limits and restrictions leave shown."""

    def compute(ids: list[int] | None) -> dict[int, int]:
        which = "" if ids is None else "AND r.informant_id = ANY(%(informants)s)"
        found = rows(
            f"""{WITH_TERMS} SELECT r.informant_id, count(*) AS n FROM use_report r
                WHERE r.study_id = %(study)s AND r.removed_at IS NULL AND NOT {barred("r", ["no_show"], THESE_BARRED)} {which}
                GROUP BY r.informant_id""",
            **parameters(scope, informants=ids),
        )
        return {one["informant_id"]: one["n"] for one in found}

    return kept_by_part(scope, "reports of informants", INFORMANTS, compute)


def holders(scope: Scope) -> list[dict[str, Any]]:
    """Holders whom the viewer may see, with the terms of the day and their numbers of shown reports."""
    found = rows(
        f"""SELECT h.id, h.code, h.gender, h.birth_year, h.birth_decade, h.chosen, h.version, h.community_id, t.expired_on,
                  c.code AS community_code, c.name AS community, i.id AS informant_id,
                  t.on_file, t.may_record, t.may_count, t.may_show, t.may_publish_aggregate, t.may_publish_rows,
                  t.may_publish_verbatim,
                  (SELECT count(*) FROM encounter_informant ei JOIN encounter e ON e.id = ei.encounter_id
                    WHERE ei.informant_id = i.id AND ei.part = 'teller' AND e.removed_at IS NULL) AS encounters
           FROM holder h JOIN community c ON c.id = h.community_id JOIN informant i ON i.holder_id = h.id {TERMS} i.id
           WHERE h.study_id = %(study)s AND {allowed(scope, written_by="h.recorded_by")}
           ORDER BY h.code""",
        **parameters(scope),
    )
    numbers = _report_numbers(scope)
    return [one | {"reports": numbers.get(one["informant_id"], 0)} for one in found]


def holder(scope: Scope, code: str) -> dict[str, Any] | None:
    """One holder whom the viewer may see; an owner reaches every holder, sealed or not, to manage the terms."""
    return row(
        f"""SELECT h.*, c.code AS community_code, c.name AS community, i.id AS informant_id, t.on_file, t.sealed,
                  t.may_record, t.may_count, t.may_show, t.may_publish_aggregate, t.may_publish_rows,
                  t.may_publish_verbatim, t.may_credit,
                  t.expired_on, {allowed(scope, written_by="h.recorded_by")} AS shown,
                  EXISTS (SELECT FROM holder_identity n WHERE n.holder_id = h.id) AS has_name
           FROM holder h JOIN community c ON c.id = h.community_id JOIN informant i ON i.holder_id = h.id {TERMS} i.id
           WHERE h.study_id = %(study)s AND h.code = %(code)s
             AND (%(owner)s OR {allowed(scope, written_by="h.recorded_by")})""",
        **parameters(scope, code=code),
    )


def was_met(scope: Scope, holder_id: int) -> bool:
    """Whether a holder whom the viewer may see stands in an encounter."""
    return bool(
        value(
            """SELECT EXISTS (SELECT FROM informant i JOIN encounter_informant x ON x.informant_id = i.id
                 JOIN encounter e ON e.id = x.encounter_id AND e.removed_at IS NULL
               WHERE i.study_id = %(study)s AND i.holder_id = %(holder)s)""",
            study=scope.study_id,
            holder=holder_id,
        )
    )


def withheld_holders(scope: Scope) -> list[dict[str, Any]]:
    """What the owner alone sees of holders who are sealed or not shown: code, day, and why."""
    if not parameters(scope)["owner"]:
        return []
    return rows(
        """SELECT h.code, t.sealed, (SELECT max(coalesce(k.withdrawn_on, k.agreed_on)) FROM consent k
                    WHERE (k.holder_id = h.id OR k.community_id = h.community_id) AND k.removed_at IS NULL) AS since
           FROM holder h JOIN informant i ON i.holder_id = h.id
           JOIN informant_terms(%(study)s, %(day)s) t ON t.informant_id = i.id
           WHERE h.study_id = %(study)s AND (t.sealed OR (t.on_file AND NOT t.may_show)) ORDER BY h.code""",
        **parameters(scope),
    )


def erased_holders(scope: Scope) -> list[dict[str, Any]]:
    """What is left of erased holders, for those who keep the terms: when, by whom, how many records."""
    return rows(
        """SELECT e.at, p.name AS person, e.records FROM erasure e JOIN person p ON p.id = e.person_id
           WHERE e.study_id = %(study)s ORDER BY e.id""",
        study=scope.study_id,
    )


def agreements(scope: Scope, *, holder_id: int | None = None, community_id: int | None = None) -> list[dict[str, Any]]:
    """The agreements of one giver, the latest first. The caller has shown that the giver may be seen."""
    return rows(
        """SELECT id, agreed_on, form, may_record, may_count, may_show, may_publish_aggregate, may_publish_rows,
                  may_publish_verbatim, may_credit, expires_on, audience, archive, reuse, after_death, minors,
                  withdrawn_on, version,
                  coalesce(expires_on < %(day)s, false) AS expired
           FROM consent WHERE study_id = %(study)s AND removed_at IS NULL
             AND (holder_id = %(holder)s OR community_id = %(community)s) ORDER BY agreed_on DESC, id DESC""",
        study=scope.study_id,
        day=scope.day,
        holder=holder_id,
        community=community_id,
    )


def audience_of(scope: Scope, informant_id: int) -> list[str]:
    """Who may hear what an informant tells, in the words of the agreements that stand: the holder's own, the community's."""
    found = rows(
        """SELECT DISTINCT k.audience FROM informant i JOIN holder h ON h.id = i.holder_id
           JOIN latest_agreements(%(study)s, %(day)s) l ON l.holder_id = h.id OR l.community_id = h.community_id
           JOIN consent k ON k.id = l.id WHERE i.id = %(informant)s AND k.audience <> '' ORDER BY 1""",
        study=scope.study_id,
        day=scope.day,
        informant=informant_id,
    )
    return [one["audience"] for one in found]


def community_of(scope: Scope, holder_id: int | None) -> int | None:
    """The community of a holder of the study; None where there is none."""
    found = row(
        "SELECT community_id FROM holder WHERE study_id = %(study)s AND id = %(holder)s", study=scope.study_id, holder=holder_id
    )
    return found["community_id"] if found else None


def terms_of(scope: Scope, holder_id: int) -> dict[str, Any]:
    """What a holder's terms of the day come to."""
    found = row(
        "SELECT * FROM informant_terms(%(study)s, %(day)s) WHERE holder_id = %(holder)s", **parameters(scope, holder=holder_id)
    )
    if found is None:
        raise LookupError(f"holder {holder_id}")
    return found


def standing_agreement(scope: Scope, holder_id: int) -> dict[str, Any]:
    """The last day and the limits, as they are kept, of the agreement of a holder that is the latest of the day."""
    found = row(
        """SELECT k.expires_on, coalesce((SELECT json_agg(json_build_object('refuses', l.refuses, 'category_id', l.category_id,
                    'plant_id', l.plant_id)) FROM consent_limit l WHERE l.consent_id = k.id), '[]') AS limits
           FROM latest_agreements(%(study)s, %(day)s) k WHERE k.holder_id = %(holder)s""",
        **parameters(scope, holder=holder_id),
    )
    return found or {"expires_on": None, "limits": []}


def withdrawn_since(scope: Scope, consent_ids: list[int], act_id: int) -> bool:
    """Whether the giver of one of these agreements withdrew another one in a later act, and that withdrawal stands."""
    return bool(
        value(
            """SELECT EXISTS (SELECT FROM consent k JOIN consent other ON other.id <> k.id AND other.study_id = k.study_id
             AND other.holder_id IS NOT DISTINCT FROM k.holder_id AND other.community_id IS NOT DISTINCT FROM k.community_id
           JOIN change c ON c.entity = 'consent' AND c.record_id = other.id AND c.act_id > %(act)s
             AND c.before ->> 'withdrawn_on' IS NULL AND c.after ->> 'withdrawn_on' IS NOT NULL
           WHERE k.study_id = %(study)s AND k.id = ANY(%(ids)s) AND other.removed_at IS NULL
             AND other.withdrawn_on IS NOT NULL)""",
            study=scope.study_id,
            ids=consent_ids,
            act=act_id,
        )
    )


def limits(scope: Scope, consent_ids: list[int]) -> list[dict[str, Any]]:
    """What agreements leave out: the agreement, what is refused, and the category's label or the plant's field number."""
    return rows(
        """SELECT l.consent_id, l.refuses, t.label AS category, 'P-' || lpad(p.number::text, 3, '0') AS plant
           FROM consent_limit l LEFT JOIN term_label t ON t.term_id = l.category_id AND t.language = 'en'
           LEFT JOIN plant p ON p.id = l.plant_id
           WHERE l.study_id = %(study)s AND l.consent_id = ANY(%(ids)s) ORDER BY l.refuses, category, plant""",
        study=scope.study_id,
        ids=consent_ids,
    )


def giver_of(scope: Scope, consent_id: int) -> dict[str, Any] | None:
    """Who gave an agreement of the study: a holder whom the viewer may see (an owner: any), or a community."""
    return row(
        f"""SELECT k.holder_id, k.community_id, coalesce(k.community_id, h.community_id) AS of_community FROM consent k
            LEFT JOIN (holder h JOIN informant i ON i.holder_id = h.id {TERMS} i.id) ON h.id = k.holder_id
            WHERE k.study_id = %(study)s AND k.id = %(consent)s AND k.removed_at IS NULL
              AND (k.community_id IS NOT NULL OR %(owner)s OR {allowed(scope, written_by="h.recorded_by")})""",
        **parameters(scope, consent=consent_id),
    )


def sources(scope: Scope) -> list[dict[str, Any]]:
    return rows(
        """SELECT s.id, s.code, s.kind, s.csl, s.version, i.id AS informant_id,
                  (SELECT count(*) FROM use_report r WHERE r.informant_id = i.id AND r.removed_at IS NULL) AS reports
           FROM source s JOIN informant i ON i.source_id = s.id
           WHERE s.study_id = %(study)s AND s.removed_at IS NULL ORDER BY s.code""",
        study=scope.study_id,
    )


def identity(scope: Scope, holder_id: int) -> dict[str, Any] | None:
    """The encrypted name of a holder; only the operation that logs the disclosure reads it."""
    return row(
        "SELECT ciphertext, nonce, key_id FROM holder_identity WHERE study_id = %(study)s AND holder_id = %(holder)s",
        study=scope.study_id,
        holder=holder_id,
    )


def published_informants(scope: Scope) -> list[dict[str, Any]]:
    """Everybody interviewed, and every source, as the open informants table gives them."""
    return rows(
        f"""SELECT coalesce(h.code, s.code) AS informant, c.code AS community,
                  CASE WHEN h.id IS NULL THEN 'source' ELSE 'holder' END AS kind
           FROM informant i {TERMS} i.id
           LEFT JOIN holder h ON h.id = i.holder_id LEFT JOIN source s ON s.id = i.source_id
           LEFT JOIN community c ON c.id = coalesce(h.community_id, s.community_id)
           WHERE i.study_id = %(study)s AND {allowed(scope)} AND EXISTS (
              SELECT FROM encounter_informant ei JOIN encounter e ON e.id = ei.encounter_id
              WHERE ei.informant_id = i.id AND ei.part = 'teller' AND e.removed_at IS NULL)
           ORDER BY 1""",
        **parameters(scope),
    )
