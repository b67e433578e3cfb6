"""Forms of signing in, of joining, of one's own password and second factor."""

from wtforms import PasswordField, StringField

from tender_ledger.web.shared.forms import LedgerForm
from tender_ledger.web.shared.words import gettext as _


class SignInForm(LedgerForm):
    email = StringField(
        _("E-mail address"), render_kw={"autocomplete": "username", "type": "email", "required": True, "autofocus": True}
    )
    password = PasswordField(_("Password"), render_kw={"autocomplete": "current-password", "required": True})


class CodeForm(LedgerForm):
    code = StringField(
        _("Code"),
        description=_("Six digits from your code generator, or a recovery code."),
        render_kw={"autocomplete": "one-time-code", "required": True, "autofocus": True},
    )


class PasswordForm(LedgerForm):
    current = PasswordField(_("Present password"), render_kw={"autocomplete": "current-password", "required": True})
    new = PasswordField(
        _("New password"),
        description=_("At least twelve characters; a short sentence is a good one."),
        render_kw={"autocomplete": "new-password", "required": True},
    )


class JoinForm(LedgerForm):
    email = StringField(_("E-mail address"), render_kw={"autocomplete": "username", "type": "email", "required": True})
    name = StringField(
        _("Name"), description=_("As the others of the study read it."), render_kw={"autocomplete": "name", "required": True}
    )
    password = PasswordField(
        _("Password"),
        description=_("At least twelve characters; a short sentence is a good one."),
        render_kw={"autocomplete": "new-password", "required": True},
    )
