"""Imported tables: which rows landed already, what was imported when, and what waits on the screen for its bringer."""

from typing import Any

from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import row, rows, run, value
from tender_ledger.storage.queries.terms import TERMS, parameters


def rows_taken_over(batches: list[int]) -> bool:
    """Whether rows of these imports came in again with another one, after they had been undone."""
    return bool(
        value(
            """SELECT EXISTS (SELECT FROM import_batch b WHERE b.id = ANY(%(ids)s)
                 AND b.rows > (SELECT count(*) FROM import_row r WHERE r.batch_id = b.id))""",
            ids=batches,
        )
    )


def informants(scope: Scope) -> list[dict[str, Any]]:
    """Everybody on record, sealed or not: code, community, kind, the terms of the day, and whether anything
    was ever agreed to. For the import alone, never to show."""
    return rows(
        f"""SELECT i.id, i.holder_id, i.source_id, coalesce(h.code, s.code) AS code, coalesce(c.code, '') AS community,
                  s.id IS NOT NULL AS is_source, t.may_record,
                  s.id IS NOT NULL OR EXISTS (SELECT FROM consent k WHERE k.holder_id = h.id AND k.removed_at IS NULL) AS on_file
           FROM informant i {TERMS} i.id LEFT JOIN holder h ON h.id = i.holder_id LEFT JOIN source s ON s.id = i.source_id
           LEFT JOIN community c ON c.id = coalesce(h.community_id, s.community_id) WHERE i.study_id = %(study)s""",
        **parameters(scope),
    )


def communities(scope: Scope) -> list[dict[str, Any]]:
    """Every community by code and name."""
    return rows(
        "SELECT id, code, name FROM community WHERE study_id = %(study)s AND removed_at IS NULL ORDER BY code",
        study=scope.study_id,
    )


def encounters(scope: Scope) -> list[dict[str, Any]]:
    """Every encounter with what an imported table called it, its days, and the codes of its tellers."""
    return rows(
        """SELECT e.id, e.number, e.came_as, e.day_from, e.day_to,
                  array(SELECT coalesce(h.code, s.code)::text FROM encounter_informant x JOIN informant i ON i.id = x.informant_id
                    LEFT JOIN holder h ON h.id = i.holder_id LEFT JOIN source s ON s.id = i.source_id
                    WHERE x.encounter_id = e.id AND x.part = 'teller') AS tellers
           FROM encounter e WHERE e.study_id = %(study)s AND e.removed_at IS NULL ORDER BY e.id""",
        study=scope.study_id,
    )


def plants(scope: Scope) -> list[dict[str, Any]]:
    """Every plant ever numbered, with what an imported table called it and its accepted taxon; `live` unless it was undone."""
    return rows(
        """SELECT p.id, p.number, p.came_as, p.removed_at IS NULL AS live, coalesce(acc.name, x.name, '') AS taxon
           FROM plant p LEFT JOIN determination d ON d.plant_id = p.id AND d.is_current AND d.removed_at IS NULL
           LEFT JOIN taxon x ON x.id = d.taxon_id LEFT JOIN taxon acc ON acc.id = x.accepted_id
           WHERE p.study_id = %(study)s ORDER BY p.id""",
        study=scope.study_id,
    )


def vocabulary(scope: Scope) -> list[dict[str, Any]]:
    """Every term that a report can carry, shipped and the study's own."""
    return rows(
        """SELECT v.id, v.vocabulary, coalesce(v.scheme, '') AS scheme, v.parent_id, v.code, v.abbreviation, l.label
           FROM vocabulary_term v JOIN term_label l ON l.term_id = v.id AND l.language = 'en'
           WHERE (v.study_id IS NULL OR v.study_id = %(study)s) AND v.retired_at IS NULL AND v.removed_at IS NULL
           ORDER BY v.position, v.id""",
        study=scope.study_id,
    )


def row_keys(scope: Scope) -> list[dict[str, Any]]:
    """The keys of all rows that landed with an import that stands."""
    return rows(
        """SELECT r.row_key, r.mended_key FROM import_row r JOIN import_batch b ON b.id = r.batch_id AND b.removed_at IS NULL
           WHERE r.study_id = %(study)s""",
        study=scope.study_id,
    )


def lines_refused(scope: Scope, batch_id: int) -> list[int]:
    """The lines of an import whose reports a limit of an agreement keeps from being recorded."""
    found = rows(
        """SELECT i.line FROM import_row i JOIN barred_reports(%(study)s, %(day)s) b ON b.report_id = i.report_id AND b.no_record
           WHERE i.batch_id = %(batch)s ORDER BY i.line""",
        **parameters(scope, batch=batch_id),
    )
    return [one["line"] for one in found]


def askings(scope: Scope) -> list[dict[str, Any]]:
    """Who is on record as asked about which plant in which encounter without a use named."""
    return rows(
        "SELECT id, encounter_id, informant_id, plant_id FROM asking WHERE study_id = %(study)s AND removed_at IS NULL",
        study=scope.study_id,
    )


def features(scope: Scope) -> list[dict[str, Any]]:
    """What is on record as measured of which plant, in which words."""
    return rows(
        "SELECT plant_id, character, words FROM feature WHERE study_id = %(study)s AND removed_at IS NULL",
        study=scope.study_id,
    )


def tellings(scope: Scope) -> list[tuple[Any, ...]]:
    """Properties and links of plants on record: encounter, informant, plant, "property" and which, or the kind of link and the
    other plant, then the words."""
    claimed = rows(
        """SELECT encounter_id, informant_id, plant_id, 'property' AS kind, property, words FROM property_claim
           WHERE study_id = %(study)s AND removed_at IS NULL""",
        study=scope.study_id,
    )
    linked = rows(
        """SELECT encounter_id, informant_id, plant_id, kind, other_id, words FROM plant_link
           WHERE study_id = %(study)s AND removed_at IS NULL""",
        study=scope.study_id,
    )
    return [tuple(one.values()) for one in (*claimed, *linked)]


def informants_of_records(encounter_id: int) -> list[int]:
    """Informants whom records of an encounter point at, hidden ones too, so that they cannot leave it."""
    found = rows(
        """SELECT informant_id FROM use_report WHERE encounter_id = %(e)s
           UNION SELECT informant_id FROM asking WHERE encounter_id = %(e)s
           UNION SELECT informant_id FROM free_list WHERE encounter_id = %(e)s""",
        e=encounter_id,
    )
    return [one["informant_id"] for one in found]


def forget_undone(scope: Scope, keys: list[bytes], mended: list[bytes]) -> None:
    """Let go of the keys of rows whose import was undone, since the rows come in again."""
    run(
        """DELETE FROM import_row r USING import_batch b WHERE b.id = r.batch_id AND b.removed_at IS NOT NULL
           AND r.study_id = %(study)s AND (r.row_key = ANY(%(keys)s) OR r.mended_key = ANY(%(mended)s))""",
        study=scope.study_id,
        keys=keys,
        mended=mended,
    )


def batches(scope: Scope) -> list[dict[str, Any]]:
    """The imports of the study, the latest first: when, by whom, on which terms, how many rows; whether it was undone."""
    return rows(
        """SELECT b.id, b.imported_at, p.name AS person, b.terms, b.rows, b.failed, b.removed_at IS NOT NULL AS undone,
                  (SELECT max(c.act_id) FROM change c WHERE c.study_id = b.study_id AND c.entity = 'import_batch'
                     AND c.record_id = b.id AND c.before IS NULL) AS act_id
           FROM import_batch b JOIN person p ON p.id = b.recorded_by WHERE b.study_id = %(study)s ORDER BY b.id DESC""",
        study=scope.study_id,
    )


def upload(scope: Scope, upload_id: int) -> dict[str, Any] | None:
    """A table that the viewer brought; nobody else's. Without a sign of life for half a minute it `waits` where it is in the
    queue still, and is `silent` where it is not."""
    return row(
        """SELECT u.*, still AND queued AS waits, still AND NOT queued AS silent FROM import_upload u,
             LATERAL (SELECT now() - u.beat_at > interval '30 seconds' AS still,
                             EXISTS (SELECT FROM procrastinate_jobs WHERE lock = 'upload ' || u.id) AS queued) now
           WHERE study_id = %(study)s AND person_id = %(person)s AND id = %(id)s""",
        study=scope.study_id,
        person=scope.viewer.person_id,
        id=upload_id,
    )


def uploads(scope: Scope) -> list[dict[str, Any]]:
    """The tables that the viewer brought and that still wait."""
    return rows(
        """SELECT id, brought_at, state FROM import_upload
           WHERE study_id = %(study)s AND person_id = %(person)s AND state <> 'imported' ORDER BY id DESC""",
        study=scope.study_id,
        person=scope.viewer.person_id,
    )


def sheet_matching(scope: Scope) -> dict[str, Any] | None:
    """What was said of earlier sheets of the study; None where no sheet was matched."""
    return row("SELECT heads, answers, day_first FROM sheet_matching WHERE study_id = %(study)s", study=scope.study_id)
