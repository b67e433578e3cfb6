"""Encounters, and the desk at which reports are recorded in one."""

import uuid
from typing import Any

from flask import abort, g, jsonify, render_template, request, url_for
from werkzeug.wrappers import Response

from tender_ledger.core.days import PartialDay
from tender_ledger.core.rights import Right
from tender_ledger.operations import encounters as operations
from tender_ledger.operations import reports as report_operations
from tender_ledger.operations.errors import Conflict, Refused
from tender_ledger.operations.recording_choices import recording_choices
from tender_ledger.storage.queries import encounters as queries
from tender_ledger.storage.queries import plants, reports
from tender_ledger.web.encounters.forms import EncounterForm
from tender_ledger.web.shared.report_form import ReportForm
from tender_ledger.web.shared.spread import done, is_htmx, opened, spread
from tender_ledger.web.shared.study_scope import study_blueprint
from tender_ledger.web.shared.words import gettext as _

encounters = study_blueprint("encounters", __name__, "/encounters")
Page = str | Response | tuple[str, int]


@encounters.get("")
def list_encounters() -> str:
    return spread("encounters/encounters.html", "encounters/_about.html", encounters=queries.encounters(g.scope))


@encounters.route("/new", methods=["GET", "POST"])
def new() -> Page:
    g.member.require(Right.RECORD)
    form, status = EncounterForm().offer(), 200
    if request.method == "POST":
        try:
            number = operations.open_encounter(g.scope, form.record(), form.there(), client_key=form.key())
            return done(_("The encounter is open. Record what was told."), url_for("encounters.record", number=number))
        except Refused as refused:
            form.show(refused)
            status = 422
    return render_template("encounters/form.html", form=form, title=_("Open an encounter")), status


@encounters.route("/<int:number>/correct", methods=["GET", "POST"])
def correct(number: int) -> Page:
    g.member.require(Right.RECORD)
    found, status, conflict = _encounter(number), 200, None
    form = EncounterForm().offer()
    if request.method == "GET":
        _fill(form, found)
    else:
        version = str(form.version.data or "")
        try:
            operations.correct_encounter(g.scope, number, int(version) if version.isdigit() else 0, form.record(), form.there())
            return done(_("Corrected."), url_for("encounters.record", number=number))
        except Refused as refused:
            form.show(refused)
            status = 422
        except Conflict as stale:
            status, conflict, form.version.data = 409, found, str(stale.version)
    title = _("Correct encounter %(number)s", number=number)
    return render_template("encounters/form.html", form=form, title=title, conflict=conflict), status


def _fill(form: EncounterForm, found: dict[str, Any]) -> None:
    there = queries.present(g.scope, found["id"])
    form.fill(
        {
            **{name: found[name] for name in ("kind", "title", "interpreter", "version")},
            "day": str(PartialDay(found["day_from"], found["day_to"], found["approximate"])),
            "community_id": str(found["community_id"]),
            "language_id": str(found["language_id"] or ""),
            "informants": [str(one["informant_id"]) for one in there if one["part"] == "teller"],
            "present": [str(one["informant_id"]) for one in there if one["part"] == "present"],
        }
    )


def _encounter(number: int) -> dict[str, Any]:
    found = queries.encounter(g.scope, number)
    if found is None:
        abort(404)
    return found


@encounters.get("/<int:number>")
def record(number: int) -> Page:
    """The desk: what was told in an encounter, under the line on which the next report is recorded."""
    found = _encounter(number)
    form = ReportForm(formdata=None)
    draft = reports.draft(g.scope, report_operations.draft_place(number)) if g.member.may(Right.RECORD) else None
    form.fill(draft or {"informant": _only_teller(found), "client_key": _new_key()})
    return _desk(found, form, drafted=bool(draft))


def _only_teller(found: dict[str, Any]) -> str:
    told = report_operations.informant_choices(queries.present(g.scope, found["id"]))
    return told[0].label if len(told) == 1 else ""


def _new_key() -> str:
    return str(uuid.uuid4())


def _desk(found: dict[str, Any], form: ReportForm, *, said: str = "", fresh: int | None = None, drafted: bool = False,
          status: int = 200) -> Page:  # fmt: skip
    """The desk as a page, or as the fragment that replaces it after an act: one template for both."""
    told = reports.reports(g.scope, encounter_id=found["id"])
    asked = reports.askings(g.scope, encounter_id=found["id"])
    known = {plant["id"]: plant for plant in plants.plants(g.scope)}
    context = {
        "encounter": found,
        "present": queries.present(g.scope, found["id"]),
        "form": form,
        "entries": _by_plant(told, asked, known),
        "told": told,
        "said": said,
        "fresh": fresh,
        "drafted": drafted,
    }
    if is_htmx() and request.method == "POST":
        return render_template("encounters/_desk.html", **context), status
    kind, about = opened()
    plant = next((one for one in known.values() if kind == "plant" and str(one["number"]) == about), None)
    return spread("encounters/record.html", "encounters/_margin_of_desk.html", plant=plant, **context), status


def _by_plant(told: list[dict[str, Any]], asked: list[dict[str, Any]], known: dict[int, Any]) -> list[dict[str, Any]]:
    """Reports and askings under the plants they are about, in the order in which the plants were first spoken of."""
    order = dict.fromkeys([*(one["plant_id"] for one in told), *(one["plant_id"] for one in asked)])
    return [
        {
            "plant": known[plant],
            "told": [one for one in told if one["plant_id"] == plant],
            "asked": [one for one in asked if one["plant_id"] == plant],
        }
        for plant in order
        if plant in known
    ]


@encounters.post("/<int:number>/reports")
def record_report(number: int) -> Page:
    """Record a report as typed; holder, plant and grounds stay for the next one."""
    found, form = _encounter(number), ReportForm()
    try:
        made = report_operations.record_report(g.scope, number, form.typed(), _key(form))
    except Refused as refused:
        form.show(refused)
        return _desk(found, form, status=422)
    report = reports.report(g.scope, made)
    if report is None:
        return _after(found, _kept(form), _("Recorded. Under its teller's terms it is not shown."), None)
    return _after(found, _kept(form, report["plant"], report["basis"]), _("Recorded."), made)


@encounters.post("/<int:number>/askings")
def record_asking(number: int) -> Page:
    """Record that the holder was asked about the plant and named no use."""
    found, form = _encounter(number), ReportForm()
    try:
        made = report_operations.record_asking(g.scope, number, form.typed(), _key(form))
    except Refused as refused:
        form.show(refused)
        return _desk(found, form, status=422)
    asked = next((one for one in reports.askings(g.scope, encounter_id=found["id"]) if one["id"] == made), None)
    return _after(found, _kept(form, asked["plant"] if asked else None), _("Recorded: asked, no use named."), None)


def _key(form: ReportForm) -> str:
    key = form.key()
    if key is None:
        abort(400)
    return key


def _kept(form: ReportForm, plant_number: int | None = None, basis: str = "") -> dict[str, str]:
    """What stays in the slots for the next report: holder, plant, grounds."""
    plant = plants.plant(g.scope, plant_number) if plant_number is not None else None
    typed = form.plant.data or ""
    text = report_operations.plant_text(plant) if plant else "" if typed.startswith("+") else typed
    return {"informant": form.informant.data or "", "plant": text, "basis": basis or form.basis.data or ""}


def _after(found: dict[str, Any], kept: dict[str, str], said: str, fresh: int | None) -> Page:
    if not is_htmx():
        return done(said, url_for("encounters.record", number=found["number"]))
    form = ReportForm(formdata=None)
    form.fill({**kept, "client_key": _new_key()})
    return _desk(found, form, said=said, fresh=fresh)


@encounters.post("/<int:number>/draft")
def draft(number: int) -> tuple[str, int]:
    """Keep what stands in the slots, as typed; it outlives the browser."""
    _encounter(number)
    typed = {name: value for name, value in request.form.items() if name not in ("csrf_token", "version")}
    report_operations.keep_draft(g.scope, report_operations.draft_place(number), typed)
    return "", 204


@encounters.get("/<int:number>/choices")
def choices(number: int) -> Response:
    """The lists that the slots are picked from; asked for anew whenever the study has changed."""
    return jsonify(recording_choices(g.scope, _encounter(number)))
