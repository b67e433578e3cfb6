"""Forms of setting up a study and of letting people into it."""

from wtforms import SelectField

from tender_ledger.core.rights import Role
from tender_ledger.web.shared.forms import LedgerForm, options, text
from tender_ledger.web.shared.words import gettext as _

ROLES = [(Role.READER, _("reader")), (Role.RECORDER, _("recorder")), (Role.REVIEWER, _("reviewer")), (Role.OWNER, _("owner"))]


class StudyForm(LedgerForm):
    code = text(_("Code"), _("Capital letters, digits, hyphens; it stands in every address of the study."))
    title = text(_("Title"))
    question = text(_("Question of the study"))
    zone = text(_("Time zone"), _("Days begin and end by it, such as UTC or Etc/GMT+3."))


class MemberForm(LedgerForm):
    email = text(_("E-mail address"), _("Of somebody who signs in here already."), type="email")
    role = SelectField(_("Role"), choices=options(ROLES))


class InvitationForm(LedgerForm):
    meant_for = text(_("Meant for"), _("For your own list; the link works for whoever has it."))
    role = SelectField(_("Role"), choices=options(ROLES))
