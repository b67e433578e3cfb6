"""Somebody at a browser: looks round a study and saves reports, each until it is acknowledged, and writes down what they met."""

import http.client
import random
import re
import threading
import time
import urllib.error
import urllib.parse
import urllib.request
import uuid
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from http.cookiejar import CookieJar

_PATIENCE = 90  # seconds after which a save that is not taken is given up
_UNAVAILABLE = (0, 500, 502, 503, 504)
Sheet = Callable[[random.Random], tuple[str, dict[str, str]]]


class _NoRedirect(urllib.request.HTTPRedirectHandler):
    def redirect_request(self, *_arguments: object) -> None:
        return None


@dataclass
class SimulatedPerson:
    """`sheet` draws the path a report is sent to and its fields, without its key; `saves` is the share of saves among clicks.

    `saved` holds the keys of acknowledged reports, `waits` each path that was answered with its seconds, `without` the times an
    answer did not come or was no answer, `signed_out` how often somebody who had signed in was asked to again.
    """

    address: str
    study: str
    email: str
    password: str
    seed: int
    pages: Sequence[str]
    sheet: Sheet
    saves: float = 0.3
    pause: float = 1.0
    saved: list[str] = field(default_factory=list)
    waits: list[tuple[str, float]] = field(default_factory=list)
    without: list[float] = field(default_factory=list)
    signed_out: int = 0

    def __post_init__(self) -> None:
        self._open = urllib.request.build_opener(
            urllib.request.ProxyHandler({}), _NoRedirect(), urllib.request.HTTPCookieProcessor(CookieJar())
        ).open
        self._token = ""

    def sign_in(self) -> None:
        self._token = self._token_of("sign-in")
        status, _where = self._send("sign-in", {"email": self.email, "password": self.password})
        if status != 303:
            raise RuntimeError(f"{self.email} could not sign in: {status}")
        self._token = self._token_of(f"study/{self.study}/people")

    def work(self, stop: threading.Event) -> None:
        """Click and save, with about the pause between, until told to stop."""
        chance = random.Random(self.seed)  # noqa: S311 - which page is looked at next
        while not stop.is_set():
            if chance.random() < self.saves:
                self._save(chance)
            else:
                self._look(chance.choice(self.pages))
            stop.wait(self.pause * chance.uniform(0.5, 1.5))

    def _look(self, page: str) -> None:
        began = time.monotonic()
        status, where = self._send(f"study/{self.study}/{page}", None)
        if status in (200, 403, 404):
            self.waits.append((page, time.monotonic() - began))
        else:
            self._note(status, where)

    def _save(self, chance: random.Random) -> None:
        path, fields = self.sheet(chance)
        key = str(uuid.UUID(int=chance.getrandbits(128), version=4))
        began = time.monotonic()
        while True:
            status, where = self._send(f"study/{self.study}/{path}", {**fields, "client_key": key})
            if status == 303 and "sign-in" not in where:
                self.saved.append(key)
                self.waits.append(("a save", time.monotonic() - began))
                return
            self._note(status, where)
            if time.monotonic() - began > _PATIENCE:
                raise RuntimeError(f"a save was not taken for {_PATIENCE} seconds; the last answer was {status}")
            time.sleep(0.3)

    def _note(self, status: int, where: str) -> None:
        if status in (302, 303) and "sign-in" in where:
            self.signed_out += 1
            self.sign_in()
            return
        if status not in _UNAVAILABLE:
            raise RuntimeError(f"unexpected answer {status}")
        self.without.append(time.monotonic())

    def _token_of(self, path: str) -> str:
        page = self._open(f"{self.address}/{path}", timeout=20).read().decode()
        found = re.search(r'(?:name="csrf_token" value=|"X-CSRFToken": )"([^"]+)"', page)
        if found is None:
            raise RuntimeError(f"{path} has no token")
        return found[1]

    def _send(self, path: str, form: dict[str, str] | None) -> tuple[int, str]:
        """Status and where the answer leads; 0 where there was none."""
        at = f"{self.address}/{path}"
        body = None if form is None else urllib.parse.urlencode({**form, "csrf_token": self._token}).encode()
        try:
            with self._open(urllib.request.Request(at, body, {"Referer": at}), timeout=20) as answer:  # noqa: S310 - our own
                answer.read()
                return int(answer.status), ""
        except urllib.error.HTTPError as error:
            error.close()
            return error.code, error.headers.get("Location") or ""
        except (OSError, http.client.HTTPException):
            return 0, ""
