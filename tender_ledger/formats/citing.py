"""A bibliographic record written out as a reader expects one: Harvard, author and year, by the style that citeproc-py carries."""

import json
import re
import warnings
from functools import cache
from html import escape, unescape
from typing import Any

from citeproc import Citation, CitationItem, CitationStylesBibliography, CitationStylesStyle, formatter
from citeproc.source.json import CiteProcJSON

_STYLE = "harvard-cite-them-right"
_TAG = re.compile(r"<[^>]+>")
_ASIDE = re.compile(r"(</?i>)")


def cite(item: dict[str, Any]) -> list[tuple[str, bool]]:
    """The reference of a CSL item, as runs of text with whether each is in italics.

    Raises nothing: an item that the style cannot write is given as its authors and title.
    """
    return list(_cited(json.dumps(item, sort_keys=True)))


def cite_plainly(item: dict[str, Any]) -> str:
    """The reference as one text."""
    return "".join(text for text, _italic in cite(item))


@cache
def _cited(item: str) -> tuple[tuple[str, bool], ...]:
    record = json.loads(item)
    escaped = _escaped(record)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # the style is told of variables that it does not know, and leaves them out
            source = CiteProcJSON([{**escaped, "id": "it", "type": record.get("type") or "document"}])
            written = CitationStylesBibliography(_style(), source, formatter.html)
            written.register(Citation([CitationItem("it")]))
            text = "".join(str(one) for one in written.bibliography())
    except Exception:
        text = ""
    return _runs(text) or ((_fallback(record), False),)


def _runs(text: str) -> tuple[tuple[str, bool], ...]:
    runs, italic = [], False
    for part in _ASIDE.split(text):
        if part in ("<i>", "</i>"):
            italic = part == "<i>"
        elif plain := unescape(_TAG.sub("", part)):
            runs.append((plain, italic))
    return tuple(runs)


def _escaped(value: Any) -> Any:
    """Every text of a record as HTML has it, since the style writes HTML around it."""
    if isinstance(value, str):
        return escape(value, quote=False)
    if isinstance(value, list):
        return [_escaped(one) for one in value]
    return {key: _escaped(one) for key, one in value.items()} if isinstance(value, dict) else value


def _fallback(record: dict[str, Any]) -> str:
    people = [one.get("literal") or one.get("family", "") for one in record.get("author", ()) if isinstance(one, dict)]
    return ": ".join(filter(None, (", ".join(people), str(record.get("title", "")))))


@cache
def _style() -> CitationStylesStyle:
    return CitationStylesStyle(_STYLE, validate=False)
