"""Who is asking, and what a page may load: sessions as rows, tokens against forged requests, a strict content policy."""

from typing import Any
from urllib.parse import urlsplit

from flask import Flask, Response, after_this_request, current_app, redirect, request, session, url_for
from flask_login import LoginManager, UserMixin, current_user
from flask_talisman import Talisman
from flask_wtf.csrf import CSRFProtect
from werkzeug.middleware.proxy_fix import ProxyFix
from werkzeug.wrappers import Response as AnyResponse

from tender_ledger.operations import accounts
from tender_ledger.web.shared.spread import is_htmx

# An invitation is opened by its link alone; one that is not open sends on to the sign-in page by itself.
_PUBLIC = frozenset({"account.sign_in", "account.sign_in_code", "account.join", "static", "health", "ready"})
_POLICY = {
    "default-src": "'none'",
    "script-src": "'self'",
    "style-src": "'self'",
    "font-src": "'self'",
    "img-src": "'self'",
    "connect-src": "'self'",
    "form-action": "'self'",
    "frame-ancestors": "'none'",
    "base-uri": "'none'",
}


_LOOPBACK = ("localhost", "127.0.0.1", "[::1]")


class Viewer(UserMixin):
    """The signed-in person; the session row's token is the identity that the cookie carries, signed."""

    def __init__(self, token: str, person: accounts.SignedIn) -> None:
        self.token, self.person = token, person
        self.person_id, self.name, self.email = person.id, person.name, person.email

    def get_id(self) -> str:
        return self.token


def install(app: Flask, *, public: str, proxies: int, hosts: str = "") -> None:
    """Set cookies, headers, whom requests may call us, and the sign-in requirement.

    `public` is the address people use, https or not; `hosts` are further names for it, separated by commas. Loopback is always
    among them. A request for any other host is answered 400.
    """
    at = urlsplit(public)
    if public and (at.scheme not in ("http", "https") or not at.hostname):
        raise ValueError(f"TENDER_PUBLIC is “{public}”, which is no address. Write it as https://ledger.example.")
    secure = at.scheme == "https"
    named = [at.hostname or "", *(name.strip() for name in hosts.split(","))]
    app.config.update(
        PUBLIC_ADDRESS=public.rstrip("/") or "http://localhost",
        TRUSTED_HOSTS=[*_LOOPBACK, *filter(None, named)],
        SESSION_COOKIE_NAME="__Host-tender" if secure else "tender",
        SESSION_COOKIE_HTTPONLY=True,
        SESSION_COOKIE_SAMESITE="Lax",
        SESSION_COOKIE_SECURE=secure,
        SESSION_COOKIE_PATH="/",
        PERMANENT_SESSION_LIFETIME=30 * 24 * 3600,
        WTF_CSRF_TIME_LIMIT=None,  # the token lives as long as the session; a form left open overnight still saves
    )
    if proxies:
        app.wsgi_app = ProxyFix(app.wsgi_app, x_for=proxies, x_proto=proxies, x_host=proxies)  # type: ignore[method-assign]
    login = LoginManager(app)
    login.session_protection = None  # the token is in a row that can be ended; a phone changes its address all day
    login.user_loader(_load_viewer)
    app.before_request(_require_sign_in)
    CSRFProtect(app)
    Talisman(
        app,
        content_security_policy=_POLICY,
        force_https=False,
        strict_transport_security=secure,
        session_cookie_secure=secure,
        session_cookie_samesite="Lax",
        referrer_policy="same-origin",
        frame_options="DENY",
    )
    app.after_request(_private)


def device_cookie() -> str:
    """The name of the cookie by which a device is known on which somebody signed in before."""
    return f"{current_app.config['SESSION_COOKIE_NAME']}-device"


def remember_device(token: str) -> None:
    """Have the answer to this request set the cookie of the device."""

    @after_this_request
    def _set(response: Response) -> Response:
        response.set_cookie(
            device_cookie(),
            token,
            max_age=365 * 24 * 3600,
            path="/",
            httponly=True,
            samesite="Lax",
            secure=current_app.config["SESSION_COOKIE_SECURE"],
        )
        return response


def public_link(endpoint: str, **values: Any) -> str:
    """A link to be sent to somebody: at the address that is configured, whatever the request called us."""
    return f"{current_app.config['PUBLIC_ADDRESS']}{url_for(endpoint, **values)}"


def own_path(address: str, otherwise: str) -> str:
    """The address if it is a path of ours, so that a link never sends anybody elsewhere.

    Browsers take backslashes for slashes and pass over tabs and line ends, so whatever holds one is no path of ours.
    """
    odd = any(letter <= " " or letter in "\\\x7f" for letter in address)
    return address if address.startswith("/") and not address.startswith("//") and not odd else otherwise


def _load_viewer(token: str) -> Viewer | None:
    person = accounts.signed_in(token)
    return Viewer(token, person) if person else None


def _require_sign_in() -> AnyResponse | None:
    """Without a session every address answers the same, whether there is something behind it or not."""
    if request.endpoint in _PUBLIC or current_user.is_authenticated:
        return None
    session.pop("_user_id", None)
    there = url_for("account.sign_in", then=request.full_path.rstrip("?") if request.method == "GET" else None)
    if is_htmx():
        return Response(status=401, headers={"HX-Redirect": there})
    return redirect(there)


def _private(response: Response) -> Response:
    """Pages hold what people told in confidence: nothing in between may keep them."""
    if request.endpoint != "static":
        response.headers.setdefault("Cache-Control", "no-store")
    return response
