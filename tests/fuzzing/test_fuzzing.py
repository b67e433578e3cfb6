"""Hostile requests over all routes as every role: none fails, none takes five seconds. `./test --fuzz N` sends N of them."""

import os
from collections.abc import Callable

import pytest
from flask import Flask

from tests.conftest import GUARDIAN, OWNER, READER, RECORDER, REVIEWER, SignedIn
from tests.fuzzing.fuzzer import Fuzzer

ROUND = 500  # requests on one database
WANTED = int(os.environ.get("FUZZ_REQUESTS", "1000"))
LEARNT: dict[str, dict[str, tuple[str, str]]] = {}  # the fields of forms by route, read once a process
FIRST_SEED = int(os.environ.get("FUZZ_SEED", "1"))


@pytest.mark.parametrize("seed", range(FIRST_SEED, FIRST_SEED + max(WANTED // ROUND, 1)))
def test_no_request_fails_or_is_slow(
    app: Flask, sign_in: SignedIn, seed: int, beside: None, record_property: Callable[[str, object], None]
):
    app.config.update(TESTING=False, PROPAGATE_EXCEPTIONS=False)
    people = {"owner": OWNER, "recorder": RECORDER, "reviewer": REVIEWER, "reader": READER, "guardian": GUARDIAN}
    clients = {name: sign_in(email) for name, email in people.items()} | {"nobody": app.test_client()}
    fuzzer = Fuzzer(app, clients, seed)
    LEARNT.update({} if LEARNT else fuzzer.learn(clients["owner"]))
    fuzzer.fields = LEARNT
    outcome = fuzzer.run(ROUND)
    record_property("fuzzing", outcome.summary())
    assert outcome.requests == ROUND
    assert not outcome.faults, "\n".join(map(str, outcome.faults))
