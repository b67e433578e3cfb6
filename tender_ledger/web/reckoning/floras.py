"""What a reckoning takes beside reports: floras, and scores of uses."""

from flask import abort, g, request, url_for
from werkzeug.wrappers import Response

from tender_ledger.core.rights import Right
from tender_ledger.operations import floras
from tender_ledger.operations.errors import Refused
from tender_ledger.operations.scores import score_uses
from tender_ledger.web.reckoning.pages import page_of, sent_file
from tender_ledger.web.reckoning.routes import reckoning
from tender_ledger.web.shared.answers import Page
from tender_ledger.web.shared.forms import LedgerForm
from tender_ledger.web.shared.spread import done
from tender_ledger.web.shared.words import gettext as _


@reckoning.post("/floras")
def bring_flora() -> Page:
    """Bring in a flora: a table of families with their numbers of species."""
    g.member.require(Right.IMPORT)
    data = sent_file("file")
    try:
        if len(data) > floras.LARGEST_FILE:
            raise Refused({"file": _("The table is larger than 2 MB. A line holds a family and its number of species.")})
        number = floras.bring_flora(g.scope, data, name=request.form.get("name", ""), cited=request.form.get("cited", ""))
    except Refused as refused:
        return page_of("reckoning/flora_refused.html", view="overuse", problems=list(refused.errors.values()), status=422)
    return done(_("The flora is in."), url_for("reckoning.analysis", view="overuse", flora=number))


@reckoning.post("/floras/<int:flora>/remove")
def remove_flora(flora: int) -> Response:
    """Take a flora back."""
    floras.remove_flora(g.scope, flora, LedgerForm().seen_version())
    return done(_("The flora is taken back."), url_for("reckoning.analysis", view="overuse"))


@reckoning.post("/scores")
def score_use() -> Response:
    """Score the uses of a plant."""
    g.member.require(Right.SETTLE)
    taxon = request.form.get("taxon", "")
    given = {}
    for category in request.form.getlist("category"):
        scores = [request.form.get(f"{category}-{name}", "") for name in ("management", "preference", "frequency")]
        if all(one in ("1", "2") for one in scores):
            given[category] = (int(scores[0]), int(scores[1]), int(scores[2]))
    try:
        score_uses(g.scope, taxon, given)
    except Refused as refused:
        abort(422, description=" ".join(refused.errors.values()))
    return done(_("The scores are on record."), url_for("reckoning.analysis", view="indices", margin=f"csi:composite:{taxon}"))
