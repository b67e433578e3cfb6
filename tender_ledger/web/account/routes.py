"""Signing in and out, joining by an invitation, one's own password and sessions."""

import time

import segno
from flask import Blueprint, abort, current_app, flash, redirect, render_template, request, session, url_for
from flask_login import current_user, login_user, logout_user
from markupsafe import Markup
from werkzeug.wrappers import Response

from tender_ledger.operations import accounts, members, second_factor
from tender_ledger.operations.errors import NotFound, Refused
from tender_ledger.storage.queries import accounts as account_queries
from tender_ledger.storage.queries import second_factors
from tender_ledger.web.account.forms import CodeForm, JoinForm, PasswordForm, SignInForm
from tender_ledger.web.security import Viewer, device_cookie, own_path, remember_device
from tender_ledger.web.shared.answers import Page, part_saved
from tender_ledger.web.shared.words import gettext as _
from tender_ledger.web.shared.words import ngettext

_HALFWAY = "halfway"  # in the signed cookie: who had the right password and owes the code
_CODE_WITHIN = 300  # seconds
_TOLD_FROM = 3  # failed attempts: fewer are one's own slips
account = Blueprint("account", __name__, template_folder="templates")


@account.route("/sign-in", methods=["GET", "POST"])
def sign_in() -> Page:
    """The page that everybody without a session meets, whatever they asked for."""
    form, status = SignInForm(), 200
    if request.method == "POST":
        try:
            return _enter(form.email.data or "", form.password.data or "", request.args.get("then", ""))
        except Refused as refused:
            form.show(refused)
            status = 422
    return render_template("account/sign_in.html", form=form), status


def _enter(email: str, password: str, then: str) -> Response:
    """Begin a session of the person, or ask for the code first. Raises Refused for a wrong address or password."""
    device = request.cookies.get(device_cookie(), "")
    admitted = accounts.admit(email, password, request.remote_addr or "", _key(), device)
    session.clear()  # what stood in the cookie before the sign-in is worth nothing after it
    if admitted.needs_code:
        session[_HALFWAY] = {
            "person": admitted.person_id,
            "device": admitted.device,
            "failed": admitted.failed,
            "until": time.time() + _CODE_WITHIN,
        }
        return redirect(url_for("account.sign_in_code", then=then or None), 303)
    return _begin(admitted.person_id, admitted.device, admitted.failed, then)


def _begin(person_id: int, device: str, failed: int, then: str) -> Response:
    token = accounts.begin_session(person_id, device, request.user_agent.string)
    session.permanent = True
    person = accounts.signed_in(token)
    assert person is not None
    login_user(Viewer(token, person))
    remember_device(device)
    if failed >= _TOLD_FROM:
        flash(
            ngettext(
                "%(num)s attempt to sign in as you failed since you last did. If it was not yours, change your password.",
                "%(num)s attempts to sign in as you failed since you last did. If they were not yours, change your password.",
                failed,
            )
        )
    return redirect(own_path(then, url_for("studies.list_studies")), 303)


@account.route("/sign-in/code", methods=["GET", "POST"])
def sign_in_code() -> Page:
    """The code of the second factor, within five minutes of the right password."""
    halfway, form, status = session.get(_HALFWAY), CodeForm(), 200
    if not halfway or halfway["until"] < time.time():
        session.pop(_HALFWAY, None)
        return redirect(url_for("account.sign_in"), 303)
    then = request.args.get("then", "")
    if request.method == "POST":
        try:
            second_factor.check(halfway["person"], form.code.data or "", _key())
        except Refused as refused:
            form.show(refused)
            status = 422
        else:
            session.clear()
            return _begin(halfway["person"], halfway["device"], halfway["failed"], then)
    return render_template("account/code.html", form=form), status


def _key() -> bytes:
    key = current_app.secret_key
    assert isinstance(key, str)
    return key.encode()


@account.post("/sign-out")
def sign_out() -> Response:
    accounts.end_session(current_user.person_id, token=current_user.token)
    logout_user()
    session.clear()
    return redirect(url_for("account.sign_in"), 303)


@account.get("/account")
def show() -> Page:
    """The signed-in person: open sessions, the password, and when somebody signed in or tried to."""
    return _account_page(PasswordForm(formdata=None))


def _account_page(form: PasswordForm, status: int = 200, taking: CodeForm | None = None) -> Page:
    person = current_user.person_id
    return render_template(
        "account/account.html", sessions=account_queries.sessions_of(person), this=accounts.session_key(current_user.token),
        form=form, history=account_queries.signed_in_lately(person), failed=accounts.attempts_on(current_user.person, _key()),
        factor=second_factors.second_factor(person), taking=taking or CodeForm(formdata=None),
    ), status  # fmt: skip


@account.post("/account/second-factor")
def begin_second_factor() -> Page:
    """Make a secret for a code generator and show it this once; a code of it takes it into use."""
    try:
        enrolment = second_factor.begin(current_user.person_id, current_user.email, _key())
    except Refused as refused:
        flash(" ".join(refused.errors.values()))
        return redirect(url_for("account.show"), 303)
    return _enrolment_page(enrolment, CodeForm(formdata=None))


def _enrolment_page(enrolment: second_factor.Enrolment, form: CodeForm) -> Page:
    drawing = segno.make_qr(enrolment.address).svg_inline(scale=4, light="#fff", omitsize=True)
    return render_template("account/second_factor.html", enrolment=enrolment, drawing=Markup(drawing), form=form)  # noqa: S704


@account.post("/account/second-factor/confirm")
def confirm_second_factor() -> Page:
    """Take the secret into use by a code of it; the recovery codes are shown this once."""
    form = CodeForm()
    try:
        codes = second_factor.confirm(current_user.person_id, form.code.data or "", _key())
    except Refused as refused:
        form.show(refused)
        return render_template("account/second_factor.html", enrolment=None, form=form), 422
    return render_template("account/recovery_codes.html", codes=codes)


@account.post("/account/second-factor/remove")
def remove_second_factor() -> Page:
    """Sign in without a second factor from now on."""
    form = CodeForm()
    return part_saved(
        form,
        lambda: second_factor.take_away(current_user.person_id, form.code.data or "", _key()),
        _("The second factor is taken away."),
        url_for("account.show"),
        lambda: _account_page(PasswordForm(formdata=None), 422, taking=form),
    )


@account.post("/account/password")
def change_password() -> Page:
    """Change one's password; every other session of one's own ends."""
    form = PasswordForm()
    return part_saved(
        form,
        lambda: accounts.change_password(
            current_user.person, form.current.data or "", form.new.data or "", token=current_user.token, key=_key()
        ),
        _("The password is changed; everywhere else you are signed out."),
        url_for("account.show"),
        lambda: _account_page(form, 422),
    )


@account.post("/account/sessions/<key>/end")
def end_session(key: str) -> Response:
    accounts.end_session(current_user.person_id, key=key)
    return redirect(url_for("account.show"), 303)


@account.route("/join/<token>", methods=["GET", "POST"])
def join(token: str) -> Page:
    """What an invitation leads to: join as who one is, or as somebody new. A link that is not open leads where any other does."""
    found = members.open_invitation(token)
    if found is None:
        if current_user.is_authenticated:
            abort(404)
        return redirect(url_for("account.sign_in"))
    form = JoinForm()
    if request.method == "GET":
        return render_template("account/join.html", invitation=found, form=form, join_here=request.path)
    try:
        if current_user.is_authenticated:
            code = members.take_invitation(token, current_user.person_id)
        else:
            code = members.join_as_new(
                token, email=form.email.data or "", name=form.name.data or "", password=form.password.data or ""
            )
            return _enter(form.email.data or "", form.password.data or "", url_for("study.cover", study=code))
    except Refused as refused:
        form.show(refused)
        return render_template("account/join.html", invitation=found, form=form, join_here=request.path), 422
    except NotFound:
        return redirect(url_for("account.sign_in"))
    return redirect(url_for("study.cover", study=code), 303)
