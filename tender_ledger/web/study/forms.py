"""The form that sets up a study."""

from tender_ledger.web.shared.forms import LedgerForm, text
from tender_ledger.web.shared.words import gettext as _


class StudyForm(LedgerForm):
    code = text(_("Code"), _("Capital letters, digits, hyphens; it stands in every address of the study."))
    title = text(_("Title"))
    question = text(_("Question of the study"))
    zone = text(_("Time zone"), _("Days begin and end by it, such as UTC or Etc/GMT+3."))
