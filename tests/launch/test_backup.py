"""Backing up and restoring: every table as it was, into an empty database only, and nothing of the keys."""

import json
import os
import re
import shutil
import subprocess
from collections.abc import Callable
from hashlib import sha256
from pathlib import Path
from urllib.parse import urlsplit

import pytest

from tender_ledger.launch.backup import DUMP, MANIFEST, BackupRefused, back_up, count_rows, restore
from tender_ledger.launch.cluster import programs
from tender_ledger.operations.reckoning import reckon_study
from tender_ledger.operations.studies import rules_in_force
from tender_ledger.storage.database import configure, connected, disconnect, rows, value
from tender_ledger.storage.queries import erasures
from tests.conftest import KEY, KEY_TEXT, Databases, scope_for
from tests.factories import SmallStudy


def everything() -> dict[str, list[str]]:
    """Every row of every table as text, but for when the schema was made, and where every sequence stands."""
    tables = [name for name in count_rows() if name != "schema_migration"]
    found = {name: sorted(one["t"] for one in rows(f'SELECT x::text AS t FROM "{name}" x')) for name in tables}
    sequences = rows("SELECT sequencename, last_value FROM pg_sequences WHERE schemaname = 'public'")
    return found | {"sequences": sorted(f"{one['sequencename']} {one['last_value']}" for one in sequences)}


@pytest.fixture
def empty_url(databases: Databases):
    """A database that holds nothing at all, not even the schema."""
    url = databases.fresh("template1")
    yield url
    databases.drop(url)


def test_what_was_backed_up_comes_back_table_by_table(databases: Databases, empty_url: str, demo_db: str, tmp_path: Path):
    numbers = reckon_study(scope_for(), rules_in_force(scope_for())).result
    before, folder = everything(), tmp_path / "backup"
    manifest = back_up(demo_db, folder)
    assert manifest.tables == count_rows()
    SmallStudy().holder("LATE-01")  # added after the backup
    assert everything() != before
    disconnect()
    configure(empty_url)
    with connected():
        assert restore(folder, owner_url=databases.owner_url(empty_url)).waits  # no list says that nobody was erased since
        assert erasures.waits()
        erasures.confirm()
        restored = everything()
        assert restored.keys() == before.keys()
        for table, found in restored.items():
            assert found == before[table], table
        again = reckon_study(scope_for(), rules_in_force(scope_for())).result
        assert (again.taxa, again.ur.tolist(), again.n) == (numbers.taxa, numbers.ur.tolist(), numbers.n)
        talk = rows("SELECT number FROM encounter ORDER BY id LIMIT 1")[0]["number"]
        SmallStudy().holder("AFTER-01")  # and work goes on where it stood
        assert talk == 1
    disconnect()
    configure(demo_db)


def test_no_key_is_in_a_backup_and_nobody_else_can_read_it(demo_db: str, tmp_path: Path):
    folder = tmp_path / "backup"
    manifest = back_up(demo_db, folder)
    held = b"".join(file.read_bytes() for file in folder.iterdir())
    assert manifest.key_ids == [KEY.key_id]
    for secret in (KEY_TEXT, "kkkkkkkkkkkkkkkkkkkkkkkkkkkkkkkk", "Ansa Morvel"):
        assert secret.encode() not in held
    assert value("SELECT count(*) FROM holder_identity") > 0
    assert folder.stat().st_mode & 0o777 == 0o700
    assert {file.stat().st_mode & 0o777 for file in folder.iterdir()} == {0o600}


def test_a_backup_overwrites_no_other(demo_db: str, tmp_path: Path):
    (tmp_path / "notes.txt").write_text("mine")
    with pytest.raises(BackupRefused, match="not empty"):
        back_up(demo_db, tmp_path)
    assert [file.name for file in tmp_path.iterdir()] == ["notes.txt"]


def test_a_restore_goes_into_an_empty_database_only(databases: Databases, demo_db: str, tmp_path: Path):
    back_up(demo_db, tmp_path / "backup")
    before = everything()
    with pytest.raises(BackupRefused, match=r"not empty: it has rows in \d+ tables"):
        restore(tmp_path / "backup", owner_url=databases.owner_url(demo_db))
    assert everything() == before


@pytest.mark.parametrize(
    ("spoil", "said"),
    [
        (lambda folder: (folder / DUMP).write_bytes((folder / DUMP).read_bytes()[:-200]), "changed or is cut off"),
        (lambda folder: (folder / MANIFEST).unlink(), "holds no backup"),
        (lambda folder: (folder / MANIFEST).write_text("{}"), "holds no backup"),
        (
            lambda folder: (folder / MANIFEST).write_text(
                json.dumps({**json.loads((folder / MANIFEST).read_text()), "migrations": ["0001_foundation", "9999_later"]})
            ),
            "newer version: it has 9999_later",
        ),
    ],
)
def test_a_backup_that_is_not_whole_or_too_new_changes_nothing(
    databases: Databases, empty_url: str, demo_db: str, tmp_path: Path, spoil, said: str
):
    folder = tmp_path / "backup"
    back_up(demo_db, folder)
    spoil(folder)
    disconnect()
    configure(empty_url)
    with connected():
        with pytest.raises(BackupRefused, match=said):
            restore(folder, owner_url=databases.owner_url(empty_url))
        assert rows("SELECT tablename FROM pg_tables WHERE schemaname = 'public'") == []
    disconnect()
    configure(demo_db)


def forge(folder: Path, change: Callable[[bytes], bytes]) -> None:
    """Change a dump, with a manifest that says it is whole."""
    forged = change((folder / DUMP).read_bytes())
    (folder / DUMP).write_bytes(forged)
    manifest = json.loads((folder / MANIFEST).read_text()) | {"sha256": sha256(forged).hexdigest()}
    (folder / MANIFEST).write_text(json.dumps(manifest))


def without_rows(table: str, dump: bytes) -> bytes:
    return re.sub(rb"(COPY public.%s \(.*\n)(?:.*\n)+?(\\\.\n)" % table.encode(), rb"\1\2", dump, count=1)


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (lambda dump: dump + b"\nDROP TABLE use_report;\n", r"Line \d+ does something else than fill a table"),
        (lambda dump: dump + b"\nSELECT pg_read_file('/etc/hostname');\n", r"Line \d+ does something else"),
        (lambda dump: b"\\! touch /tmp/done\n" + dump, r"Line 1 does something else"),
        (lambda dump: b"SET session_authorization = ledger; DROP TABLE x;\n" + dump, r"Line 1 does something else"),
        (lambda dump: b"COPY public.plant (id) FROM PROGRAM 'id';\n" + dump, r"Line 1 does something else"),
        (lambda dump: dump + b"COPY public.pg_authid (rolname) FROM stdin;\nme\n\\.\n", "has other tables"),
        (lambda dump: dump + b"COPY public.plant (id) FROM stdin;\n1\n", "rows of a table do not end"),
        (lambda dump: dump.replace(b"COPY public.plant (id, ", b"COPY public.plant (ident, "), "do not fit its schema"),
        (
            lambda dump: re.sub(rb"(COPY public.report_part \(.*\n)(?:.*\n)+?(\\\.\n)", rb"\1\2", dump, count=1),
            "are not those of",
        ),
    ],
)
def test_a_dump_that_does_anything_but_fill_tables_is_refused_and_nothing_of_it_runs(
    databases: Databases, empty_url: str, demo_db: str, tmp_path: Path, change: Callable[[bytes], bytes], said: str
):
    folder = tmp_path / "backup"
    back_up(demo_db, folder)
    forge(folder, change)
    disconnect()
    configure(empty_url)
    with connected():
        with pytest.raises(BackupRefused, match=said):
            restore(folder, owner_url=databases.owner_url(empty_url))
        assert {name for name, number in count_rows().items() if number} <= {"schema_migration", "installation"}
    disconnect()
    configure(demo_db)


def test_a_row_that_points_at_nothing_is_refused_and_the_restore_can_be_tried_again(
    databases: Databases, empty_url: str, demo_db: str, tmp_path: Path
):
    folder, whole = tmp_path / "backup", tmp_path / "whole"
    back_up(demo_db, folder)
    shutil.copytree(folder, whole)
    forge(
        folder, lambda dump: re.sub(rb"(COPY public.dialect \(id, study_id, language_id.*\n\d+\t\d+\t)\d+", rb"\g<1>9999", dump)
    )
    disconnect()
    configure(empty_url)
    with connected():
        with pytest.raises(BackupRefused, match="dialect"):
            restore(folder, owner_url=databases.owner_url(empty_url))
        restore(whole, owner_url=databases.owner_url(empty_url))
        assert count_rows()["use_report"] > 1000
    disconnect()
    configure(demo_db)


def test_a_backup_of_before_with_the_statements_of_its_schema_is_read_for_its_rows_alone(
    databases: Databases, empty_url: str, demo_db: str, tmp_path: Path
):
    folder, before = tmp_path / "backup", everything()
    back_up(demo_db, folder)
    owner = urlsplit(databases.owner_url(demo_db))
    place = ["--host", str(owner.hostname), "--port", str(owner.port), "--username", str(owner.username)]
    dump = subprocess.run(
        [str(programs() / "pg_dump"), *place, "--no-owner", "--no-privileges", owner.path[1:]],
        env={**os.environ, "PGPASSWORD": str(owner.password)},
        capture_output=True,
        check=True,
    ).stdout
    assert b"CREATE TABLE" in dump
    forge(folder, lambda _rows: dump + b"DROP TABLE public.use_report;\n")
    manifest = json.loads((folder / MANIFEST).read_text())
    del manifest["form"]
    (folder / MANIFEST).write_text(json.dumps(manifest))
    disconnect()
    configure(empty_url)
    with connected():
        restore(folder, owner_url=databases.owner_url(empty_url))
        erasures.confirm()
        assert everything() == before
    disconnect()
    configure(demo_db)
