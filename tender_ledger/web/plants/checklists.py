"""The lists of scientific names that a study goes by."""

from typing import Any

from flask import current_app, g, request, url_for
from werkzeug.wrappers import Response

from tender_ledger.operations import checklists as operations
from tender_ledger.storage.queries import checklists as queries
from tender_ledger.storage.queries import plants
from tender_ledger.web.plants.forms import ChecklistForm
from tender_ledger.web.shared.answers import Page, part_saved
from tender_ledger.web.shared.names import names_service
from tender_ledger.web.shared.spread import done, spread
from tender_ledger.web.shared.study_scope import study_blueprint
from tender_ledger.web.shared.words import gettext as _

checklists = study_blueprint("checklists", __name__, "/plants/checklists")


@checklists.url_value_preprocessor
def _allow_a_list(endpoint: str | None, _values: dict[str, Any] | None) -> None:
    """A list may be larger than other requests; said before anything reads the form."""
    if endpoint == "checklists.bring":
        request.max_content_length = operations.LARGEST_FILE + 64 * 1024


@checklists.get("")
def list_checklists() -> Page:
    """The lists in the order in which they are asked, and the plants that they place otherwise than they were determined."""
    return _page(ChecklistForm(formdata=None))


def _page(form: ChecklistForm, status: int = 200) -> Page:
    return spread(
        "plants/checklists.html", "plants/_about_checklists.html", checklists=queries.checklists(g.scope),
        behind=current_app.extensions["names_service"], otherwise=_otherwise(),
        bringing=form,
    ), status  # fmt: skip


def _otherwise() -> list[dict[str, Any]]:
    return operations.placed_otherwise(names_service(), plants.plants(g.scope))


@checklists.post("")
def bring() -> Page:
    """Bring a taxon file in; what could not be taken stands on the page with its lines."""
    form, sent = ChecklistForm(), request.files.get("file")
    data, name = (sent.read(operations.LARGEST_FILE + 1), sent.filename or "") if sent else (b"", "")
    said = {one: form[one].data or "" for one in ("title", "edition", "citation")}
    return part_saved(
        form,
        lambda: operations.bring_checklist(g.scope, data, name=name, **said),
        _("The checklist is in; names are looked up there first from now on."),
        url_for("checklists.list_checklists"),
        lambda: _page(form, 422),
    )


@checklists.post("/<int:checklist>/remove")
def remove(checklist: int) -> Response:
    operations.remove_checklist(g.scope, checklist, ChecklistForm().seen_version())
    return done(_("The checklist is taken back."), url_for("checklists.list_checklists"))
