"""Taking everything that a holder told out of the database: rows, words, names, history, and every mention of the code.

The one place where records are deleted rather than hidden. It asks for no right and writes no act: the operation does.
"""

from typing import Any

import psycopg
from peewee import OperationalError

from tender_ledger.storage.database import database, row, rows, run

MENTION = "an erased holder"
_ZEROS = "0" * 64  # in place of the digest of a file that held the holder's rows
# Tables that are written anew afterwards, so that no page of them holds what was deleted.
_REWRITTEN = (
    "consent_limit", "community_restriction", "free_list", "free_list_item",
    "use_report", "report_coding", "report_part", "report_method", "report_application", "asking", "attestation", "local_name",
    "purpose", "plant", "encounter", "encounter_informant", "consent", "holder", "holder_identity", "disclosure", "informant",
    "import_row", "import_batch", "import_upload", "sheet_matching",
    "draft", "change", "determination", "feature", "picture", "picture_data",
    "specimen", "study", "source", "community", "report_step", "report_ingredient", "report_teaching", "dispute",
    "property_claim", "plant_link", "kept_answer", "kept_result", "computation", "questionnaire_answer",
    "frozen_reckoning", "worklist_mark", "caution", "release_cell",
)  # fmt: skip


_PURPOSES_OF_CHANGES = """SELECT DISTINCT (p #>> '{}')::bigint AS id FROM change c, unnest(ARRAY[c.before, c.after]) AS side,
    jsonb_path_query(side, '$.codings[*].purpose_id') AS p
    WHERE c.study_id = %(s)s AND c.entity = 'use_report' AND jsonb_typeof(p) = 'number'"""


def erase_holder_rows(study_id: int, holder_id: int) -> int:
    """Delete a holder and all that came from them; returns how many records went. 0 where there is no such holder.

    Plants, names, purposes and encounters go with them where nobody else has a part in them. Runs in the caller's transaction,
    which holds the study from here on: what is computed meanwhile is of a revision that is past, and is not kept.
    """
    found = row(
        """SELECT h.code, h.uid, i.id AS informant FROM study s JOIN holder h ON h.study_id = s.id
           JOIN informant i ON i.holder_id = h.id WHERE s.id = %(s)s AND h.id = %(h)s FOR UPDATE OF s, h""",
        s=study_id,
        h=holder_id,
    )
    if found is None:
        return 0
    return _Erasing(study_id, holder_id, found["informant"], found["code"]).all()


_ABOUT = "(coalesce(after, before) ->> 'about')"


class _Erasing:
    def __init__(self, study_id: int, holder_id: int, informant: int, code: str) -> None:
        self.values: dict[str, Any] = {"s": study_id, "h": holder_id, "i": informant}
        self.code, self.records = code, 0

    def all(self) -> int:
        for table in ("kept_answer", "kept_result", "computation"):
            self._run(f"DELETE FROM {table} WHERE study_id = %(s)s")
        self._releases()
        self._find()
        self._imports()
        self._reports()
        self._names_and_plants()
        self._encounters()
        self._history()
        self._purposes()
        for table in ("holder_identity", "disclosure", "consent"):
            self._delete(table, "holder_id = %(h)s")
        self._run("DELETE FROM draft WHERE study_id = %(s)s AND upper(btrim(body ->> 'informant')) = %(code)s", code=self.code)
        self._run("DELETE FROM informant WHERE id = %(i)s")
        self._delete("holder", "id = %(h)s")
        self._mentions()
        return self.records

    def _releases(self) -> None:
        """Of what left the study stays how many of those behind a cell were erased; a cell of nobody else is gone."""
        self._run("""UPDATE release_cell SET erased = erased + 1, holders = array_remove(holders, %(i)s),
              amounts = amounts[:array_position(holders, %(i)s) - 1] || amounts[array_position(holders, %(i)s) + 1:]
            WHERE study_id = %(s)s AND %(i)s = ANY(holders)""")
        self._run("DELETE FROM release_cell WHERE study_id = %(s)s AND erased > 0 AND holders = '{}'")

    def _find(self) -> None:
        """The records that go, by number, before anything goes."""
        self._list("reports", "SELECT id FROM use_report WHERE informant_id = %(i)s")
        self._list("askings", "SELECT id FROM asking WHERE informant_id = %(i)s")
        self._list("purposes", f"""SELECT purpose_id AS id FROM report_coding WHERE report_id = ANY(%(reports)s)
            UNION SELECT id FROM ({_PURPOSES_OF_CHANGES} AND c.record_id = ANY(%(reports)s)) earlier""")  # fmt: skip
        others = "(SELECT {column} FROM {table} WHERE informant_id <> %(i)s AND study_id = %(s)s)"
        for name, table, column in (("alone", "encounter_informant", "encounter_id"), ("names", "attestation", "local_name_id")):
            shared = others.format(table=table, column=column)
            self._list(name, f"SELECT {column} AS id FROM {table} WHERE informant_id = %(i)s AND {column} NOT IN {shared}")
        self._list("names", "SELECT id FROM local_name WHERE id = ANY(%(names)s) AND told")
        self._list("plants", """SELECT plant_id AS id FROM use_report WHERE informant_id = %(i)s
            UNION SELECT plant_id FROM asking WHERE informant_id = %(i)s
            UNION SELECT x.plant_id FROM free_list_item x JOIN free_list f ON f.id = x.free_list_id WHERE f.informant_id = %(i)s
            UNION SELECT plant_id FROM local_name WHERE id = ANY(%(names)s)""")  # fmt: skip

    def _list(self, name: str, sql: str) -> None:
        found = rows(sql, **self.values)
        self.values[name] = sorted({one["id"] for one in found if one["id"] is not None})

    def _run(self, sql: str, **more: Any) -> None:
        run(sql, **self.values, **more)

    def _delete(self, table: str, condition: str, *, counted: bool = True) -> None:
        gone = database.execute_sql(f"DELETE FROM {table} WHERE study_id = %(s)s AND {condition}", self.values).rowcount
        self.records += gone if counted else 0

    def _imports(self) -> None:
        """Rows of imported tables; a table that waits or was imported holds them word for word, and goes whole."""
        batches = rows(
            """SELECT batch_id, count(*) AS n FROM import_row
               WHERE study_id = %(s)s AND (report_id = ANY(%(reports)s) OR asking_id = ANY(%(askings)s)) GROUP BY batch_id""",
            **self.values,
        )
        for one in batches:
            self._run("UPDATE import_batch SET rows = rows - %(n)s, file_sha256 = %(zeros)s WHERE id = %(b)s",
                      n=one["n"], b=one["batch_id"], zeros=_ZEROS)  # fmt: skip
            for side in ("before", "after"):
                self._run(
                    f"""UPDATE change SET {side} = {side} || jsonb_build_object('rows', ({side} ->> 'rows')::int - %(n)s,
                          'file_sha256', %(zeros)s::text)
                        WHERE study_id = %(s)s AND entity = 'import_batch' AND record_id = %(b)s AND {side} IS NOT NULL""",
                    n=one["n"],
                    b=one["batch_id"],
                    zeros=_ZEROS,
                )
        self._delete("import_row", "(report_id = ANY(%(reports)s) OR asking_id = ANY(%(askings)s))", counted=False)
        for table in ("import_upload", "sheet_matching"):
            self._run(f"DELETE FROM {table} WHERE study_id = %(s)s")

    def _reports(self) -> None:
        self._delete("community_restriction", "report_id = ANY(%(reports)s)")
        self._marks()
        self._disputes()
        for table in ("report_coding", "report_part", "report_method", "report_application", "report_step", "report_ingredient",
                      "report_teaching"):  # fmt: skip
            self._delete(table, "report_id = ANY(%(reports)s)", counted=False)
        self._taught()
        for table in ("property_claim", "plant_link"):
            self._list("gone", f"SELECT id FROM {table} WHERE informant_id = %(i)s")
            self._delete("change", f"entity = '{table}' AND record_id = ANY(%(gone)s)", counted=False)
            self._delete(table, "informant_id = %(i)s")
        self._delete("use_report", "id = ANY(%(reports)s)")
        self._delete("asking", "id = ANY(%(askings)s)")
        self._delete("attestation", "informant_id = %(i)s")
        self._delete("questionnaire_answer", "informant_id = %(i)s")
        self._run("""UPDATE frozen_reckoning SET body = NULL, informants = array_remove(informants, %(i)s)
                     WHERE study_id = %(s)s AND %(i)s = ANY(informants)""")
        own = "free_list_id IN (SELECT id FROM free_list WHERE informant_id = %(i)s)"
        self._delete("free_list_item", own, counted=False)
        self._delete("free_list", "informant_id = %(i)s")

    def _marks(self) -> None:
        """What was decided of an item that is about something of the holder's goes, with its reason and its history.

        An item names its records by their numbers, behind their kind.
        """
        self._delete_marks("holder_id = %(h)s")
        self._delete_marks(f"{_ABOUT} LIKE 'report %%' AND split_part({_ABOUT}, ' ', 2) = ANY(%(reports)s::text[])")
        self._delete_marks(f"{_ABOUT} LIKE 'twice %%' AND string_to_array({_ABOUT}, ' ') && %(reports)s::text[]")
        self._delete_marks(f"{_ABOUT} IN (SELECT 'encounter ' || number FROM encounter WHERE id = ANY(%(alone)s))")

    def _delete_marks(self, condition: str) -> None:
        marks = "study_id = %(s)s AND entity = 'worklist_mark'"
        self._list("marks", f"SELECT record_id AS id FROM change WHERE {marks} AND {condition}")
        self._delete("change", "entity = 'worklist_mark' AND record_id = ANY(%(marks)s)", counted=False)
        self._delete("worklist_mark", "id = ANY(%(marks)s)", counted=False)

    def _disputes(self) -> None:
        """Who was contradicted, or contradicts, says so still, of an erased holder, and no longer in which words."""
        self._list("torn", "SELECT id FROM dispute WHERE report_id = ANY(%(reports)s) OR other_id = ANY(%(reports)s)")
        self._delete("change", "entity = 'dispute' AND record_id = ANY(%(torn)s)", counted=False)
        self._delete("dispute", """report_id = ANY(%(reports)s) AND (other_id IS NULL OR other_id = ANY(%(reports)s))""")
        self._run(
            """UPDATE dispute SET other_id = NULL, note = CASE WHEN note = '' THEN '' ELSE %(mention)s END,
                 report_id = CASE WHEN report_id = ANY(%(reports)s) THEN other_id ELSE report_id END
               WHERE id = ANY(%(torn)s)""",
            mention=MENTION,
        )

    def _taught(self) -> None:
        """Whom the holder taught still says that somebody did, and no longer who; in the history too."""
        self._run(
            "UPDATE report_teaching SET teacher_id = NULL, words = %(mention)s WHERE teacher_id = %(i)s AND study_id = %(s)s",
            mention=MENTION,
        )
        for side in ("before", "after"):
            self._run(
                f"""UPDATE change SET {side} = jsonb_set({side}, '{{teachings}}', (SELECT jsonb_agg(
                        CASE WHEN (x ->> 'teacher_id')::bigint = %(i)s
                             THEN x || jsonb_build_object('teacher_id', NULL, 'words', %(mention)s::text) ELSE x END)
                      FROM jsonb_array_elements({side} -> 'teachings') x))
                    WHERE study_id = %(s)s AND entity = 'use_report' AND {side} -> 'teachings' @> %(taught)s::jsonb""",
                mention=MENTION,
                taught=f'[{{"teacher_id": {self.values["i"]}}}]',
            )

    def _names_and_plants(self) -> None:
        self._delete("local_name", "id = ANY(%(names)s)")
        left = """id = ANY(%(plants)s) AND told AND NOT EXISTS (SELECT FROM use_report r WHERE r.plant_id = plant.id)
            AND NOT EXISTS (SELECT FROM asking a WHERE a.plant_id = plant.id)
            AND NOT EXISTS (SELECT FROM local_name n WHERE n.plant_id = plant.id)
            AND NOT EXISTS (SELECT FROM determination d WHERE d.plant_id = plant.id)
            AND NOT EXISTS (SELECT FROM free_list_item x WHERE x.plant_id = plant.id)
            AND NOT EXISTS (SELECT FROM property_claim c WHERE c.plant_id = plant.id)
            AND NOT EXISTS (SELECT FROM plant_link k WHERE plant.id IN (k.plant_id, k.other_id))
            AND NOT EXISTS (SELECT FROM consent_limit l JOIN consent k ON k.id = l.consent_id
                            WHERE l.plant_id = plant.id AND k.holder_id IS DISTINCT FROM %(h)s)
            AND NOT EXISTS (SELECT FROM community_restriction c WHERE c.plant_id = plant.id)"""
        self._delete("consent_limit", "consent_id IN (SELECT id FROM consent WHERE holder_id = %(h)s)", counted=False)
        self._list("bare", f"SELECT id FROM plant WHERE study_id = %(s)s AND {left}")
        self._of_bare_plants()
        self._delete("plant", "id = ANY(%(bare)s)")
        self._run("UPDATE plant SET came_as = '' WHERE id = ANY(%(plants)s) AND came_as LIKE 'name: %%' AND study_id = %(s)s")

    def _of_bare_plants(self) -> None:
        """What was measured, pictured and pressed of plants that go: pictures with their files, and the history of all of it."""
        self._delete("picture_data", "picture_id IN (SELECT id FROM picture WHERE plant_id = ANY(%(bare)s))", counted=False)
        for table in ("feature", "picture", "specimen"):
            self._list("gone", f"SELECT id FROM {table} WHERE plant_id = ANY(%(bare)s)")
            self._delete("change", f"entity = '{table}' AND record_id = ANY(%(gone)s)", counted=False)
            self._delete(table, "plant_id = ANY(%(bare)s)")
        numbers = "ARRAY(SELECT number::text FROM plant WHERE id = ANY(%(bare)s))"
        self._delete_marks(f"{_ABOUT} LIKE 'plant%%' AND string_to_array({_ABOUT}, ' ') && {numbers}")

    def _encounters(self) -> None:
        self._delete("encounter_informant", "informant_id = %(i)s", counted=False)
        self._delete("encounter", "id = ANY(%(alone)s)")

    def _history(self) -> None:
        self._delete("change", """(holder_id = %(h)s OR (entity = 'encounter' AND record_id = ANY(%(alone)s))
            OR (entity = 'local_name' AND record_id = ANY(%(names)s)) OR (entity = 'plant' AND record_id = ANY(%(bare)s))
            OR (entity = 'use_report' AND record_id = ANY(%(reports)s))
            OR (entity = 'community_restriction' AND (coalesce(after, before) ->> 'report_id')::bigint = ANY(%(reports)s))
            OR (entity = 'asking' AND record_id = ANY(%(askings)s)))""",
                     counted=False)  # fmt: skip
        for side in ("before", "after"):
            self._run(
                f"""UPDATE change SET {side} = jsonb_set({side}, '{{informants}}', coalesce((SELECT jsonb_agg(x)
                      FROM jsonb_array_elements({side} -> 'informants') x WHERE (x ->> 'informant_id')::bigint <> %(i)s), '[]'))
                    WHERE study_id = %(s)s AND entity = 'encounter' AND {side} -> 'informants' @> %(there)s::jsonb""",
                there=f'[{{"informant_id": {self.values["i"]}}}]',
            )
            self._run(
                f"""UPDATE change SET {side} = {side} || '{{"came_as": ""}}' WHERE study_id = %(s)s AND entity = 'plant'
                    AND record_id = ANY(%(plants)s) AND {side} ->> 'came_as' LIKE 'name: %%'"""
            )

    def _purposes(self) -> None:
        """Labels that nobody else's report has, nor any state that the history could bring back."""
        kept = {one["id"] for one in rows(_PURPOSES_OF_CHANGES, **self.values)}
        self.values["purposes"] = [one for one in self.values["purposes"] if one not in kept]
        self._delete("purpose", "id = ANY(%(purposes)s) AND NOT EXISTS "
                     "(SELECT FROM report_coding k WHERE k.purpose_id = purpose.id)", counted=False)  # fmt: skip

    def _mentions(self) -> None:
        """The code, wherever somebody wrote it into a text, with a table of nothing but texts and JSON asked each."""
        word = rf"(?<![A-Za-z0-9-]){self.code}(?![A-Za-z0-9-])"  # a code has no character that a pattern reads otherwise
        case = "i" if any(letter.isdigit() for letter in self.code) else "c"  # a code of letters alone may be a word as well
        for table, column, kind in _texts():
            text = f"{column}::text" if kind == "jsonb" else column
            own = "id" if table == "study" else "study_id"
            self._run(
                f"""UPDATE "{table}" SET {column} = regexp_replace({text}, %(word)s, %(mention)s, 'g{case}')::{kind}
                    WHERE {own} = %(s)s AND {text} ~ %(asked)s""",
                word=word,
                asked=f"(?{case}){word}",
                mention="" if column == "came_as" else MENTION,
            )


def _texts() -> list[tuple[str, str, str]]:
    """(table, column, type) of every free text and JSON of a study; not codes, and not what the system writes itself."""
    found = rows(
        """SELECT c.table_name AS t, c.column_name AS n, c.data_type AS k FROM information_schema.columns c
           WHERE c.table_schema = 'public' AND c.data_type IN ('text', 'jsonb') AND c.domain_name IS DISTINCT FROM 'code'
             AND c.domain_name IS DISTINCT FROM 'slug' AND c.column_name NOT IN ('code', 'zone', 'scheme', 'file_sha256')
             AND (c.table_name = 'study' OR EXISTS (SELECT FROM information_schema.columns s WHERE s.table_schema = 'public'
                    AND s.table_name = c.table_name AND s.column_name = 'study_id'))
           ORDER BY 1, 2"""
    )
    return [(one["t"], one["n"], one["k"]) for one in found]


def keep_erasure(study_id: int, holder_id: int, person_id: int, records: int) -> None:
    """Write down in the study that a holder was erased; the same a second time changes nothing."""
    run(
        """INSERT INTO erasure (study_id, holder_id, person_id, records) VALUES (%(s)s, %(h)s, %(p)s, %(n)s)
           ON CONFLICT (study_id, holder_id) DO NOTHING""",
        s=study_id,
        h=holder_id,
        p=person_id,
        n=records,
    )


def overwrite_deleted() -> list[str]:
    """Write the tables anew and let go of the log, so that no file of the server holds what was deleted.

    Returns what this person of the database may not do; then its administrator has to. Needs every table for a moment.
    Raises OperationalError where the server goes, or has no room to write them.
    """
    refused = []
    with psycopg.connect(str(database.obj.database), autocommit=True) as connection:
        for statement in (
            *(f"VACUUM (FULL, ANALYZE) {table}" for table in _REWRITTEN),
            "VACUUM FULL pg_statistic",
            "CHECKPOINT",
            "SELECT pg_switch_wal()",
            "CHECKPOINT",
        ):
            try:
                connection.execute(statement)
            except psycopg.errors.InsufficientPrivilege:
                refused.append(statement)
            except (psycopg.OperationalError, psycopg.errors.InternalError_) as error:  # the second where no checkpoint is made
                raise OperationalError(str(error)) from error
    return refused
