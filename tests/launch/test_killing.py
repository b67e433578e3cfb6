"""What was acknowledged is there once, whatever is killed meanwhile: a web worker, the web server, or the database.

`./test --kill N` kills N times.
"""

import http.client
import os
import random
import re
import signal
import threading
import time
import urllib.error
import urllib.parse
import urllib.request
import uuid
from contextlib import suppress
from http.cookiejar import CookieJar
from pathlib import Path

import pytest

from tender_ledger.launch.cluster import free_port
from tender_ledger.storage.database import rows, value
from tests.factories import PASSWORD, SmallStudy
from tests.launch.running import Started, database_of, new_state, ready, until

pytestmark = pytest.mark.alone

SAVES = 200  # at least
KILLS = int(os.environ.get("KILLS", "9"))  # of each kind in turn
KINDS = ("worker", "database", "server")


class _NoRedirect(urllib.request.HTTPRedirectHandler):
    def redirect_request(self, *_arguments: object) -> None:
        return None


class Hand:
    """Somebody who saves reports and sends each again, with its key, until it is acknowledged."""

    def __init__(self, address: str, study: str) -> None:
        self.address, self.at = address, f"{address}study/{study}/encounters/1"
        self.open = urllib.request.build_opener(
            urllib.request.ProxyHandler({}), _NoRedirect(), urllib.request.HTTPCookieProcessor(CookieJar())
        ).open
        self.token, self.refused = "", 0

    def sign_in(self, email: str) -> None:
        self.token = self._token(f"{self.address}sign-in")
        assert self._post(f"{self.address}sign-in", {"email": email, "password": PASSWORD}) == 303
        self.token = self._token(self.at)

    def save(self, number: int, key: str) -> None:
        began = time.monotonic()
        while (status := self.try_to_save(number, key)[0]) != 303:
            assert status in (0, 500, 502, 503), status
            self.refused += 1
            assert time.monotonic() - began < 30, f"save {number} was not taken for 30 seconds"
            time.sleep(0.1)

    def try_to_save(self, number: int, key: str, more_words: str = "") -> tuple[int, str]:
        """The status of one try, 0 where there was no answer, and the page of a failure."""
        told = {"client_key": key, "informant": "X-01", "plant": "P-001", "category": "food", "purpose": f"use {number % 7}",
                "parts": "leaf", "words": f"told {number}{more_words}"}  # fmt: skip
        return self._send(f"{self.at}/reports", told)

    def _token(self, address: str) -> str:
        found = re.search(r'name="csrf_token" value="([^"]+)"', self.open(address, timeout=10).read().decode())
        assert found is not None
        return found[1]

    def _post(self, address: str, data: dict[str, str]) -> int:
        return self._send(address, data)[0]

    def _send(self, address: str, data: dict[str, str]) -> tuple[int, str]:
        body = urllib.parse.urlencode({**data, "csrf_token": self.token}).encode()
        request = urllib.request.Request(address, body, {"Referer": address})  # noqa: S310 - our own server's address
        try:
            return int(self.open(request, timeout=10).status), ""
        except urllib.error.HTTPError as answer:
            return answer.code, answer.read().decode(errors="replace")
        except (OSError, http.client.HTTPException):
            return 0, ""


def pid_of(one: Started, what: str, chance: random.Random) -> int:
    """The process of a kind; any of the web workers."""
    if what == "database":
        return one.database_pid()
    server, *workers = one.web_pids()
    return server if what == "server" else chance.choice(workers)


def kill_at_random(one: Started, stop: threading.Event, killed: list[str]) -> None:
    """Kill one of each kind in turn, after a while, and let it come back before the next."""
    chance = random.Random(4711)
    while not stop.is_set() and len(killed) < KILLS:
        time.sleep(chance.uniform(0.2, 1.2))
        with suppress(ProcessLookupError, OSError, ValueError, IndexError):
            what = KINDS[len(killed) % len(KINDS)]
            os.kill(pid_of(one, what, chance), signal.SIGKILL)
            killed.append(what)
            time.sleep(0.1)
            until(lambda: ready(one.address) or stop.is_set(), 20)


def test_every_acknowledged_save_is_there_once_and_none_is_half_there():
    with new_state() as state:
        one = Started("--empty", state=state, port=free_port())
        stop, killed, keys = threading.Event(), list[str](), list[str]()
        killer = threading.Thread(target=kill_at_random, args=(one, stop, killed))
        try:
            hand = prepare(one, state)
            killer.start()
            while len(keys) < SAVES or (len(killed) < KILLS and killer.is_alive()):
                number, key = len(keys), str(uuid.UUID(int=len(keys) + 1, version=4))
                hand.save(number, key)
                keys.append(key)
                if number % 20 == 0:
                    hand.save(number, key)  # an impatient second Enter
            stop.set()
            killer.join()
            assert len(killed) == KILLS
            assert set(killed) == set(KINDS), killed
            assert hand.refused > 0
            with database_of(state):
                everything_is_there_once(keys)
            print(
                f"{KILLS} kills, {len(keys)} saves acknowledged, {hand.refused} tries that had no answer: none lost, none twice"
            )
        finally:
            stop.set()
            one.stop()


def prepare(one: Started, state: Path) -> Hand:
    address = one.wait()
    until(lambda: ready(address), 20)
    with database_of(state):
        small = SmallStudy()
        small.encounter(small.holder("X-01"))
        small.plant("Salix caprea")
    hand = Hand(address, small.code)
    hand.sign_in(small.email)
    return hand


def everything_is_there_once(keys: list[str]) -> None:
    kept = rows("SELECT id, client_key::text AS key, words FROM use_report ORDER BY id")
    assert sorted(one["key"] for one in kept) == sorted(keys)
    assert sorted(one["words"] for one in kept) == sorted(f"told {number}" for number in range(len(keys)))
    for table in ("report_coding", "report_part"):
        assert value(f"SELECT count(*) FROM {table}") == len(keys)
        assert value(f"SELECT count(DISTINCT report_id) FROM {table}") == len(keys)
    made = "SELECT count(*) FROM change WHERE entity = 'use_report' AND before IS NULL"
    assert value(made) == len(keys)
    assert value("SELECT count(*) FROM act WHERE operation = 'record_report'") == len(keys)
    assert value("SELECT count(*) FROM act a WHERE NOT EXISTS (SELECT FROM change c WHERE c.act_id = a.id)") == 0
    assert value("SELECT count(*) FROM act") == value("SELECT revision FROM study")
    assert value("SELECT count(DISTINCT revision) FROM act") == value("SELECT revision FROM study")
