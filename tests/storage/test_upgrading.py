"""A database of the first schema brought to the present one: the same numbers, the same history."""

import gzip
import json
import os
import subprocess
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from tender_ledger.formats.result_document import result_document
from tender_ledger.launch.cluster import programs
from tender_ledger.operations.history import undo_act
from tender_ledger.operations.reckoning import reckon_study
from tender_ledger.operations.studies import rules_in_force
from tender_ledger.operations.vocabularies import load_shipped_vocabularies
from tender_ledger.storage.database import (
    applied_migrations,
    configure,
    connected,
    disconnect,
    known_migrations,
    migrate,
    rows,
    run,
    value,
)
from tender_ledger.storage.history import ENTITIES, take_snapshots
from tests.conftest import REFERENCE, Databases, scope_for

FIRST = REFERENCE / "first-schema"


@pytest.fixture
def first_schema(databases: Databases, tmp_path: Path) -> Iterator[str]:
    """The demo study as the first version left it, not yet migrated; connected. The address is that of the schema's owner."""
    url = databases.fresh("template1")
    dump = tmp_path / "study.sql"
    dump.write_bytes(gzip.decompress((FIRST / "study.sql.gz").read_bytes()))
    place = ["-h", "127.0.0.1", "-p", str(databases.cluster.port), "-U", "ledger", "-d", url.rsplit("/", 1)[1]]
    subprocess.run(
        [str(programs() / "psql"), *place, "-qX", "-1", "-v", "ON_ERROR_STOP=1", "-f", str(dump)],
        env={**os.environ, "PGPASSWORD": databases.cluster.password}, check=True, capture_output=True,
    )  # fmt: skip
    configure(databases.owner_url(url))
    with connected():
        yield databases.owner_url(url)
    databases.drop(url)


def bring_up_to_date(owner_url: str) -> None:
    """Migrate as the start does; every migration but the first is applied."""
    assert migrate(owner_url) == known_migrations()[1:]
    load_shipped_vocabularies()


def test_the_indices_are_those_that_the_first_version_computed(first_schema: str):
    """Expected values: the result document that the first version itself computed from this database."""
    assert applied_migrations() == ["0001_foundation"]
    bring_up_to_date(first_schema)
    run("UPDATE consent SET may_show = true WHERE may_count")  # the first version told communities apart whoever was hidden
    scope = scope_for()
    for kinds, name in ((["holder"], "holders"), (["holder", "source"], "holders and sources")):
        before = json.loads((FIRST / "indices.json").read_text())[name]
        after = result_document(reckon_study(scope, rules_in_force(scope).with_(informant_kinds=kinds)).result)
        assert after["totals"]["UR"] > 100
        for part in ("totals", "taxa", "categories", "communities"):
            assert shared(json.loads(json.dumps(after[part])), before[part]) == before[part], part
        assert [one for one in after["warnings"] if one in before["warnings"]] == before["warnings"]


def shared(after: Any, before: Any) -> Any:
    """What of the values of today the first version knew by name."""
    if not isinstance(before, dict):
        return after
    return {key: shared(after[key], before[key]) for key in before}


def test_nothing_that_was_told_is_lost(first_schema: str):
    told = {one["id"]: one["label"] for one in rows(
        """SELECT r.id, l.label FROM use_report r JOIN term_label l ON l.term_id = r.application_id
           WHERE l.language = 'en'""")}  # fmt: skip
    reports = value("SELECT count(*) FROM use_report")
    bring_up_to_date(first_schema)
    now = {one["id"]: one["label"] for one in rows(
        """SELECT a.report_id AS id, l.label FROM report_application a JOIN term_label l ON l.term_id = a.application_id
           WHERE l.language = 'en'""")}  # fmt: skip
    assert len(told) > 100
    assert now == told
    assert value("SELECT count(*) FROM use_report") == reports


def test_every_record_is_as_its_history_says_and_an_old_act_can_be_undone(first_schema: str):
    bring_up_to_date(first_schema)
    last = rows("SELECT DISTINCT ON (entity, record_id) entity, record_id, after FROM change ORDER BY entity, record_id, id DESC")
    assert len(last) > 300
    for entity in {one["entity"] for one in last}:
        left = {one["record_id"]: one["after"] for one in last if one["entity"] == entity and one["after"]}
        assert take_snapshots(ENTITIES[entity], left) == left, entity
    scope = scope_for()
    report = value("SELECT act_id FROM change WHERE entity = 'use_report' ORDER BY id DESC LIMIT 1")
    before = value("SELECT count(*) FROM use_report WHERE removed_at IS NULL")
    undo_act(scope, report)
    assert value("SELECT count(*) FROM use_report WHERE removed_at IS NULL") == before - 1


def test_a_migrated_database_has_the_schema_of_a_new_one(first_schema: str, databases: Databases, empty_template: str):
    """Columns, constraints and indexes by name and definition, whichever way the schema came about."""
    bring_up_to_date(first_schema)
    migrated = schema()
    disconnect()
    url = databases.fresh(empty_template)
    configure(url)
    with connected():
        new = schema()
    databases.drop(url)
    configure(first_schema)
    assert migrated == new


def schema() -> set[tuple[str, ...]]:
    """Every column, constraint, index and trigger as PostgreSQL describes it."""
    found = rows(
        """SELECT 'column' AS kind, table_name || '.' || column_name AS name,
                  concat_ws(' ', data_type, domain_name, is_nullable, column_default) AS said
           FROM information_schema.columns WHERE table_schema = 'public'
           UNION ALL SELECT 'constraint', conrelid::regclass || '.' || conname, pg_get_constraintdef(oid) FROM pg_constraint
             WHERE connamespace = 'public'::regnamespace
           UNION ALL SELECT 'index', indexname, indexdef FROM pg_indexes WHERE schemaname = 'public'
           UNION ALL SELECT 'trigger', tgname, pg_get_triggerdef(oid) FROM pg_trigger WHERE NOT tgisinternal"""
    )
    # A dump writes an AND of three as two: brackets are left out of the comparison.
    return {(one["kind"], one["name"], one["said"].translate({40: None, 41: None})) for one in found}
