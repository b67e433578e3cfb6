"""The study that a request is about: found by its code, entered by its members alone."""

from functools import partial
from typing import Any

from flask import Blueprint, abort, flash, g, redirect, url_for
from flask_login import current_user
from werkzeug.wrappers import Response

from tender_ledger.core.rights import Right
from tender_ledger.operations import clock
from tender_ledger.operations.undo_rights import may_undo
from tender_ledger.storage.masking import mask_for
from tender_ledger.storage.queries import accounts, studies
from tender_ledger.storage.queries.past_counts import counts_noted
from tender_ledger.web.shared.words import gettext as _


def study_blueprint(name: str, import_name: str, step: str) -> Blueprint:
    """A blueprint whose routes stand under a study; outside members find nothing there, whatever the method."""
    blueprint = Blueprint(name, import_name, url_prefix=f"/study/<study>{step}", template_folder="templates")
    blueprint.url_value_preprocessor(_take_code)
    blueprint.url_defaults(_give_code)
    blueprint.before_request(_enter)
    blueprint.context_processor(_thread)
    return blueprint


def _take_code(_endpoint: str | None, values: dict[str, Any] | None) -> None:
    g.study_code = (values or {}).pop("study", "")


def _give_code(_endpoint: str, values: dict[str, Any]) -> None:
    if "study" not in values and g.get("study_code"):
        values["study"] = g.study_code


def _enter() -> Response | None:
    """Who enters, and as whom; an owner of a study that asks for a second factor, and who has none, sets it up first."""
    member = accounts.member_of(current_user.person_id, g.study_code)
    if member is None:
        abort(404)
    if member.lacks_factor:
        flash(_("This study asks its owners to sign in with a second factor. Set yours up here first."))
        return redirect(url_for("account.show"), 303)
    g.member, g.scope = member, clock.scope_of(member)
    mask_for(g.scope)
    return None


def _thread() -> dict[str, Any]:
    """What every template of a study may ask: the study, what the viewer may do, and, where it is shown, what waits."""
    if g.get("scope") is None:
        return {}
    return {
        "study": studies.study(g.scope),
        "waiting": _waiting,
        "may": g.member.may,
        "Right": Right,
        "may_undo": partial(may_undo, g.member),
    }


def _waiting() -> dict[str, int]:
    """What waits at each step; asked of the database once a request, and never for a fragment that does not show it.

    In a large study what others wrote in the last minute may not be in it yet.
    """
    if "waiting" not in g:
        with counts_noted(past_allowed=True, by_others=True):
            g.waiting = studies.waiting(g.scope)
    return dict(g.waiting)
