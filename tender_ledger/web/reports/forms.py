"""The form that brings a table."""

from flask_wtf.file import FileField
from wtforms import BooleanField

from tender_ledger.operations.importing import TERM_WORDS
from tender_ledger.web.shared.forms import LedgerForm
from tender_ledger.web.shared.words import gettext as _


class ImportForm(LedgerForm):
    reports = FileField(_("The table of reports"), description=_("reports.csv: one row a statement, CSV in UTF-8."))
    informants = FileField(
        _("Everybody interviewed, where there is a list"),
        description=_("informants.csv, the silent too: it fixes N. Without it N is whoever appears in the reports."),
    )
    record = BooleanField(_("may be recorded"))
    count = BooleanField(_("may be counted"))
    show = BooleanField(_("may be shown to members of the study"))
    publish = BooleanField(_("may be published in figures and tables"))
    quote = BooleanField(_("may be published word for word"))
    new_codes = BooleanField(_("Add codes that the study lacks to its own; otherwise their rows fail"))

    def terms(self) -> list[str]:
        """The words of the terms that were ticked."""
        return [word for word in TERM_WORDS if self[word].data]
