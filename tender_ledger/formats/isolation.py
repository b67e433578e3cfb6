"""Reads foreign files, and draws pages, in a process of its own: with a limit of memory and of time, a few at once.

Whatever a file does to its reader, the process that serves people goes on. The processes are pebble's; each serves many calls
and is ended with the call that oversteps a limit.
"""

import atexit
import multiprocessing
import resource
import threading
from collections.abc import Callable
from concurrent.futures import TimeoutError as TookTooLong
from functools import cache
from typing import ParamSpec, TypeVar

from pebble import ProcessExpired, ProcessPool

from tender_ledger.core.messages import InputRefused, Problem

P = ParamSpec("P")
T = TypeVar("T")

MEMORY = 1024 * 1024 * 1024  # bytes of address space of a process
SECONDS = 20.0  # of one call
AT_ONCE = 1  # processes of each server process
WAITING = 4  # calls that wait for one of them; further ones are told
_CALLS_OF_A_PROCESS = 50  # then a new one takes over
_PRELOADED = ["tender_ledger.formats.references", "tender_ledger.formats.pictures", "tender_ledger.formats.darwin_core"]

_places = threading.BoundedSemaphore(AT_ONCE + WAITING)


class Busy(Exception):
    """So many calls are under way or wait already that another one would wait for long; it was not begun."""


def isolated(function: Callable[P, T], *args: P.args, **kwargs: P.kwargs) -> T:
    """Call a function of a module in a limited process; its arguments and its result are pickled.

    Raises what the function raises, InputRefused where it takes more than MEMORY or SECONDS, or ends its process, and Busy.
    """
    if not _places.acquire(blocking=False):
        raise Busy
    try:
        return _pool().submit(_call, SECONDS, function, args, kwargs).result()
    except TookTooLong:
        raise InputRefused(_problem(f"work for more than {SECONDS:.0f} seconds")) from None
    except (MemoryError, ProcessExpired):
        raise InputRefused(_problem("more than the memory there is for one file")) from None
    finally:
        _places.release()


def _problem(found: str) -> Problem:
    remedy = "Save it anew with another program, or bring a part of it."
    return Problem("This could not be read.", "", found, "an ordinary file", remedy)


def _call(function: Callable[..., T], args: tuple[object, ...], kwargs: dict[str, object]) -> T:
    return function(*args, **kwargs)


@cache
def _pool() -> ProcessPool:
    """The processes, forked from a server that has read the modules and nothing of anybody's."""
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(_PRELOADED)
    pool = ProcessPool(AT_ONCE, _CALLS_OF_A_PROCESS, initializer=_limit, context=context)
    atexit.register(_end, pool)
    return pool


def _limit() -> None:
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))


def _end(pool: ProcessPool) -> None:
    pool.stop()  # type: ignore[no-untyped-call]
    pool.join(2)
