"""The table of all reports under a real server: what a view of a large study costs it."""

import http.cookiejar
import json
import os
import re
import secrets
import socket
import statistics
import subprocess
import sys
import time
import urllib.parse
import urllib.request
from contextlib import suppress
from typing import Any

import click

from tender_ledger.core.rights import Role
from tender_ledger.operations import accounts
from tender_ledger.storage.database import run, value

_VIEWS = {
    "first page": "", "last page": "page={last}", "a text": "q=number+123", "by taxon": "sort=taxon",
}  # fmt: skip
_RUNS = 20
_PASSWORD = secrets.token_urlsafe(12)


def bench_ledger(url: str, study: str) -> None:
    """Ask the server for views of the study's table; its own log says how long each answer took it."""
    person = accounts.add_person("ledger@bench.example", "Bench reader", _PASSWORD)
    run("INSERT INTO membership (study_id, person_id, role) SELECT id, %(p)s, %(role)s FROM study WHERE code = %(code)s",
        p=person, code=study, role=str(Role.OWNER))  # fmt: skip
    reports = int(
        value("SELECT count(*) FROM use_report r JOIN study s ON s.id = r.study_id WHERE s.code = %(code)s", code=study)
    )
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    command = [sys.executable, "-m", "gunicorn", "--bind", f"127.0.0.1:{port}", "--workers", "1", "--threads", "4",
               "--worker-class", "gthread", "--no-control-socket", "--log-level", "error",
               "tender_ledger.web.app:served_app()"]  # fmt: skip
    environment = {**os.environ, "DATABASE_URL": url, "TENDER_SECRET": secrets.token_hex(16)}
    server = subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)
    try:
        waited = _ask(f"http://127.0.0.1:{port}", study, reports)
    finally:
        server.terminate()
        said, _ = server.communicate(timeout=30)
    answers = [one for one in map(_read, said.splitlines()) if one.get("status") == 200]
    took = [float(one["ms"]) for one in answers if one.get("route") == "ledger.show"]
    cold, *rest = [float(one["ms"]) for one in answers if one.get("route") == "reckoning.show"]
    kept, sure = rest[:_RUNS], rest[_RUNS + waited :]
    click.echo(f"the reckoning of {reports:,} reports, server time of its first page: {cold:.0f} ms with nothing kept, "
               f"{statistics.median(kept):.0f} ms from what is kept, {statistics.median(sure):.0f} ms with its intervals kept "
               f"too (medians of {_RUNS})")  # fmt: skip
    click.echo(f"the table of {reports:,} reports, server time of a view, median of {_RUNS} (first of all, nothing kept)")
    for at, name in enumerate(_VIEWS):
        first, *kept = took[at * (_RUNS + 1) : (at + 1) * (_RUNS + 1)]
        click.echo(f"  {name:12} {statistics.median(kept):6.0f} ms   ({first:.0f} ms)")


def _ask(server: str, study: str, reports: int) -> int:
    """Ask for everything that is timed; how often the first page of the reckoning was asked for until it had its intervals."""
    browser = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(http.cookiejar.CookieJar()))
    for _ in range(100):
        with suppress(OSError):
            page = browser.open(f"{server}/sign-in").read().decode()
            break
        time.sleep(0.2)
    token = re.search(r'name="csrf_token" value="([^"]+)"', page)
    said = {"email": "ledger@bench.example", "password": _PASSWORD, "csrf_token": token[1] if token else ""}
    sent, from_here = urllib.parse.urlencode(said).encode(), {"Referer": f"{server}/sign-in"}
    browser.open(urllib.request.Request(f"{server}/sign-in", sent, from_here))  # noqa: S310 - our own server, on loopback
    first, waited = f"{server}/study/{study}/reckoning", 1
    for _ in range(_RUNS + 1):
        browser.open(first).read()
    while b'class="interval"' not in browser.open(f"{first}?sure=yes").read():
        waited += 1
        time.sleep(0.5)
    for _ in range(_RUNS):
        browser.open(first).read()
    for query in _VIEWS.values():
        for _ in range(_RUNS + 1):
            browser.open(f"{server}/study/{study}/reports?{query.format(last=-(-reports // 100))}").read()
    return waited


def _read(line: str) -> dict[str, Any]:
    try:
        found = json.loads(line)
    except ValueError:
        return {}
    return found if isinstance(found, dict) else {}
