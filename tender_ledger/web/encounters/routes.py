"""Encounters, and the desk at which reports are recorded in one."""

import uuid
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, replace
from typing import Any

from flask import abort, current_app, g, jsonify, render_template, request, url_for
from markupsafe import escape
from werkzeug.wrappers import Response

from tender_ledger.core.days import PartialDay
from tender_ledger.core.freelists import Entered
from tender_ledger.core.measures import find_measures
from tender_ledger.core.rights import Right
from tender_ledger.core.text import clean, whole_number
from tender_ledger.operations import drafts, removing
from tender_ledger.operations import encounters as operations
from tender_ledger.operations import freelists as list_operations
from tender_ledger.operations import reports as report_operations
from tender_ledger.operations.errors import Conflict, Refused
from tender_ledger.operations.recording_choices import recording_choices
from tender_ledger.operations.tellings import says_beside, says_use
from tender_ledger.operations.told_in_full import ToldInFull, values_as_typed
from tender_ledger.operations.typed_report import as_typed, informant_choices, plant_text
from tender_ledger.storage.queries import encounters as queries
from tender_ledger.storage.queries import freelists, plants, reports, studies, told
from tender_ledger.web.encounters.forms import EncounterForm, ListForm
from tender_ledger.web.shared.answers import Page, form_page, why_not_removed
from tender_ledger.web.shared.paging import list_page
from tender_ledger.web.shared.report_form import GROUPS, DeskForm
from tender_ledger.web.shared.report_rows import Rows, is_of_row, rows_of, rows_sent
from tender_ledger.web.shared.spread import done, is_htmx, opened, spread
from tender_ledger.web.shared.study_scope import study_blueprint
from tender_ledger.web.shared.templating import measure as spoken_measure
from tender_ledger.web.shared.words import gettext as _

encounters = study_blueprint("encounters", __name__, "/encounters")


@encounters.get("")
def list_encounters() -> str:
    found = queries.encounters(g.scope)
    listed = list_page(found, "encounters.list_encounters")
    return spread("encounters/encounters.html", "encounters/_about.html", encounters=found, listed=listed)


@encounters.route("/new", methods=["GET", "POST"])
def new() -> Page:
    g.member.require(Right.RECORD)
    form, made = EncounterForm().offer(), []
    if _takes_position():
        return _with_position(form, _("Open an encounter"))
    return form_page(
        "encounters/form.html",
        form,
        lambda: made.append(operations.open_encounter(g.scope, form.record(), form.there(), client_key=form.key())),
        _("The encounter is open. Record what was told."),
        lambda: url_for("encounters.record", number=made[0]),
        title=_("Open an encounter"),
    )


@encounters.route("/<int:number>/correct", methods=["GET", "POST"])
def correct(number: int) -> Page:
    g.member.require(Right.RECORD)
    found, form = _encounter(number), EncounterForm().offer()
    if request.method == "GET":
        _fill(form, found)
    if _takes_position():
        return _with_position(form, _("Correct encounter %(number)s", number=number))
    return form_page(
        "encounters/form.html",
        form,
        lambda: operations.correct_encounter(g.scope, number, form.seen_version(), form.record(), form.there()),
        _("Corrected."),
        lambda: url_for("encounters.record", number=number),
        title=_("Correct encounter %(number)s", number=number),
        now=found,
    )


@encounters.post("/<int:number>/remove")
def remove(number: int) -> Page:
    """Take an encounter back that was opened by mistake."""
    found = _encounter(number)
    try:
        removing.remove_encounter(g.scope, number, EncounterForm().seen_version())
    except (Refused, Conflict) as why:
        sentence, status = why_not_removed(why)
        form = DeskForm(formdata=None)
        form.form_errors.append(sentence)
        form.fill({"informant": _only_teller(found), "client_key": _new_key()})
        return _desk(_encounter(number), form, {}, status=status)
    return done(_("The encounter is taken back."), url_for("encounters.list_encounters"))


def _takes_position() -> bool:
    """Whether the position is asked for; the only receiver there is is simulated, and its walk is of the invented study."""
    return "take" in request.form and bool(studies.study(g.scope)["invented"])


def _with_position(form: EncounterForm, title: str) -> str:
    """The form again with the position that the receiver gives now; nothing is saved, and nothing typed is lost."""
    receiver = current_app.extensions["position_receiver"]
    position = receiver.read()
    if position:
        form.latitude.data, form.longitude.data = f"{position.latitude:.5f}", f"{position.longitude:.5f}"
    within = _(", within %(n)s m", n=f"{position.within_m:.0f}") if position and position.within_m else ""
    taken = f"{receiver.title}{within}" if position else ""
    return render_template("encounters/form.html", form=form, title=title, taken=taken)


def _fill(form: EncounterForm, found: dict[str, Any]) -> None:
    there = queries.present(g.scope, found["id"])
    form.fill(
        {
            **{name: found[name] for name in ("kind", "title", "interpreter", "place", "latitude", "longitude", "version")},
            "day": str(PartialDay(found["day_from"], found["day_to"], found["approximate"])) if found["day_from"] else "",
            "community_id": str(found["community_id"] or ""),
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
    form = DeskForm(formdata=None)
    draft = reports.draft(g.scope, drafts.draft_place(number)) if g.member.may(Right.RECORD) else None
    form.fill(draft or {"informant": _only_teller(found), "client_key": _new_key()})
    return _desk(found, form, rows_sent(draft or {}), drafted=bool(draft))


def _only_teller(found: dict[str, Any]) -> str:
    told = informant_choices(queries.present(g.scope, found["id"]))
    return told[0].label if len(told) == 1 else ""


def _new_key() -> str:
    return str(uuid.uuid4())


def _desk(
    found: dict[str, Any],
    form: DeskForm,
    rows: Rows,
    *,
    said: str = "",
    wrong: Mapping[str, str] | None = None,
    fresh: int | None = None,
    drafted: bool = False,
    begins_at: str = "",
    status: int = 200,
) -> Page:
    """The desk as a page, or as the fragment that replaces it after an act: one template for both. `rows` are those typed beside
    the line, `wrong` what is wrong by name; `begins_at` is the slot that gets the focus, "" for the usual one."""
    here = reports.reports(g.scope, encounter_id=found["id"])
    asked = reports.askings(g.scope, encounter_id=found["id"])
    known = {one["id"]: one for one in plants.plants(g.scope, [one["plant_id"] for one in (*here, *asked)])}
    context = {
        "encounter": found,
        "present": queries.present(g.scope, found["id"]),
        "form": form,
        "groups": GROUPS,
        "rows": rows,
        "wrong": wrong or {},
        "unfolded": form.more(rows).says_something(),
        "entries": _by_plant(here, asked, known, fresh),
        "told": here,
        "lists": freelists.lists_of(g.scope, found["id"]),
        "said": said,
        "fresh": fresh,
        "drafted": drafted,
        "begins_at": begins_at,
    }
    if is_htmx() and request.method == "POST":
        return render_template("encounters/_desk.html", **context), status
    kind, about = opened()
    number = whole_number(about) if kind == "plant" else None
    plant = None if number is None else plants.plant(g.scope, number)
    return spread("encounters/record.html", "encounters/_margin_of_desk.html", plant=plant, **context), status


def _by_plant(told: list[dict[str, Any]], asked: list[dict[str, Any]], known: dict[int, Any],
              fresh: int | None) -> list[dict[str, Any]]:  # fmt: skip
    """Reports and askings under the plants they are about, in the order in which the plants were first spoken of; the report that
    was recorded just now and its plant stand first."""
    told = sorted(told, key=lambda one: one["id"] != fresh)  # stays in order but for the one that the eye looks for
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
    """Record a report as typed, with what was told beside its line; holder, plant and grounds stay for the next one."""
    form = DeskForm()
    more = form.more(rows_sent(request.form))
    if says_beside(more.values) and not says_use(form.typed()):
        return _recorded_beside(number, form, more)
    return _recorded(number, form, lambda key: report_operations.record_report(g.scope, number, form.typed(), key, more),
                     reports.report, _("Recorded."))  # fmt: skip


@encounters.post("/<int:number>/askings")
def record_asking(number: int) -> Page:
    """Record that the holder was asked about the plant and named no use."""
    form = DeskForm()
    return _recorded(number, form, lambda key: report_operations.record_asking(g.scope, number, form.typed(), key),
                     reports.asking, _("Recorded: asked, no use named."))  # fmt: skip


@encounters.post("/<int:number>/again")
def same_again(number: int) -> Page:
    """The last report of the encounter in the slots once more, to be recorded with another purpose, part or plant; what is typed
    there already stays, and what was said in words is left open. Nothing is recorded by it."""
    g.member.require(Right.RECORD)
    found, form = _encounter(number), DeskForm()
    rows = rows_sent(request.form)
    told_here = reports.reports(g.scope, encounter_id=found["id"])
    last = max(told_here, key=lambda one: one["id"], default=None)
    plant = plants.plant(g.scope, last["plant"]) if last else None
    if last and plant:
        typed = asdict(replace(as_typed(last, plant), words="", note="", caution="", start=""))
        beside = told.report_in_full(g.scope, last["id"])
        assert beside is not None  # it was seen a moment ago
        said = values_as_typed(beside)
        form.fill({name: text for name, text in {**typed, **said}.items() if name in form and not form[name].data})
        of_last = rows_of(beside)
        rows = {kind: rows.get(kind) or of_last[kind] for kind in ("steps", "ingredients", "teachings")}
    sentence = _("As the last report. Change what differs; Enter records.") if last else _("There is no report to repeat yet.")
    return _desk(found, form, rows, said=sentence, begins_at="purpose" if last else "")


def _recorded(number: int, form: DeskForm, record: Callable[[str], int], read: Callable[..., dict[str, Any] | None],
              said: str) -> Page:  # fmt: skip
    """Record what stands in the slots and draw the desk again; what the teller's terms hide is said to be hidden."""
    found = _encounter(number)
    try:
        form.check_lengths(rows_sent(request.form))
        made = record(_key(form))
    except Refused as refused:
        return _refused(found, form, refused)
    seen = read(g.scope, made)
    if seen is None:
        return _after(found, _kept(form), _("Recorded. Under its teller's terms it is not shown."), None)
    if "basis" not in seen:
        return _after(found, _kept(form, seen["plant"]), said, None)
    sentence = _("%(said)s Report %(number)s, under %(plant)s.", said=said, number=made, plant=seen["field_number"])
    return _after(found, _kept(form, seen["plant"], seen["basis"]), sentence, made)


def _recorded_beside(number: int, form: DeskForm, more: ToldInFull) -> Page:
    """Record what is told of the plant without a use: a property, a link, one more name."""
    found = _encounter(number)
    try:
        form.check_lengths(more.rows)
        plant = report_operations.record_beside(g.scope, number, form.typed(), _key(form), more)
    except Refused as refused:
        return _refused(found, form, refused)
    return _after(found, _kept(form, plant), _("Recorded with the plant; it is never counted as a use."), None)


def _refused(found: dict[str, Any], form: DeskForm, refused: Refused) -> Page:
    """The desk with what was typed and what is wrong in it; the draft is what was refused."""
    form.show(Refused({name: sentence for name, sentence in refused.errors.items() if not is_of_row(name)}))
    drafts.keep_draft(g.scope, drafts.draft_place(found["number"]), _typed())
    return _desk(found, form, rows_sent(request.form), wrong=refused.errors, status=422)


def _typed() -> dict[str, str]:
    """What stands in the slots, as a draft keeps it."""
    return {name: value for name, value in request.form.items() if name not in ("csrf_token", "version")}


def _key(form: DeskForm) -> str:
    key = form.key()
    if key is None:
        abort(400)
    return key


def _kept(form: DeskForm, plant_number: int | None = None, basis: str = "") -> dict[str, str]:
    """What stays in the slots for the next report: holder, plant, grounds."""
    plant = plants.plant(g.scope, plant_number) if plant_number is not None else None
    typed = form.plant.data or ""
    text = plant_text(plant) if plant else "" if typed.startswith("+") else typed
    return {"informant": form.informant.data or "", "plant": text, "basis": basis or form.basis.data or ""}


def _after(found: dict[str, Any], kept: dict[str, str], said: str, fresh: int | None) -> Page:
    if not is_htmx():
        return done(said, url_for("encounters.record", number=found["number"]))
    form = DeskForm(formdata=None)
    form.fill({**kept, "client_key": _new_key()})
    return _desk(found, form, {}, said=said, fresh=fresh)


@encounters.route("/<int:number>/list", methods=["GET", "POST"])
def enter_list(number: int) -> Page:
    """A free list: looked at, with what stands twice and what the names may mean, and then kept."""
    g.member.require(Right.RECORD)
    found = _encounter(number)
    form = ListForm()
    if request.method == "GET":
        return _list_page(found, form)
    picked = ((whole_number(name.removeprefix("plant-")), value) for name, value in request.form.items() if "plant-" in name)
    chosen = {place: value for place, value in picked if place is not None}
    said = {"informant": form.informant.data or "", "text": form.text.data or ""}
    try:
        if request.form.get("do") != "keep":
            return _list_page(found, form, entered=list_operations.look_at_list(g.scope, said["text"]), chosen=chosen)
        list_operations.keep_list(g.scope, number, **said, chosen=chosen, client_key=form.key())
    except Refused as refused:
        form.show(refused)
        return _list_page(found, form, chosen=chosen, status=422)
    return done(_("The list is kept, in its order."), url_for("encounters.record", number=number))


def _list_page(found: dict[str, Any], form: ListForm, *, entered: Sequence[Entered] = (),
               chosen: Mapping[int, str] | None = None, status: int = 200) -> Page:  # fmt: skip
    known = {plant["number"]: plant for plant in plants.plants(g.scope)} if entered else {}
    nearby = {one.position: plants.near_names(g.scope, one.name) for one in entered if not one.plants and not one.again}
    said = {number: f"{plant_text(plant)} {plant['accepted'] or plant['taxon'] or ''}".strip() for number, plant in known.items()}
    told = informant_choices(queries.present(g.scope, found["id"]))
    if request.method == "GET" and len(told) == 1:
        form.informant.data = told[0].label
    return render_template("encounters/list.html", encounter=found, form=form, told=told, entered=entered, chosen=chosen or {},
                           nearby=nearby, said_plants=said), status  # fmt: skip


@encounters.post("/lists/<int:free_list>/remove")
def take_list_back(free_list: int) -> Response:
    number = list_operations.take_list_back(g.scope, free_list, ListForm().seen_version())
    return done(_("The list is taken back; names and plants stay."), url_for("encounters.record", number=number))


@encounters.post("/<int:number>/draft")
def draft(number: int) -> tuple[str, int]:
    """Keep what stands in the slots, as typed; it outlives the browser."""
    _encounter(number)
    drafts.keep_draft(g.scope, drafts.draft_place(number), _typed())
    return "", 204


@encounters.get("/<int:number>/choices")
def choices(number: int) -> Response:
    """The lists that the slots are picked from; asked for anew whenever the study has changed."""
    return jsonify(recording_choices(g.scope, _encounter(number)))


@encounters.get("/measure")
def measure() -> str:
    """What is read from a measure as it is typed, in a word; nothing where no measure is in it."""
    found = [one for _start, _end, one in find_measures(clean(request.args.get("text"))[:200]) if one.unit]
    return "; ".join(escape(spoken_measure(vars(one))) for one in found[:3])
