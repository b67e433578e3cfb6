"""What the address of the reckoning asks for: rules tried out, whose values, in which order, and which of them are shown."""

from collections.abc import Mapping
from dataclasses import dataclass, fields, replace
from typing import Any

from flask import g, request

from tender_ledger.core.indices.ranking import PER_INFORMANT
from tender_ledger.core.indices.reckoning import Reckoning
from tender_ledger.core.indices.selection import Selection
from tender_ledger.core.presets import PRESETS
from tender_ledger.core.rules import LEVELS, WORDS, CountingRules
from tender_ledger.core.text import whole_number
from tender_ledger.operations import studies
from tender_ledger.operations.vocabularies import choices
from tender_ledger.storage.queries import studies as study_queries
from tender_ledger.web.shared.words import gettext as _

VIEWS = ("plants", "categories", "ladder")
LADDER_INDICES = ("ci", "rfc", "uv", "ur", "fc", "nu")
FILTER = tuple(field.name for field in fields(Selection))
# What a form of the page carries along, so that changing one thing leaves the others.
RULE_KEYS = ("rules", "informants", "basis", "tried", "level", "scheme", "nc", "currency", "stances", "outcomes", *WORDS)
KEPT = ("show", "group", "with", "sort", "index", *FILTER, *RULE_KEYS)
_FIRST_ROWS = 100  # of a table on the page before “show all”


@dataclass(frozen=True)
class Asked:
    """`view` is one of VIEWS; `group` and `beside` are communities ("" for none); `sort` a column, "" for the usual one."""

    in_force: CountingRules
    rules: CountingRules
    view: str
    group: str
    beside: str
    sort: str
    index: str
    selection: Selection

    @property
    def tried_out(self) -> bool:
        return self.rules != self.in_force

    @property
    def groups(self) -> tuple[str, ...]:
        return tuple(code for code in (self.group, self.beside) if code)

    def among(self, reckoned: Mapping[str, Any]) -> "Asked":
        """The same, without a community of which nobody is counted: its values would be those of nobody."""
        group = self.group if self.group in reckoned else ""
        return replace(self, group=group, beside=self.beside if group and self.beside in reckoned else "")


def asked(arguments: Any, communities: Mapping[str, Any], *, view: str = "") -> Asked:
    """Read the address. What names nothing is passed over, but rules are refused as any input is."""
    in_force = studies.rules_in_force(g.scope)
    show = arguments.get("show", "")
    group, beside = (code if (code := arguments.get(name, "")) in communities else "" for name in ("group", "with"))
    view = view or (show if show in VIEWS else "plants")
    index = arguments.get("index", "")
    known = LADDER_INDICES if view == "ladder" else PER_INFORMANT
    selection = Selection(**{name: arguments.get(name, "").strip() for name in FILTER})
    return Asked(
        in_force,
        with_changes(in_force, arguments),
        view,
        group,
        beside if group and beside != group and view != "ladder" else "",
        arguments.get("sort", ""),
        index if index in known else "ci",
        selection,
    )


def with_changes(rules: CountingRules, arguments: Any) -> CountingRules:
    """The rules with what the address or the form changes in them."""
    rules = _named(arguments.get("rules", ""), rules)
    changes: dict[str, Any] = {key: arguments[key] for key in WORDS if key in arguments}
    for key in ("currency", "stances", "outcomes"):
        if key in arguments:
            changes[key] = arguments.getlist(key)
    if arguments.get("scheme"):
        changes["scheme"] = arguments["scheme"]
    if arguments.get("level") in LEVELS:
        changes["level"] = arguments["level"]
    if arguments.get("nc", "").strip():
        number = whole_number(arguments["nc"], 99_999)
        changes["nc"] = arguments["nc"].strip() if number is None else number
    if "informants" in arguments:
        changes["informant_kinds"] = ["holder", "source"] if arguments["informants"] == "sources" else ["holder"]
    if "basis" in arguments or "tried" in arguments:  # a form with no ground ticked is refused, not taken for no change
        changes["basis"] = arguments.getlist("basis")
    return rules.with_(own_bases=studies.own_bases(g.scope) if changes else (), **changes)


def most_rows() -> int | None:
    """How many rows a table has on the page before “show all”; None where all were asked for."""
    return None if request.args.get("rows") == "all" else _FIRST_ROWS


def carried() -> dict[str, Any]:
    """What of the address goes along from view to view: the rules tried out, and the community; read once a request, since every
    number that can be opened asks for it."""
    if "carried" not in g:
        g.carried = {name: request.args.getlist(name) for name in ("group", *RULE_KEYS) if name in request.args}
    return dict(g.carried)


def _named(name: str, otherwise: CountingRules) -> CountingRules:
    """The rules that the address names: `preset-CODE`, or `saved-NUMBER`; what names nothing is passed over."""
    kind, _dash, which = name.partition("-")
    if kind == "preset":
        return next((one.rules for one in PRESETS if one.code == which), otherwise)
    if kind == "saved":
        return next((one.rules for one in studies.saved_rules(g.scope) if str(one.number) == which), otherwise)
    return otherwise


def categories() -> dict[str, Any]:
    """The use categories of the study by code."""
    scheme = study_queries.study(g.scope)["scheme"]
    return {one.code: one for one in choices(g.scope.study_id, "category", scheme)}


def filter_words(selection: Selection, labels: Mapping[str, Mapping[str, str]]) -> str:
    """What is shown, as the end of a sentence: “of Lamiaceae, told for medicines, with the leaf, in Onsmere”."""

    def name(field: str) -> str:
        code = getattr(selection, field)
        return labels[field].get(code, code)

    told = bool(selection.category or selection.part or selection.community)
    words = [
        _("of %(family)s", family=selection.family) if selection.family else "",
        _("told") if told else "",
        _("for %(category)s", category=name("category")) if selection.category else "",
        _("with the %(part)s", part=name("part")) if selection.part else "",
        _("in %(community)s", community=name("community")) if selection.community else "",
    ]
    first = ", ".join(word for word in words[:1] if word)
    rest = " ".join(word for word in words[1:] if word)
    return ", ".join(word for word in (first, rest) if word)


def families(r: Reckoning) -> list[str]:
    """The families of the taxa that were told, for the filter."""
    return sorted({family for family, told in zip(r.family, r.told, strict=True) if told and family})
