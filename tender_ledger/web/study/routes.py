"""The studies of a person; a study's cover, its history of acts, and undoing them."""

from flask import Blueprint, g, redirect, render_template, request, url_for
from flask_login import current_user
from werkzeug.wrappers import Response

from tender_ledger.core.rules import CountingRules
from tender_ledger.operations import studies as study_operations
from tender_ledger.operations.history import undo_act
from tender_ledger.storage.queries import accounts, people
from tender_ledger.storage.queries import studies as queries
from tender_ledger.web.shared.answers import Page, form_page
from tender_ledger.web.shared.rules_sentence import rules_sentence
from tender_ledger.web.shared.spread import done
from tender_ledger.web.shared.study_scope import study_blueprint
from tender_ledger.web.shared.words import gettext as _
from tender_ledger.web.study.forms import StudyForm

studies = Blueprint("studies", __name__, template_folder="templates")
study = study_blueprint("study", __name__, "")

# What each operation is called in the history of a study.
ACTS = {
    "create_study": _("set up the study"),
    "set_rules": _("set the counting rules"),
    "add_language": _("added a language"),
    "add_community": _("added a community"),
    "correct_community": _("corrected a community"),
    "add_holder": _("added a holder"),
    "correct_holder": _("corrected a holder"),
    "add_source": _("added a source"),
    "record_agreement": _("recorded an agreement"),
    "withdraw_agreement": _("recorded a withdrawal"),
    "open_encounter": _("opened an encounter"),
    "correct_encounter": _("corrected an encounter"),
    "add_plant": _("added a plant"),
    "name_plant": _("added a local name"),
    "determine_plant": _("determined a plant"),
    "record_report": _("recorded a report"),
    "correct_report": _("corrected a report"),
    "remove_report": _("took a report back"),
    "record_asking": _("recorded that no use was named"),
    "import_table": _("imported a table"),
    "undo_act": _("undid an act"),
}


@studies.get("/")
def list_studies() -> str | Response:
    """The studies one works in; straight on to it where there is only one."""
    found = accounts.studies_of(current_user.person_id)
    if len(found) == 1 and "all" not in request.args:
        return redirect(url_for("study.cover", study=found[0]["code"]))
    return render_template("study/studies.html", studies=found)


@studies.route("/studies/new", methods=["GET", "POST"])
def new() -> Page:
    """Set up a study; whoever does owns it."""
    form = StudyForm(data={"zone": "UTC"})
    return form_page(
        "study/new.html",
        form,
        lambda: study_operations.create_study(current_user.person_id, **form.values()),
        _("The study is set up. Next: its languages, communities and people."),
        lambda: url_for("study.cover", study=(form.code.data or "").strip().upper()),
    )


@study.get("/")
def cover() -> str:
    """What the study asks, where it works, who works on it, how it counts."""
    return render_template(
        "study/cover.html",
        communities=people.communities(g.scope),
        members=queries.members(g.scope),
        counted=rules_sentence(study_operations.rules_in_force(g.scope) or CountingRules()),
        acts=queries.acts(g.scope, limit=6),
        act_names=ACTS,
    )


@study.get("/history")
def history() -> str:
    return render_template("study/history.html", acts=queries.acts(g.scope, limit=200), act_names=ACTS)


@study.post("/history/<int:act>/undo")
def undo(act: int) -> Response:
    """Take an act back, whole; the undo is an act too."""
    undo_act(g.scope, act)
    back = request.form.get("back", "")
    inside = back.startswith(url_for("study.cover"))
    return done(_("Undone."), back if inside else url_for("study.history"))
