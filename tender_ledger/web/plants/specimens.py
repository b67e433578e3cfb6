"""Specimens of plants: recorded, corrected, taken back, listed, and labelled."""

from flask import abort, g, render_template, request, url_for
from werkzeug.wrappers import Response

from tender_ledger.core.days import PartialDay
from tender_ledger.core.rights import Right
from tender_ledger.formats.isolation import isolated
from tender_ledger.formats.printing import print_pdf
from tender_ledger.operations import specimens as operations
from tender_ledger.operations.errors import Refused
from tender_ledger.storage.queries import plants
from tender_ledger.storage.queries import specimens as queries
from tender_ledger.web.plants.forms import COPIES, PAPERS, LabelForm, SpecimenForm
from tender_ledger.web.plants.routes import plant_or_404
from tender_ledger.web.shared.answers import Page, form_page
from tender_ledger.web.shared.fonts import font_files
from tender_ledger.web.shared.spread import done, spread
from tender_ledger.web.shared.study_scope import study_blueprint
from tender_ledger.web.shared.words import gettext as _

specimens = study_blueprint("specimens", __name__, "/plants")


@specimens.get("/specimens")
def list_specimens() -> Page:
    """Every specimen of the study, to be looked over or given a label."""
    return _list_page()


def _list_page(refused: str = "", status: int = 200) -> Page:
    page = spread("plants/specimens.html", "plants/_about_specimens.html", specimens=queries.specimens(g.scope), refused=refused,
                  met={one["number"]: one for one in plants.plants(g.scope)}, form=LabelForm(formdata=None))  # fmt: skip
    return page, status


@specimens.get("/specimens/labels.pdf")
def labels() -> Page:
    """A sheet of labels of the chosen specimens, ready for print."""
    form = LabelForm(formdata=request.args)
    chosen = set(request.args.getlist("chosen", type=int))
    try:
        found = operations.specimen_labels(g.scope, chosen)
    except Refused as refused:
        return _list_page(" ".join(refused.errors.values()), 422)
    copies = int(form.copies.data) if form.copies.data in COPIES else 1
    paper = form.paper.data if form.paper.data in PAPERS else "A4"
    html = render_template("plants/labels_print.html", labels=[one for one in found for _copy in range(copies)], paper=paper)
    pdf = isolated(print_pdf, html, font_files())
    return Response(pdf, mimetype="application/pdf", headers={"Content-Disposition": 'inline; filename="labels.pdf"'})


@specimens.route("/<int:number>/specimens/new", methods=["GET", "POST"])
def new_specimen(number: int) -> Page:
    g.member.require(Right.RECORD)
    found, form = plant_or_404(number), SpecimenForm(data={"collector": g.member.name}).offer()
    return form_page(
        "plants/specimen_form.html",
        form,
        lambda: operations.add_specimen(g.scope, number, form.values()),
        _("The specimen is recorded."),
        lambda: url_for("plants.plant", number=number),
        plant=found,
        title=_("Record a specimen of %(plant)s", plant=found["field_number"]),
    )


@specimens.route("/specimens/<int:specimen>/correct", methods=["GET", "POST"])
def correct_specimen(specimen: int) -> Page:
    g.member.require(Right.RECORD)
    found = queries.specimen(g.scope, specimen)
    if found is None:
        abort(404)
    form = SpecimenForm().offer()
    if request.method == "GET":
        day = str(PartialDay(found["day_from"], found["day_to"], found["approximate"])) if found["day_from"] else ""
        form.fill({**found, "day": day, "stage_id": str(found["stage_id"] or "")})
    return form_page(
        "plants/specimen_form.html",
        form,
        lambda: operations.correct_specimen(g.scope, specimen, form.seen_version(), form.values()),
        _("Corrected."),
        lambda: url_for("plants.plant", number=found["plant"]),
        plant=plant_or_404(found["plant"]),
        title=_("Correct %(collector)s %(number)s", collector=found["collector"], number=found["number"]),
    )


@specimens.post("/specimens/<int:specimen>/remove")
def remove_specimen(specimen: int) -> Response:
    number = operations.remove_specimen(g.scope, specimen, SpecimenForm(formdata=request.form).seen_version())
    return done(_("The specimen is taken back."), url_for("plants.plant", number=number))
