"""A report in full: all that may be told of a use; and reports made of reports."""

from collections.abc import Mapping, Sequence
from typing import Any

from flask import abort, g, render_template, request, url_for

from tender_ledger.core.rights import Right
from tender_ledger.core.times import written_time
from tender_ledger.operations import full_reports as operations
from tender_ledger.operations.errors import Conflict, Refused
from tender_ledger.operations.told_in_full import ROLES, ROWS, ToldInFull, schemes_of
from tender_ledger.operations.vocabularies import choices
from tender_ledger.storage.queries import people, plants, reports, told
from tender_ledger.web.reports.forms import BesideForm, FullForm
from tender_ledger.web.reports.routes import report_page
from tender_ledger.web.shared.answers import Page
from tender_ledger.web.shared.report_rows import rows_of, rows_sent
from tender_ledger.web.shared.spread import done
from tender_ledger.web.shared.study_scope import study_blueprint
from tender_ledger.web.shared.words import gettext as _

full = study_blueprint("full", __name__, "/reports")
_SPARE = {"components": 1, "codings": 1, "steps": 2, "ingredients": 2, "teachings": 1}


@full.route("/<int:report>/full", methods=["GET", "POST"])
def report(report: int) -> Page:
    """Everything that may be told of a use beside the line of its report."""
    g.member.require(Right.RECORD)
    found = _found(report)
    if request.method == "GET":
        stands = told.report_in_full(g.scope, report)
        assert stands is not None
        form = FullForm(formdata=None).offer()
        form.fill({**stands, "end": written_time(stands["end_s"]), "version": str(found["version"])})
        return _page(found, form, rows_of(stands))
    form = FullForm().offer()
    typed = ToldInFull({name: str(value or "") for name, value in form.values().items()}, rows_sent(request.form))
    try:
        operations.complete_report(g.scope, report, form.seen_version(), typed)
    except Refused as refused:
        form.show(Refused({name: said for name, said in refused.errors.items() if name in form}))
        return _page(found, form, dict(typed.rows), wrong=refused.errors, status=422)
    except Conflict as stale:
        form.version.data = str(stale.version)
        return _page(found, form, dict(typed.rows), stands=told.report_in_full(g.scope, report), status=409)
    return done(_("What was told is recorded in full."), _back(found))


def _back(found: dict[str, Any]) -> str:
    """Where one came from: the line at the desk, or the page of the report."""
    if request.args.get("of") == "desk":
        return url_for("encounters.record", number=found["encounter"], _anchor=f"r{found['id']}")
    return url_for("reports.report", report=found["id"])


def _found(report_id: int) -> dict[str, Any]:
    found = reports.report(g.scope, report_id)
    if found is None:
        abort(404)
    return found


def _page(found: dict[str, Any], form: FullForm, rows: Mapping[str, Sequence[Mapping[str, str]]], *,
          wrong: Mapping[str, str] | None = None, stands: dict[str, Any] | None = None, status: int = 200) -> Page:  # fmt: skip
    offered = {kind: [*rows.get(kind, ()), *({} for _spare in range(_SPARE[kind]))] for kind in ROWS}
    vocabularies = ("part", "method", "application", "category", "subcategory")
    lists = {kind: sorted({one.label for one in choices(g.scope.study_id, kind)}) for kind in vocabularies}
    lists["teacher"] = [one["code"] for one in (*people.holders(g.scope), *people.sources(g.scope))]
    return render_template(
        "reports/full.html", report=found, plant=plants.plant(g.scope, found["plant"]), form=form, rows=offered, lists=lists,
        wrong=wrong or {}, stands=stands, schemes=schemes_of(g.scope), roles=ROLES,
        back=_back(found),
    ), status  # fmt: skip


@full.post("/<int:report>/duplicate")
def duplicate(report: int) -> Page:
    made = operations.duplicate_report(g.scope, report, BesideForm().key())
    return done(_("This is the second report; correct it where it differs."), url_for("reports.report", report=made))


@full.post("/<int:report>/split")
def split(report: int) -> Page:
    """Let some components or codes stand in a report of their own."""
    form = BesideForm()
    chosen = {name: request.form.getlist(name, type=int) for name in ("components", "categories")}
    return _made(report, lambda: operations.split_report(g.scope, report, form.seen_version(), form.key(), **chosen),
                 _("Two reports stand in the place of one; this is the new one."))  # fmt: skip


@full.post("/<int:report>/merge")
def merge(report: int) -> Page:
    form = BesideForm()
    other = request.form.get("other", 0, type=int)
    return _made(report, lambda: operations.merge_reports(g.scope, report, form.seen_version(), other),
                 _("The two reports are one; undo parts them again."))  # fmt: skip


@full.post("/<int:report>/dispute")
def dispute(report: int) -> Page:
    """Say that another teller contradicts this report."""
    other, note = request.form.get("other", 0, type=int), request.form.get("note", "")
    return _made(report, lambda: operations.dispute_report(g.scope, report, other, note) and None,
                 _("Both reports stay, and each names the other."))  # fmt: skip


@full.post("/disputes/<int:dispute>/settle")
def settle(dispute: int) -> Page:
    report = operations.settle_dispute(g.scope, dispute, BesideForm().seen_version())
    return done(_("They contradict one another no more."), url_for("reports.report", report=report))


def _made(report: int, make: Any, said: str) -> Page:
    """Do something to a report and show what came of it; or say on its page why not."""
    try:
        made = make()
    except Refused as refused:
        return report_page(_found(report), refused=" ".join(refused.errors.values())), 422
    except Conflict:
        sentence = _("Somebody saved this report meanwhile; nothing was done. This is how it stands now.")
        return report_page(_found(report), refused=sentence), 409
    return done(said, url_for("reports.report", report=made or report))
