"""People who look round a study and save reports, each until it is acknowledged, and write down what they met."""

import http.client
import random
import re
import threading
import time
import urllib.error
import urllib.parse
import urllib.request
import uuid
from dataclasses import dataclass, field
from http.cookiejar import CookieJar

PAGES = ("people", "encounters/1", "plants", "plants/1", "reports", "worklist", "reckoning")


class _NoRedirect(urllib.request.HTTPRedirectHandler):
    def redirect_request(self, *_arguments: object) -> None:
        return None


@dataclass
class Person:
    """Somebody at a browser. `saved` holds the keys of acknowledged reports, `without` the times an answer did not come or was
    no answer, `signed_out` how often somebody who had signed in was asked to again."""

    address: str
    study: str
    email: str
    password: str
    seed: int
    saved: list[str] = field(default_factory=list)
    waits: list[float] = field(default_factory=list)
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
        assert status == 303, f"{self.email} could not sign in: {status}"
        self._token = self._token_of(f"study/{self.study}/encounters/1")

    def work(self, stop: threading.Event) -> None:
        """Click and save, with about a second between, until told to stop."""
        chance = random.Random(self.seed)
        while not stop.is_set():
            if chance.random() < 0.3:
                self._save(chance)
            else:
                self._look(chance.choice(PAGES))
            time.sleep(chance.uniform(0.5, 1.5))

    def _look(self, page: str) -> None:
        began = time.monotonic()
        status, where = self._send(f"study/{self.study}/{page}", None)
        if status == 200:
            self.waits.append(time.monotonic() - began)
        else:
            self._note(status, where)

    def _save(self, chance: random.Random) -> None:
        key = str(uuid.UUID(int=chance.getrandbits(128), version=4))
        told = {"client_key": key, "informant": "X-01", "plant": "P-001", "category": "food", "purpose": "tea", "parts": "leaf"}
        began = time.monotonic()
        while True:
            status, where = self._send(f"study/{self.study}/encounters/1/reports", told)
            if status == 303 and "sign-in" not in where:
                self.saved.append(key)
                self.waits.append(time.monotonic() - began)
                return
            self._note(status, where)
            assert time.monotonic() - began < 90, f"a save was not taken for 90 seconds; the last answer was {status}"
            time.sleep(0.3)

    def _note(self, status: int, where: str) -> None:
        if status in (302, 303) and "sign-in" in where:
            self.signed_out += 1
            self.sign_in()
            return
        assert status in (0, 500, 502, 503, 504), f"unexpected answer {status}"
        self.without.append(time.monotonic())

    def _token_of(self, path: str) -> str:
        found = re.search(r'name="csrf_token" value="([^"]+)"', self._open(f"{self.address}/{path}", timeout=20).read().decode())
        assert found is not None
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
