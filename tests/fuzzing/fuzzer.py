"""Sends hostile requests to every route as every role, and counts what fails or takes too long."""

import random
import re
import time
from collections import Counter
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass, field
from html.parser import HTMLParser
from typing import Any

from flask import Flask
from flask.testing import FlaskClient
from werkzeug.exceptions import HTTPException
from werkzeug.routing import Rule

from tests.fuzzing.hostile_values import hostile_file, hostile_text
from tests.web.test_routes import ARGUMENTS, form_of

SLOW = 5.0  # seconds
USUAL = {  # what gets a form past its first question
    "informant": "ONS-01", "plant": "P-001", "category": "medicines", "basis": "own practice", "encounter": "1",
    "name": "nelva", "title": "a walk", "taxon": "Sambucus nigra", "code": "XX-09", "label": "label",
    "from_day": "2026-05-03", "words": "it helps", "parts": "leaf", "text": "nelva\nlipa", "character": "height",
    "confidence": "sure", "reason": "seen", "note": "a note",
}  # fmt: skip
WEIGHTS = (10, 3, 1, 1, 1, 1)  # of the clients in their order: who may do most asks most
LEFT_OUT = {"account.sign_out", "account.change_password"}  # they would end the sessions that the other requests need


@dataclass(frozen=True)
class Fault:
    """A request that failed or was slow, with all that is needed to send it again."""

    seed: int
    number: int
    method: str
    endpoint: str
    address: str
    status: int
    seconds: float
    form: tuple[str, ...]
    query: tuple[str, ...]

    def __str__(self) -> str:
        sent = ", ".join((*self.query, *self.form))
        return (
            f"{self.status} {self.seconds:.1f} s {self.method} {self.endpoint} (seed {self.seed}, request {self.number}): {sent}"
        )


@dataclass
class Outcome:
    """What a round of requests came to."""

    requests: int = 0
    statuses: Counter[int] = field(default_factory=Counter)
    slowest: float = 0.0
    faults: list[Fault] = field(default_factory=list)

    def summary(self) -> dict[str, object]:
        """What the table of a whole run adds up."""
        failed = sum(times for status, times in self.statuses.items() if status >= 500)
        slow = sum(one.seconds > SLOW for one in self.faults)
        return {
            "requests": self.requests,
            "failed": failed,
            "slow": slow,
            "slowest": self.slowest,
            "statuses": dict(self.statuses),
        }


class _Fields(HTMLParser):
    """The fields of every form of a page, by the path it is sent to: name, kind and what stands in it."""

    def __init__(self, path: str) -> None:
        super().__init__()
        self.path, self.action, self.forms = path, path, dict[str, dict[str, tuple[str, str]]]()

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        of = dict(attrs)
        if tag == "form":
            self.action = (of.get("action") or self.path).partition("?")[0]
        elif tag in ("input", "textarea", "select", "button") and of.get("name"):
            kind = (of.get("type") or "text") if tag == "input" else tag
            self.forms.setdefault(self.action, {})[str(of["name"])] = (kind, of.get("value") or "")
        elif tag == "option" and of.get("value"):
            last = self.forms.get(self.action)
            if last:
                name, (kind, _value) = list(last.items())[-1]
                last[name] = (kind, str(of["value"]))


def shown(text: str) -> str:
    return repr(text if len(text) <= 40 else f"{text[:30]}… ({len(text)} characters)")


class Fuzzer:
    """Hostile requests in an order that the seed fixes; `clients` by a name of their role, None as nobody."""

    def __init__(self, app: Flask, clients: Mapping[str, FlaskClient], seed: int) -> None:
        self.app, self.clients, self.seed = app, dict(clients), seed
        self.rng = random.Random(seed)
        self.rules = [rule for rule in app.url_map.iter_rules() if rule.endpoint not in LEFT_OUT]
        self.fields: dict[str, dict[str, tuple[str, str]]] = {}
        self.queries = self._queries()

    def learn(self, client: FlaskClient) -> dict[str, dict[str, tuple[str, str]]]:
        """The fields of the forms of every page that opens, by the route they are sent to."""
        learnt: dict[str, dict[str, tuple[str, str]]] = {}
        for rule in self.rules:
            if "GET" not in (rule.methods or ()) or rule.endpoint == "static":
                continue
            address = self._address(rule, hostile=False)
            answer = client.get(address)
            if answer.mimetype == "text/html" and answer.status_code == 200:
                page = _Fields(address.partition("?")[0])
                page.feed(answer.text)
                for path, fields in page.forms.items():
                    endpoint = self._endpoint(path)
                    if endpoint:
                        learnt.setdefault(endpoint, {}).update(fields)
        return learnt

    def _endpoint(self, path: str) -> str:
        """The route that a form of this path is sent to; empty where it leads to none."""
        adapter = self.app.url_map.bind("localhost")
        for method in ("POST", "GET"):
            with suppress(HTTPException):
                return str(adapter.match(path, method=method)[0])
        return ""

    def _queries(self) -> list[str]:
        """The names that the routes read from a query, as their sources write them."""
        names: set[str] = set()
        for view in self.app.view_functions.values():
            code = getattr(view, "__wrapped__", view).__code__
            names.update(one for one in code.co_consts if isinstance(one, str) and re.fullmatch(r"[a-z_]{2,14}", one))
        return sorted(names | {"margin", "page", "q", "by", "show", "with", "group", "sort", "at", "next", "format", "of"})

    def _address(self, rule: Rule, *, hostile: bool) -> str:
        """The address of a rule; its arguments are those of the walk of routes, or some are hostile."""
        path = ""
        for is_dynamic, data in rule._trace:
            if not is_dynamic:
                path += data.lstrip("|")
                continue
            value: Any = ARGUMENTS.get(data, "x")
            if hostile and self.rng.random() < 0.5:
                value = self.rng.choice((hostile_text(self.rng), self.rng.randrange(0, 60)))
            path += _quoted(str(value))
        return path

    def request(self) -> tuple[str, str, str, dict[str, Any], list[tuple[str, str]], str]:
        """The next request: method, endpoint, address, form, query, and as whom."""
        rng = self.rng
        rule = rng.choice(self.rules)
        method = rng.choice(sorted((rule.methods or set()) - {"OPTIONS", "HEAD"}, reverse=True))
        address = self._address(rule, hostile=rng.random() < 0.25)
        query = [(rng.choice(self.queries), hostile_text(rng)) for _at in range(rng.choice((0, 0, 1, 2)))]
        form: dict[str, Any] = {}
        if method == "POST":
            form = dict(form_of(rule.endpoint))
            fields = self.fields.get(rule.endpoint, {})
            wrong = set(
                rng.sample(sorted(fields), min(len(fields), rng.choice((0, 1, 1, 1, 2, 3))))
            )  # few, so that they are read
            for name, (kind, value) in fields.items():
                if kind == "file":
                    form[name] = hostile_text(rng) if name in wrong else hostile_file(rng)
                elif name in wrong:
                    form[name] = hostile_text(rng)
                elif rng.random() < 0.9:
                    form[name] = value or USUAL.get(name, "")
            if rng.random() < 0.05:
                form[hostile_text(rng)[:200] or "x"] = hostile_text(rng)
        return method, rule.endpoint, address, form, query, rng.choices(list(self.clients), WEIGHTS[: len(self.clients)])[0]

    def run(self, requests: int) -> Outcome:
        outcome = Outcome()
        for number in range(requests):
            method, endpoint, address, form, query, who = self.request()
            headers = {"HX-Request": "true"} if self.rng.random() < 0.3 else {}
            begun = time.monotonic()
            sent = {"data": form} if method == "POST" else {}
            answer = self.clients[who].open(address, method=method, query_string=query, headers=headers, **sent)
            answer.get_data()
            took = time.monotonic() - begun
            outcome.requests += 1
            outcome.statuses[answer.status_code] += 1
            outcome.slowest = max(outcome.slowest, took)
            if answer.status_code >= 500 or took > SLOW:
                outcome.faults.append(
                    Fault(
                        self.seed,
                        number,
                        method,
                        f"{endpoint} as {who}",
                        address[:80],
                        answer.status_code,
                        took,
                        tuple(f"{name[:30]}={shown(one) if isinstance(one, str) else one[1][:30]}" for name, one in form.items()),
                        tuple(f"?{name}={shown(one)}" for name, one in query),
                    )
                )
        return outcome


def _quoted(text: str) -> str:
    """As a path holds it; slashes too are quoted."""
    return "".join(
        chr(byte) if chr(byte).isalnum() and byte < 128 else f"%{byte:02X}" for byte in text.encode("utf-8", "surrogatepass")
    )[:8_000]
