"""Signing in, signing out, and the list of one's own sessions."""

from flask import Blueprint, current_app, redirect, render_template, request, session, url_for
from flask_login import current_user, login_user, logout_user
from werkzeug.wrappers import Response

from tender_ledger.operations import accounts
from tender_ledger.operations.errors import Refused
from tender_ledger.storage.queries import accounts as account_queries
from tender_ledger.web.account.forms import SignInForm
from tender_ledger.web.security import Viewer

account = Blueprint("account", __name__, template_folder="templates")


@account.route("/sign-in", methods=["GET", "POST"])
def sign_in() -> str | Response | tuple[str, int]:
    """The page that everybody without a session meets, whatever they asked for."""
    form, status = SignInForm(), 200
    if request.method == "POST":
        key = current_app.secret_key
        assert isinstance(key, str)
        try:
            token = accounts.sign_in(
                form.email.data or "",
                form.password.data or "",
                request.remote_addr or "",
                request.user_agent.string,
                key.encode(),
            )
        except Refused as refused:
            form.show(refused)
            status = 422
        else:
            session.clear()  # a token from before the sign-in is worth nothing after it
            session.permanent = True
            person = accounts.signed_in(token)
            assert person is not None
            login_user(Viewer(token, person))
            return redirect(_within(request.args.get("then", "")), 303)
    return render_template("account/sign_in.html", form=form), status


def _within(address: str) -> str:
    """The address if it is one of ours, so that a link can never send somebody elsewhere after signing in."""
    return address if address.startswith("/") and not address.startswith(("//", "/\\")) else url_for("studies.list_studies")


@account.post("/sign-out")
def sign_out() -> Response:
    accounts.end_session(current_user.person_id, token=current_user.token)
    logout_user()
    session.clear()
    return redirect(url_for("account.sign_in"), 303)


@account.get("/account")
def show() -> str:
    """The signed-in person and their open sessions."""
    found = account_queries.sessions_of(current_user.person_id)
    return render_template("account/account.html", sessions=found, this=accounts.session_key(current_user.token))


@account.post("/account/sessions/<key>/end")
def end_session(key: str) -> Response:
    accounts.end_session(current_user.person_id, key=key)
    return redirect(url_for("account.show"), 303)
