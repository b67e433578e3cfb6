"""Questionnaires: made or brought in, corrected, answered, and what the culture answers."""

from dataclasses import replace

from flask import Response as Answer
from flask import abort, g, request, url_for
from werkzeug.wrappers import Response

from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Purpose
from tender_ledger.core.text import whole_number
from tender_ledger.formats.tables import written
from tender_ledger.operations import questionnaires as operations
from tender_ledger.operations.disclosure.splits import minimum_of
from tender_ledger.operations.errors import Conflict, Refused
from tender_ledger.storage.queries import people
from tender_ledger.storage.queries import reckoned as queries
from tender_ledger.web.reckoning.pages import page_context, page_of, sent_file, table_file
from tender_ledger.web.reckoning.routes import reckoning
from tender_ledger.web.reckoning.views.consensus import consensus_blocks
from tender_ledger.web.reckoning.workings import taken_apart
from tender_ledger.web.shared.answers import Page
from tender_ledger.web.shared.forms import LedgerForm
from tender_ledger.web.shared.mathml import mathml, symbol
from tender_ledger.web.shared.spread import done, opened, spread
from tender_ledger.web.shared.words import gettext as _


@reckoning.get("/questionnaires")
def questionnaires() -> Page:
    """The questionnaires of the study, with the forms that make one."""
    return _questionnaires()


def _questionnaires(refused: dict[str, str] | None = None, status: int = 200) -> Page:
    return page_of("reckoning/questionnaires.html", view="questionnaires", found=queries.questionnaires(g.scope),
                 refused=refused or {}, typed=request.form, status=status)  # fmt: skip


@reckoning.post("/questionnaires")
def make_questionnaire() -> Page:
    """Make a questionnaire, of questions or of a table of answers."""
    alternatives, data = whole_number(request.form.get("alternatives"), 999) or 0, sent_file("file")
    try:
        if data:
            number = operations.bring_answers(
                g.scope, data, title=request.form.get("title", ""), alternatives=alternatives or None
            )
        else:
            number = operations.make_questionnaire(g.scope, title=request.form.get("title", ""), alternatives=alternatives,
                                                 questions=request.form.get("questions", ""))  # fmt: skip
    except Refused as refused:
        return _questionnaires(dict(refused.errors), 422)
    return done(_("The questionnaire is made."), url_for("reckoning.questionnaire", number=number))


@reckoning.get("/questionnaires/<int:number>")
def questionnaire(number: int) -> Page:
    """The answers to a questionnaire, the competences, and where the model fits, the answers of the culture."""
    return _questionnaire(number)


def _questionnaire(number: int, refused: dict[str, str] | None = None, status: int = 200) -> Page:
    found = operations.questionnaire(g.scope, number)
    shown = [{**one, "lines": one["answers"].split("\n")} for one in queries.answers(g.scope, number)]
    known = {one["informant"] for one in shown}
    offered = [one["code"] for one in people.holders(g.scope) if one["code"] not in known]
    analysed = operations.analyse_questionnaire(g.scope, found)
    again = "again" in request.args
    sure = operations.how_sure(g.scope, number, analysed.found, again=again) if analysed.found else None
    content, context = consensus_blocks(analysed, sure), page_context()
    kind, about = opened()
    template, more = taken_apart(content, context["asked"], kind, about) or ("reckoning/_about_view.html", {})
    page = spread("reckoning/questionnaire.html", template, view="questionnaires", one=found, content=content, answers=shown,
                  questions=found["questions"].splitlines(), analysed=analysed, offered=offered, refused=refused or {},
                  typed=request.form, mathml=mathml, symbol=symbol, written=written, **context, **more)  # fmt: skip
    return page, status


@reckoning.post("/questionnaires/<int:number>")
def correct_questionnaire(number: int) -> Page:
    """Word a questionnaire anew, or ask more."""
    try:
        operations.correct_questionnaire(g.scope, number, LedgerForm().seen_version(), title=request.form.get("title", ""),
                                         questions=request.form.get("questions", ""))  # fmt: skip
    except Refused as refused:
        return _questionnaire(number, dict(refused.errors), 422)
    except Conflict:
        return _questionnaire(
            number, {"title": _("Somebody changed the questionnaire meanwhile. Look at it and correct again.")}, 409
        )
    return done(_("The questionnaire is corrected."), url_for("reckoning.questionnaire", number=number))


@reckoning.get("/questionnaires/<int:number>/key.<any(csv, xlsx, html):kind>")
def answer_key(number: int, kind: str) -> Answer:
    """The answers of the culture as a table, over those whose answers may be published; none where the model does not fit."""
    g.member.require(Right.EXPORT)
    found = operations.questionnaire(g.scope, number)
    analysed = operations.analyse_questionnaire(g.scope, found, purpose=Purpose.PUBLISHED)
    if analysed.found is None or not analysed.found.key:
        abort(422, description=_("No key is given.") + f" {analysed.why}")
    if analysed.informants < (least := minimum_of(g.scope)):
        abort(422, description=_("Fewer than %(n)s holders whose answers may be published answered.", n=least))
    block = consensus_blocks(analysed).block("key")
    if block is None or block.table is None:
        abort(404)
    notes = [f"N = {analysed.informants}, L = {found['alternatives']}; {g.scope.day:%-d %B %Y}.",
             "Romney, Weller & Batchelder 1986, Am Anthropol 88:313–338."]  # fmt: skip
    return table_file(replace(block.table, caption=found["title"], notes=notes), kind, "answers")


@reckoning.post("/questionnaires/<int:number>/answers")
def enter_answers(number: int) -> Page:
    """Record what a holder answered."""
    try:
        operations.enter_answers(g.scope, number, request.form.get("informant", ""), request.form.getlist("answer"))
    except Refused as refused:
        return _questionnaire(number, dict(refused.errors), 422)
    except Conflict:
        return _questionnaire(
            number, {"answers": _("Somebody changed these answers meanwhile. Look at them and enter again.")}, 409
        )
    return done(_("The answers are on record."), url_for("reckoning.questionnaire", number=number))


@reckoning.post("/questionnaires/<int:number>/remove")
def remove_questionnaire(number: int) -> Response:
    """Take a questionnaire back, with its answers."""
    operations.remove_questionnaire(g.scope, number, LedgerForm().seen_version())
    return done(_("The questionnaire is taken back."), url_for("reckoning.questionnaires"))
