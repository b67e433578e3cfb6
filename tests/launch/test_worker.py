"""The worker that a start minds: it does what requests queue, and what a killed one left is done by the next."""

import os
import signal
import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest

from tender_ledger.launch.cluster import free_port
from tender_ledger.operations import import_uploads as uploads
from tender_ledger.operations import long_work
from tender_ledger.storage import queue
from tender_ledger.storage.database import rows, run, value
from tender_ledger.storage.queries import imports
from tests.factories import SmallStudy
from tests.launch.running import Started, database_of, new_state, until

pytestmark = pytest.mark.alone

HEAD = b"informant,community,taxon,category,part,use\n"
TERMS = ("record", "count", "show")


@pytest.fixture(scope="module")
def started() -> Iterator[Started]:
    with new_state() as state:
        one = Started("--empty", state=state, port=free_port())
        try:
            one.wait()
            yield one
        finally:
            one.stop()


@pytest.fixture
def small(started: Started, monkeypatch: pytest.MonkeyPatch) -> Iterator[SmallStudy]:
    monkeypatch.setattr(long_work, "put", queue.put)
    with database_of(started.state):
        yield SmallStudy()


def brought(small: SmallStudy, how_many: int) -> int:
    lines = b"".join(b"H-%d,X,Plantago major,food,leaf,use %d\n" % (at % 50, at) for at in range(how_many))
    number = uploads.bring_table(small.scope, HEAD + lines, None, terms=TERMS, new_codes=False)
    uploads.read_upload(small.scope, number, new_codes=False)
    assert uploads.wait_for(small.scope, number, 60) == "read"
    return number


def worker_of(started: Started) -> int:
    """The number of the worker's process; 0 while there is none."""
    found = subprocess.run(
        ["pgrep", "-P", str(started.process.pid), "-f", "web.worker"], capture_output=True, text=True, check=False
    )
    return int(found.stdout.split()[0]) if found.stdout.split() else 0


def jobs() -> int:
    return int(value("SELECT count(*) FROM procrastinate_jobs"))


def test_what_is_queued_is_done_once_and_leaves_no_trace_in_the_queue(small: SmallStudy):
    number = brought(small, 40)
    uploads.import_upload(small.scope, number)
    assert uploads.wait_for(small.scope, number, 60) == "imported"
    assert value("SELECT count(*) FROM use_report WHERE study_id = %(s)s", s=small.scope.study_id) == 40
    until(lambda: jobs() == 0, 5)


def test_what_is_not_committed_is_not_queued_and_nothing_waits_twice(small: SmallStudy):
    said = {"kind": "upload", "person": 0, "study": 0, "purpose": "show", "day": "2026-01-01", "of": {"upload": 0}}
    with queue.database.atomic() as transaction:
        queue.put(said, lock="one")
        assert jobs() == 1
        transaction.rollback()
    assert jobs() == 0
    with queue.database.atomic():
        for _twice in range(2):
            queue.put(said, lock="one")
        assert jobs() == 1
    until(lambda: jobs() == 0, 10)  # of nobody: written down as not done


def test_an_import_whose_worker_is_killed_is_done_by_the_next_all_of_it_and_once(small: SmallStudy, started: Started):
    number = brought(small, 6000)
    uploads.import_upload(small.scope, number)
    until(lambda: bool(rows("SELECT FROM procrastinate_jobs WHERE status = 'doing'")), 10)
    killed = worker_of(started)
    os.kill(killed, signal.SIGKILL)
    assert uploads.wait_for(small.scope, number, 0) == "importing"
    assert uploads.wait_for(small.scope, number, 90) == "imported"
    assert worker_of(started) not in (0, killed)
    assert value("SELECT count(*) FROM use_report WHERE study_id = %(s)s", s=small.scope.study_id) == 6000


def test_what_waits_in_the_queue_for_long_is_said_to_wait(small: SmallStudy, started: Started):
    number = brought(small, 1)
    os.kill(worker_of(started), signal.SIGSTOP)
    try:
        uploads.import_upload(small.scope, number)
        for table in ("import_upload SET beat_at = now() - interval '31 seconds'", "procrastinate_jobs SET status = 'todo'"):
            run(f"UPDATE {table}")
        found = imports.upload(small.scope, number)
        assert found is not None
        assert (found["waits"], found["silent"]) == (True, False)
    finally:
        os.kill(worker_of(started), signal.SIGCONT)
    assert uploads.wait_for(small.scope, number, 60) == "imported"


def test_work_that_ends_its_worker_again_and_again_is_given_up_and_says_so(small: SmallStudy):
    number = brought(small, 1)
    run("UPDATE import_upload SET state = 'importing' WHERE id = %(n)s", n=number)
    run(
        """INSERT INTO procrastinate_jobs (queue_name, task_name, status, attempts, args) SELECT 'default', 'work', 'doing', 2,
           jsonb_build_object('kind', 'upload', 'of', jsonb_build_object('upload', %(n)s::int))""",
        n=number,
    )
    assert uploads.wait_for(small.scope, number, 20) == "refused"
    assert "ended its worker" in str(value("SELECT outcome FROM import_upload WHERE id = %(n)s", n=number))
    until(lambda: jobs() == 0, 10)


def test_the_worker_says_nothing_of_what_it_works_on(started: Started):
    said = Path(started.out).read_text()
    assert "H-1" not in said
    assert "Traceback" not in said
