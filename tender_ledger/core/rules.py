"""Counting rules: the named set of choices that turns reports into a tally."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

from tender_ledger.core.messages import InputRefused, Problem

BASES = ("own", "patient", "witnessed", "taught", "community", "hearsay", "read", "historical", "laboratory",
         "animal_study", "human_trial", "study_unspecified", "regulation", "unstated")  # fmt: skip
STANCES = ("affirms", "denies", "declines", "untried")
OUTCOMES = ("helped", "none", "harmed", "unstated")
ACTORS = ("people", "animal")
COUNTED_ACTORS = ("people",)  # what an animal does of itself is noted and no use: no rule counts it
CURRENCIES = ("current", "former", "remembered", "unstated")
KINDS = ("holder", "source")


@dataclass(frozen=True)
class CountingRules:
    """Every choice of the use-report table's rules. The defaults are the defaults of the format."""

    unit: str = "category"
    level: str | tuple[tuple[str, str], ...] = "category"
    secondary_codes: str = "ignore"
    basis: tuple[str, ...] = ("own", "patient", "witnessed", "taught", "community", "historical", "unstated")
    stances: tuple[str, ...] = ("affirms",)
    outcomes: tuple[str, ...] = ("helped", "none", "unstated")
    actors: tuple[str, ...] = COUNTED_ACTORS
    informant_kinds: tuple[str, ...] = ("holder",)
    mixtures: str = "each"
    undetermined: str = "drop"
    genus_level: str = "own_taxon"
    qualified: str = "as_taxon"
    infraspecific: str = "lump"
    scheme: str | None = None
    currency: tuple[str, ...] = CURRENCIES
    n: str = "roster"
    nc: int | None = None
    communities: tuple[str, ...] | None = None
    repeat: str = "once"
    resample: str = "all"

    def to_json(self) -> dict[str, Any]:
        """The rules as the JSON of the format; `parse_rules` reads it back to an equal value."""
        body = {key: list(value) if isinstance(value, tuple) else value for key, value in asdict(self).items()}
        return body if isinstance(self.level, str) else {**body, "level": dict(self.level)}

    def level_of(self, category: str) -> str:
        """Whether reports of a category are counted by the `category` or by its `subcategory`."""
        return self.level if isinstance(self.level, str) else dict(self.level).get(category, "category")

    def with_(self, *, own_bases: Sequence[str] = (), **changes: Any) -> "CountingRules":
        """The same rules with some choices changed, checked like any input; grounds that these rules count already may stay."""
        return parse_rules({**self.to_json(), **changes}, own_bases=(*own_bases, *self.basis))


LEVELS = ("category", "subcategory")
WORDS: dict[str, tuple[str, ...]] = {
    "unit": ("category", "use", "use_part"),
    "secondary_codes": ("ignore", "count"),
    "mixtures": ("each", "all_roles", "drop", "own_taxon", "share"),
    "undetermined": ("drop", "each_own", "lump"),
    "genus_level": ("own_taxon", "merge_if_single", "drop"),
    "qualified": ("as_taxon", "own_taxon", "drop"),
    "infraspecific": ("lump", "own_taxon"),
    "n": ("roster", "reporting"),
    "repeat": ("once", "each_event"),
    "resample": ("all", "within_community"),
}
_LISTS: dict[str, tuple[str, ...]] = {
    "basis": BASES,
    "stances": STANCES,
    "outcomes": OUTCOMES,
    "actors": COUNTED_ACTORS,
    "informant_kinds": KINDS,
    "currency": CURRENCIES,
}
# The short form of outcomes that earlier rules have.
NO_EFFECT = {"count": ("helped", "none", "unstated"), "leave_out": ("helped", "unstated")}
KEYS = (*WORDS, *_LISTS, "level", "scheme", "nc", "communities", "no_effect")


def parse_rules(body: Mapping[str, Any], *, own_bases: Sequence[str] = ()) -> CountingRules:
    """Read rules from the JSON of the format; keys that are left out take their default.

    `own_bases` are grounds that a study has beside those of the format; they count only where the rules list them.

    Raises InputRefused with every problem: an unknown key, or an unknown value, naming the allowed ones.
    """
    if not isinstance(body, Mapping):
        raise InputRefused(Problem("Counting rules are one JSON object.", found=type(body).__name__))
    problems: list[Problem] = []
    values: dict[str, Any] = {}
    try:
        body = _in_full(body)
    except InputRefused as refused:
        problems += refused.problems
    for key, value in body.items():
        if key == "no_effect":
            continue
        try:
            values[key] = _reader(key, own_bases)(key, value)
        except InputRefused as refused:
            problems += refused.problems
    if problems:
        raise InputRefused(*problems)
    return CountingRules(**values)


def _in_full(body: Mapping[str, Any]) -> Mapping[str, Any]:
    """The rules with `outcomes` in place of its short form `no_effect`. Raises InputRefused where both stand there and differ."""
    if "no_effect" not in body:
        return body
    rest, short = {key: value for key, value in body.items() if key != "no_effect"}, body["no_effect"]
    if not isinstance(short, str) or short not in NO_EFFECT:
        raise InputRefused(_unknown("no_effect", short, tuple(NO_EFFECT)))
    outcomes = rest.setdefault("outcomes", list(NO_EFFECT[short]))
    if set(outcomes) != set(NO_EFFECT[short]):
        raise InputRefused(
            Problem(
                "This is short for outcomes, and both stand here.",
                "rules.no_effect",
                short,
                f"outcomes {', '.join(NO_EFFECT[short])}, or outcomes alone",
            )
        )
    return rest


def _reader(key: str, own_bases: Sequence[str]) -> Callable[[str, Any], Any]:
    if key in WORDS:
        return _word
    if key in _LISTS:
        allowed = (*_LISTS[key], *(own for own in own_bases if own not in BASES)) if key == "basis" else _LISTS[key]
        return lambda key, value: _list(key, value, tuple(dict.fromkeys(allowed)))
    special = {"level": _level, "scheme": _text_or_none, "nc": _count_or_none, "communities": _texts_or_none}
    if key in special:
        return special[key]
    raise InputRefused(Problem("This counting rule does not exist.", f"rules.{key}", expected=", ".join(KEYS)))


def _word(key: str, value: Any) -> str:
    if value in WORDS[key]:
        return str(value)
    raise InputRefused(_unknown(key, value, WORDS[key]))


def _level(key: str, value: Any) -> str | tuple[tuple[str, str], ...]:
    if isinstance(value, Mapping) and value and all(isinstance(one, str) and one for one in value):
        wrong = [(category, level) for category, level in value.items() if level not in LEVELS]
        if wrong:
            raise InputRefused(*(_unknown(f"{key}.{category}", level, LEVELS) for category, level in wrong))
        return tuple(sorted((str(category), str(level)) for category, level in value.items()))
    if value in LEVELS:
        return str(value)
    raise InputRefused(_unknown(key, value, (*LEVELS, 'an object such as {"medicines": "subcategory"}')))


def _list(key: str, value: Any, allowed: tuple[str, ...]) -> tuple[str, ...]:
    if not isinstance(value, list | tuple) or not value:
        raise InputRefused(Problem("This rule takes a list of at least one.", f"rules.{key}", str(value), ", ".join(allowed)))
    wrong = [item for item in value if item not in allowed]
    if wrong:
        raise InputRefused(*(_unknown(key, item, allowed) for item in wrong))
    return tuple(item for item in allowed if item in value)


def _unknown(key: str, value: Any, allowed: tuple[str, ...]) -> Problem:
    return Problem("The rule has no such value.", f"rules.{key}", str(value), ", ".join(allowed))


def _text_or_none(key: str, value: Any) -> str | None:
    if value is None or (isinstance(value, str) and value):
        return value
    raise InputRefused(Problem("This rule takes a name, or null.", f"rules.{key}", str(value)))


def _count_or_none(key: str, value: Any) -> int | None:
    if value is None or (isinstance(value, int) and not isinstance(value, bool) and value > 0):
        return value
    raise InputRefused(Problem("This rule takes a whole number above 0, or null.", f"rules.{key}", str(value)))


def _texts_or_none(key: str, value: Any) -> tuple[str, ...] | None:
    if value is None:
        return None
    if isinstance(value, list | tuple) and value and all(isinstance(item, str) and item for item in value):
        return tuple(value)
    raise InputRefused(Problem("This rule takes a list of community codes, or null.", f"rules.{key}", str(value)))
