"""The start command as a person meets it: it comes up, says where it is, and what is killed comes back."""

import json
import os
import signal
import socket
import subprocess
import sys
import time
import uuid
from collections.abc import Iterator
from pathlib import Path

import pytest

from tender_ledger.launch.cluster import Cluster, free_port, own_cluster
from tender_ledger.launch.state import PROJECT, AlreadyRunning, StateFolder
from tender_ledger.storage.database import rows
from tender_ledger.storage.queries import erasures
from tests.conftest import Databases
from tests.factories import SmallStudy
from tests.launch.running import Started, database_folder, database_of, new_state, ready, until

pytestmark = pytest.mark.alone


@pytest.fixture
def state() -> Iterator[Path]:
    with new_state() as folder:
        yield folder


@pytest.fixture(scope="module")
def started() -> Iterator[Started]:
    """One running installation for all tests that leave it running, or see it come back."""
    with new_state() as folder:
        one = Started("--empty", state=folder, port=free_port())
        one.wait()
        yield one
        one.stop()


ROLES = ("owner", "recorder", "reviewer", "reader", "guardian")  # in the order of the demo study


def test_a_first_start_tells_address_and_sign_ins_and_a_second_is_quick(state: Path):
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        one = Started(state=state, port=port)
        try:
            address = one.wait(90)
            told = until(lambda: "Ctrl-C stops it" in one.out.read_text(), 10) is not None and one.out.read_text()
        finally:
            one.stop()
    assert f"Port {port} is in use; serving on" in told
    assert address in told
    sign_ins = json.loads((state / "demo-sign-ins.json").read_text())
    assert len(sign_ins) == 5
    lines = [line.split() for line in told.splitlines()]
    assert all([email, password, role] in lines for (email, password), role in zip(sign_ins.items(), ROLES, strict=True))
    for secret in ("demo-sign-ins.json", "secrets.json"):
        assert (state / secret).stat().st_mode & 0o777 == 0o600
    second = Started(state=state, port=free_port())
    try:
        assert until(lambda: bool(second.address), 30) < 12
        until(lambda: ready(second.address), 5)
        assert "Loading the demo study" not in second.out.read_text().partition("Ctrl-C")[2]
    finally:
        second.stop()
    assert not (state / "address").exists()
    assert not (database_folder(state) / "data/postmaster.pid").exists()
    assert state.stat().st_mode & 0o777 == 0o700


def test_a_second_start_beside_the_first_says_where_it_is_and_ends(started: Started):
    beside = started.again()
    assert (beside.returncode, beside.stdout.strip()) == (0, f"Tender Ledger is running already: {started.address}")
    assert ready(started.address)


@pytest.mark.parametrize("victim", ["worker", "web server", "database"])
def test_what_is_killed_comes_back_by_itself(started: Started, victim: str):
    until(lambda: len(started.web_pids()) == 3, 10)
    master, *workers = started.web_pids()
    for pid in {"worker": workers, "web server": [master], "database": [started.database_pid()]}[victim]:
        os.kill(pid, signal.SIGKILL)
    time.sleep(0.2)
    print(f"{victim}: back after {until(lambda: ready(started.address), 30, started.out.read_text):.1f} s")
    if victim == "database":
        assert "The database server is gone; starting it again." in started.out.read_text()


def test_after_the_kill_of_everything_the_next_start_recovers_by_itself(state: Path):
    started = Started("--empty", state=state, port=free_port())
    started.wait()
    until(lambda: ready(started.address), 10)
    address, database, (master, *_) = started.address, started.database_pid(), started.web_pids()
    os.kill(started.process.pid, signal.SIGKILL)
    os.kill(database, signal.SIGKILL)
    started.process.wait(5)
    until(lambda: not Path(f"/proc/{master}").exists(), 30)
    assert (state / "address").exists()
    again = Started("--empty", state=state, port=int(address.rstrip("/").rsplit(":", 1)[1]))
    try:
        until(lambda: "Ctrl-C stops it" in again.out.read_text().rpartition("Ctrl-C stops it.")[0] or ready(address), 30)
        assert again.process.poll() is None
        assert ready(again.wait())
    finally:
        again.stop()


def test_a_stale_pid_file_does_not_hinder(state: Path):
    cluster = Cluster(state.parent / "postgres", "secret", "secret", throw_away=True)
    cluster.ensure_running()
    cluster.stop()
    stale = cluster.data / "postmaster.pid"
    stale.write_text(f"{os.getpid()}\n{cluster.data}\n1\n5432\n\n127.0.0.1\n0\nready\n")  # this very test, no PostgreSQL
    try:
        assert not cluster.alive()
        cluster.ensure_running()
        assert cluster.alive()
        assert cluster.adopt()
    finally:
        cluster.stop()


def test_the_server_never_runs_as_root_and_asks_for_a_password(started: Started):
    owner = Path(f"/proc/{started.database_pid()}").stat().st_uid
    assert owner != 0
    rules = (database_folder(started.state) / "data/pg_hba.conf").read_text()
    used = [line.split()[-1] for line in rules.splitlines() if line and not line.startswith("#")]
    assert set(used) == {"scram-sha-256"}


def test_unknown_words_are_refused(state: Path):
    done = subprocess.run(
        [sys.executable, "-m", "tender_ledger.launch.start", "--full"], cwd=PROJECT, capture_output=True, text=True, check=False
    )
    assert (done.returncode, "does not know --full" in done.stderr) == (2, True)


def test_a_lock_is_held_by_a_living_process_alone(state: Path):
    folder = StateFolder(state)
    folder.write_private("address", "http://127.0.0.1:1/")
    with folder.lock():
        with pytest.raises(AlreadyRunning) as running:
            folder.lock()
        assert running.value.address == "http://127.0.0.1:1/"
    folder.lock().close()


def test_secrets_are_made_once(state: Path):
    folder = StateFolder(state)
    assert folder.secret("names") == StateFolder(state).secret("names")
    assert folder.secret("names") != folder.secret("session")


def test_an_existing_server_is_used_and_gets_no_demo(state: Path, cluster: Cluster, databases: Databases):
    """The owner of its schema makes the schema, and the application serves as the other role."""
    url = databases.fresh("template1")
    one = Started(state=state, port=free_port(), DATABASE_URL=url, MIGRATIONS_URL=databases.owner_url(url))
    try:
        assert ready(one.wait())
        told = one.out.read_text()
    finally:
        one.stop()
    assert "demo" not in told
    assert not database_folder(state).exists()
    assert cluster.alive()
    databases.drop(url)


def test_a_cluster_from_before_the_state_folder_was_closed_is_found_again(state: Path):
    folder = StateFolder(state)
    own, _said = own_cluster(folder)
    own.ensure_running()
    own.stop()
    if own.folder != state / "postgres":  # as root: put it where it stood
        state.chmod(0o755)
        own.folder.rename(state / "postgres")
    one = Started("--empty", state=state, port=free_port())
    try:
        one.wait()
        assert state.stat().st_mode & 0o777 == 0o700
        assert Path(f"/proc/{one.database_pid()}/cwd").resolve() == database_folder(state) / "data"
        assert database_folder(state) == own.folder
    finally:
        one.stop()


def test_a_start_erases_again_whom_its_list_names_and_serves_nobody_before_that_is_settled(state: Path):
    """The list of the state folder only grows; a restored database without a later list waits for somebody to confirm."""
    one = Started("--empty", state=state, port=free_port())
    one.wait()
    with database_of(state):
        small = SmallStudy()
        small.holder("H-1")
        small.holder("H-2")
        gone = rows("SELECT uid::text, id, study_id FROM holder WHERE code = 'H-1'")[0]
        own = erasures.installation_id()
    one.stop()
    stranger = {
        "installation": str(uuid.uuid4()),
        "study_id": 1,
        "holder_id": 1,
        "holder_uid": str(uuid.uuid4()),
        "person_id": 1,
        "records": 4,
        "at": "2026-01-02 03:04:05+00:00",
    }
    erased = {**stranger, "installation": own, "study_id": gone["study_id"], "holder_id": gone["id"], "holder_uid": gone["uid"]}
    file = state / "erasures.json"
    file.write_text(json.dumps({"covers": {}, "served": [own], "erasures": [stranger, erased]}))
    again = Started("--empty", state=state, port=free_port())
    again.wait()
    with database_of(state):
        assert [one["code"] for one in rows("SELECT code FROM holder")] == ["H-2"]
        erasures.wait()
    again.stop()
    assert "The database held 1 who had been erased; erased again." in again.out.read_text()
    kept = [one["holder_uid"] for one in json.loads(file.read_text())["erasures"]]
    assert sorted(kept) == sorted([stranger["holder_uid"], gone["uid"]])
    refused = again.again("--empty")
    assert refused.returncode == 1
    assert "Nobody is served until that is settled" in refused.stderr.replace("\n", " ")
    assert not (database_folder(state) / "data/postmaster.pid").exists()
    ledger = [sys.executable, "-m", "tender_ledger.cli", "erasures"]
    asked = subprocess.run(ledger, env=again.environment, cwd=PROJECT, capture_output=True, text=True, check=True)
    assert "Nobody is served until that is settled" in asked.stdout
    settled = subprocess.run(
        [*ledger, "--confirm"], env=again.environment, cwd=PROJECT, capture_output=True, text=True, check=True
    )
    assert "Erasures known of in this database: 1, the last on 2 January 2026" in settled.stdout
    assert "People are served." in settled.stdout
    last = Started("--empty", state=state, port=free_port())
    assert ready(last.wait())
    last.stop()
