"""A server of its own for the benchmarks: pages are asked of it one after the other, and its log says what each cost it."""

import http.cookiejar
import json
import os
import re
import secrets
import socket
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.parse
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True)
class Cost:
    """What an answer cost the server: milliseconds in all and of the database, statements; its route and status."""

    route: str
    status: int
    ms: float
    db_ms: float
    statements: int


class BenchServer:
    """One server process and one browser; `costs` are there once it has ended, in the order in which pages were asked for."""

    def __init__(self, process: subprocess.Popen[bytes], address: str) -> None:
        self.process, self.address, self.costs = process, address, list[Cost]()
        self.browser = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(http.cookiejar.CookieJar()))

    def sign_in(self, email: str, password: str) -> None:
        page = self.ask("/sign-in")
        token = re.search(rb'name="csrf_token" value="([^"]+)"', page)
        typed = {"email": email, "password": password, "csrf_token": token[1].decode() if token else ""}
        sent, referer = urllib.parse.urlencode(typed).encode(), {"Referer": f"{self.address}/sign-in"}
        self.browser.open(urllib.request.Request(f"{self.address}/sign-in", sent, referer))  # noqa: S310 - on loopback

    def ask(self, path: str) -> bytes:
        """The body of a page, of an error too."""
        try:
            with self.browser.open(f"{self.address}{path}") as answer:
                return bytes(answer.read())
        except urllib.error.HTTPError as error:
            return error.read()


def _wait_for(server: BenchServer) -> None:
    for _ in range(300):
        with suppress(OSError):
            server.ask("/health")
            return
        time.sleep(0.2)
    raise RuntimeError("the server of the benchmark did not begin within a minute")


@contextmanager
def bench_server(url: str, *, workers: int = 1, threads: int = 4) -> Iterator[BenchServer]:
    """Serve a database on a free port of loopback, with a worker, while pages are asked for."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    command = [sys.executable, "-m", "gunicorn", "--bind", f"127.0.0.1:{port}", "--workers", str(workers), "--threads",
               str(threads), "--worker-class", "gthread", "--no-control-socket", "--log-level", "error", "--preload",
               "tender_ledger.web.app:served_app()"]  # fmt: skip
    environment = {**os.environ, "DATABASE_URL": url, "TENDER_SECRET": secrets.token_hex(16)}
    long_work = ["nice", "-n", "5", sys.executable, "-m", "tender_ledger.web.worker"]  # as the supervisor begins it
    worker = subprocess.Popen(long_work, env=environment)
    log = tempfile.TemporaryFile(mode="w+")  # noqa: SIM115 - open as long as the server; a pipe nobody reads stops it once full
    process = subprocess.Popen(command, env=environment, stdout=log, stderr=subprocess.STDOUT)
    server = BenchServer(process, f"http://127.0.0.1:{port}")
    try:
        _wait_for(server)
        yield server
    finally:
        for one in (process, worker):
            one.terminate()
        for one in (process, worker):
            _end(one)
        log.seek(0)
        said = log.read()
        log.close()
    found = [one for one in map(_read, said.splitlines()) if "ms" in one]
    server.costs = [Cost(*(one[name] for name in ("route", "status", "ms", "db_ms", "statements"))) for one in found]


def _end(process: subprocess.Popen[bytes]) -> None:
    """Wait for a process that was asked to end; one that still answers somebody after a minute is killed."""
    try:
        process.wait(timeout=60)
    except subprocess.TimeoutExpired:
        process.kill()
        process.wait()


def _read(line: str) -> dict[str, Any]:
    try:
        found = json.loads(line)
    except ValueError:
        return {}
    return found if isinstance(found, dict) else {}
