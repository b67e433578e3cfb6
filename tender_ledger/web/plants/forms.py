"""Forms about plants: met, named, determined."""

from wtforms import SelectField

from tender_ledger.operations.plants import BASES, CONFIDENCES, QUALIFIERS
from tender_ledger.web.shared.forms import LedgerForm, language_choices, options, text
from tender_ledger.web.shared.words import gettext as _


class NameForm(LedgerForm):
    name = text(_("Local name"), _("As it was told, in its own letters."))
    language_id = SelectField(_("Language"))
    gloss = text(_("Gloss"), _("What the name says, word for word."))

    def offer(self) -> "NameForm":
        self.language_id.choices = language_choices()
        return self


class PlantForm(NameForm):
    growth_form = text(_("Growth form"), _("Herb, shrub, tree, climber …"))
    remarks = text(_("Remarks"), _("Look, habitat, what was not seen."))


class DeterminationForm(LedgerForm):
    taxon = text(_("Scientific name"), _("A few letters of genus and epithet are enough: pl la."), data_suggest="taxa")
    qualifier = SelectField(_("Qualifier"), choices=options((key, label or _("none")) for key, label in QUALIFIERS.items()))
    basis = SelectField(_("Determined from"), choices=options(BASES.items()))
    confidence = SelectField(_("How sure"), choices=options(CONFIDENCES.items()))
    determiner = text(_("Determined by"), _("Left open: you."))
    remarks = text(_("Remarks"))
