"""Spreads of numbers that are kept as they were drawn: drawing a table of thousands of cells takes longer than asking for it.

In a large study a worker draws them anew, while the last ones are shown.
"""

import hashlib
from collections.abc import Callable, Mapping
from datetime import UTC, datetime
from functools import cache, partial
from pathlib import Path
from typing import Any

from flask import Flask, g, render_template, request
from markupsafe import Markup

from tender_ledger import __version__
from tender_ledger.operations import long_work
from tender_ledger.operations.computing import computing_here
from tender_ledger.storage.masking import mask_for
from tender_ledger.storage.queries.kept_pages import DrawnPage, draw_page, due_page, kept_page
from tender_ledger.web.shared.spread import spread, wants_margin

_PACKAGE = Path(__file__).parents[2]
_BETWEEN = "<!-- page -->"  # in the template that both parts come from
_OF_ONE_REQUEST = "csrf_token"  # stands in every form that writes
_WORK = "page"
_AFTER_ALL_ELSE = -1  # somebody waits for an import or a computation, and nobody for a page that is shown meanwhile
Build = Callable[[], tuple[str, dict[str, Any]]]


def install(app: Flask) -> None:
    """Name the drawing of a page among the kinds of long work."""
    long_work.register(_WORK, long_work.Work(partial(_draw_anew, app), lambda _of, _why: None))


def kept_spread(page: str, build: Build) -> str:
    """A page with its margin, kept for the viewer by its address until anything is written; the margin alone is not kept.

    `build` gives the template of the margin and the context of both. The template of the page extends
    `shared/_page_parts.html` and holds nothing of one request alone, as forms that write do.
    """
    if wants_margin():
        margin, context = build()
        return spread(page, margin, **context)

    def draw() -> DrawnPage:
        margin, context = build()
        title, _mark, body = render_template(page, **context).partition(_BETWEEN)
        parts = {"title": title, "page": body, "margin": render_template(margin, **context)}
        may_be_kept = not any(_OF_ONE_REQUEST in part for part in parts.values())
        return DrawnPage({**parts, "address": request.full_path}, may_be_kept)

    digest = _digest()
    if "drawn_since" in g:
        draw_page(g.scope, digest, draw)
        return ""
    parts = kept_page(g.scope, digest, draw, partial(_draw_later, digest))
    marked = {name: Markup(part) for name, part in parts.items()}  # noqa: S704 - drawn by templates
    return render_template("shared/kept_page.html", margin_template="shared/_kept_margin.html", drawn=marked)


def _draw_later(digest: str) -> None:
    """The queue is told the digest alone: an address may hold a code, and would outlast an erasure there."""
    lock = f"{digest} {g.scope.study_id} {sorted(g.member.roles)}"
    long_work.begin(_WORK, g.scope, {"digest": digest}, lock=lock, priority=_AFTER_ALL_ELSE)


def _draw_anew(app: Flask, task: long_work.Task, of: Mapping[str, Any]) -> None:
    """Draw a page for somebody who was shown the last one; they, and all who see the same, are shown it next time."""
    due = due_page(task.scope, of["digest"])
    if due is None:  # drawn meanwhile, or forgotten
        return
    with app.test_request_context(due["address"], base_url=app.config["PUBLIC_ADDRESS"]):
        arguments = dict(request.view_args or {})
        g.study_code = arguments.pop("study")
        g.member, g.scope, g.drawn_since = task.scope.viewer, task.scope, datetime.now(UTC)
        mask_for(g.scope)
        with computing_here():
            app.view_functions[str(request.endpoint)](**arguments)


def _digest() -> str:
    address = repr((request.path, sorted(request.args.items(multi=True))))
    of = "\n".join((__version__, _made_at(), address))
    return f"page {hashlib.sha256(of.encode()).hexdigest()}"


@cache
def _made_at() -> str:
    """Tells one state of the program from another: what was drawn by the one is not shown by the other."""
    files = (path for kind in ("*.py", "*.html") for path in _PACKAGE.rglob(kind))
    return str(max(path.stat().st_mtime_ns for path in files))
