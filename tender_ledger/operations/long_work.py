"""Work that is too long for a request: begun by one, and done by a worker process, which knows it by its name.

What is queued says what to do, for whom and of what, by numbers and settings. The worker asks anew what that person may do.
"""

import json
import logging
import traceback
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import date
from typing import Any

from tender_ledger.core.names import NamesService
from tender_ledger.core.terms import Purpose, Scope
from tender_ledger.storage.database import UNAVAILABLE, connected
from tender_ledger.storage.queries import accounts
from tender_ledger.storage.queue import put

_log = logging.getLogger("tender_ledger.work")


@dataclass(frozen=True)
class Task:
    """Who is worked for under which terms, and with which names service."""

    scope: Scope
    names: NamesService


@dataclass(frozen=True)
class Work:
    """A kind of long work. `of` says what a piece of it is of; `give_up` writes down that it is not done, and why."""

    do: Callable[[Task, Mapping[str, Any]], None]
    give_up: Callable[[Mapping[str, Any], str], None]


_KINDS: dict[str, Work] = {}
FAILED = "Something failed here. It is on record; try once more."
NO_MEMBER = "Whoever asked for it is no member of the study any more."
ENDED_OFTEN = "It ended its worker again and again, and was given up. Try with less at once."


def register(kind: str, work: Work) -> None:
    """Name a kind of work; the worker does what it finds under this name."""
    _KINDS[kind] = work


def begin(kind: str, scope: Scope, of: Mapping[str, Any], *, lock: str, after: int = 0, priority: int = 0) -> None:
    """Queue work in the caller's transaction, to be done `after` seconds; `of` holds JSON values. Nothing is queued twice
    under one lock, and what has a higher priority is done first."""
    if kind not in _KINDS:
        raise ValueError(kind)
    said = {
        "kind": kind,
        "person": scope.viewer.person_id,
        "study": scope.study_id,
        "purpose": scope.purpose.value,
        "day": scope.day.isoformat(),
        "of": dict(of),
    }
    put(said, lock=lock, after=after, priority=priority)


def do(said: Mapping[str, Any], names: NamesService) -> None:
    """Do a piece of work. Whatever becomes of it is written down where it was asked for. Raises UNAVAILABLE alone."""
    work = _KINDS[said["kind"]]
    try:
        with connected():
            member = accounts.member_by_id(said["person"], said["study"])
            if member is None:
                work.give_up(said["of"], NO_MEMBER)
                return
            scope = Scope(member, Purpose(said["purpose"]), date.fromisoformat(said["day"]))
            work.do(Task(scope, names), said["of"])
    except UNAVAILABLE:  # nothing can be written down now; the queue has it done again
        raise
    except Exception as error:
        _log.error(json.dumps({"work": said["kind"], "failure": type(error).__name__, "at": _places(error)}))
        with connected():
            work.give_up(said["of"], FAILED)


def give_up(said: Mapping[str, Any]) -> None:
    """Write down that work is not done, since it ended its worker too often."""
    with connected():
        _KINDS[said["kind"]].give_up(said["of"], ENDED_OFTEN)


def _places(error: BaseException) -> list[str]:
    """Where in the code; never the message, which may repeat what somebody typed."""
    frames = traceback.extract_tb(error.__traceback__)
    return [
        f"{frame.filename.rpartition('tender_ledger/')[2]}:{frame.lineno}"
        for frame in frames
        if "tender_ledger" in frame.filename
    ]
