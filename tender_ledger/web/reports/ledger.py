"""The ledger: the table of all reports, filtered by anything, corrected in place, and changed many at once."""

from collections.abc import Mapping
from typing import Any

from flask import abort, g, render_template, request, url_for

from tender_ledger.core.ledger import COLUMNS, FILTERS, GROUPS, MARKED, NOTHING, SORTS, USUAL, LedgerView, read_view
from tender_ledger.core.rights import Right
from tender_ledger.operations import bulk_edits
from tender_ledger.operations import reports as operations
from tender_ledger.operations.errors import Conflict, Refused
from tender_ledger.operations.told_in_full import CURRENCIES, TAKERS
from tender_ledger.storage.queries import ledger as queries
from tender_ledger.web.reports.routes import drawn_from, report_or_404, versions_beside
from tender_ledger.web.shared.answers import Page
from tender_ledger.web.shared.report_form import ReportForm
from tender_ledger.web.shared.spread import done
from tender_ledger.web.shared.study_scope import study_blueprint
from tender_ledger.web.shared.words import gettext as _

ledger = study_blueprint("ledger", __name__, "/reports")

LABELS = {
    "q": _("in the words"), "informant": _("informant"), "community": _("community"), "kind": _("told by a"), "plant": _("plant"),
    "taxon": _("taxon"), "family": _("family"), "category": _("use category"), "purpose": _("use"), "part": _("part"),
    "method": _("preparation"), "application": _("application"), "basis": _("basis"), "stance": _("stance"),
    "outcome": _("outcome"), "currency": _("in use"), "stage": _("plant stage"), "taker": _("for whom"), "mixture": _("remedy"),
    "encounter": _("encounter"), "since": _("since"), "until": _("until"), "beside": _("in what else was told"),
    "marked": _("with"),
    "what": _("part, preparation"), "day": _("told in"),
    "words": _("words as spoken"), "note": _("note"), "given": _("application"),
}  # fmt: skip
ORDERS = {"day": _("the latest encounter first"), "taxon": _("in the order of their taxa"),
          "plant": _("in the order of their field numbers"), "informant": _("in the order of their tellers"),
          "category": _("in the order of their use categories"), "basis": _("the strongest grounds first")}  # fmt: skip
MARKS = {"caution": _("a caution"), "disputed": _("a contradiction"), "several": _("several components"), "own_note": _("a note")}
KINDS = {"holder": _("knowledge-holder"), "source": _("source")}


@ledger.get("")
def show() -> str:
    """A page of the table, whatever it is asked."""
    return _page(_view())


def _view() -> LedgerView:
    return read_view(request.args, request.args.getlist("col"))


def _page(view: LedgerView, *, refused: str = "", edit: bulk_edits.BulkEdit | None = None) -> str:
    lines, total = queries.ledger_page(g.scope, view)
    known = queries.words_known(g.scope)

    def address(**changed: Any) -> str:
        return url_for("ledger.show", **view.arguments(**{"page": 1, **changed}))

    return render_template(
        "reports/ledger.html", view=view, lines=lines, total=total, pages=-(-total // queries.PAGE),
        first=(view.page - 1) * queries.PAGE, sentence=_sentence(view, known), offered=_offered(known), labels=LABELS,
        heads=LABELS, columns=COLUMNS, sorts=SORTS, groups=GROUPS, usual=USUAL, known=known, orders=ORDERS,
        grouped=_groups(lines, view.group), refused=refused, edit=edit, fields=bulk_edits.FIELDS,
        address=address, page_address=lambda number: address(page=number), filters=FILTERS,
    )  # fmt: skip


def _offered(known: Mapping[str, list[tuple[str, str]]]) -> dict[str, list[tuple[str, str]]]:
    """What a filter is chosen from, by its name; the others are typed."""
    none = (NOTHING, _("none said"))
    chosen = {kind: [none, *known.get(kind, ())] for kind in ("category", "part", "method", "application", "stage")}
    chosen |= {kind: list(known.get(kind, ())) for kind in ("basis", "stance", "outcome")}
    return {**chosen, "currency": list(CURRENCIES.items()), "taker": list(TAKERS.items()), "kind": list(KINDS.items()),
            "marked": [(one, MARKS[one]) for one in MARKED]}  # fmt: skip


def _sentence(view: LedgerView, known: Mapping[str, list[tuple[str, str]]]) -> list[tuple[str, str, str]]:
    """What is asked, one phrase a filter: (filter, what it is called, what is asked of it)."""
    offered = {name: dict(pairs) for name, pairs in _offered(known).items()}
    below = dict(known.get("subcategory", ()))
    return [
        (name, LABELS[name], _("none said") if said == NOTHING else offered.get(name, {}).get(said) or below.get(said) or said)
        for name in FILTERS
        if (said := view.asked.get(name))
    ]


def _groups(lines: list[dict[str, Any]], group: str) -> list[tuple[str, list[dict[str, Any]]]]:
    """The lines of a page in runs of one group, each under what the group is called."""
    runs: list[tuple[str, list[dict[str, Any]]]] = []
    for line in lines:
        name = str({"taxon": line["accepted"] or line["taxon"], "plant": line["field_number"], "informant": line["informant"],
                    "category": line["category"], "encounter": line["encounter_title"]}.get(group, "")
                   or _("none said"))  # fmt: skip
        if not runs or (group and runs[-1][0] != name):
            runs.append((name, []))
        runs[-1][1].append(line)
    return runs


@ledger.route("/<int:report>/row", methods=["GET", "POST"])
def row(report: int) -> Page:
    """A row of the table as a form, and as a row again when it is corrected or left."""
    view = _view()
    if request.method == "GET" and "leave" in request.args:
        return _row(report, view)
    g.member.require(Right.RECORD)
    found = report_or_404(report)
    if request.method == "GET":
        return _row_form(found, drawn_from(found), view)
    form = ReportForm()
    try:
        form.check_lengths()
        operations.correct_report(g.scope, report, form.seen_version(), form.typed())
    except Refused as refused:
        form.show(refused)
        return _row_form(found, form, view), 422
    except Conflict as stale:
        form.version.data = str(stale.version)
        return _row_form(found, form, view, versions_beside(report_or_404(report), form)), 409
    return _row(report, view, fresh=True)


def _row(report: int, view: LedgerView, *, fresh: bool = False) -> str:
    lines = queries.lines_of(g.scope, [report])
    if not lines:
        abort(404)
    return render_template("reports/_ledger_row.html", one=lines[0], view=view, fresh=fresh)


def _row_form(found: dict[str, Any], form: ReportForm, view: LedgerView, both: Any = None) -> str:
    return render_template("reports/_ledger_form.html", report=found, form=form, both=both, view=view)


@ledger.post("/bulk")
def bulk() -> Page:
    """Change a field of every report that is asked for: looked at first, and written as one act when it is sent again."""
    g.member.require(Right.BULK_EDIT)
    view = _view()
    field, value = request.form.get("field", ""), request.form.get("value", "")
    try:
        if request.form.get("do") != "write":
            return _page(view, edit=bulk_edits.preview_edit(g.scope, view, field, value))
        changed = bulk_edits.edit_reports(g.scope, view, field, value)
    except Refused as refused:
        return _page(view, refused=" ".join(refused.errors.values())), 422
    said = _("%(n)s reports were changed, in one act.", n=changed) if changed != 1 else _("One report was changed.")
    return done(said, url_for("ledger.show", **view.arguments()))
