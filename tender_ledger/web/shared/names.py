"""The names service that a request asks: that of the study it is about."""

from flask import current_app, g

from tender_ledger.core.names import NamesService
from tender_ledger.operations.study_names import names_of_study


def names_service() -> NamesService:
    return names_of_study(g.scope, current_app.extensions["names_service"])
