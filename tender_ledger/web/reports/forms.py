"""Forms of reports: what stands beside a line, and a table that is brought."""

from typing import Self

from flask_wtf.file import FileField
from wtforms import BooleanField, SelectField

from tender_ledger.operations.importing import TERM_WORDS
from tender_ledger.operations.told_in_full import ACTORS, CURRENCIES, HARVEST_EFFECTS, ROLES, TAKERS
from tender_ledger.web.shared.forms import LedgerForm, language_choices, options, source_choices, text
from tender_ledger.web.shared.words import gettext as _


class ImportForm(LedgerForm):
    reports = FileField(
        _("The table of reports"),
        description=_(
            "A sheet as it is kept, XLSX, ODS or CSV; reports.csv; or all tables of an export as one archive. "
            "At most 300,000 rows and 64 MB at once."
        ),
    )
    informants = FileField(
        _("Everybody interviewed, where there is a list"),
        description=_("informants.csv, the silent too: it fixes N. Without it N is whoever appears in the reports."),
    )
    may_record = BooleanField(_("may be recorded"))
    may_count = BooleanField(_("may be counted"))
    may_show = BooleanField(_("may be shown to members of the study"))
    may_publish = BooleanField(_("may be published in aggregate: counts, figures and tables"))
    may_rows = BooleanField(_("may be published row by row: coded, each report by itself, without words"))
    may_quote = BooleanField(_("may be published word for word"))
    new_codes = BooleanField(_("Add codes that the study lacks to its own; otherwise their rows fail"))

    def terms(self) -> list[str]:
        """The words of the terms that were ticked."""
        return [word for word in TERM_WORDS if self[f"may_{word}"].data]


class BesideForm(LedgerForm):
    """What an act on a report carries: its key and the version it was offered at."""


class FullForm(LedgerForm):
    """What may be told of a use beside its line; rows of components, codes, steps, ingredients and teachers come apart."""

    season = text(_("When it is gathered"), _("By month, by a season of theirs, or by what happens: after the first frost."))
    harvest = text(_("How it is gathered"), _("Cut above so that it regrows; some left for the birds; asked before."))
    harvest_effect = SelectField(
        _("What that does to the plant"), choices=options(HARVEST_EFFECTS.items()), validate_choice=False
    )
    dose = text(_("How much"), _("As told: three drops, a rounded spoon, a cup a day."))
    actor = SelectField(_("Who uses it"), choices=options(ACTORS.items()), validate_choice=False)
    taker = SelectField(_("For whom"), choices=options(TAKERS.items()), validate_choice=False)
    phase = text(_("When in the illness"), _("At its onset, after the fever breaks."))
    frequency = text(_("How often"))
    course = text(_("For how long"), _("And what is watched for meanwhile."))
    currency = SelectField(_("In use"), choices=options(CURRENCIES.items()), validate_choice=False)
    attributed_to = text(_("Credited to"), _("The people or person whom the teller credits; it is not counted there."))
    mixture = text(_("Remedy it is part of"), _("One name for the reports of all plants in it."))
    role = SelectField(_("Its part in the remedy"), choices=options(ROLES.items()), validate_choice=False)
    proportion = text(_("Its share"), _("One part in three, equal parts, two handfuls."))
    language_id = SelectField(_("Language of the words"), validate_choice=False)
    cited_id = SelectField(_("Where the teller read it"), validate_choice=False)
    end = text(_("Ends in the recording at, min:s"))

    def offer(self) -> Self:
        self.language_id.choices = language_choices()
        self.cited_id.choices = source_choices()
        return self
