"""What a reckoning takes beside reports, and what is kept of one: floras, questionnaires, scores, frozen reckonings."""

from typing import Any

from flask import Response as Answer
from flask import abort, g, render_template, request, url_for
from werkzeug.wrappers import Response

from tender_ledger.core.indices.catalogue import EXPLAINED
from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Purpose
from tender_ledger.formats.tables import Column, Table, table_csv, table_html, table_xlsx
from tender_ledger.operations import freezing, reckoned
from tender_ledger.operations.errors import Conflict, Refused
from tender_ledger.storage.queries import people
from tender_ledger.storage.queries import reckoned as queries
from tender_ledger.web.reckoning.asked import asked, carried
from tender_ledger.web.reckoning.routes import reckoning
from tender_ledger.web.reckoning.views import VIEWS
from tender_ledger.web.shared.act_names import ACTS
from tender_ledger.web.shared.answers import Page
from tender_ledger.web.shared.mathml import mathml, symbol
from tender_ledger.web.shared.rules_sentence import rules_sentence
from tender_ledger.web.shared.spread import done
from tender_ledger.web.shared.words import gettext as _

TABLE_MEDIA = {
    "csv": "text/csv",
    "html": "text/html",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
}


def _page(template: str, *, status: int = 200, **context: Any) -> Page:
    names = people.community_names(g.scope)
    known = {"asked": asked(request.args, names), "carried": carried, "views": VIEWS, "sentence": rules_sentence}
    return render_template(template, **known, **context), status


def _sent(name: str) -> bytes:
    sent = request.files.get(name)
    return sent.read(reckoned.LARGEST_FILE + 1) if sent else b""


def _version() -> int:
    text = request.form.get("version", "")
    return int(text) if text.isascii() and text.isdigit() and len(text) < 9 else 0


@reckoning.post("/floras")
def bring_flora() -> Page:
    """Bring in a flora: a table of families with their numbers of species."""
    g.member.require(Right.IMPORT)
    data = _sent("file")
    try:
        if len(data) > reckoned.LARGEST_FILE:
            raise Refused({"file": _("The table is larger than 2 MB. A line holds a family and its number of species.")})
        number = reckoned.bring_flora(g.scope, data, name=request.form.get("name", ""), cited=request.form.get("cited", ""))
    except Refused as refused:
        return _page("reckoning/flora_refused.html", view="overuse", problems=list(refused.errors.values()), status=422)
    return done(_("The flora is in."), url_for("reckoning.analysis", view="overuse", flora=number))


@reckoning.post("/floras/<int:flora>/remove")
def remove_flora(flora: int) -> Response:
    """Take a flora back."""
    reckoned.remove_flora(g.scope, flora, _version())
    return done(_("The flora is taken back."), url_for("reckoning.analysis", view="overuse"))


@reckoning.post("/scores")
def score_use() -> Response:
    """Score the uses of a plant."""
    g.member.require(Right.SETTLE)
    taxon = request.form.get("taxon", "")
    given = {}
    for category in request.form.getlist("category"):
        scores = [request.form.get(f"{category}-{name}", "") for name in ("management", "preference", "frequency")]
        if all(one in ("1", "2") for one in scores):
            given[category] = (int(scores[0]), int(scores[1]), int(scores[2]))
    try:
        reckoned.score_uses(g.scope, taxon, given)
    except Refused as refused:
        abort(422, description=" ".join(refused.errors.values()))
    return done(_("The scores are on record."), url_for("reckoning.analysis", view="indices", margin=f"csi:composite:{taxon}"))


@reckoning.get("/questionnaires")
def questionnaires() -> Page:
    """The questionnaires of the study, with the forms that make one."""
    return _questionnaires()


def _questionnaires(refused: dict[str, str] | None = None, status: int = 200) -> Page:
    return _page("reckoning/questionnaires.html", view="questionnaires", found=queries.questionnaires(g.scope),
                 refused=refused or {}, typed=request.form, status=status)  # fmt: skip


@reckoning.post("/questionnaires")
def make_questionnaire() -> Page:
    """Make a questionnaire, of questions or of a table of answers."""
    text, data = request.form.get("alternatives", ""), _sent("file")
    alternatives = int(text) if text.isascii() and text.isdigit() and len(text) < 4 else 0
    try:
        if data:
            number = reckoned.bring_answers(g.scope, data, title=request.form.get("title", ""), alternatives=alternatives or None)
        else:
            number = reckoned.make_questionnaire(g.scope, title=request.form.get("title", ""), alternatives=alternatives,
                                                 questions=request.form.get("questions", ""))  # fmt: skip
    except Refused as refused:
        return _questionnaires(dict(refused.errors), 422)
    return done(_("The questionnaire is made."), url_for("reckoning.questionnaire", number=number))


@reckoning.get("/questionnaires/<int:number>")
def questionnaire(number: int) -> Page:
    """The answers to a questionnaire, the competences, and where the model fits, the answers of the culture."""
    return _questionnaire(number)


def _questionnaire(number: int, refused: dict[str, str] | None = None, status: int = 200) -> Page:
    found = reckoned.questionnaire(g.scope, number)
    shown = [{**one, "lines": one["answers"].split("\n")} for one in queries.answers(g.scope, number)]
    known = {one["informant"] for one in shown}
    offered = [one["code"] for one in people.holders(g.scope) if one["code"] not in known]
    return _page("reckoning/questionnaire.html", view="questionnaires", one=found, questions=found["questions"].splitlines(),
                 answers=shown, analysed=reckoned.analyse_questionnaire(g.scope, found), offered=offered, refused=refused or {},
                 typed=request.form, status=status, explained=EXPLAINED, mathml=mathml, symbol=symbol)  # fmt: skip


@reckoning.get("/questionnaires/<int:number>/key.<any(csv, xlsx, html):kind>")
def answer_key(number: int, kind: str) -> Answer:
    """The answers of the culture as a table, over those whose answers may be published; none where the model does not fit."""
    g.member.require(Right.EXPORT)
    found = reckoned.questionnaire(g.scope, number)
    analysed = reckoned.analyse_questionnaire(g.scope, found, purpose=Purpose.PUBLISHED)
    if analysed.found is None or not analysed.found.key:
        abort(422, description=_("No key is given.") + f" {analysed.why}")
    rows = [
        {"question": one.question, "answer": one.answer, "posterior": one.posterior, "majority": one.majority}
        for one in analysed.found.key
    ]
    columns = [Column("question", _("question"), "text"), Column("answer", _("answer"), "text"),
               Column("posterior", _("posterior")), Column("majority", _("plain majority"), "text")]  # fmt: skip
    notes = [f"N = {analysed.informants}, L = {found['alternatives']}; {g.scope.day:%-d %B %Y}.",
             "Romney, Weller & Batchelder 1986, Am Anthropol 88:313–338."]  # fmt: skip
    table = Table("key", found["title"], columns, rows, notes=notes, subject="question")
    body = {"csv": table_csv, "xlsx": table_xlsx, "html": table_html}[kind](table)
    return Answer(body, mimetype=TABLE_MEDIA[kind], headers={"Content-Disposition": f'attachment; filename="answers.{kind}"'})


@reckoning.post("/questionnaires/<int:number>/answers")
def enter_answers(number: int) -> Page:
    """Record what a holder answered."""
    try:
        reckoned.enter_answers(g.scope, number, request.form.get("informant", ""), request.form.getlist("answer"))
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
    reckoned.remove_questionnaire(g.scope, number, _version())
    return done(_("The questionnaire is taken back."), url_for("reckoning.questionnaires"))


@reckoning.get("/frozen")
def list_frozen() -> Page:
    """The frozen reckonings of the study, and the form that freezes the one of the address."""
    return _frozen()


def _frozen(refused: str = "", status: int = 200) -> Page:
    return _page("reckoning/frozen.html", view="frozen", found=queries.frozen(g.scope), refused=refused,
                 typed=request.form.get("name", ""), status=status)  # fmt: skip


@reckoning.post("/frozen")
def freeze() -> Page:
    """Freeze the reckoning by the rules of the address."""
    names = people.community_names(g.scope)
    g.member.require(Right.SET_RULES)
    try:
        number = freezing.freeze_reckoning(g.scope, asked(request.args, names).rules, request.form.get("name", ""))
    except Refused as refused:
        return _frozen(" ".join(refused.errors.values()), 422)
    return done(_("The reckoning is frozen."), url_for("reckoning.open_frozen", number=number))


@reckoning.get("/frozen/<int:number>")
def open_frozen(number: int) -> Page:
    """A frozen reckoning, what moved since, and by what acts."""
    return _page("reckoning/frozen_one.html", view="frozen", opened=freezing.open_frozen(g.scope, number), acts=ACTS)


@reckoning.post("/frozen/<int:number>/remove")
def remove_frozen(number: int) -> Response:
    """Let a frozen reckoning go."""
    freezing.remove_frozen(g.scope, number, _version())
    return done(_("The frozen reckoning is let go."), url_for("reckoning.list_frozen"))
