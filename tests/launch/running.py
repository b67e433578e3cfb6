"""A running ./start, for tests that meet it as a person does, and kill what it started."""

import os
import signal
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.request
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from tender_ledger.launch.cluster import cluster_in
from tender_ledger.launch.state import PROJECT, StateFolder
from tender_ledger.storage.database import configure, connected, disconnect


class Started:
    """A running ./start with a state folder of its own."""

    def __init__(self, *arguments: str, state: Path, port: int, **more: str) -> None:
        self.state, self.out = state, state / "out.txt"
        environment = {key: value for key, value in os.environ.items() if not key.startswith(("DATABASE_", "TENDER_"))}
        environment |= {"TENDER_STATE": str(state), "TENDER_PORT": str(port), "PYTHONUNBUFFERED": "1", **more}
        self.environment = environment
        command = [sys.executable, "-m", "tender_ledger.launch.start", *arguments]
        with self.out.open("a") as out:
            self.process = subprocess.Popen(command, env=environment, cwd=PROJECT, stdout=out, stderr=subprocess.STDOUT)

    def again(self, *arguments: str) -> subprocess.CompletedProcess[str]:
        command = [sys.executable, "-m", "tender_ledger.launch.start", *arguments]
        return subprocess.run(command, env=self.environment, cwd=PROJECT, capture_output=True, text=True, timeout=90, check=False)

    @property
    def address(self) -> str:
        return (self.state / "address").read_text() if (self.state / "address").exists() else ""

    def wait(self, seconds: float = 60) -> str:
        until(lambda: bool(self.address), seconds, self.out.read_text)
        return self.address

    def stop(self) -> None:
        self.process.send_signal(signal.SIGINT)
        self.process.wait(40)

    def database_pid(self) -> int:
        return int((database_folder(self.state) / "data/postmaster.pid").read_text().split()[0])

    def web_pids(self) -> list[int]:
        """The web server's master first, then its workers; none while there is no master."""
        found = subprocess.run(["pgrep", "-P", str(self.process.pid)], capture_output=True, text=True, check=False).stdout.split()
        masters = [int(pid) for pid in found if b"gunicorn" in _command(pid)]
        if not masters:
            return []
        workers = subprocess.run(["pgrep", "-P", str(masters[0])], capture_output=True, text=True, check=False).stdout.split()
        return [masters[0], *map(int, workers)]


@contextmanager
def new_state() -> Iterator[Path]:
    """A state folder, within a folder that goes with it and with the database that stands beside it."""
    with tempfile.TemporaryDirectory(prefix="tender-start-") as folder:
        Path(folder).chmod(0o755)
        state = Path(folder) / "state"
        state.mkdir(mode=0o700)
        yield state


def database_folder(state: Path) -> Path:
    """Where the own database of an installation stands: for root, who runs it as somebody else, beside the state folder."""
    return state / "postgres" if os.geteuid() else state.with_name(f"{state.name}-database")


@contextmanager
def database_of(state: Path) -> Iterator[None]:
    cluster = cluster_in(StateFolder(state), database_folder(state))
    until(cluster.adopt, 20)
    configure(cluster.url())
    with connected():
        yield
    disconnect()


def _command(pid: str) -> bytes:
    """The command line of a process; nothing where it has just ended."""
    try:
        return Path(f"/proc/{pid}/cmdline").read_bytes()
    except OSError:
        return b""


def until(true: Callable[[], bool], seconds: float, tell: Callable[[], str] = str) -> float:
    """Wait until something is true; the seconds it took."""
    began = time.monotonic()
    while not true():
        assert time.monotonic() - began < seconds, tell()
        time.sleep(0.05)
    return time.monotonic() - began


def ready(address: str) -> bool:
    try:
        direct = urllib.request.build_opener(urllib.request.ProxyHandler({}))
        return direct.open(f"{address}ready", timeout=2).status == 200
    except (OSError, urllib.error.URLError):
        return False
