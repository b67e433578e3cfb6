"""The application factory."""

import os
from collections.abc import Mapping
from pathlib import Path

from flask import Flask
from jinja2 import FileSystemBytecodeCache

from tender_ledger.launch.erasures import write_list
from tender_ledger.operations import kinds_of_work as _kinds_of_work  # noqa: F401 - they are known by being imported
from tender_ledger.operations.names_key import NamesKey
from tender_ledger.standins.names_service import ChecklistNames
from tender_ledger.standins.position_receiver import ReplayedTrack
from tender_ledger.storage.database import configure
from tender_ledger.web import errors, requests, security
from tender_ledger.web.account.routes import account
from tender_ledger.web.encounters.routes import encounters
from tender_ledger.web.giveback.routes import giveback
from tender_ledger.web.people.routes import people
from tender_ledger.web.plants.beside import beside
from tender_ledger.web.plants.checklists import checklists
from tender_ledger.web.plants.routes import plants
from tender_ledger.web.plants.specimens import specimens
from tender_ledger.web.reckoning import analysis_routes as _analysis_routes  # noqa: F401 - it hangs its routes on the blueprint
from tender_ledger.web.reckoning import floras as _floras  # noqa: F401 - as above
from tender_ledger.web.reckoning import frozen as _frozen  # noqa: F401 - as above
from tender_ledger.web.reckoning import questionnaires as _questionnaires  # noqa: F401 - as above
from tender_ledger.web.reckoning.routes import reckoning
from tender_ledger.web.reports.full import full
from tender_ledger.web.reports.importing import imports
from tender_ledger.web.reports.ledger import ledger
from tender_ledger.web.reports.routes import reports
from tender_ledger.web.shared import kept_spread, templating
from tender_ledger.web.study.routes import studies, study
from tender_ledger.web.study.search import search
from tender_ledger.web.study.worklist import worklist

_LARGEST_REQUEST = 2 * 1024 * 1024  # bytes


def create_app(settings: Mapping[str, str] = os.environ) -> Flask:
    """Build the application from its settings.

    DATABASE_URL and TENDER_SECRET are needed. There may be TENDER_KEY (names), TENDER_PUBLIC (the address people use, where
    it is not this one), TENDER_HOSTS (further names that it answers to), TENDER_PROXIES (how many trusted proxies stand
    before it) and TENDER_STATE (the folder in which the list of erasures is kept).
    """
    app = Flask(__name__, static_folder="static", template_folder="shared/templates")
    app.config.update(
        SECRET_KEY=settings["TENDER_SECRET"], MAX_CONTENT_LENGTH=_LARGEST_REQUEST, MAX_FORM_MEMORY_SIZE=_LARGEST_REQUEST
    )
    app.extensions["names_key"] = NamesKey.from_environment(settings)
    app.extensions["names_service"] = ChecklistNames()
    app.extensions["position_receiver"] = ReplayedTrack()
    state = settings.get("TENDER_STATE", "")
    app.extensions["erasures"] = lambda: write_list(Path(state)) if state else None
    configure(settings["DATABASE_URL"])
    requests.install(app)
    security.install(
        app,
        public=settings.get("TENDER_PUBLIC", ""),
        proxies=int(settings.get("TENDER_PROXIES") or 0),
        hosts=settings.get("TENDER_HOSTS", ""),
    )
    templating.install(app)
    kept_spread.install(app)
    errors.install(app)
    for blueprint in (
        account,
        studies,
        study,
        people,
        encounters,
        plants,
        specimens,
        beside,
        checklists,
        reports,
        ledger,
        full,
        imports,
        reckoning,
        giveback,
        worklist,
        search,
    ):
        app.register_blueprint(blueprint)
    return app


def served_app() -> Flask:
    """The application as a server runs it: with every template read, so that nobody who asks waits for that.

    What templates are made into is kept in the state folder, so that a worker that starts again is soon there.
    """
    app, state = create_app(), os.environ.get("TENDER_STATE", "")
    if state:
        kept = Path(state) / "templates"
        kept.mkdir(mode=0o700, exist_ok=True)
        app.jinja_env.bytecode_cache = FileSystemBytecodeCache(str(kept))
    for name in app.jinja_env.list_templates():
        app.jinja_env.get_template(name)
    return app
