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
    may_record = BooleanField(_("may be recorded"))
    may_count = BooleanField(_("may be counted"))
    may_show = BooleanField(_("may be shown to members of the study"))
    may_publish = BooleanField(_("may be published in figures and tables"))
    may_quote = BooleanField(_("may be published word for word"))
    new_codes = BooleanField(_("Add codes that the study lacks to its own; otherwise their rows fail"))

    def terms(self) -> list[str]:
        """The words of the terms that were ticked."""
        return [word for word in TERM_WORDS if self[f"may_{word}"].data]
