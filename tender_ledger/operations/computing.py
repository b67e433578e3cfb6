"""Computations of a study: kept while they stand, done within the request where they are short, else beside it."""

import hashlib
import json
import time
import zlib
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import Any

from tender_ledger import __version__
from tender_ledger.core.messages import InputRefused
from tender_ledger.core.rights import Right
from tender_ledger.core.rules import CountingRules
from tender_ledger.core.terms import Purpose, Scope
from tender_ledger.operations import long_work
from tender_ledger.storage.database import ask_anew, database
from tender_ledger.storage.queries import results, studies
from tender_ledger.storage.queries.past_counts import count_notes
from tender_ledger.storage.queries.terms import parameters

Progress = Callable[[int, int], None]
Work = Callable[[Progress], dict[str, Any]]
_SHAPE = 12  # of the kept bodies; raised when a later one says more or otherwise
SHORT = 1.5  # seconds that a request may compute
# By digest the number of the computation that this thread was given to do.
_done_here: ContextVar[Mapping[str, int]] = ContextVar("computations done here", default=MappingProxyType({}))
# Whether everything is computed in this thread, however long it takes.
_all_here: ContextVar[bool] = ContextVar("everything is computed here", default=False)


@contextmanager
def computing_here() -> Iterator[None]:
    """Within it nothing is queued: what is not kept is computed, and so is what was kept before, whoever began it then."""
    token = _all_here.set(True)
    try:
        yield
    finally:
        _all_here.reset(token)


class Cancelled(Exception):
    """Somebody let the computation go."""


@dataclass(frozen=True)
class Computed:
    """`body` where it is done; else the state, how far it is, and the number by which it can be cancelled."""

    body: Mapping[str, Any] | None
    state: str = "done"
    number: int = 0
    done: int = 0
    total: int = 0
    told: str = ""
    options: Mapping[str, Any] = field(default_factory=dict)


def digest_of(scope: Scope, name: str, rules: CountingRules, options: Mapping[str, Any]) -> str:
    """What tells one computation from another: its name, the rules, the options, for what purpose it reads, and of what.

    What may be counted is the same for every member; what may be published is that of a guardian's own communities alone.
    """
    of = parameters(scope)["own"] if scope.purpose in (Purpose.PUBLISHED, Purpose.PUBLISHED_ROWS) else None
    said = json.dumps([f"{__version__} {_SHAPE}", name, rules.to_json(), dict(options), str(scope.purpose), of], sort_keys=True)
    return hashlib.sha256(said.encode()).hexdigest()


def kept(scope: Scope, name: str, rules: CountingRules, options: Mapping[str, Any]) -> dict[str, Any] | None:
    """The body of a result as it is kept, or None."""
    digest = digest_of(scope, name, rules, options)
    found = results.kept_results(scope, [digest])
    if found.is_due and not _all_here.get():
        recount(scope, name, rules, options, digest)
    return json.loads(zlib.decompress(found.bodies[digest])) if found.bodies else None


def recount(scope: Scope, name: str, rules: CountingRules, options: Mapping[str, Any], digest: str) -> None:
    """Have a worker compute anew what is kept of before the last reports; once for a revision, and one at a time."""
    ask_anew()
    revision = int(studies.study(scope)["revision"])
    if results.computation(scope, digest, revision) is None:
        _queue(scope, name, rules, options, digest, revision)


def finish(digest: str) -> None:
    """Say that the computation of a digest is done, where this thread was given it to do."""
    given = _done_here.get().get(digest)
    if given is not None:
        results.end(given, "done")


def computed(scope: Scope, name: str, rules: CountingRules, options: Mapping[str, Any], work: Work, *,
             seconds: Callable[[], float], again: bool = False, begin: bool = True) -> Computed:  # fmt: skip
    """The kept result, or the work done now where it is expected to take few seconds, or how far it is beside the request.

    `seconds` says how many it is expected to take, and is asked only where nothing is kept.

    `again` begins anew what was cancelled or failed. Without `begin` nothing is begun beside the request: the state is then
    "not begun" where nobody began it. Where it takes long a worker does it, which finds by `name` and `options` whom to ask
    the same of (see `computations`); it calls its progress often, which raises Cancelled once somebody let it go.
    """
    digest = digest_of(scope, name, rules, options)
    given = _done_here.get().get(digest)
    there = kept(scope, name, rules, options)
    if there is not None:
        finish(digest)
        return Computed(there, options=options)
    ask_anew()
    revision, begun = int(studies.study(scope)["revision"]), time.monotonic()
    if given is not None:
        body = work(_progress_of(given))
        results.keep_results(scope, revision, {digest: _packed(body)}, seconds=time.monotonic() - begun)
        finish(digest)
        return Computed(body, options=options)
    anew = _all_here.get() and (begin or results.was_kept(scope, digest))
    if anew or seconds() <= SHORT:
        body = work(lambda _done, _total: None)
        results.keep_results(scope, revision, {digest: _packed(body)}, seconds=time.monotonic() - begun)
        return Computed(json.loads(json.dumps(body)), options=options)
    found = results.computation(scope, digest, revision)
    if found is None and not begin:
        count_notes().may_change = True
        return Computed(None, "not begun", options=options)
    if found is None or (again and found["state"] != "working"):
        _queue(scope, name, rules, options, digest, revision)
        found = results.computation(scope, digest, revision) or {}
    count_notes().under_way = True
    return Computed(None, found["state"], found["id"], found["done"], found["total"], found["told"], options)


def _packed(body: Mapping[str, Any]) -> bytes:
    return zlib.compress(json.dumps(body).encode(), 1)


def _queue(scope: Scope, name: str, rules: CountingRules, options: Mapping[str, Any], digest: str, revision: int) -> None:
    with database.atomic():
        number = results.begin(scope, digest, revision)
        if number is not None:
            of = {"number": number, "digest": digest, "name": name, "rules": rules.to_json(), "options": dict(options)}
            long_work.begin("computation", scope, of, lock=f"computation {number}")


def _progress_of(number: int) -> Progress:
    def progress(done: int, total: int) -> None:
        if not results.still_wanted(number, done, total):
            raise Cancelled

    return progress


def do_computation(number: int, digest: str, ask: Callable[[], object]) -> None:
    """Do the work of a computation here, by asking for its result as a request does. One that was let go is not done.

    Raises RuntimeError where asking did not lead to this computation.
    """
    if not results.still_wanted(number, 0, 0):
        return
    token = _done_here.set({digest: number})
    try:
        ask()
        if results.still_wanted(number, 0, 0):
            raise RuntimeError(f"computation {number} was not asked for")
    except Cancelled:
        return
    except InputRefused as refused:
        results.end(number, "failed", " ".join(str(problem) for problem in refused.problems))
    finally:
        _done_here.reset(token)


def cancel(scope: Scope, number: int) -> None:
    """Let a computation go, which others may be waiting for; what it had is forgotten."""
    scope.viewer.require(Right.CANCEL)
    results.cancel(scope, number)
