"""A disk that is full: what was acknowledged stays, whoever saves is told why it failed, and work goes on once there is room.

The application stands on a small file system in memory, which is filled. Needs to be root, as who mounts one is.
"""

import os
import subprocess
import tempfile
import uuid
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path

import pytest
from flask import Flask
from peewee import OperationalError
from psycopg import errors

from tender_ledger.launch.backup import BackupRefused, back_up
from tender_ledger.launch.cluster import free_port
from tender_ledger.operations import import_uploads as uploads
from tender_ledger.operations import long_work, people
from tender_ledger.storage import queue
from tender_ledger.storage.database import UNAVAILABLE, rows, value
from tests.conftest import SignedIn
from tests.factories import SmallStudy
from tests.launch.running import Started, database_folder, database_of, ready, until
from tests.launch.test_killing import Hand

SIZE = 260  # megabytes
MOUNT = ["mount", "-t", "tmpfs", "-o", f"size={SIZE}m,mode=755", "tmpfs"]


def may_mount() -> bool:
    """Whether this machine lets us have a file system of our own: as root, and not in every container."""
    with tempfile.TemporaryDirectory() as folder:
        if subprocess.run([*MOUNT, folder], capture_output=True, check=False).returncode:
            return False
        subprocess.run(["umount", folder], check=True)
    return True


pytestmark = [pytest.mark.alone, pytest.mark.skipif(not may_mount(), reason="no file system can be mounted here")]


class SmallDisk:
    """A file system of SIZE megabytes that can be filled but for so many."""

    def __init__(self, folder: Path) -> None:
        self.folder, self.ballast = folder, folder / "ballast"

    def fill(self, left: int) -> None:
        """Leave so many kilobytes."""
        free = os.statvfs(self.folder).f_bavail * os.statvfs(self.folder).f_frsize
        with self.ballast.open("ab") as file:
            os.posix_fallocate(file.fileno(), file.tell(), max(free - 1024 * left, 1))

    def make_room(self) -> None:
        self.ballast.unlink(missing_ok=True)


@pytest.fixture
def disk() -> Iterator[SmallDisk]:
    with tempfile.TemporaryDirectory(prefix="tender-disk-") as folder:
        subprocess.run([*MOUNT, folder], check=True)
        try:
            yield SmallDisk(Path(folder))
        finally:
            subprocess.run(["umount", "--lazy", folder], check=True)


@pytest.fixture
def started(disk: SmallDisk) -> Iterator[Started]:
    state = disk.folder / "state"
    state.mkdir(mode=0o700)
    one = Started("--empty", state=state, port=free_port())
    try:
        one.wait(150)
        yield one
    finally:
        disk.make_room()
        one.stop()


def test_what_was_acknowledged_stays_and_work_goes_on_once_there_is_room(
    disk: SmallDisk, started: Started, monkeypatch: pytest.MonkeyPatch
):
    monkeypatch.setattr(long_work, "put", queue.put)
    small, table = prepare(started)
    hand = Hand(started.address, small.code)
    hand.sign_in(small.email)
    disk.fill(left=3000)
    with suppress(*UNAVAILABLE), database_of(started.state):
        uploads.import_upload(small.scope, table)
        assert uploads.wait_for(small.scope, table, 5) != "imported"
    keys, said = save_until_it_fails(hand)
    assert "The disk is full" in said or "The database does not answer" in said, said
    disk.make_room()
    until(lambda: ready(started.address), 120, started.out.read_text)
    for at in range(3):
        keys.append(key_of(90_000 + at))
        hand.save(90_000 + at, keys[-1])
    with database_of(started.state):
        assert uploads.wait_for(small.scope, table, 180) == "imported"
        kept = [one["key"] for one in rows("SELECT client_key::text AS key FROM use_report WHERE words LIKE 'told %%'")]
        assert len(kept) == len(set(kept))
        assert set(keys) <= set(kept)
        assert value("SELECT count(*) FROM use_report WHERE words = ''") == ROWS
        assert value("SELECT count(*) FROM act a WHERE NOT EXISTS (SELECT FROM change c WHERE c.act_id = a.id)") == 0


def test_an_erasure_on_a_full_disk_is_done_or_not_done_and_its_traces_go_once_there_is_room(
    disk: SmallDisk, started: Started, monkeypatch: pytest.MonkeyPatch
):
    monkeypatch.setattr(long_work, "put", queue.put)
    mark = "zqxvyword"
    small, _table = prepare(started)
    with database_of(started.state):
        small.report(1, "X-01", 1, category="food", purpose=mark)
        disk.fill(left=1500)
        with suppress(*UNAVAILABLE):
            people.erase_holder(small.scope, "X-01", "X-01")
    disk.make_room()
    until(lambda: ready(started.address), 120, started.out.read_text)
    with database_of(started.state):
        if value("SELECT count(*) FROM holder WHERE code = 'X-01'"):
            people.erase_holder(small.scope, "X-01", "X-01")
        until(lambda: not value("SELECT count(*) FROM procrastinate_jobs"), 120)
    files = [file for file in database_folder(started.state).rglob("*") if file.is_file()]
    assert [file for file in files if mark.encode() in file.read_bytes()] == []


def test_a_backup_onto_a_full_disk_leaves_nothing_half_and_says_so(disk: SmallDisk, demo_db: str):
    disk.fill(left=300)
    with pytest.raises(BackupRefused, match="The disk is full; nothing was left"):
        back_up(demo_db, disk.folder / "backup")
    assert list((disk.folder / "backup").iterdir()) == []
    disk.make_room()
    assert back_up(demo_db, disk.folder / "backup").tables["use_report"] > 1000


def test_a_page_says_that_the_disk_is_full(app: Flask, sign_in: SignedIn, monkeypatch: pytest.MonkeyPatch):
    client = sign_in()

    def no_room(*_arguments: object, **_more: object) -> None:
        try:
            raise errors.DiskFull("could not extend file")
        except errors.DiskFull as error:
            raise OperationalError(str(error)) from error

    monkeypatch.setattr("tender_ledger.web.plants.routes.queries.plants", no_room)
    answer = client.get("/study/VELDRA/plants")
    assert (answer.status_code, answer.headers["Retry-After"]) == (503, "60")
    assert "The disk is full" in answer.text


ROWS = 4000


def key_of(number: int) -> str:
    return str(uuid.UUID(int=number + 1, version=4))


def prepare(started: Started) -> tuple[SmallStudy, int]:
    """A study in which somebody tells of a plant, and a table that waits to be imported."""
    with database_of(started.state):
        small = SmallStudy()
        small.encounter(small.holder("X-01"))
        small.plant("Salix caprea")
        lines = b"".join(b"H-%d,X,Plantago major,food,leaf,use %d\n" % (at % 50, at) for at in range(ROWS))
        table = b"informant,community,taxon,category,part,use\n" + lines
        number = uploads.bring_table(small.scope, table, None, terms=("record", "count", "show"), new_codes=False)
        uploads.read_upload(small.scope, number, new_codes=False)
        assert uploads.wait_for(small.scope, number, 60) == "read"
    return small, number


def save_until_it_fails(hand: Hand) -> tuple[list[str], str]:
    """The keys of what was acknowledged until a save was not, and the page that said so."""
    keys: list[str] = []
    for number in range(4000):
        status, page = hand.try_to_save(number, key_of(number), " and many words" * 300)
        if status == 303:
            keys.append(key_of(number))
        elif status == 503:
            return keys, page
    raise AssertionError("the disk was never full")
