"""Plants as met: listed, opened, named, determined."""

from typing import Any

from flask import abort, g, jsonify, render_template, request, url_for
from werkzeug.wrappers import Response

from tender_ledger.core.indices.working import SYMBOLS
from tender_ledger.core.rights import Right
from tender_ledger.core.text import whole_number
from tender_ledger.figures.name_web import Used, name_web, tangled
from tender_ledger.formats.pictures import LARGEST_FILE
from tender_ledger.operations import pictures as picture_operations
from tender_ledger.operations import plants as operations
from tender_ledger.operations import removing
from tender_ledger.operations import studies as study_operations
from tender_ledger.operations.errors import Conflict, Refused
from tender_ledger.operations.naming import check_name
from tender_ledger.operations.plants import MANAGEMENT, ORIGINS
from tender_ledger.operations.redetermining import Preview, preview_determination
from tender_ledger.operations.tellings import LINKS
from tender_ledger.storage.queries import acts, reports, studies, told, worklist
from tender_ledger.storage.queries import pictures as picture_queries
from tender_ledger.storage.queries import plants as queries
from tender_ledger.storage.queries import specimens as specimen_queries
from tender_ledger.web.plants.forms import (
    DeterminationForm,
    FeatureForm,
    MetForm,
    NameForm,
    PictureForm,
    PlantForm,
)
from tender_ledger.web.shared.answers import Page, form_page, part_saved, why_not_removed
from tender_ledger.web.shared.names import names_service
from tender_ledger.web.shared.paging import list_page
from tender_ledger.web.shared.spread import done, spread
from tender_ledger.web.shared.study_scope import study_blueprint
from tender_ledger.web.shared.words import gettext as _

plants = study_blueprint("plants", __name__, "/plants")


@plants.url_value_preprocessor
def _allow_a_picture(endpoint: str | None, _values: dict[str, Any] | None) -> None:
    """A picture may be larger than other requests; said before anything reads the form."""
    if endpoint == "plants.keep_picture":
        request.max_content_length = LARGEST_FILE + 64 * 1024


@plants.get("")
def list_plants() -> str:
    """Every plant entry under its most told name."""
    found = queries.plants(g.scope)
    return spread("plants/plants.html", "plants/_about.html", plants=found, listed=list_page(found, "plants.list_plants"))


@plants.route("/new", methods=["GET", "POST"])
def new() -> Page:
    g.member.require(Right.RECORD)
    form, made = PlantForm().offer(), []
    return form_page(
        "plants/new.html",
        form,
        lambda: made.append(operations.add_plant(g.scope, **_named(form), client_key=form.key())),
        _("The plant is recorded."),
        lambda: url_for("plants.plant", number=made[0]),
    )


def _named(form: NameForm) -> dict[str, Any]:
    return {**form.values(), "language_id": _number(form.language_id.data), "dialect_id": _number(form.dialect_id.data)}


def _number(text: str | None) -> int | None:
    return whole_number(text)


@plants.get("/taxa")
def taxa() -> Response:
    """Names of the names service that the typed letters can begin."""
    found = names_service().suggest(request.args.get("q", ""), 12)
    return jsonify([{"l": one.name, "c": one.family, "n": one.accepted} for one in found])


@plants.get("/name-check")
def name_check() -> str:
    """What is worth knowing of a name while it is typed, as the part of a page that stands beneath the field."""
    number = request.args.get("number", 0, type=int)
    return render_template("plants/_name_check.html", check=check_name(g.scope, request.args.get("name", ""), number))


@plants.get("/names")
def names() -> str:
    """The name web: which names are used for which plants; at first only where one is of several."""
    known = {plant["field_number"]: plant for plant in queries.plants(g.scope)}
    whole = "all" in request.args
    used = queries.uses_of_names([*known.values()])
    uses = [Used(one["name"], one["plant"], one["times"], one["language"]) for one in used]
    web = name_web(uses if whole else tangled(uses))
    return render_template("plants/names.html", web=web, known=known, whole=whole, all_ties=len(used))


@plants.get("/<int:number>")
def plant(number: int) -> Page:
    return _plant_page(plant_or_404(number))


def plant_or_404(number: int) -> dict[str, Any]:
    found = queries.plant(g.scope, number)
    if found is None:
        abort(404)
    return found


def _plant_page(found: dict[str, Any], *, naming: NameForm | None = None, determining: DeterminationForm | None = None,
                measuring: FeatureForm | None = None, picturing: PictureForm | None = None, preview: Preview | None = None,
                refused: str = "", status: int = 200) -> Page:  # fmt: skip
    told_of = reports.reports(g.scope, plant_id=found["id"])
    page = spread(
        "plants/plant.html",
        "plants/_history.html",
        plant=found,
        refused=refused,
        reports=told_of,
        beside=told.told_beside(g.scope, [one["id"] for one in told_of]),
        steps=told.steps_told(g.scope, [one["id"] for one in told_of]),
        askings=reports.askings(g.scope, plant_id=found["id"]),
        determinations=queries.determinations(g.scope, found["id"]),
        history=acts.record_history(g.scope, "plant", found["id"]),
        specimens=specimen_queries.specimens_of(g.scope, found["id"]),
        pictures=picture_queries.pictures_of(g.scope, found["id"]),
        picturing=picturing or PictureForm(formdata=None),
        features=queries.features(g.scope, found["id"]),
        claims=told.claims(g.scope, plant_id=found["id"]),
        links=told.links(g.scope, plant_id=found["id"]),
        link_kinds=LINKS,
        on_record=worklist.cautions_of(g.scope, found),
        preview=preview,
        moved=_moved(preview) if preview else [],
        symbols={**SYMBOLS, "nur": "Nur", "nt": "Nt", "icf": "ICF"},
        origins=ORIGINS,
        management=MANAGEMENT,
        measuring=measuring or FeatureForm(formdata=None),
        naming=naming or NameForm(formdata=None).offer(),
        determining=determining or DeterminationForm(formdata=None),
    )
    return page, status


@plants.route("/<int:number>/correct", methods=["GET", "POST"])
def correct(number: int) -> Page:
    """Correct what a plant was like where it was met."""
    g.member.require(Right.RECORD)
    found, form = plant_or_404(number), MetForm().offer()
    if request.method == "GET":
        form.fill({**found, "stage_id": str(found["stage_id"] or "")})
    return form_page(
        "plants/correct.html",
        form,
        lambda: operations.correct_plant(g.scope, number, form.seen_version(), **form.values()),
        _("Corrected."),
        lambda: url_for("plants.plant", number=number),
        plant=found,
    )


@plants.post("/<int:number>/remove")
def remove(number: int) -> Page:
    """Take a plant back that was entered by mistake."""
    found = plant_or_404(number)
    try:
        removing.remove_plant(g.scope, number, MetForm().seen_version())
    except (Refused, Conflict) as why:
        return _not_removed(found, why)
    return done(_("%(plant)s is taken back.", plant=found["field_number"]), url_for("plants.list_plants"))


@plants.post("/names/<int:name_id>/remove")
def remove_name(name_id: int) -> Page:
    """Take a local name back that was entered by mistake."""
    found = queries.local_name(g.scope, name_id)
    if found is None:
        abort(404)
    try:
        removing.remove_name(g.scope, name_id, NameForm().seen_version())
    except (Refused, Conflict) as why:
        return _not_removed(plant_or_404(found["plant"]), why)
    return done(_("The name is taken back."), url_for("plants.plant", number=found["plant"]))


def _not_removed(found: dict[str, Any], why: Refused | Conflict) -> Page:
    sentence, status = why_not_removed(why)
    return _plant_page(found, refused=sentence, status=status)


@plants.post("/<int:number>/features")
def measure(number: int) -> Page:
    """Keep something measured of a plant, in any usual unit."""
    found, form = plant_or_404(number), FeatureForm()
    return part_saved(
        form,
        lambda: operations.measure_feature(g.scope, number, **form.values()),
        _("The measure is kept, with its words."),
        url_for("plants.plant", number=number),
        lambda: _plant_page(found, measuring=form, status=422),
    )


@plants.post("/features/<int:feature>/remove")
def remove_feature(feature: int) -> Response:
    number = operations.remove_feature(g.scope, feature, FeatureForm().seen_version())
    return done(_("Taken back."), url_for("plants.plant", number=number))


def _moved(preview: Preview) -> list[dict[str, Any]]:
    """The taxa and categories of a preview with the indices that differ: (index, now, then)."""
    labels = {one["code"]: one["label"] for one in studies.use_codes(g.scope)}
    found = []
    for one in (*preview.moved.taxa, *preview.moved.categories):
        both = [(index, one.before.get(index, 0.0), one.after.get(index, 0.0)) for index in one.after or one.before]
        values = [(index, now, then) for index, now, then in both if now != then and not (now != now and then != then)]
        category = labels.get(one.name, one.name) if one in preview.moved.categories else ""
        found.append({"name": one.name, "category": category, "values": values})
    return found


@plants.post("/<int:number>/pictures")
def keep_picture(number: int) -> Page:
    """Keep a picture of a plant."""
    found, form = plant_or_404(number), PictureForm()
    sent = request.files.get("file")
    data, name = (sent.read(LARGEST_FILE + 1), sent.filename or "") if sent else (b"", "")
    said = {"caption": form.caption.data or "", "with_position": form.with_position.data}
    return part_saved(
        form,
        lambda: picture_operations.keep_picture(g.scope, number, data, name=name, client_key=form.key(), **said),
        _("The picture is kept."),
        url_for("plants.plant", number=number),
        lambda: _plant_page(found, picturing=form, status=422),
    )


@plants.get("/pictures/<int:picture>/<any(whole, small):size>.jpg")
def picture(picture: int, size: str) -> Response:
    """A picture, to whoever may know of its plant; a fixed type, whatever was brought."""
    found = picture_queries.picture(g.scope, picture, size=size)
    if found is None:
        abort(404)
    return Response(bytes(found["data"]), mimetype="image/jpeg", headers={"X-Content-Type-Options": "nosniff"})


@plants.post("/pictures/<int:picture>/remove")
def remove_picture(picture: int) -> Response:
    number = picture_operations.remove_picture(g.scope, picture, PictureForm().seen_version())
    return done(_("The picture is taken back."), url_for("plants.plant", number=number))


@plants.post("/<int:number>/names")
def name(number: int) -> Page:
    """Give a plant one more local name."""
    found, form = plant_or_404(number), NameForm().offer()
    return part_saved(
        form,
        lambda: operations.name_plant(g.scope, number, **_named(form)),
        _("The name is recorded."),
        url_for("plants.plant", number=number),
        lambda: _plant_page(found, naming=form, status=422),
    )


@plants.post("/<int:number>/determinations")
def determine(number: int) -> Page:
    """Say what a plant is; every report of it is then counted there. A redetermination is looked at first: what it would move."""
    found, form = plant_or_404(number), DeterminationForm()
    names = names_service()
    if found["determination_id"] and request.form.get("do") != "keep":
        g.member.require(Right.REDETERMINE)
        try:
            form.check_lengths()
            rules = study_operations.rules_in_force(g.scope)
            written = form.taxon.data or ""
            of = operations.WithWritten(names, g.scope, written, form.family.data or "") if form.as_written.data else names
            preview = preview_determination(g.scope, number, of, rules, taxon=written)
        except Refused as refused:
            form.show(refused)
            return _plant_page(found, determining=form, status=422)
        return _plant_page(found, determining=form, preview=preview)
    return part_saved(
        form,
        lambda: operations.determine_plant(g.scope, number, names, **form.values()),
        _("The determination is recorded; its reports are counted there now."),
        url_for("plants.plant", number=number),
        lambda: _plant_page(found, determining=form, status=422),
    )
