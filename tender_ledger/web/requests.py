"""Around every request: its database connection, its line in the log, and the two addresses that say how it is."""

import json
import logging
import sys
import time
import traceback
import uuid

from flask import Flask, Response, current_app, g, got_request_exception, request
from werkzeug.routing import IntegerConverter, Map

from tender_ledger.core.text import LARGEST_NUMBER, control_character
from tender_ledger.storage.database import (
    UNAVAILABLE,
    Asked,
    ask_always,
    ask_once,
    close_connection,
    connected,
    count_asked,
    open_connection,
    pending_migrations,
)
from tender_ledger.storage.masking import mask_nothing
from tender_ledger.storage.queries import erasures
from tender_ledger.web.errors import Answer, answer
from tender_ledger.web.shared.words import gettext as _

_log = logging.getLogger("tender_ledger.requests")
_LONGEST_ASKED = 2_000  # characters of a name or a value in an address


_STRANGE_HOST = (
    "This application does not answer under the name that was asked for. Open it by its own address; whoever runs it sets that "
    "with TENDER_PUBLIC, and further names with TENDER_HOSTS.\n"
)


def install(app: Flask) -> None:
    """Open and close the connection, write one JSON line a request, answer /health and /ready."""
    if not _log.handlers:
        handler = logging.StreamHandler(sys.stderr)
        handler.setFormatter(logging.Formatter("%(message)s"))
        _log.addHandler(handler)
        _log.setLevel(logging.INFO)
        _log.propagate = False
    app.logger.disabled = True  # its lines hold messages with values in them; _fault says where instead
    got_request_exception.connect(_fault, app)
    app.url_map.converters["int"] = WholeNumber
    app.before_request(_begin)
    app.after_request(_line)
    app.teardown_request(_end)
    app.add_url_rule("/health", "health", lambda: Response("ok\n", mimetype="text/plain"))
    app.add_url_rule("/ready", "ready", _ready)


def _begin() -> Answer | None:
    """Open the connection; nobody is served by a restored database before it is settled who was erased since."""
    g.started, g.request_id, g.asked = time.monotonic(), uuid.uuid4().hex[:12], count_asked()
    if getattr(request.routing_exception, "code", None) == 400:  # another host: no address can be made for it either
        return _STRANGE_HOST, 400
    if request.endpoint in ("static", "health", "ready"):
        return None
    if (wrong := _not_text()) is not None:
        return answer(400, wrong)
    if any(len(text) > _LONGEST_ASKED for given in request.args.items(multi=True) for text in given):
        return answer(400, _("An address may hold 2,000 characters after each name. Ask for less at once."))
    g.opened_connection = open_connection()
    if request.method in ("GET", "HEAD"):
        ask_once()
    if current_app.extensions.get("erasures_settled"):
        return None
    if erasures.waits():
        sentence = _(
            "It was restored, and nothing says who was erased since its backup was made. Whoever runs it settles that "
            "with ./ledger erasures; until then nothing is shown."
        )
        return answer(503, sentence, _("Nobody is served yet"))
    current_app.extensions["erasures_settled"] = True  # a restore goes into an empty database only, so it stays so
    return None


def _not_text() -> str | None:
    """What is wrong with a path, query or form that holds what no text may; None where nothing is."""
    sent = (one for given in (request.args, request.form) for pair in given.items(multi=True) for one in pair)
    for text in (request.path, *sent):
        if text is None:  # a part of a form that bears no name
            return _("A field was sent without its name. Go back, load the page again and send it once more.")
        if wrong := control_character(text):
            return _(
                "Something that was sent holds the control character %(character)s, which no text can keep. Go back, take it out "
                "and send it again.",
                character=wrong,
            )
    return None


class WholeNumber(IntegerConverter):
    """A number in an address: in plain digits, and no larger than the database's; any other address leads nowhere."""

    regex = r"[0-9]{1,10}"

    def __init__(self, url_map: Map) -> None:
        super().__init__(url_map, max=LARGEST_NUMBER)


def _end(_error: BaseException | None) -> None:
    mask_nothing()
    ask_always()
    if g.pop("opened_connection", False):
        close_connection()


def _line(response: Response) -> Response:
    """Route name, person number, status, milliseconds in all and of the database; never an argument, a query, a body, a name or
    words."""
    if request.endpoint != "static":
        started, asked = g.get("started", time.monotonic()), g.get("asked", Asked())
        line = {
            "request": g.get("request_id", ""),
            "route": request.endpoint or "none",
            "method": request.method,
            "person": getattr(g.get("_login_user"), "person_id", None),
            "status": response.status_code,
            "ms": round((time.monotonic() - started) * 1000, 1),
            "db_ms": round(asked.seconds * 1000, 1),
            "statements": asked.statements,
        }
        _log.info(json.dumps(line))
    return response


def _fault(_app: Flask, exception: Exception, **_more: object) -> None:
    """What kind of failure and where in the code; never its message, which may repeat what somebody typed."""
    frames = traceback.extract_tb(exception.__traceback__)
    at = [
        f"{frame.filename.rpartition('tender_ledger/')[2]}:{frame.lineno}"
        for frame in frames
        if "tender_ledger" in frame.filename
    ]
    _log.error(json.dumps({"request": g.get("request_id", ""), "failure": type(exception).__name__, "at": at}))


def _ready() -> tuple[Response, int]:
    try:
        with connected():
            pending = pending_migrations()
            waiting = not pending and erasures.waits()
    except UNAVAILABLE:
        return Response("no database\n", mimetype="text/plain"), 503
    if pending:
        return Response("the schema is older than the program\n", mimetype="text/plain"), 503
    if waiting:
        return Response("restored, and it is not settled who was erased since\n", mimetype="text/plain"), 503
    return Response("ready\n", mimetype="text/plain"), 200
