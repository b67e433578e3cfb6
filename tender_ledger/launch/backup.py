"""Backup and restore of the whole database: its rows as plain SQL, with a manifest that says what is in it.

The schema is not in it: a restore makes it by the migrations that the manifest names. So a restore runs nothing of a backup.

A backup holds back nothing but the keys: they are in the state folder or the environment, never in the database.
"""

import hashlib
import json
import os
import subprocess
from collections.abc import Iterator
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from pathlib import Path

from tender_ledger.launch.cluster import ClusterError, programs
from tender_ledger.launch.dump import NotRows, SequenceValue, TableRows, parts_of_dump
from tender_ledger.launch.erasures import LIST, erase_again, lists_beside, write_list
from tender_ledger.storage.bulk import may_check_together, tables_filled_anew
from tender_ledger.storage.database import (
    ROWS_REFUSED,
    applied_migrations,
    copy_lines,
    database,
    disk_is_full,
    exported_snapshot,
    known_migrations,
    migrate,
    rows,
    run,
    value,
    without_password,
)
from tender_ledger.storage.queries import erasures

DUMP, MANIFEST = "ledger.sql", "manifest.json"
_FORM = 2  # 1 had the statements of the schema as well
_MADE_BY_MIGRATIONS = ("schema_migration", "installation")  # tables with rows before anybody does anything


class BackupRefused(RuntimeError):
    """The backup cannot be written or restored; says why and what to do. Nothing was changed."""


@dataclass(frozen=True)
class Manifest:
    """What a backup holds: when it was made, by which migrations, how many rows each table has, and the names' keys by id.

    `form` is that of the dump.
    """

    made_at: str
    migrations: list[str]
    tables: dict[str, int]
    key_ids: list[str]
    sha256: str
    form: int = 1


def back_up(url: str, folder: Path) -> Manifest:
    """Write a backup of the database into a new or empty folder, readable by its owner alone; others go on working.

    Raises BackupRefused for a folder that holds something, ClusterError when the dump fails.
    """
    if folder.exists() and any(folder.iterdir()):
        raise BackupRefused(f"{folder} is not empty. A backup goes into a folder of its own, so that none is overwritten.")
    folder.mkdir(parents=True, exist_ok=True)
    folder.chmod(0o700)
    try:
        return _write_backup(url, folder)
    except BaseException as error:
        for left in folder.iterdir():  # half a backup is none
            left.unlink()
        if disk_is_full(error):
            raise BackupRefused(f"The disk is full; nothing was left in {folder}. Make room, or name another folder.") from error
        raise


def _write_backup(url: str, folder: Path) -> Manifest:
    dump = folder / DUMP
    dump.touch(mode=0o600)
    with exported_snapshot() as seen:  # the counts and the dump are of one moment
        _run("pg_dump", url, "--data-only", "--schema=public", f"--snapshot={seen}", f"--file={dump}")
        manifest = Manifest(
            datetime.now(UTC).isoformat(timespec="seconds"), applied_migrations(), count_rows(),
            [one["key_id"] for one in rows("SELECT DISTINCT key_id FROM holder_identity ORDER BY key_id")], _digest(dump), _FORM,
        )  # fmt: skip
    write_list(folder, datetime.fromisoformat(manifest.made_at))
    (folder / MANIFEST).touch(mode=0o600)
    (folder / MANIFEST).write_text(json.dumps(asdict(manifest), indent=1) + "\n", encoding="utf-8")
    return manifest


@dataclass(frozen=True)
class Restored:
    """What came back: the manifest of the backup; how many erased holders were in it and were erased again; how many erasures
    are known of and the last of them; and whether the database waits for somebody to confirm that there were no later ones."""

    manifest: Manifest
    erased_again: int
    known: int
    last: datetime | None
    waits: bool


def restore(folder: Path, *, owner_url: str = "", state: Path | None = None) -> Restored:
    """Bring a backup into an empty database, all of it or nothing, and up to the present schema; then erase again whom a list
    of erasures names, in the backup, beside it, or in the state folder. `owner_url` is as for `migrate`.

    Where no list reaches beyond the backup, nobody is served until somebody confirms that nobody was erased since. The list in
    a state folder that served the same installation has every erasure in it, whenever it was written last.

    Raises BackupRefused for a database that holds anything, a backup that is not whole or does something else than fill
    tables, or one of a newer version.
    """
    manifest = read_manifest(folder)
    if newer := [name for name in manifest.migrations if name not in known_migrations()]:
        raise BackupRefused(f"The backup is of a newer version: it has {newer[-1]}, which this one does not know. Update first.")
    _refuse_unless_empty(manifest)
    _refuse_more_than_rows(folder / DUMP, manifest)
    try:
        lists = lists_beside(folder, *([state] if state else []))
    except ValueError as error:
        raise BackupRefused(f"{error} Mend or remove it, and restore again.") from error
    migrate(owner_url, target=manifest.migrations[-1])
    _fill_tables(folder / DUMP, manifest)
    migrate(owner_url)
    again = erase_again(lists.values())
    own, made = erasures.installation_id(), datetime.fromisoformat(manifest.made_at)
    here = (state / LIST).resolve() if state else None
    found = any((file == here and own in one.served) or one.covers.get(own, made) > made for file, one in lists.items())
    if not found:
        erasures.wait()
    if state:
        write_list(state, made if not found else None)
    known = erasures.last_known()
    return Restored(manifest, again, known["number"], known["last"], not found)


def _refuse_unless_empty(manifest: Manifest) -> None:
    """A restore that was cut off leaves a schema without rows, into which it may be tried again."""
    held = {name: number for name, number in count_rows().items() if number and name not in _MADE_BY_MIGRATIONS}
    applied = applied_migrations() if rows("SELECT FROM pg_tables WHERE tablename = 'schema_migration'") else []
    if held or applied != manifest.migrations[: len(applied)]:
        has = f"it has rows in {len(held)} tables" if held else f"its schema is that of {applied[-1]}"
        raise BackupRefused(
            f"The database is not empty: {has}. A backup is restored into an empty database only, so that "
            "nothing is overwritten. Start from a new state folder, or point DATABASE_URL at a new database."
        )


def _refuse_more_than_rows(dump: Path, manifest: Manifest) -> None:
    """Read all of it before anything is written."""
    try:
        tables = {part.table for part in _parts(dump, manifest) if isinstance(part, TableRows)}
    except NotRows as error:
        raise BackupRefused(f"{dump} is no backup of this application. {error} Nothing of it was run.") from error
    if tables != set(manifest.tables):
        raise BackupRefused(f"{dump} has other tables than {MANIFEST}. Use another backup.")


def _parts(dump: Path, manifest: Manifest) -> Iterator[TableRows | SequenceValue]:
    return parts_of_dump(dump, strict=manifest.form >= _FORM)


def _fill_tables(dump: Path, manifest: Manifest) -> None:
    """All rows in one transaction, by the application's own role. What the schema was made by stands there already."""
    if not may_check_together():
        raise BackupRefused(
            "The role of DATABASE_URL may not fill tables without their triggers. Let whoever runs the server say "
            "GRANT SET ON PARAMETER session_replication_role TO that role, and restore again."
        )
    tables = [name for name in count_rows() if name != "schema_migration"]
    sequences = {one["name"] for one in rows("SELECT sequencename AS name FROM pg_sequences WHERE schemaname = 'public'")}
    try:
        with database.atomic():
            with tables_filled_anew(tables):
                for part in _parts(dump, manifest):
                    if isinstance(part, TableRows) and part.table in tables:
                        copy_lines(part.table, part.columns, part.lines)
                    elif isinstance(part, SequenceValue) and part.sequence in sequences:
                        run("SELECT setval(%(s)s::regclass, %(n)s, %(c)s)", s=part.sequence, n=part.last, c=part.called)
            if count_rows() != manifest.tables:
                raise BackupRefused("The rows of the backup are not those of its manifest. Nothing of it was restored.")
    except ROWS_REFUSED as error:
        raise BackupRefused(f"The rows of the backup do not fit its schema; nothing of it was restored. {error}") from error


def read_manifest(folder: Path) -> Manifest:
    """The manifest of a backup whose dump is whole. Raises BackupRefused otherwise."""
    try:
        manifest = Manifest(**json.loads((folder / MANIFEST).read_text(encoding="utf-8")))
        found, _last = _digest(folder / DUMP), manifest.migrations[-1]
    except (OSError, ValueError, TypeError, LookupError) as error:
        raise BackupRefused(f"{folder} holds no backup: {DUMP} and {MANIFEST} are expected. {error}") from error
    if found != manifest.sha256:
        raise BackupRefused(f"{folder / DUMP} was changed or is cut off since it was made. Use another backup.")
    return manifest


def count_rows() -> dict[str, int]:
    """Rows by table, every table of the application."""
    tables = [one["tablename"] for one in rows("SELECT tablename FROM pg_tables WHERE schemaname = 'public' ORDER BY tablename")]
    return {name: int(value(f'SELECT count(*) FROM "{name}"')) for name in tables}


def _digest(file: Path) -> str:
    with file.open("rb") as data:
        return hashlib.file_digest(data, "sha256").hexdigest()


def _run(program: str, url: str, *arguments: str) -> None:
    address, password = without_password(url)
    done = subprocess.run(
        [str(programs() / program), "--dbname", address, *arguments], stdin=subprocess.DEVNULL, capture_output=True, text=True,
        check=False, env={**os.environ, "PGPASSWORD": password, "LC_ALL": "C.UTF-8"},
    )  # fmt: skip
    if done.returncode:
        raise ClusterError(f"{program} failed: {done.stderr.strip()}")
