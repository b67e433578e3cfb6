"""A page of its own for everything that can go wrong; a fragment for a request that was sent from within a page."""

from collections.abc import Callable

from flask import Flask, g, render_template
from flask_login import AnonymousUserMixin
from flask_wtf.csrf import CSRFError

from tender_ledger.core.messages import InputRefused
from tender_ledger.core.terms import NotAllowed
from tender_ledger.formats.isolation import Busy
from tender_ledger.operations.errors import CannotUndo, Conflict, NotFound, Refused
from tender_ledger.operations.sign_in_delays import TooManyAttempts
from tender_ledger.storage.database import UNAVAILABLE, disk_is_full
from tender_ledger.web.shared.spread import is_htmx
from tender_ledger.web.shared.words import gettext as _
from tender_ledger.web.shared.words import ngettext

Answer = tuple[str, int]


def install(app: Flask) -> None:
    """Register a handler for every status that the application answers."""
    for status in (400, 404, 413, 422):
        app.register_error_handler(status, _plain(status))
    app.register_error_handler(405, _plain(404))  # an address that takes no such method is, to the asker, not there
    app.register_error_handler(NotFound, _plain(404))
    app.register_error_handler(500, _plain(500))
    app.register_error_handler(CSRFError, _forged)
    app.register_error_handler(NotAllowed, lambda error: answer(403, str(error)))
    app.register_error_handler(Conflict, _plain(409))
    app.register_error_handler(CannotUndo, lambda error: answer(409, str(error)))
    app.register_error_handler(Refused, lambda error: answer(422, str(error)))
    app.register_error_handler(InputRefused, lambda error: answer(422, str(error)))
    app.register_error_handler(TooManyAttempts, _too_many)
    for unavailable in UNAVAILABLE:
        app.register_error_handler(unavailable, _unavailable)
    app.register_error_handler(Busy, _busy)


def _words(status: int) -> tuple[str, str]:
    return {
        400: (_("The request could not be read"), _("Go back, load the page again and repeat what you did.")),
        403: (_("This needs another role"), _("Ask an owner of the study.")),
        404: (_("There is nothing here for you"), _("The address is wrong, or what it names is not shown to you.")),
        409: (_("This changed meanwhile"), _("Load the page again to see how it stands now.")),
        413: (_("This is too large"), _("A request may hold 2 MB, a picture 20 MB, a table to import 64 MB. Send less at once.")),
        422: (_("This could not be saved"), _("Go back; what you typed is still there.")),
        429: (_("Too many attempts"), _("Wait a little, then try again. Nothing else is lost.")),
        500: (_("Something failed here"), _("It is on record under the number below. What you typed is one page back.")),
        503: (_("The database does not answer"), _("It is being started again. What you typed is in the page: try once more.")),
    }[status]  # fmt: skip


def answer(status: int, sentence: str = "", title: str = "") -> Answer:
    """The page, or for htmx the fragment, of an error."""
    usual, advice = _words(status)
    title = title or usual
    if status in (500, 503):  # the page of a failure asks the database nothing
        g.scope = None
        g.setdefault("_login_user", AnonymousUserMixin())
    template = "shared/_error.html" if is_htmx() else "shared/error.html"
    number = g.get("request_id", "") if status == 500 else ""
    return render_template(template, title=title, sentence=sentence or advice, number=number), status


def _plain(status: int) -> Callable[[Exception], Answer]:
    return lambda _error: answer(status)


def _too_many(error: TooManyAttempts) -> tuple[str, int, dict[str, str]]:
    wait = ngettext("Wait %(num)s second, then try again.", "Wait %(num)s seconds, then try again.", error.seconds)
    known = _("Nobody is locked out: where you signed in before, the right password always opens.")
    sentence = f"{wait} {known}"
    return *answer(429, sentence), {"Retry-After": str(error.seconds)}


def _unavailable(error: Exception) -> tuple[str, int, dict[str, str]]:
    if disk_is_full(error):
        sentence = _(
            "The disk of the server is full. Nothing was saved of this; what you typed is in the page. Tell whoever runs the "
            "server to make room, then try once more."
        )
        return *answer(503, sentence, _("The disk is full")), {"Retry-After": "60"}
    return *answer(503), {"Retry-After": "5"}


def _busy(_error: Exception) -> tuple[str, int, dict[str, str]]:
    sentence = _("Several files are being read or drawn, and more wait. Nothing was begun of yours; try again in a moment.")
    return *answer(503, sentence, _("Others are at it")), {"Retry-After": "10"}


def _forged(_error: Exception) -> Answer:
    return answer(400, _("The page was open for too long, or you signed out elsewhere. Load it again and repeat what you did."))
