"""Spreads of numbers that are kept as they were drawn: drawing a table of thousands of cells takes longer than asking for it."""

import hashlib
from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import Any

from flask import g, render_template, request
from markupsafe import Markup

from tender_ledger import __version__
from tender_ledger.storage.queries.kept_pages import DrawnPage, kept_page
from tender_ledger.web.shared.spread import spread, wants_margin

_PACKAGE = Path(__file__).parents[2]
_BETWEEN = "<!-- page -->"  # in the template that both parts come from
_OF_ONE_REQUEST = "csrf_token"  # stands in every form that writes
Build = Callable[[], tuple[str, dict[str, Any]]]


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
        return DrawnPage(parts, not any(_OF_ONE_REQUEST in part for part in parts.values()))

    parts = kept_page(g.scope, _digest(), draw)
    marked = {name: Markup(part) for name, part in parts.items()}  # noqa: S704 - drawn by templates
    return render_template("shared/kept_page.html", margin_template="shared/_kept_margin.html", drawn=marked)


def _digest() -> str:
    address = repr((request.path, sorted(request.args.items(multi=True))))
    of = "\n".join((__version__, _made_at(), address))
    return f"page {hashlib.sha256(of.encode()).hexdigest()}"


@cache
def _made_at() -> str:
    """Tells one state of the program from another: what was drawn by the one is not shown by the other."""
    files = (path for kind in ("*.py", "*.html") for path in _PACKAGE.rglob(kind))
    return str(max(path.stat().st_mtime_ns for path in files))
