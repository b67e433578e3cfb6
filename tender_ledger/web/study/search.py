"""Search from every page. What is looked for is sent in the body of a request, so that it stands in no address and no log."""

from flask import g, render_template, request, url_for

from tender_ledger.operations import search as operations
from tender_ledger.operations.search import (
    COMMUNITY,
    ENCOUNTER,
    HOLDER,
    PLANT,
    PURPOSE,
    REPORT,
    SOURCE,
    Hit,
)
from tender_ledger.storage.database import ask_once
from tender_ledger.storage.queries.past_counts import counts_noted
from tender_ledger.web.shared.spread import is_htmx
from tender_ledger.web.shared.study_scope import study_blueprint
from tender_ledger.web.shared.words import gettext as _

search = study_blueprint("search", __name__, "/search")
_BENEATH, _ON_A_PAGE = 5, 50  # hits of a kind beneath the field, and on the page
KINDS = {
    PLANT: _("Plants"),
    HOLDER: _("Holders"),
    SOURCE: _("Sources"),
    COMMUNITY: _("Communities"),
    ENCOUNTER: _("Encounters"),
    PURPOSE: _("Purposes"),
    REPORT: _("Reports"),
}
_PAGES = {
    PLANT: "plants.plant",
    HOLDER: "people.holder",
    COMMUNITY: "people.community",
    ENCOUNTER: "encounters.record",
    REPORT: "reports.report",
    PURPOSE: "ledger.show",
}


@search.get("")
def ask() -> str:
    """A page with the field alone, for who came without scripts."""
    return render_template("study/search.html", sought="", groups=[], kinds=KINDS, address=_address)


@search.post("")
def find() -> str:
    """What is found, as a page, or beneath the field while it is typed."""
    ask_once()  # it is no read by its method, though it writes nothing
    sought = request.form.get("q", "")
    most = _BENEATH if is_htmx() else _ON_A_PAGE
    with counts_noted(past_allowed=True, by_others=True):
        groups = operations.search(g.scope, sought, most=most)
    template = "study/_search_hits.html" if is_htmx() else "study/search.html"
    return render_template(template, sought=sought, groups=groups, kinds=KINDS, address=_address)


def _address(hit: Hit) -> str:
    """The page of what was found; of a source, which has none, the reports that stand in it."""
    if hit.kind == SOURCE:
        return url_for("ledger.show", informant=hit.names["code"])
    return url_for(_PAGES[hit.kind], **hit.names)
