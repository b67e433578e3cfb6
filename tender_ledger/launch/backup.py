"""Backup and restore of the whole database: a plain SQL dump with a manifest that says what is in it.

A backup holds back nothing but the keys: they are in the state folder or the environment, never in the database.
"""

import hashlib
import json
import os
import subprocess
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from pathlib import Path
from urllib.parse import unquote, urlsplit

from tender_ledger.launch.cluster import ClusterError, programs
from tender_ledger.launch.erasures import LIST, erase_again, lists_beside, write_list
from tender_ledger.storage.database import applied_migrations, exported_snapshot, known_migrations, migrate, rows, value
from tender_ledger.storage.queries import erasures

DUMP, MANIFEST = "ledger.sql", "manifest.json"


class BackupRefused(RuntimeError):
    """The backup cannot be written or restored; says why and what to do. Nothing was changed."""


@dataclass(frozen=True)
class Manifest:
    """What a backup holds: when it was made, by which migrations, how many rows each table has, and the names' keys by id."""

    made_at: str
    migrations: list[str]
    tables: dict[str, int]
    key_ids: list[str]
    sha256: str


def back_up(url: str, folder: Path) -> Manifest:
    """Write a backup of the database into a new or empty folder, readable by its owner alone; others go on working.

    Raises BackupRefused for a folder that holds something, ClusterError when the dump fails.
    """
    if folder.exists() and any(folder.iterdir()):
        raise BackupRefused(f"{folder} is not empty. A backup goes into a folder of its own, so that none is overwritten.")
    folder.mkdir(parents=True, exist_ok=True)
    folder.chmod(0o700)
    dump = folder / DUMP
    dump.touch(mode=0o600)
    with exported_snapshot() as seen:  # the counts and the dump are of one moment
        _run("pg_dump", url, "--no-owner", "--no-privileges", f"--snapshot={seen}", f"--file={dump}")
        manifest = Manifest(
            datetime.now(UTC).isoformat(timespec="seconds"), applied_migrations(), count_rows(),
            [one["key_id"] for one in rows("SELECT DISTINCT key_id FROM holder_identity ORDER BY key_id")], _digest(dump),
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


def restore(url: str, folder: Path, *, state: Path | None = None) -> Restored:
    """Bring a backup into an empty database, all of it or nothing, and up to the present schema; then erase again whom a list
    of erasures names, in the backup, beside it, or in the state folder.

    Where no list reaches beyond the backup, nobody is served until somebody confirms that nobody was erased since. The list in
    a state folder that served the same installation has every erasure in it, whenever it was written last.

    Raises BackupRefused for a database that holds anything, a backup that is not whole, or one of a newer version.
    """
    manifest = read_manifest(folder)
    if held := rows("SELECT tablename FROM pg_tables WHERE schemaname = 'public' ORDER BY tablename"):
        raise BackupRefused(
            f"The database is not empty: it has {len(held)} tables. A backup is restored into an empty database only, so that "
            "nothing is overwritten. Start from a new state folder, or point DATABASE_URL at a new database."
        )
    if newer := [name for name in manifest.migrations if name not in known_migrations()]:
        raise BackupRefused(f"The backup is of a newer version: it has {newer[-1]}, which this one does not know. Update first.")
    try:
        lists = lists_beside(folder, *([state] if state else []))
    except ValueError as error:
        raise BackupRefused(f"{error} Mend or remove it, and restore again.") from error
    _run("psql", url, "--quiet", "--no-psqlrc", "--single-transaction", "--set=ON_ERROR_STOP=1", f"--file={folder / DUMP}")
    if count_rows() != manifest.tables:
        raise BackupRefused("The restored tables are not those of the manifest. Do not use this database.")
    migrate()
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


def read_manifest(folder: Path) -> Manifest:
    """The manifest of a backup whose dump is whole. Raises BackupRefused otherwise."""
    try:
        manifest = Manifest(**json.loads((folder / MANIFEST).read_text(encoding="utf-8")))
        found = _digest(folder / DUMP)
    except (OSError, ValueError, TypeError) as error:
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
    at = urlsplit(url)
    place = ["--host", at.hostname or "", "--port", str(at.port or 5432), "--username", unquote(at.username or ""),
             "--dbname", at.path.lstrip("/")]  # fmt: skip
    done = subprocess.run(
        [str(programs() / program), *place, *arguments], stdin=subprocess.DEVNULL, capture_output=True, text=True, check=False,
        env={**os.environ, "PGPASSWORD": unquote(at.password or ""), "LC_ALL": "C.UTF-8"},
    )  # fmt: skip
    if done.returncode:
        raise ClusterError(f"{program} failed: {done.stderr.strip()}")
