"""What leaves the study: the open tables, within the terms of everybody in them."""

from flask import Response, abort, g, request, url_for
from werkzeug.wrappers import Response as AnyResponse

from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Purpose
from tender_ledger.formats.archive import write_archive
from tender_ledger.operations.computing import Computed
from tender_ledger.operations.disclosure.summary import what_would_leave
from tender_ledger.operations.errors import Refused
from tender_ledger.operations.export import export_study
from tender_ledger.operations.permits import set_minimum_holders
from tender_ledger.storage.queries import people, reports, studies
from tender_ledger.web.shared.answers import Page
from tender_ledger.web.shared.forms import LedgerForm
from tender_ledger.web.shared.past_counts import shows_past_counts
from tender_ledger.web.shared.spread import done, spread
from tender_ledger.web.shared.study_scope import study_blueprint
from tender_ledger.web.shared.words import gettext as _

ARCHIVE = "tables.zip"

giveback = study_blueprint("giveback", __name__, "/give-back")


@giveback.get("")
@shows_past_counts()
def show() -> Page:
    """What would leave the study today, and the ways out."""
    return _page()


def _page(refused: str = "", status: int = 200) -> Page:
    summary = None
    if g.member.everywhere(Right.EXPORT):
        summary = what_would_leave(g.scope, again="again" in request.args)
    whole, by_row = (g.scope.for_purpose(purpose) for purpose in (Purpose.PUBLISHED, Purpose.PUBLISHED_ROWS))
    return spread(
        "giveback/giveback.html",
        "giveback/_about.html",
        reports=reports.count_reports(by_row),
        informants=len(people.published_informants(by_row)),
        in_counts=len(people.published_informants(whole)),
        summary=None if isinstance(summary, Computed) else summary,
        waits=summary if isinstance(summary, Computed) else None,
        rule=studies.publishing_rule(g.scope),
        refused=refused,
    ), status


@giveback.post("/minimum")
def minimum() -> Page:
    """Set the study's minimum of holders."""
    version = LedgerForm().seen_version()
    try:
        set_minimum_holders(g.scope, version, request.form.get("minimum_holders", ""))
    except Refused as refused:
        return _page(" ".join(refused.errors.values()), 422)
    return done(_("The minimum of holders is set."), url_for("giveback.show"))


@giveback.get("/<name>")
def download(name: str) -> AnyResponse:
    """One of the files of the export, or all of them as an archive."""
    g.member.require(Right.EXPORT)
    files = export_study(g.scope)
    if name == ARCHIVE:
        files = {ARCHIVE: write_archive(files)}
    if name not in files:
        abort(404)
    kind = {"csv": "text/csv", "zip": "application/zip"}.get(name.rpartition(".")[2], "text/plain")
    return Response(files[name], mimetype=kind, headers={"Content-Disposition": f'attachment; filename="{name}"'})
