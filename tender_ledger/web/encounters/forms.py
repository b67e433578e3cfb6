"""The form of an encounter; the slots of a report are shared."""

from collections.abc import Mapping
from typing import Any

from flask import g
from wtforms import SelectField, SelectMultipleField, TextAreaField, widgets

from tender_ledger.operations.encounters import KINDS
from tender_ledger.operations.errors import number_of
from tender_ledger.storage.queries import people
from tender_ledger.web.shared.forms import LedgerForm, community_choices, language_choices, options, text
from tender_ledger.web.shared.forms import text as text_field
from tender_ledger.web.shared.words import gettext as _


def _ticks(label: str) -> SelectMultipleField:
    return SelectMultipleField(label, option_widget=widgets.CheckboxInput(), widget=widgets.ListWidget(prefix_label=False))


class EncounterForm(LedgerForm):
    kind = SelectField(_("Kind"), choices=options(KINDS.items()))
    title = text(_("Title"), _("By which you will know it again: Walk to the spring."))
    day = text(_("Day"), _("12 May 2026, May 2026, about 2026, or 2026-05-12."))
    community_id = SelectField(_("Community"))
    language_id = SelectField(_("Language spoken"))
    interpreter = text(_("Interpreter"))
    place = text(_("Place"), _("In words: by the spring above the ford."))
    latitude = text(_("Latitude, degrees"), _("Where it may be told; south is negative."), inputmode="decimal")
    longitude = text(_("Longitude, degrees"), _("West is negative."), inputmode="decimal")
    informants = _ticks(_("Who told"))
    present = _ticks(_("Present, did not tell"))
    communities: Mapping[str, str] = {}  # the community of everybody who is offered

    def offer(self) -> "EncounterForm":
        met = [*people.holders(g.scope), *people.sources(g.scope)]
        known = options((one["informant_id"], one["code"]) for one in met)
        self.communities = {str(one["informant_id"]): str(one.get("community_id") or "") for one in met}
        self.community_id.choices, self.language_id.choices = community_choices(), language_choices()
        self.informants.choices = self.present.choices = known
        return self

    def there(self) -> list[tuple[int, str]]:
        """Who was there as (informant, part); whoever told was not merely present."""
        told = [number_of(one, "informants", _("Choose from those recorded.")) for one in self.informants.data or []]
        there = [number_of(one, "present", _("Choose from those recorded.")) for one in self.present.data or []]
        silent = [one for one in there if one not in told]
        return [*((one, "teller") for one in told), *((one, "present") for one in silent)]

    def record(self) -> dict[str, Any]:
        return {name: value for name, value in self.values().items() if name not in ("informants", "present")}


class ListForm(LedgerForm):
    """A free list as it was said, one name a line."""

    informant = text_field(_("Who named them"), _("By code."), list="tellers")
    text = TextAreaField(_("Names, one a line"), description=_("In the order in which they were named, twice where one was."),
                         render_kw={"rows": 10, "autocomplete": "off"})  # fmt: skip
