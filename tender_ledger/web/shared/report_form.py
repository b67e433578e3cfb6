"""The slots of a use report, the same for recording and for correcting one."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from wtforms import StringField

from tender_ledger.core.limits import longest, sentence_of_length
from tender_ledger.operations.errors import Refused
from tender_ledger.operations.told_in_full import ToldInFull
from tender_ledger.operations.typed_report import TypedReport
from tender_ledger.web.shared.forms import LedgerForm
from tender_ledger.web.shared.report_rows import Rows
from tender_ledger.web.shared.words import gettext as _


@dataclass(frozen=True)
class Slot:
    """One labelled slot: `pick` names the list it is picked from, `many` whether several stand in it, `free` whether
    it takes what is not in the list, `measure` whether a measure is read from what is typed; `width` is of twelve."""

    name: str
    label: str
    width: int
    pick: str = ""
    many: bool = False
    free: bool = False
    measure: bool = False

    @property
    def term(self) -> str:
        """The key of the glossary that explains the label; empty where the label is plain words."""
        return TERM_OF_SLOT.get(self.name, "")

    @property
    def most(self) -> int:
        """How many characters it takes."""
        return longest(self.name)


TERM_OF_SLOT = {
    "applications": "application", "basis": "basis", "category": "category", "caution": "caution", "cited_id": "source",
    "currency": "currency", "dose": "dose", "harvest": "harvest", "informant": "informant", "link_kind": "link",
    "method": "preparation", "methods": "preparation", "mixture": "remedy",
    "other_name": "local_name", "outcome": "outcome", "parts": "part",
    "property": "property", "proportion": "share", "purpose": "use", "role": "role", "season": "season", "stage": "stage",
    "stance": "stance", "subcategory": "subcategory", "teacher": "teaching",
}  # fmt: skip

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


@dataclass(frozen=True)
class Group:
    """Slots of a report beside its line that belong together; `rows` names the kind where there is a row for each."""

    label: str
    slots: tuple[Slot, ...]
    rows: str = ""


GROUPS = (
    Group(_("dose"), (
        Slot("dose", _("dose"), 3, measure=True),
        Slot("frequency", _("how often"), 2),
        Slot("course", _("for how long"), 2, measure=True),
        Slot("phase", _("when in the illness"), 3),
        Slot("taker", _("for whom"), 2, "takers"),
    )),
    Group(_("harvest"), (
        Slot("season", _("season"), 3),
        Slot("harvest", _("how it is gathered"), 5),
        Slot("harvest_effect", _("effect on the plant"), 4, "harvest_effects"),
    )),
    Group(_("steps"), (
        Slot("method", _("preparation"), 2, "methods"),
        Slot("words", _("what is done"), 4),
        Slot("lasts", _("how long"), 2, measure=True),
        Slot("heat", _("how hot"), 2, measure=True),
        Slot("strength", _("how strong"), 2, measure=True),
    ), "steps"),
    Group(_("ingredients"), (
        Slot("words", _("what else goes in"), 5),
        Slot("role", _("role"), 3, "roles"),
        Slot("amount", _("how much"), 4, measure=True),
    ), "ingredients"),
    Group(_("remedy"), (
        Slot("mixture", _("name of the remedy"), 5),
        Slot("role", _("role of this plant"), 3, "roles"),
        Slot("proportion", _("its share"), 4, measure=True),
    )),
    Group(_("its other plants"), (
        Slot("plant", _("plant, a report of its own"), 4, "plants"),
        Slot("parts", _("part"), 3, "parts", many=True),
        Slot("role", _("role"), 2, "roles"),
        Slot("proportion", _("share"), 3, measure=True),
    ), "plants"),
    Group(_("teachers"), (
        Slot("teacher", _("holder or source"), 3, "teachers"),
        Slot("words", _("or in words"), 6),
        Slot("told_when", _("when"), 3, measure=True),
    ), "teachings"),
    Group(_("further codes"), (
        Slot("category", _("use category"), 4, "categories"),
        Slot("subcategory", _("subcategory"), 4, "subcategories"),
        Slot("purpose", _("use"), 4, "purposes", free=True),
    ), "codings"),
    Group(_("components"), (
        Slot("parts", _("part"), 4, "parts", many=True),
        Slot("methods", _("preparation"), 4, "methods", many=True),
        Slot("applications", _("application"), 4, "applications", many=True),
    ), "components"),
    Group(_("of the plant"), (
        Slot("property", _("property told, no use"), 4),
        Slot("link_kind", _("it is"), 3, "links"),
        Slot("link_other", _("to the plant"), 3, "plants"),
        Slot("other_name", _("one more name"), 2),
    )),
    Group(_("source"), (
        Slot("cited_id", _("read in"), 2, "sources"),
        Slot("attributed_to", _("credited to"), 3),
        Slot("currency", _("in use"), 2, "currencies"),
        Slot("language_id", _("language of the words"), 3, "languages"),
        Slot("end", _("ends at, min:s"), 2),
    )),
)  # fmt: skip


class DeskForm(ReportForm):
    """A report as it is typed with all that is told beside its line; rows come apart."""

    def check_lengths(self, rows: Mapping[str, Sequence[Mapping[str, str]]] | None = None) -> None:
        """As of every form, and of the cells of the rows beside the line; theirs are named as they are sent."""
        super().check_lengths()
        cells = (
            (f"{kind}-{at}-{name}", name, text)
            for kind, found in (rows or {}).items()
            for at, row in enumerate(found)
            for name, text in row.items()
        )
        if long := {cell: sentence_of_length(name, len(text)) for cell, name, text in cells if len(text) > longest(name)}:
            raise Refused(long)

    def more(self, rows: Rows) -> ToldInFull:
        """What was typed beside the line, with its rows."""
        values = {slot.name: self[slot.name].data or "" for group in GROUPS if not group.rows for slot in group.slots}
        return ToldInFull(values, rows)


for _group in GROUPS:
    for _slot in _group.slots if not _group.rows else ():
        setattr(DeskForm, _slot.name, StringField(_slot.label))
