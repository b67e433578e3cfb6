"""The migrated schema against the models, and the rules that the database holds by itself."""

import re
import uuid
from pathlib import Path

import pytest
from peewee import IntegrityError
from playhouse.postgres_ext import ArrayField

from tender_ledger.storage import models
from tender_ledger.storage.database import (
    MIGRATIONS,
    SENTENCES,
    pending_migrations,
    rows,
    run,
    snapshot,
    value,
    violated_constraint,
)

TYPES = {
    "TEXT": {"text", "phrase", "code", "slug"},
    "BIGINT": {"bigint"},
    "INTEGER": {"integer"},
    "SMALLINT": {"smallint"},
    "BOOL": {"boolean"},
    "DATE": {"date"},
    "UUID": {"uuid"},
    "JSONB": {"jsonb"},
    "BLOB": {"bytea"},
    "DOUBLE": {"double precision"},
    "TIMESTAMPTZ": {"timestamp with time zone"},
}


def columns() -> dict[tuple[str, str], dict[str, str]]:
    found = rows("""SELECT table_name, column_name, coalesce(domain_name, data_type) AS kind, is_nullable, column_default,
                      is_identity FROM information_schema.columns WHERE table_schema = 'public'""")
    return {(one["table_name"], one["column_name"]): one for one in found}


@pytest.mark.parametrize("name", models.__all__)
def test_a_model_says_of_its_table_what_the_database_says(empty_db: str, name: str):
    model, known = getattr(models, name), columns()
    table = model._meta.table_name
    for field in model._meta.sorted_fields:
        column = known[table, field.column_name]
        if isinstance(field, ArrayField):
            assert column["kind"] == "ARRAY", field.name
        elif field.field_type in TYPES:
            assert column["kind"] in TYPES[field.field_type], field.name
        assert field.null == (column["is_nullable"] == "YES"), f"{table}.{field.name}"
    unsaid = {
        column
        for (of, column), one in known.items()
        if of == table and one["is_nullable"] == "NO" and not one["column_default"] and one["is_identity"] == "NO"
    } - {field.column_name for field in model._meta.sorted_fields}
    assert unsaid == set()


def test_every_sentence_belongs_to_a_rule_of_the_database(empty_db: str):
    found = rows("""SELECT conname AS name FROM pg_constraint UNION SELECT indexname FROM pg_indexes
                    UNION SELECT tgname FROM pg_trigger""")  # fmt: skip
    named = {one["name"] for one in found}
    assert set(SENTENCES) <= named


def test_references_between_study_records_carry_the_study(empty_db: str):
    """No row can point into another study: every foreign key to a table that has a study names the study too."""
    found = rows("""SELECT c.conname, c.conrelid::regclass::text AS of, array_length(c.conkey, 1) AS width FROM pg_constraint c
                    WHERE c.contype = 'f' AND EXISTS (SELECT FROM information_schema.columns x
                      WHERE x.table_name = c.confrelid::regclass::text AND x.column_name = 'study_id'
                        AND x.is_nullable = 'NO')""")
    assert len(found) > 15
    assert [one for one in found if one["width"] < 2] == []


def test_nothing_waits_to_be_migrated_and_numbers_follow_each_other(empty_db: str):
    assert pending_migrations() == []
    numbers = [int(re.match(r"(\d{4})_", path.name)[1]) for path in sorted(Path(MIGRATIONS).glob("[0-9]*.py"))]
    assert numbers == list(range(1, len(numbers) + 1))


def insert_language(study: int, code: str, name: str = "Onsic") -> None:
    run("INSERT INTO language (study_id, code, name) VALUES (%(s)s, %(c)s, %(n)s)", s=study, c=code, n=name)


@pytest.mark.parametrize("name", ["a\u0301", " Onsic", ""])
def test_text_that_is_not_nfc_and_trimmed_does_not_enter(demo_db: str, name: str):
    with pytest.raises(IntegrityError):
        insert_language(1, "qac", name)


def test_a_violated_rule_is_known_by_name(demo_db: str):
    with pytest.raises(IntegrityError) as error:
        insert_language(1, "Q1")
    assert violated_constraint(error.value) == "language_code_form"


def test_a_report_of_somebody_who_was_not_there_does_not_enter(demo_db: str):
    with pytest.raises(IntegrityError) as error:
        run(
            """INSERT INTO use_report (study_id, encounter_id, informant_id, plant_id, basis_id, stance_id, outcome_id,
                                       recorded_by, client_key)
               SELECT study_id, encounter_id, (SELECT max(informant_id) FROM encounter_informant), plant_id, basis_id, stance_id,
                      outcome_id, recorded_by, %(key)s FROM use_report ORDER BY id LIMIT 1""",
            key=str(uuid.uuid4()),
        )
    assert violated_constraint(error.value) == "use_report_teller_present"


def test_a_snapshot_is_read_only_and_of_one_moment(demo_db: str):
    with snapshot():
        assert value("SELECT current_setting('transaction_isolation')") == "repeatable read"
        assert value("SELECT current_setting('transaction_read_only')") == "on"
