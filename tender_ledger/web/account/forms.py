"""The sign-in form."""

from wtforms import PasswordField, StringField

from tender_ledger.web.shared.forms import LedgerForm
from tender_ledger.web.shared.words import gettext as _


class SignInForm(LedgerForm):
    email = StringField(
        _("E-mail address"), render_kw={"autocomplete": "username", "type": "email", "required": True, "autofocus": True}
    )
    password = PasswordField(_("Password"), render_kw={"autocomplete": "current-password", "required": True})
