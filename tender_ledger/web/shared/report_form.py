"""The slots of a use report, the same for recording and for correcting one."""

from dataclasses import dataclass
from typing import Any

from wtforms import StringField

from tender_ledger.operations.typed_report import TypedReport
from tender_ledger.web.shared.forms import LedgerForm
from tender_ledger.web.shared.words import gettext as _


@dataclass(frozen=True)
class Slot:
    """One labelled slot: `pick` names the list it is picked from, `many` whether several stand in it, `width` of twelve."""

    name: str
    label: str
    width: int
    pick: str = ""
    many: bool = False
    free: bool = False


SLOTS = (
    Slot("informant", _("informant"), 2, "informants"),
    Slot("plant", _("plant"), 3, "plants"),
    Slot("parts", _("part"), 3, "parts", many=True),
    Slot("methods", _("preparation"), 2, "methods", many=True),
    Slot("applications", _("application"), 2, "applications", many=True),
    Slot("category", _("use category"), 2, "categories"),
    Slot("subcategory", _("subcategory"), 3, "subcategories"),
    Slot("purpose", _("use"), 3, "purposes", free=True),
    Slot("basis", _("basis"), 2, "bases"),
    Slot("stage", _("plant stage"), 2, "stages"),
    Slot("note", _("note"), 3),
    Slot("words", _("words as spoken"), 5),
    Slot("start", _("at, min:s"), 2),
    Slot("stance", _("stance (affirms)"), 2, "stances"),
    Slot("outcome", _("outcome (unstated)"), 3, "outcomes"),
    Slot("caution", _("caution told"), 5),
    Slot("name_language", _("language of a new name"), 4, "languages"),
)


class ReportForm(LedgerForm):
    """A report as it is typed."""

    def typed(self) -> TypedReport:
        return TypedReport(**{name: getattr(self, name).data or "" for name in TypedReport.names()})

    def slots(self) -> list[tuple[Slot, Any]]:
        return [(slot, self[slot.name]) for slot in SLOTS]


for _slot in SLOTS:
    setattr(ReportForm, _slot.name, StringField(_slot.label))
