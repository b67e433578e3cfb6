"""Signing in and out, joining by an invitation, one's own password and sessions."""

from flask import Blueprint, abort, current_app, flash, redirect, render_template, request, session, url_for
from flask_login import current_user, login_user, logout_user
from werkzeug.wrappers import Response

from tender_ledger.operations import accounts, members
from tender_ledger.operations.errors import NotFound, Refused
from tender_ledger.storage.queries import accounts as account_queries
from tender_ledger.web.account.forms import JoinForm, PasswordForm, SignInForm
from tender_ledger.web.security import Viewer, device_cookie, own_path, remember_device
from tender_ledger.web.shared.answers import Page, part_saved
from tender_ledger.web.shared.words import gettext as _
from tender_ledger.web.shared.words import ngettext

_TOLD_FROM = 3  # failed attempts: fewer are one's own slips
account = Blueprint("account", __name__, template_folder="templates")


@account.route("/sign-in", methods=["GET", "POST"])
def sign_in() -> str | Response | tuple[str, int]:
    """The page that everybody without a session meets, whatever they asked for."""
    form, status = SignInForm(), 200
    if request.method == "POST":
        try:
            _enter(form.email.data or "", form.password.data or "")
        except Refused as refused:
            form.show(refused)
            status = 422
        else:
            return redirect(own_path(request.args.get("then", ""), url_for("studies.list_studies")), 303)
    return render_template("account/sign_in.html", form=form), status


def _enter(email: str, password: str) -> None:
    """Begin a session of the person, and know the device from now on. Raises Refused for a wrong address or password."""
    entry = accounts.sign_in(
        email, password, request.remote_addr or "", request.user_agent.string, _key(), request.cookies.get(device_cookie(), "")
    )
    session.clear()  # a token from before the sign-in is worth nothing after it
    session.permanent = True
    person = accounts.signed_in(entry.token)
    assert person is not None
    login_user(Viewer(entry.token, person))
    remember_device(entry.device)
    if entry.failed >= _TOLD_FROM:
        flash(
            ngettext(
                "%(num)s attempt to sign in as you failed since you last did. If it was not yours, change your password.",
                "%(num)s attempts to sign in as you failed since you last did. If they were not yours, change your password.",
                entry.failed,
            )
        )


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


def _account_page(form: PasswordForm, status: int = 200) -> Page:
    person = current_user.person_id
    return render_template(
        "account/account.html", sessions=account_queries.sessions_of(person), this=accounts.session_key(current_user.token),
        form=form, history=account_queries.signed_in_lately(person), failed=accounts.attempts_on(current_user.person, _key()),
    ), status  # fmt: skip


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
            _enter(form.email.data or "", form.password.data or "")
    except Refused as refused:
        form.show(refused)
        return render_template("account/join.html", invitation=found, form=form, join_here=request.path), 422
    except NotFound:
        return redirect(url_for("account.sign_in"))
    return redirect(url_for("study.cover", study=code), 303)
