"""Forms about holders, communities, languages, sources and agreements."""

from typing import Self

from flask import g
from wtforms import (
    BooleanField,
    DateField,
    FieldList,
    FileField,
    Form,
    FormField,
    SelectField,
    SelectMultipleField,
    TextAreaField,
    widgets,
)
from wtforms.validators import Optional

from tender_ledger.storage.queries import studies
from tender_ledger.web.shared.forms import LedgerForm, community_choices, language_choices, options, text, use_choices
from tender_ledger.web.shared.words import gettext as _

GENDERS = [("unstated", _("not stated")), ("woman", _("woman")), ("man", _("man")), ("other", _("other"))]
CHOSEN = [("unstated", _("not stated")), ("random", _("at random")), ("snowball", _("by snowball")),
          ("purposive", _("on purpose")), ("all", _("everybody"))]  # fmt: skip
FORMS = [("oral", _("spoken")), ("recorded", _("spoken, recorded")), ("written", _("written")), ("witnessed", _("witnessed"))]
REFUSALS = [("quote", _("quoted")), ("publish", _("published")), ("show", _("shown to members")), ("count", _("counted")),
            ("record", _("recorded"))]  # fmt: skip
CREDITS = [("anonymous", _("not named")), ("pseudonym", _("by a pseudonym")), ("named", _("by name"))]
SOURCES = [("book", _("book")), ("article", _("article")), ("chapter", _("chapter")), ("thesis", _("thesis")),
           ("report", _("report")), ("herbarium_label", _("herbarium label")), ("archive_recording", _("archive recording")),
           ("manuscript", _("manuscript")), ("other", _("other"))]  # fmt: skip


class HolderForm(LedgerForm):
    code = text(_("Code"), _("Such as ONS-07. It stands in place of the name everywhere."))
    community_id = SelectField(_("Community"))
    gender = SelectField(_("Gender"), choices=options(GENDERS))
    birth = text(_("Born"), _("A year such as 1956, a decade such as 1950s, or nothing."))
    chosen = SelectField(_("How chosen"), choices=options(CHOSEN))
    occupation = text(_("Occupation"), _("In a word, the same for all who do it: weaver, herder."))
    learned_from = text(_("Learned from"), _("In words, such as: mother’s mother, as a child."))
    years_in_place = text(_("Years in the place"), inputmode="numeric")
    credit = SelectField(_("Wants to be credited"), choices=options(CREDITS))
    pseudonym = text(_("Pseudonym"), _("Only where it is to stand in place of the name."))

    def offer(self) -> "HolderForm":
        self.community_id.choices = community_choices()
        return self


class CommunityForm(LedgerForm):
    code = text(_("Code"), _("Short, in capitals, such as ONS."))
    name = text(_("Name"))
    place = text(_("Place"), _("In words: where it lies and what its people live on."))
    latitude = text(_("Latitude, degrees"), _("Only where it may be told; south is negative."), inputmode="decimal")
    longitude = text(_("Longitude, degrees"), _("West is negative."), inputmode="decimal")
    parent_id = SelectField(_("Lies within"), validate_choice=False)
    protocol = TextAreaField(
        _("Protocol"),
        description=_("How the team behaves there: whom to greet first, what to bring, when not to come."),
        render_kw={"rows": 3},
    )
    languages = SelectMultipleField(
        _("Languages"), option_widget=widgets.CheckboxInput(), widget=widgets.ListWidget(prefix_label=False)
    )
    dialects = SelectMultipleField(
        _("Dialects"), option_widget=widgets.CheckboxInput(), widget=widgets.ListWidget(prefix_label=False)
    )

    def offer(self, own: int = 0) -> "CommunityForm":
        self.languages.choices = language_choices()[1:]
        self.dialects.choices = options((one["id"], f"{one['name']}, {one['language']}") for one in studies.dialects(g.scope))
        self.parent_id.choices = [one for one in community_choices(_("none")) if one.value != str(own)]
        return self


class LanguageForm(LedgerForm):
    code = text(_("Code"), _("Three letters of ISO 639-3; qaa to qtz are for a language without a code."))
    name = text(_("Name"), _("As the study calls it; left open, the name of the standard stands."))


class DialectForm(LedgerForm):
    language_id = SelectField(_("Dialect of"), validate_choice=False)
    name = text(_("Name"))

    def offer(self) -> Self:
        self.language_id.choices = language_choices(_("choose"))
        return self


class SourceForm(LedgerForm):
    code = text(_("Code"), _("Such as HB-1931."))
    kind = SelectField(_("Kind"), choices=options(SOURCES))
    title = text(_("Title"))
    author = text(_("Authors"), _("Family, Given; several parted by semicolons."))
    year = text(_("Year"), _("1964, 1964-05-12, or about 1931."))
    container = text(_("In"), _("The journal, or the book it is a part of."))
    volume = text(_("Volume"))
    issue = text(_("Issue"))
    pages = text(_("Pages"))
    publisher = text(_("Publisher"))
    publisher_place = text(_("Where published"))
    doi = text(_("DOI"))
    url = text(_("Address"))
    archive = text(_("Where it is kept"), _("Herbarium, archive or shelf."))
    note = text(_("Note"))


class ReferencesForm(LedgerForm):
    file = FileField(_("List of references"), description=_("BibTeX, RIS or CSL-JSON."))
    text = TextAreaField(_("or paste it"), render_kw={"rows": 6, "autocomplete": "off"})


class LimitForm(Form):
    """One thing that an agreement leaves out."""

    refuses = SelectField(_("Not to be"), choices=options(REFUSALS), validate_choice=False)
    category = SelectField(_("Uses for"), validate_choice=False)
    plant = text(_("or what is told of plant"), "", placeholder="P-014")


class AgreementForm(LedgerForm):
    agreed_on = DateField(_("Agreed on"))
    form = SelectField(_("How it was given"), choices=options(FORMS))
    may_record = BooleanField(_("may be recorded"))
    may_count = BooleanField(_("may be counted"))
    may_show = BooleanField(_("may be shown to members of the study"))
    may_publish_aggregate = BooleanField(_("may be published in aggregate: counts, figures and tables, no small numbers"))
    may_publish_rows = BooleanField(_("may be published row by row: coded, each report by itself, without words"))
    may_publish_verbatim = BooleanField(_("may be published word for word"))
    may_credit = BooleanField(_("may be credited as the holder wishes"))
    expires_on = DateField(_("Stands until"), description=_("Its last day; open where none was said."), validators=[Optional()])
    limits = FieldList(FormField(LimitForm), min_entries=3, max_entries=30)
    audience = text(_("Who may hear it"), _("Such as: women; those initiated; only in winter."))
    archive = text(_("Archive"), _("Where recordings and notes are kept, and who may open them."))
    reuse = text(_("Use by others"), _("Whether others may work with it, and for what."))
    after_death = text(_("After death"), _("What is to happen then."))
    minors = text(_("Given for a minor by"))

    def offer(self) -> Self:
        for limit in self.limits:
            limit.category.choices = use_choices()
        return self


class RestrictionForm(LedgerForm):
    """What a guardian holds back: one thing of three, and what is not to be done with it."""

    refuses = SelectField(_("Not to be"), choices=options(REFUSALS[:-1]), validate_choice=False)
    category = SelectField(_("Uses for"), validate_choice=False)
    plant = text(_("or what is told of plant"), placeholder="P-014")
    report = text(_("or report number"), inputmode="numeric")
    reason = text(_("Reason"), _("For those who stand for the community after you."))

    def offer(self) -> Self:
        self.category.choices = use_choices()
        return self


class WithdrawalForm(LedgerForm):
    withdrawn_on = DateField(_("Withdrawn on"))


class EraseForm(LedgerForm):
    typed = text(_("The holder’s code once more"))


class NameForm(LedgerForm):
    name = text(_("Real name"), _("Kept encrypted, apart from everything else, and in no export."))
    contact = text(_("How to reach them"), _("Kept with the name, as protected. It takes the place of what was kept before."))


class RevealForm(LedgerForm):
    reason = text(_("Reason"), _("Kept with your name and the moment."))
