"""The spread: a page and its margin. A request for the margin alone gets the margin alone."""

from typing import Any

from flask import flash, g, redirect, render_template, request
from werkzeug.wrappers import Response

from tender_ledger.operations.undo_rights import may_undo
from tender_ledger.storage.queries import acts


def is_htmx() -> bool:
    """Whether htmx sent this request from within a page."""
    return request.headers.get("HX-Request") == "true"


def wants_margin() -> bool:
    """Whether only the margin is to be drawn anew."""
    return is_htmx() and request.headers.get("HX-Target", "").endswith("#margin")


def opened(default: str = "") -> tuple[str, str]:
    """What stands in the margin, from the address: its kind and what it is about."""
    kind, _, about = request.args.get("margin", default).partition(":")
    return kind, about


def spread(page: str, margin: str, /, **context: Any) -> str:
    """Render a page with its margin, or the margin alone when that was asked for; the same templates in both cases."""
    if wants_margin():
        return render_template("shared/_margin.html", margin_template=margin, **context)
    return render_template(page, margin_template=margin, **context)


def done(sentence: str, address: str) -> Response:
    """After an act: say what was done, offer to undo it, and go on to the address."""
    flash(sentence)
    return redirect(address, 303)


def last_act() -> int | None:
    """The viewer's latest act in this study, which an undo beside the notice takes back; None where it cannot."""
    found = acts.own_latest_act(g.scope)
    return found["id"] if found and may_undo(g.member, found) else None
