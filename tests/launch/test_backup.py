"""Backing up and restoring: every table as it was, into an empty database only, and nothing of the keys."""

import json
from pathlib import Path

import pytest

from tender_ledger.launch.backup import DUMP, MANIFEST, BackupRefused, back_up, count_rows, restore
from tender_ledger.operations.reckoning import reckon_study
from tender_ledger.operations.studies import rules_in_force
from tender_ledger.storage.database import configure, connected, disconnect, rows, value
from tender_ledger.storage.queries import erasures
from tests.conftest import KEY, KEY_TEXT, Databases, scope_for
from tests.factories import SmallStudy


def everything() -> dict[str, list[str]]:
    """Every row of every table as text, and where every sequence stands."""
    tables = [one["tablename"] for one in rows("SELECT tablename FROM pg_tables WHERE schemaname = 'public'")]
    found = {name: sorted(one["t"] for one in rows(f'SELECT x::text AS t FROM "{name}" x')) for name in tables}
    sequences = rows("SELECT sequencename, last_value FROM pg_sequences WHERE schemaname = 'public'")
    return found | {"sequences": sorted(f"{one['sequencename']} {one['last_value']}" for one in sequences)}


@pytest.fixture
def empty_url(databases: Databases):
    """A database that holds nothing at all, not even the schema."""
    url = databases.fresh("template1")
    yield url
    databases.drop(url)


def test_what_was_backed_up_comes_back_table_by_table(empty_url: str, demo_db: str, tmp_path: Path):
    numbers = reckon_study(scope_for(), rules_in_force(scope_for())).result
    before, folder = everything(), tmp_path / "backup"
    manifest = back_up(demo_db, folder)
    assert manifest.tables == count_rows()
    SmallStudy().holder("LATE-01")  # added after the backup
    assert everything() != before
    disconnect()
    configure(empty_url)
    with connected():
        assert restore(empty_url, folder).waits  # no list says that nobody was erased since
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


def test_a_restore_goes_into_an_empty_database_only(demo_db: str, tmp_path: Path):
    back_up(demo_db, tmp_path / "backup")
    before = everything()
    with pytest.raises(BackupRefused, match=r"not empty: it has \d+ tables"):
        restore(demo_db, tmp_path / "backup")
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
def test_a_backup_that_is_not_whole_or_too_new_changes_nothing(empty_url: str, demo_db: str, tmp_path: Path, spoil, said: str):
    folder = tmp_path / "backup"
    back_up(demo_db, folder)
    spoil(folder)
    disconnect()
    configure(empty_url)
    with connected():
        with pytest.raises(BackupRefused, match=said):
            restore(empty_url, folder)
        assert rows("SELECT tablename FROM pg_tables WHERE schemaname = 'public'") == []
    disconnect()
    configure(demo_db)


def test_a_dump_that_fails_half_way_leaves_the_database_empty(empty_url: str, demo_db: str, tmp_path: Path):
    from hashlib import sha256

    from tender_ledger.launch.cluster import ClusterError

    folder = tmp_path / "backup"
    back_up(demo_db, folder)
    broken = (folder / DUMP).read_bytes() + b"\nSELECT no_such_function();\n"
    (folder / DUMP).write_bytes(broken)
    manifest = json.loads((folder / MANIFEST).read_text()) | {"sha256": sha256(broken).hexdigest()}
    (folder / MANIFEST).write_text(json.dumps(manifest))
    disconnect()
    configure(empty_url)
    with connected():
        with pytest.raises(ClusterError, match="no_such_function"):
            restore(empty_url, folder)
        assert rows("SELECT tablename FROM pg_tables WHERE schemaname = 'public'") == []
    disconnect()
    configure(demo_db)
