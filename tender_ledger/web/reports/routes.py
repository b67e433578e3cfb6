"""Use reports: one with its history, correcting in place, taking back."""

from typing import Any

from flask import abort, g, render_template, request, url_for

from tender_ledger.core.rights import Right
from tender_ledger.operations import reports as operations
from tender_ledger.operations.errors import Conflict, Refused
from tender_ledger.operations.told_in_full import ACTORS, CURRENCIES, HARVEST_EFFECTS, TAKERS
from tender_ledger.operations.typed_report import TypedReport, as_typed
from tender_ledger.storage.queries import acts, people, plants, told, worklist
from tender_ledger.storage.queries import reports as queries
from tender_ledger.web.shared.answers import MEANWHILE, Page
from tender_ledger.web.shared.report_form import SLOTS, ReportForm
from tender_ledger.web.shared.spread import done, is_htmx, spread
from tender_ledger.web.shared.study_scope import study_blueprint
from tender_ledger.web.shared.words import gettext as _

reports = study_blueprint("reports", __name__, "/reports")
_OFFERED = 100  # reports that one can be joined with or contradicted by, of those told last


def report_or_404(report_id: int) -> dict[str, Any]:
    found = queries.report(g.scope, report_id)
    if found is None:
        abort(404)
    return found


@reports.get("/<int:report>")
def report(report: int) -> str:
    """One report with its history."""
    return report_page(report_or_404(report))


def report_page(found: dict[str, Any], refused: str = "") -> str:
    """The page of a report, and on it why an act on it was refused."""
    history = acts.record_history(g.scope, "use_report", found["id"])
    plant = plants.plant(g.scope, found["plant"])
    of_plant = queries.reports(g.scope, plant_id=found["plant_id"], limit=2 * _OFFERED)
    return spread(
        "reports/report.html", "reports/_history.html", report=found, history=history, plant=plant,
        on_record=worklist.cautions_of(g.scope, plant),
        audience=people.audience_of(g.scope, found["informant_id"]), full=told.report_in_full(g.scope, found["id"]),
        guarded=not found["is_source"] and found["community_id"] in g.member.guards, refused=refused,
        disputes=told.disputes_of(g.scope, found["id"]),
        same=[
            one for one in of_plant
            if one["informant_id"] == found["informant_id"] and one["id"] != found["id"]
        ],
        others=[one for one in of_plant if one["informant_id"] != found["informant_id"]],
        effects=HARVEST_EFFECTS, actors=ACTORS, takers=TAKERS, currencies=CURRENCIES,
    )  # fmt: skip


@reports.route("/<int:report>/correct", methods=["GET", "POST"])
def correct(report: int) -> Page:
    """Correct a report where it stands; from a page without scripts, on a page of its own."""
    g.member.require(Right.RECORD)
    found = report_or_404(report)
    if request.method == "GET":
        return _form(found, drawn_from(found))
    form = ReportForm()
    try:
        form.check_lengths()
        operations.correct_report(g.scope, report, form.seen_version(), form.typed())
    except Refused as refused:
        form.show(refused)
        return _form(found, form, status=422)
    except Conflict as stale:
        form.version.data = str(stale.version)
        return _form(found, form, both=versions_beside(report_or_404(report), form), status=409)
    if is_htmx():
        return render_template("reports/_corrected.html", report=report_or_404(report), fresh=report)
    return done(_("Corrected."), _in_encounter(found))


def drawn_from(found: dict[str, Any]) -> ReportForm:
    """The form that holds a report as it stands."""
    form = ReportForm(formdata=None)
    form.fill({**vars(_typed(found)), "version": str(found["version"])})
    return form


def _typed(found: dict[str, Any]) -> TypedReport:
    plant = plants.plant(g.scope, found["plant"])
    assert plant is not None
    return as_typed(found, plant)


def versions_beside(found: dict[str, Any], form: ReportForm) -> list[tuple[str, str, str]]:
    """Slot by slot where the two versions differ: label, what stands now, what was typed."""
    now, typed = vars(_typed(found)), vars(form.typed())
    return [(slot.label, now[slot.name], typed[slot.name]) for slot in SLOTS if now[slot.name] != typed[slot.name]]


def _form(found: dict[str, Any], form: ReportForm, *, both: list[tuple[str, str, str]] | None = None, status: int = 200) -> Page:
    template = "reports/_correct.html" if is_htmx() else "reports/correct.html"
    return render_template(template, report=found, form=form, both=both), status


@reports.get("/<int:report>/line")
def line(report: int) -> str:
    """The report as a line again, when a correction is left."""
    return render_template("shared/_report_line.html", report=report_or_404(report))


@reports.post("/<int:report>/remove")
def remove(report: int) -> Page:
    """Take a report back; undo brings it again."""
    found = report_or_404(report)
    try:
        operations.remove_report(g.scope, report, ReportForm().seen_version())
    except Conflict:
        fresh = report_or_404(report)
        form = drawn_from(fresh)
        form.form_errors.append(MEANWHILE)
        return _form(fresh, form, status=409)
    return done(_("Taken back; it is in no count any more."), _in_encounter(found))


def _in_encounter(found: dict[str, Any]) -> str:
    return url_for("encounters.record", number=found["encounter"])
