"""Pages that may show the last count of a large study while a new one is made, and say so."""

from collections.abc import Callable
from datetime import UTC, datetime
from functools import wraps
from typing import ParamSpec, TypeVar

from flask import g, request

from tender_ledger.storage.queries.past_counts import counts_noted

Arguments = ParamSpec("Arguments")
Answer = TypeVar("Answer")


def shows_past_counts(*, by_others: bool = False) -> Callable[[Callable[Arguments, Answer]], Callable[Arguments, Answer]]:
    """A view whose numbers may be of before the last reports, unless its address asks for them counted now; with `by_others`
    of before those that others wrote alone."""

    def allowing(view: Callable[Arguments, Answer]) -> Callable[Arguments, Answer]:
        @wraps(view)
        def allowed(*arguments: Arguments.args, **options: Arguments.kwargs) -> Answer:
            if "drawn_since" in g:  # drawn by a worker: what it counted itself a moment ago stands
                with counts_noted(past_allowed=True, since=g.drawn_since):
                    return view(*arguments, **options)
            past_allowed = "now" not in request.args
            with counts_noted(past_allowed=past_allowed, by_others=by_others) as g.past_counts:
                return view(*arguments, **options)

        return allowed

    return allowing


def seconds_since_count() -> int | None:
    """How long ago the oldest count of this page was made; None where all numbers are of now."""
    noted = g.get("past_counts")
    if noted is None or noted.oldest is None:
        return None
    return max(round((datetime.now(UTC) - noted.oldest).total_seconds()), 1)
