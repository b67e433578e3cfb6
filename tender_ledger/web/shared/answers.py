"""The life of a form page: shown, saved, or shown again with what was wrong or with what somebody else saved meanwhile."""

from collections.abc import Callable
from typing import Any

from flask import render_template, request
from werkzeug.wrappers import Response

from tender_ledger.operations.errors import Conflict, Refused
from tender_ledger.web.shared.forms import LedgerForm
from tender_ledger.web.shared.spread import done
from tender_ledger.web.shared.words import gettext as _

Page = str | Response | tuple[str, int]
MEANWHILE = _("Somebody saved this meanwhile; it was not taken back. This is how it stands now.")


def why_not_removed(why: Refused | Conflict) -> tuple[str, int]:
    """The sentence that says why something was not taken back, and the status of the answer."""
    return (" ".join(why.errors.values()), 422) if isinstance(why, Refused) else (MEANWHILE, 409)


def form_page(
    template: str, form: LedgerForm, save: Callable[[], object], said: str, next_page: Callable[[], str], **context: Any
) -> Page:
    """GET shows the form. POST saves, says so and goes on; or answers 422 with a sentence a field, or 409 with what stands now.

    `next_page` is asked after saving, when the record has its code or number. What was typed stays in the form.
    """
    if request.method == "GET":
        return render_template(template, form=form, **context)
    try:
        form.check_lengths()
        save()
    except Refused as refused:
        form.show(refused)
        return render_template(template, form=form, **context), 422
    except Conflict as stale:
        form.version.data = str(stale.version)
        return render_template(template, form=form, conflict=stale.current, **context), 409
    return done(said, next_page())


def part_saved(form: LedgerForm, save: Callable[[], object], said: str, next_address: str, again: Callable[[], Page]) -> Page:
    """A POST from a form within a larger page: save and go on, or draw the larger page `again` with what was wrong."""
    try:
        form.check_lengths()
        save()
    except Refused as refused:
        form.show(refused)
        return again()
    return done(said, next_address)
