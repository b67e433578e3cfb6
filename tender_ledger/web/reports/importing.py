"""Importing a table on the screen: brought, looked at, imported; long work goes on beside the page and can be left."""

from dataclasses import replace
from typing import Any

from flask import Response, abort, g, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as AnyResponse

from tender_ledger.core.rights import Right
from tender_ledger.operations import import_uploads as operations
from tender_ledger.operations.errors import Refused
from tender_ledger.operations.sheet_reading import codes_of_fields
from tender_ledger.storage.queries import imports as queries
from tender_ledger.web.reports import sheet_words
from tender_ledger.web.reports.forms import ImportForm
from tender_ledger.web.reports.sheet_form import answers_sent, matching_sent
from tender_ledger.web.shared.answers import Page
from tender_ledger.web.shared.spread import done, is_htmx, spread
from tender_ledger.web.shared.study_scope import study_blueprint
from tender_ledger.web.shared.words import gettext as _

imports = study_blueprint("imports", __name__, "/reports/import")
_LARGEST_TABLE = 64 * 1024 * 1024  # bytes
_AT_ONCE = 1.5  # seconds that an answer waits for the work to end, before it shows how far it is


@imports.url_value_preprocessor
def _allow_a_table(endpoint: str | None, _values: dict[str, Any] | None) -> None:
    """A table may be larger than any other request; said before anything reads the form."""
    if endpoint == "imports.bring":
        request.max_content_length = _LARGEST_TABLE


@imports.route("", methods=["GET", "POST"])
def bring() -> Page:
    """Bring a table; then on to what it would do. Below, what was imported before."""
    g.member.require(Right.IMPORT)
    form = ImportForm()
    if request.method == "POST":
        try:
            number = operations.bring_table(
                g.scope, _read(form.reports), _read(form.informants) or None, terms=form.terms(), new_codes=form.new_codes.data
            )
        except Refused as refused:
            form.show(refused)
            return _bring_page(form), 422
        operations.read_upload(g.scope, number, new_codes=form.new_codes.data)
        operations.wait_for(g.scope, number, _AT_ONCE)
        return redirect(url_for("imports.brought", table=number), 303)
    return _bring_page(form)


def _bring_page(form: ImportForm) -> str:
    return spread("reports/import.html", "reports/_import_about.html", form=form, batches=queries.batches(g.scope),
                  waiting_tables=queries.uploads(g.scope))  # fmt: skip


def _read(field: Any) -> bytes:
    return bytes(field.data.read()) if field.data else b""


@imports.get("/<int:table>")
def brought(table: int) -> str:
    """What a brought table would do, how far its import is, or what it did."""
    g.member.require(Right.IMPORT)
    found = _upload(table)
    context = {"upload": found, "outcome": found["outcome"], "matching": operations.matching_of(found), "words": sheet_words,
               "codes": codes_of_fields(g.scope) if found["outcome"].get("groups") else {}}  # fmt: skip
    if is_htmx():
        return render_template("reports/_upload.html", **context)
    return spread("reports/upload.html", "reports/_import_about.html", **context)


@imports.post("/<int:table>/read")
def read_again(table: int) -> AnyResponse:
    """Read a brought table once more, with or without new codes."""
    operations.read_upload(g.scope, table, new_codes="new_codes" in request.form)
    operations.wait_for(g.scope, table, _AT_ONCE)
    return redirect(url_for("imports.brought", table=table), 303)


@imports.post("/<int:table>/match")
def match(table: int) -> AnyResponse:
    """Take what was said of a sheet, and read it so."""
    g.member.require(Right.IMPORT)
    upload = _upload(table)
    operations.match_upload(g.scope, table, matching_sent(operations.matching_of(upload), request.form))
    operations.wait_for(g.scope, table, _AT_ONCE)
    return redirect(url_for("imports.brought", table=table), 303)


@imports.post("/<int:table>/mend")
def mend(table: int) -> AnyResponse:
    """Take what values that fail mean, and read the table once more."""
    g.member.require(Right.IMPORT)
    matching = operations.matching_of(_upload(table)).with_values(answers_sent(request.form))
    operations.match_upload(g.scope, table, matching)
    operations.wait_for(g.scope, table, _AT_ONCE)
    return redirect(url_for("imports.brought", table=table), 303)


@imports.post("/<int:table>/match-again")
def match_again(table: int) -> AnyResponse:
    """Go back to what was said of the sheet."""
    g.member.require(Right.IMPORT)
    matching = replace(operations.matching_of(_upload(table)), confirmed=False)
    operations.match_upload(g.scope, table, matching)
    operations.wait_for(g.scope, table, _AT_ONCE)
    return redirect(url_for("imports.brought", table=table), 303)


@imports.post("/<int:table>/land")
def land(table: int) -> AnyResponse:
    """Import what can land of a brought table."""
    operations.import_upload(g.scope, table)
    if operations.wait_for(g.scope, table, _AT_ONCE) == "imported":
        return done(_("Imported."), url_for("imports.brought", table=table))
    return redirect(url_for("imports.brought", table=table), 303)


@imports.post("/<int:table>/let-go")
def let_go(table: int) -> AnyResponse:
    """Forget a brought table."""
    g.member.require(Right.IMPORT)
    operations.let_go(g.scope, table)
    return redirect(url_for("imports.bring"), 303)


@imports.get("/<int:table>/failing.csv")
def failing(table: int) -> Response:
    """The failing rows as a table that can be mended and imported."""
    g.member.require(Right.IMPORT)
    kept = _upload(table)["failing"]
    if kept is None:
        abort(404)
    headers = {"Content-Disposition": 'attachment; filename="reports-failing.csv"'}
    return Response(bytes(kept), mimetype="text/csv", headers=headers)


def _upload(table: int) -> dict[str, Any]:
    found = queries.upload(g.scope, table)
    if found is None:
        abort(404)
    return found
