"""What the pages of the reckoning beside its views share: the context they are drawn in, and what a form sent."""

from typing import Any

from flask import Response as Answer
from flask import g, render_template, request

from tender_ledger.formats.tables import Table, table_csv, table_html, table_xlsx
from tender_ledger.operations.floras import LARGEST_FILE
from tender_ledger.storage.queries import people
from tender_ledger.web.reckoning.asked import asked, carried
from tender_ledger.web.reckoning.views import VIEWS
from tender_ledger.web.shared.answers import Page
from tender_ledger.web.shared.rules_sentence import rules_sentence

_TABLES = {
    "csv": ("text/csv", table_csv),
    "html": ("text/html", table_html),
    "xlsx": ("application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", table_xlsx),
}


def page_context() -> dict[str, Any]:
    """What every page of the reckoning needs for its first lines and its views."""
    names = people.community_names(g.scope)
    return {"asked": asked(request.args, names), "carried": carried, "views": VIEWS, "sentence": rules_sentence}


def page_of(template: str, *, status: int = 200, **context: Any) -> Page:
    return render_template(template, **page_context(), **context), status


def table_file(table: Table, kind: str, name: str) -> Answer:
    """A table as a file of the kind: csv, xlsx or html."""
    media, write = _TABLES[kind]
    return Answer(write(table), mimetype=media, headers={"Content-Disposition": f'attachment; filename="{name}.{kind}"'})


def sent_file(name: str) -> bytes:
    """The bytes of a file that was sent, one more at most than may be; empty where there is none."""
    sent = request.files.get(name)
    return sent.read(LARGEST_FILE + 1) if sent else b""
