"""The studies of a person; a study's cover, its members, its history of acts, and undoing them."""

from flask import Blueprint, abort, g, redirect, render_template, request, url_for
from flask_login import current_user
from werkzeug.wrappers import Response

from tender_ledger.core.rights import Right
from tender_ledger.core.rules import CountingRules
from tender_ledger.core.text import whole_number
from tender_ledger.operations import clock, second_factor
from tender_ledger.operations import members as member_operations
from tender_ledger.operations import permits as permit_operations
from tender_ledger.operations import schemes as scheme_operations
from tender_ledger.operations import studies as study_operations
from tender_ledger.operations.desk_of_day import SOON, desk_of_day
from tender_ledger.operations.errors import Conflict, Refused
from tender_ledger.operations.glossary import field_terms, index_terms
from tender_ledger.operations.history import undo_act
from tender_ledger.operations.members import INVITED_FOR
from tender_ledger.operations.told_in_full import schemes_of
from tender_ledger.storage.queries import accounts, people, second_factors
from tender_ledger.storage.queries import acts as act_queries
from tender_ledger.storage.queries import members as member_queries
from tender_ledger.storage.queries import studies as studies_queries
from tender_ledger.storage.queries.past_counts import counts_noted
from tender_ledger.web.security import own_path, public_link
from tender_ledger.web.shared.act_names import ACTS
from tender_ledger.web.shared.answers import Page, form_page, part_saved
from tender_ledger.web.shared.chosen import WAYS
from tender_ledger.web.shared.forms import LedgerForm
from tender_ledger.web.shared.mathml import mathml
from tender_ledger.web.shared.paging import PAGE
from tender_ledger.web.shared.rules_sentence import rules_sentence
from tender_ledger.web.shared.spread import done, spread
from tender_ledger.web.shared.study_scope import study_blueprint
from tender_ledger.web.shared.words import gettext as _
from tender_ledger.web.study.changes import ENTITIES, subject, told_changes
from tender_ledger.web.study.forms import PERMITS, CategoryForm, ChosenForm, InvitationForm, MemberForm, PermitForm, StudyForm

studies = Blueprint("studies", __name__, template_folder="templates")
_MOST_PAGES = 1_000_000  # of the history; an offset beyond them is none
study = study_blueprint("study", __name__, "")


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


@study.get("/glossary")
def glossary() -> str:
    """What the terms on the screens mean, each with its formula or source."""
    return render_template("study/glossary.html", of_field=field_terms(), of_indices=index_terms(), mathml=mathml)


@study.get("/")
def cover() -> str:
    """The desk of the day: what waits, what was left off, what ends soon; and what the study asks, where, and how it counts."""
    with counts_noted(past_allowed=True, by_others=True):
        desk = desk_of_day(g.scope)
    return render_template(
        "study/cover.html",
        desk=desk,
        soon=SOON,
        communities=people.communities(g.scope),
        members=member_queries.members(g.scope),
        counted=rules_sentence(study_operations.rules_in_force(g.scope) or CountingRules()),
        permits=studies_queries.permits(g.scope),
        permit_kinds=dict(PERMITS),
        chosen=studies_queries.choice_of_holders(g.scope),
        ways=dict(WAYS),
        acts=act_queries.acts(g.scope, limit=6),
        act_names=ACTS,
    )


@study.get("/permits")
def permits() -> Page:
    """What allows the study to work, and how it came to its holders."""
    return _permits_page()


def _permits_page(*, recording: PermitForm | None = None, choosing: ChosenForm | None = None, status: int = 200) -> Page:
    chosen = studies_queries.choice_of_holders(g.scope)
    if choosing is None:
        choosing = ChosenForm(formdata=None)
        choosing.fill(chosen or {})
    return spread(
        "study/permits.html", "study/_about_permits.html", permits=studies_queries.permits(g.scope), permit_kinds=dict(PERMITS),
        chosen=chosen, ways=dict(WAYS), recording=recording or PermitForm(formdata=None), choosing=choosing,
    ), status  # fmt: skip


@study.post("/permits")
def record_permit() -> Page:
    form = PermitForm()
    return part_saved(
        form,
        lambda: permit_operations.record_permit(g.scope, form.values()),
        _("The permit is recorded."),
        url_for("study.permits"),
        lambda: _permits_page(recording=form, status=422),
    )


@study.route("/permits/<int:permit>/correct", methods=["GET", "POST"])
def correct_permit(permit: int) -> Page:
    g.member.require(Right.ADMINISTER)
    found = next((one for one in studies_queries.permits(g.scope) if one["id"] == permit), None)
    if found is None:
        abort(404)
    form = PermitForm()
    if request.method == "GET":
        form.fill(found)
    return form_page(
        "study/permit_form.html",
        form,
        lambda: permit_operations.correct_permit(g.scope, permit, form.seen_version(), form.values()),
        _("Corrected."),
        lambda: url_for("study.permits"),
    )


@study.post("/chosen")
def say_choice() -> Page:
    """Say how the study came to its holders."""
    form = ChosenForm()
    try:
        permit_operations.say_choice_of_holders(
            g.scope, form.seen_version(), way=form.way.data or "", words=form.words.data or ""
        )
    except Refused as refused:
        form.show(refused)
        return _permits_page(choosing=form, status=422)
    except Conflict as stale:
        form.version.data = str(stale.version)
        form.form_errors.append(
            _("Somebody said it meanwhile; what stands now is above. Send yours again to put it in its place.")
        )
        return _permits_page(choosing=form, status=409)
    return done(_("Recorded; it stands beside the numbers from now on."), url_for("study.permits"))


@study.get("/schemes")
def schemes() -> Page:
    """The schemes that uses are coded by, and the study's own."""
    return _schemes_page()


def _schemes_page(adding: CategoryForm | None = None, status: int = 200) -> Page:
    shown = []
    for scheme in schemes_of(g.scope):
        below = studies_queries.terms(g.scope.study_id, "subcategory", scheme)
        categories = studies_queries.terms(g.scope.study_id, "category", scheme)
        shown.append((scheme, [(one, [sub for sub in below if sub["parent_id"] == one["id"]]) for one in categories]))
    form = adding or CategoryForm(formdata=None)
    own = studies_queries.terms(g.scope.study_id, "category", scheme_operations.OWN)
    form.within.choices = [("", _("a category of its own")), *((str(one["id"]), one["label"]) for one in own)]
    return render_template("study/schemes.html", schemes=shown, own=scheme_operations.OWN, adding=form), status


@study.post("/schemes")
def add_category() -> Page:
    form = CategoryForm()
    return part_saved(
        form,
        lambda: scheme_operations.add_category(g.scope, form.label.data or "", form.within.data or ""),
        _("The category is added; reports can be coded by it where they stand in full."),
        url_for("study.schemes"),
        lambda: _schemes_page(form, 422),
    )


@study.get("/members")
def members() -> Page:
    """Who works in the study and as what, and the invitations."""
    return _members_page()


def _members_page(*, adding: MemberForm | None = None, inviting: InvitationForm | None = None, link: str = "",
                  status: int = 200) -> Page:  # fmt: skip
    g.member.require(Right.ADMINISTER)
    return spread(
        "study/members.html", "study/_roles.html", members=member_queries.members(g.scope),
        invitations=member_queries.invitations(g.scope, clock.now()), adding=(adding or MemberForm(formdata=None)).offer(),
        inviting=(inviting or InvitationForm(formdata=None)).offer(), link=link, days=INVITED_FOR.days,
        signing_in=second_factors.sign_in_rule(g.scope),
    ), status  # fmt: skip


@study.post("/members/second-factor")
def ask_second_factor() -> Page:
    """Say whether the owners of the study need a second factor."""
    needed, version = request.form.get("needed") == "y", LedgerForm().seen_version()
    try:
        second_factor.ask_owners(g.scope, version, needed=needed)
    except Refused as refused:
        form = MemberForm(formdata=None)
        form.form_errors.extend(refused.errors.values())
        return _members_page(adding=form, status=422)
    said = _("Owners need a second factor from now on.") if needed else _("Owners need no second factor any more.")
    return done(said, url_for("study.members"))


@study.post("/members")
def add_member() -> Page:
    """Give somebody who signs in here a role."""
    form = MemberForm()
    return part_saved(
        form,
        lambda: member_operations.add_member(g.scope, form.email.data or "", form.role.data or "", form.community_id.data or ""),
        _("They are in."),
        url_for("study.members"),
        lambda: _members_page(adding=form, status=422),
    )


@study.post("/members/<int:membership>/remove")
def remove_role(membership: int) -> Page:
    """Take a role away; whose last one it was is out of the study at once."""
    try:
        member_operations.remove_role(g.scope, membership, InvitationForm().seen_version())
    except Refused as refused:
        form = MemberForm(formdata=None)
        form.form_errors = list(refused.errors.values())
        return _members_page(adding=form, status=422)
    still = accounts.member_of(current_user.person_id, g.study_code)  # one may have taken one's own
    there = "studies.list_studies" if still is None else "study.members" if still.may(Right.ADMINISTER) else "study.cover"
    return done(_("The role is taken away."), url_for(there))


@study.post("/invitations")
def invite() -> Page:
    """Make an invitation and show its link, in this answer alone."""
    form = InvitationForm()
    try:
        token = member_operations.invite(g.scope, form.role.data or "", form.meant_for.data or "", form.community_id.data or "")
    except Refused as refused:
        form.show(refused)
        return _members_page(inviting=form, status=422)
    return _members_page(link=public_link("account.join", token=token))


@study.post("/invitations/<int:invitation>/revoke")
def revoke(invitation: int) -> Page:
    """Close an invitation that nobody took."""
    member_operations.revoke_invitation(g.scope, invitation)
    return done(_("The link leads nowhere any more."), url_for("study.members"))


@study.get("/history")
def history() -> str:
    """The acts of the study, the latest first, a hundred on a page."""
    number = min(max(whole_number(request.args.get("page")) or 1, 1), _MOST_PAGES)
    first = (number - 1) * PAGE
    found = act_queries.acts(g.scope, limit=PAGE + 1, offset=first)
    return render_template(
        "study/history.html",
        acts=found[:PAGE],
        number=number,
        first=first + 1,
        goes_on=len(found) > PAGE,
        act_names=ACTS,
    )


@study.get("/history/<entity>/<int:record>")
def record_history(entity: str, record: int) -> str:
    """Every change of one record, with what was before and after."""
    if entity == "membership":
        g.member.require(Right.ADMINISTER)
    history = act_queries.record_history(g.scope, entity, record) if entity in ENTITIES else []
    if not history:
        abort(404)
    last = next(one for one in reversed(history) if one["entity"] == entity)
    name, page = subject(g.scope, entity, record, last["after"] or last["before"])
    return render_template(
        "study/record_history.html", changes=told_changes(g.scope, history), what=ENTITIES[entity], name=name,
        page=page if last["after"] else "", act_names=ACTS,
        parts={one["entity"] for one in history} != {entity},
    )  # fmt: skip


@study.post("/history/<int:act>/undo")
def undo(act: int) -> Response:
    """Take an act back, whole; the undo is an act too."""
    undo_act(g.scope, act)
    back = own_path(request.form.get("back", ""), "")
    inside = back.startswith(url_for("study.cover"))
    return done(_("Undone."), back if inside else url_for("study.history"))
