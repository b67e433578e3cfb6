"""The process that minds web server, worker and, where it is ours, the database: whatever is killed comes back."""

import ctypes
import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Mapping
from types import FrameType

from tender_ledger.launch.cluster import Cluster, ClusterError

_LOOK_EVERY = 0.5  # seconds
_WORKER_AGAIN = 5.0  # seconds between two beginnings of a worker
_NICE = 5  # who waits for a page goes before long work
_PR_SET_PDEATHSIG = 1


class Supervisor:
    """Keeps one web server and one worker running, and the cluster if there is one, until it is told to stop."""

    def __init__(
        self,
        port: int,
        environment: Callable[[], Mapping[str, str]],
        cluster: Cluster | None,
        say: Callable[[str], None] = print,
        workers: int = 2,
        listen: str = "127.0.0.1",
    ) -> None:
        self.at, self.environment, self.cluster, self.say, self.workers = f"{listen}:{port}", environment, cluster, say, workers
        self.server: subprocess.Popen[bytes] | None = None
        self.worker: subprocess.Popen[bytes] | None = None
        self.worker_begun = -_WORKER_AGAIN
        self.stopping = False
        self.when_ready: Callable[[], bool] | None = None  # asked until it says yes, then never again

    def run(self) -> None:
        """Serve until SIGINT or SIGTERM; then let open requests finish, and stop the cluster."""
        for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            signal.signal(number, self._stop)
        try:
            while not self.stopping:
                self._mind_database()
                self._mind_server()
                self._mind_worker()
                if self.when_ready is not None and self.when_ready():
                    self.when_ready = None
                time.sleep(_LOOK_EVERY)
        finally:
            self._end()

    def _stop(self, _number: int, _frame: FrameType | None) -> None:
        self.stopping = True

    def _mind_database(self) -> None:
        if self.cluster is None or self.cluster.alive():
            return
        self.say("The database server is gone; starting it again.")
        before = self.cluster.port
        try:
            self.cluster.ensure_running()
        except ClusterError as error:
            self.say(str(error))
            return
        if self.cluster.port != before:  # they know the old address
            for one in (self.server, self.worker):
                if one is not None:
                    one.terminate()

    def _mind_server(self) -> None:
        if self.server is not None and self.server.poll() is None:
            return
        if self.server is not None:
            self.say("The web server is gone; starting it again.")
        self.server = self._begin(self._command())

    def _mind_worker(self) -> None:
        """One that ends by itself, as where the database is away, is begun again no more often than every five seconds."""
        if self.worker is not None and self.worker.poll() is None:
            return
        if time.monotonic() - self.worker_begun < _WORKER_AGAIN:
            return
        self.worker_begun = time.monotonic()
        self.worker = self._begin(["nice", "-n", str(_NICE), sys.executable, "-m", "tender_ledger.web.worker"])

    def _begin(self, command: list[str]) -> subprocess.Popen[bytes]:
        return subprocess.Popen(
            command,
            env={**os.environ, **self.environment()},
            preexec_fn=_die_with_parent,
            start_new_session=True,
        )

    def _command(self) -> list[str]:
        return [
            sys.executable, "-m", "gunicorn", "--bind", self.at, "--workers", str(self.workers),
            "--worker-class", "gthread", "--threads", "8", "--graceful-timeout", "20", "--timeout", "60", "--no-control-socket",
            "--log-level", "warning", "--preload", "tender_ledger.web.app:served_app()",
        ]  # fmt: skip

    def _end(self) -> None:
        running = [one for one in (self.server, self.worker) if one is not None and one.poll() is None]
        for one in running:
            one.terminate()
        for one in running:
            try:
                one.wait(25)
            except subprocess.TimeoutExpired:
                one.kill()
        if self.cluster is not None:
            self.cluster.stop()


def _die_with_parent() -> None:
    """Have the kernel end a process when this one is killed, so that the next start finds its port free."""
    ctypes.CDLL(None, use_errno=True).prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)
