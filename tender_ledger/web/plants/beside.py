"""What is told of a plant beside its uses: properties, and what it is to another plant."""

from flask import g, url_for
from werkzeug.wrappers import Response

from tender_ledger.core.rights import Right
from tender_ledger.operations import beside_uses as operations
from tender_ledger.web.plants.forms import LinkForm, PropertyForm
from tender_ledger.web.plants.routes import plant_or_404
from tender_ledger.web.shared.answers import Page, form_page
from tender_ledger.web.shared.spread import done
from tender_ledger.web.shared.study_scope import study_blueprint
from tender_ledger.web.shared.words import gettext as _

beside = study_blueprint("beside", __name__, "/plants")


@beside.route("/<int:number>/properties/new", methods=["GET", "POST"])
def claim(number: int) -> Page:
    """Record a property that somebody told of a plant."""
    g.member.require(Right.RECORD)
    found, form = plant_or_404(number), PropertyForm().offer()
    return form_page(
        "plants/told_form.html",
        form,
        lambda: operations.claim_property(g.scope, number, form.values(), form.key()),
        _("The property is recorded; it is never counted as a use."),
        lambda: url_for("plants.plant", number=number),
        plant=found,
        title=_("A property told of %(plant)s", plant=found["field_number"]),
    )


@beside.post("/properties/<int:claim>/remove")
def remove_claim(claim: int) -> Response:
    number = operations.remove_claim(g.scope, claim, PropertyForm().seen_version())
    return done(_("The property is taken back."), url_for("plants.plant", number=number))


@beside.route("/<int:number>/links/new", methods=["GET", "POST"])
def link(number: int) -> Page:
    """Record what somebody told that a plant is to another."""
    g.member.require(Right.RECORD)
    found, form = plant_or_404(number), LinkForm().offer()
    return form_page(
        "plants/told_form.html",
        form,
        lambda: operations.link_plants(g.scope, number, form.values(), form.key()),
        _("The two plants are linked."),
        lambda: url_for("plants.plant", number=number),
        plant=found,
        title=_("What %(plant)s is to another plant", plant=found["field_number"]),
    )


@beside.post("/links/<int:link>/remove")
def unlink(link: int) -> Response:
    number = operations.unlink_plants(g.scope, link, LinkForm().seen_version())
    return done(_("The link is taken back."), url_for("plants.plant", number=number))
