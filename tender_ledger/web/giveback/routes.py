"""What leaves the study: the open tables, within the terms of everybody in them."""

from flask import Response, abort, g

from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Purpose
from tender_ledger.operations.export import export_study
from tender_ledger.storage.queries import people, reports
from tender_ledger.web.shared.spread import spread
from tender_ledger.web.shared.study_scope import study_blueprint

giveback = study_blueprint("giveback", __name__, "/give-back")


@giveback.get("")
def show() -> str:
    """What would leave the study today, and the ways out."""
    published = g.scope.for_purpose(Purpose.PUBLISHED_ROWS)
    return spread(
        "giveback/giveback.html",
        "giveback/_about.html",
        reports=reports.count_reports(published),
        informants=len(people.published_informants(published)),
    )


@giveback.get("/<name>")
def download(name: str) -> Response:
    """One of the files of the export."""
    g.member.require(Right.EXPORT)
    files = export_study(g.scope)
    if name not in files:
        abort(404)
    kind = "text/csv" if name.endswith(".csv") else "text/plain"
    return Response(files[name], mimetype=kind, headers={"Content-Disposition": f'attachment; filename="{name}"'})
