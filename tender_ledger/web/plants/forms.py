"""Forms about plants: met, named, determined."""

from typing import Self

from flask import g
from wtforms import BooleanField, FileField, SelectField
from wtforms.fields.choices import SelectChoice

from tender_ledger.operations.plants import BASES, CONFIDENCES, MANAGEMENT, ORIGINS, QUALIFIERS
from tender_ledger.operations.tellings import LINKS
from tender_ledger.storage.queries import encounters, studies
from tender_ledger.web.shared.forms import LedgerForm, language_choices, options, text
from tender_ledger.web.shared.words import gettext as _


class NameForm(LedgerForm):
    name = text(_("Local name"), _("As it was told, in its own letters."))
    language_id = SelectField(_("Language"))
    dialect_id = SelectField(_("Dialect"), validate_choice=False)
    gloss = text(_("Gloss"), _("What the name says, word for word."))

    def offer(self) -> Self:
        self.language_id.choices = language_choices()
        known = studies.dialects(g.scope)
        self.dialect_id.choices = options(
            [("", _("not said")), *((one["id"], f"{one['name']}, {one['language']}") for one in known)]
        )
        return self


def stage_choices() -> list[SelectChoice]:
    stages = studies.terms(g.scope.study_id, "stage")
    return options([("", _("not said")), *((one["id"], one["label"]) for one in stages)])


class MetForm(LedgerForm):
    """What a plant was like where it was met; nothing has to be known."""

    growth_form = text(_("Growth form"), _("Herb, shrub, tree, climber …"))
    stage_id = SelectField(_("Stage"), validate_choice=False)
    habitat = text(_("Habitat"), _("Where it stood: wet meadow, field edge, by the wall."))
    origin = SelectField(_("Origin"), choices=options(ORIGINS.items()), validate_choice=False)
    management = SelectField(_("Kept"), choices=options(MANAGEMENT.items()), validate_choice=False)
    remarks = text(_("Remarks"), _("Look, smell, what was not seen."))

    def offer(self) -> Self:
        self.stage_id.choices = stage_choices()
        return self


class PlantForm(MetForm, NameForm):
    def offer(self) -> Self:
        NameForm.offer(self)
        return MetForm.offer(self)


class ToldForm(LedgerForm):
    """What somebody told of a plant beside its uses: where, who, in which words."""

    encounter = SelectField(_("Told in"), validate_choice=False)
    informant = text(_("Told by"), _("The code of somebody who told there."))

    def offer(self) -> Self:
        talks = encounters.encounters(g.scope)
        self.encounter.choices = options(
            [("", _("choose")), *((one["number"], f"{one['number']}: {one['title']}") for one in talks)]
        )
        return self


class PropertyForm(ToldForm):
    property = text(_("Property"), _("What it is or does, or what is in it: bitter, draws, milky sap."))
    part = text(_("Part"), _("Open for the whole plant."))
    basis = text(_("Basis"), _("Own practice, hearsay …; open where nothing was said."))
    words = text(_("Words as spoken"))


class LinkForm(ToldForm):
    kind = SelectField(_("This plant is"), choices=options(LINKS.items()), validate_choice=False)
    other = text(_("The other plant"), _("By its field number or a name."))
    words = text(_("Words as spoken"))


class FeatureForm(LedgerForm):
    character = text(_("What was measured"), _("Such as height, leaf length, width of the flower."), list="characters")
    words = text(_("Measure"), _("In any unit, as told or read off: 4–6 mm, knee-high, two and a half feet or so."))


class SpecimenForm(LedgerForm):
    collector = text(_("Collector"))
    number = text(_("Collector’s number"))
    day = text(_("Day"), _("12 May 2026, May 2026, or about 2026; open where it is not known."))
    stage_id = SelectField(_("Stage"), validate_choice=False)
    place = text(_("Place"))
    herbarium = text(_("Herbarium"), _("Where it lies."))
    duplicates = text(_("Duplicates"), _("Where others of the same gathering lie."))

    def offer(self) -> Self:
        self.stage_id.choices = stage_choices()
        return self


PAPERS = {"A4": "A4", "letter": "Letter"}
COPIES = ("1", "2", "3", "4", "5")


class LabelForm(LedgerForm):
    """Asked in the address; the specimens stand as ticks in their table."""

    paper = SelectField(_("Paper"), choices=options(PAPERS.items()))
    copies = SelectField(_("Labels of each"), choices=options((one, one) for one in COPIES))


class ChecklistForm(LedgerForm):
    title = text(_("Title"), _("As the list is cited."))
    edition = text(_("Edition or date"), _("Such as version 4, or May 2026."))
    citation = text(_("Who made it"), _("The reference and licence it asks for."))
    file = FileField(
        _("Taxon file"), description=_("Comma- or tab-separated text under the terms of Darwin Core, at most 20 MB.")
    )


class PictureForm(LedgerForm):
    file = FileField(
        _("Picture"), description=_("JPEG, PNG, WebP or TIFF, at most 20 MB. It is drawn anew without what the camera wrote.")
    )
    caption = text(_("Caption"), _("What is to be seen; no faces without their agreement."))
    with_position = BooleanField(_("keep the position that the camera wrote: it may be told"))


class DeterminationForm(LedgerForm):
    taxon = text(_("Scientific name"), _("A few letters of genus and epithet are enough: pl la."), data_suggest="taxa")
    as_written = BooleanField(_("Keep it as written, marked “not in a checklist”, where the checklist has no such name"))
    family = text(_("Family"), _("Of a name kept as written; open where it is not known."))
    qualifier = SelectField(_("Qualifier"), choices=options((key, label or _("none")) for key, label in QUALIFIERS.items()))
    basis = SelectField(_("Determined from"), choices=options(BASES.items()))
    confidence = SelectField(_("How sure"), choices=options(CONFIDENCES.items()))
    determiner = text(_("Determined by"), _("Left open: you."))
    remarks = text(_("Remarks"))
