"""What is told of a use beside the line of its report, as it was typed, and the reading of it with what is wrong in each slot."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from tender_ledger.core.recognition import Choice, Unrecognised
from tender_ledger.core.terms import Scope
from tender_ledger.core.text import clean
from tender_ledger.core.times import read_time, why_no_time
from tender_ledger.operations.everyday_words import recognise_everyday
from tender_ledger.operations.typed_report import purpose_of
from tender_ledger.operations.vocabularies import choices
from tender_ledger.storage.queries import people, studies, told

HARVEST_EFFECTS = {"unstated": "not said", "none": "none: fallen, pruned", "light": "light: tips, leaves, it regrows",
                   "part": "a part of it: bark, some roots", "whole": "the whole plant",
                   "returned": "returned or replanted"}  # fmt: skip
TAKERS = {
    "unstated": "not said",
    "adult": "an adult",
    "child": "a child",
    "pregnant": "a pregnant woman",
    "animal": "an animal that people feed or treat",
    "crop": "a crop",
}
ACTORS = {"people": "people", "animal": "an animal, of itself: noted, never counted"}
CURRENCIES = {"unstated": "not said", "current": "now", "former": "formerly", "remembered": "only remembered"}
ROLES = {"main": "main", "companion": "companion", "carrier": "carrier", "corrective": "corrective"}
TEXTS = ("season", "harvest", "dose", "phase", "frequency", "course", "attributed_to", "mixture", "proportion")
# What is one of a few codes: what stands for nothing said, the codes with what they say, and what it is called in a refusal.
CHOSEN: Mapping[str, tuple[str, Mapping[str, str], str]] = {
    "harvest_effect": ("unstated", HARVEST_EFFECTS, "effect of the harvest"),
    "actor": ("people", ACTORS, "user"),
    "taker": ("unstated", TAKERS, "person it is for"),
    "currency": ("unstated", CURRENCIES, "time of use"),
    "role": ("main", ROLES, "role in a remedy"),
}
ROWS: Mapping[str, tuple[str, ...]] = {
    "components": ("parts", "methods", "applications"),
    "codings": ("scheme", "category", "subcategory", "purpose"),
    "steps": ("method", "words", "lasts", "heat", "strength"),
    "ingredients": ("words", "role", "amount"),
    "teachings": ("teacher", "words", "told_when"),
}
# What the desk takes besides: the other plants of a remedy, each of which becomes a report of its own.
DESK_ROWS: Mapping[str, tuple[str, ...]] = {**ROWS, "plants": ("plant", "parts", "role", "proportion")}

CHOSEN_ALWAYS = frozenset({"scheme", "role"})  # what a row always holds, so that it says nothing by itself
Children = dict[str, list[dict[str, Any]]]


@dataclass(frozen=True)
class ToldInFull:
    """What was typed of a report beside its line: `values` by field (TEXTS, the chosen ones, end, language_id, cited_id),
    `rows` as in DESK_ROWS, each a mapping of texts. An open row says nothing."""

    values: Mapping[str, str] = field(default_factory=dict)
    rows: Mapping[str, Sequence[Mapping[str, str]]] = field(default_factory=dict)

    def of(self, kind: str) -> list[tuple[int, Mapping[str, str]]]:
        """The rows of a kind that say something, each with its place among those that were typed."""
        ways = [name for name in DESK_ROWS[kind] if name not in CHOSEN_ALWAYS]
        return [(at, one) for at, one in enumerate(self.rows.get(kind, ())) if any(clean(one.get(name)) for name in ways)]

    def says_something(self) -> bool:
        """Whether anything was typed at all."""
        return any(clean(text) for text in self.values.values()) or any(self.of(kind) for kind in DESK_ROWS)


NOTHING_MORE = ToldInFull()


def values_as_typed(stands: Mapping[str, Any]) -> dict[str, str]:
    """What stands once in a report beside its line, as one would type it; "" where nothing was said."""
    chosen = {name: "" if stands[name] == unsaid else codes[stands[name]] for name, (unsaid, codes, _called) in CHOSEN.items()}
    return {**{name: stands[name] for name in TEXTS}, **chosen}


class FullReading:
    """Reads what was typed, and gathers what is wrong by field."""

    def __init__(self, scope: Scope, typed: ToldInFull) -> None:
        self.scope, self.typed, self.errors = scope, typed, dict[str, str]()
        self.known: dict[tuple[str, str | None], list[Choice]] = {}

    def values(self) -> dict[str, Any]:
        said = self.typed.values
        return {
            **{name: clean(said.get(name)) for name in TEXTS},
            **{name: self.code(name, said.get(name), name) for name in CHOSEN},
            "language_id": self._key("language_id", "language", self._languages),
            "cited_id": self._key("cited_id", "source", self._sources),
            "end_s": self._seconds(),
        }

    def children(self, line: Mapping[str, list[dict[str, Any]]] | None = None) -> Children:
        """The rows of a report; `line` are those that its line told already, which come first."""
        before = line or {}
        rest = {"steps": self._steps(), "ingredients": self._ingredients(), "teachings": self._teachings()}
        return {**self._components(before), "codings": self._codings(before.get("codings", ())), **rest}

    def _components(self, line: Mapping[str, list[dict[str, Any]]]) -> Children:
        found: Children = {name: list(line.get(name, ())) for name in ROWS["components"]}
        first = 2 if any(found.values()) else 1
        for component, (at, row) in enumerate(self.typed.of("components"), first):
            for name, kind in (("parts", "part"), ("methods", "method"), ("applications", "application")):
                texts = [clean(text) for text in row.get(name, "").split(",") if clean(text)]
                picked = [self._term(f"components-{at}-{name}", text, kind) for text in texts]
                keys = dict.fromkeys(one.key for one in picked if one)
                found[name] += [
                    {"component": component, f"{kind}_id": key, "position": place} for place, key in enumerate(keys, 1)
                ]
        return found

    def _codings(self, line: Sequence[dict[str, Any]]) -> list[dict[str, Any]]:
        """Codes as typed, after those of the line; the first of a scheme is its primary one."""
        found = {(one["scheme"], one["category_id"]): one for one in line}
        for at, row in self.typed.of("codings"):
            scheme = clean(row.get("scheme")) or studies.study(self.scope)["scheme"]
            category = self._term(f"codings-{at}-category", clean(row.get("category")), "category", scheme)
            if category is None:
                self.errors.setdefault(f"codings-{at}-category", "Choose the category that this is coded under.")
                continue
            within = clean(row.get("subcategory"))
            below = self._term(f"codings-{at}-subcategory", within, "subcategory", scheme, category.key) if within else None
            label = clean(row.get("purpose"))
            first = all(one["scheme"] != scheme for one in found.values())
            coding = {"scheme": scheme, "category_id": category.key, "subcategory_id": below.key if below else None,
                      "is_primary": first,
                      "purpose_id": purpose_of(self.scope, category.key, label) if label else None}  # fmt: skip
            if (scheme, category.key) in found:
                self.errors[f"codings-{at}-category"] = "The report is coded under this category already."
            found.setdefault((scheme, category.key), coding)
        return list(found.values())

    def _steps(self) -> list[dict[str, Any]]:
        found = []
        for place, (at, row) in enumerate(self.typed.of("steps"), 1):
            method = clean(row.get("method"))
            picked = self._term(f"steps-{at}-method", method, "method") if method else None
            texts = {name: clean(row.get(name)) for name in ("words", "lasts", "heat", "strength")}
            found.append({"position": place, "method_id": picked.key if picked else None, **texts})
        return found

    def _ingredients(self) -> list[dict[str, Any]]:
        found = []
        for place, (at, row) in enumerate(self.typed.of("ingredients"), 1):
            if not clean(row.get("words")):
                self.errors[f"ingredients-{at}-words"] = "Say what it is that goes in."
            found.append({"position": place, "words": clean(row.get("words")), "amount": clean(row.get("amount")),
                          "role": self.code("role", row.get("role"), f"ingredients-{at}-role", usual="companion")})  # fmt: skip
        return found

    def _teachings(self) -> list[dict[str, Any]]:
        found = []
        informants = [
            Choice(one["informant_id"], one["code"]) for one in (*people.holders(self.scope), *people.sources(self.scope))
        ]
        for place, (at, row) in enumerate(self.typed.of("teachings"), 1):
            code = clean(row.get("teacher"))
            picked = self._recognised(f"teachings-{at}-teacher", code, informants, "holder or source") if code else None
            found.append({"position": place, "teacher_id": picked.key if picked else None, "words": clean(row.get("words")),
                          "told_when": clean(row.get("told_when"))})  # fmt: skip
        return found

    def _term(self, name: str, text: str, kind: str, scheme: str | None = None, within: int | None = None) -> Choice | None:
        if (kind, scheme) not in self.known:
            self.known[kind, scheme] = choices(self.scope.study_id, kind, scheme)
        known = [one for one in self.known[kind, scheme] if within is None or one.group == within]
        return self._recognised(name, text, known, kind) if text else None

    def code(self, kind: str, text: str | None, name: str, *, usual: str = "") -> str:
        """The code of a few that the text names, by code or by what it says; the usual one where nothing was typed."""
        unsaid, codes, called = CHOSEN[kind]
        typed = clean(text)
        if not typed or typed in codes:
            return typed or usual or unsaid
        known = [Choice(at, label, code) for at, (code, label) in enumerate(codes.items())]
        picked = self._recognised(name, typed, known, called)
        return picked.code if picked else unsaid

    def _recognised(self, name: str, text: str, known: Sequence[Choice], kind: str) -> Choice | None:
        try:
            return recognise_everyday(text, kind, known)
        except Unrecognised as unknown:
            self.errors[name] = f"{unknown.problem.what} {unknown.problem.remedy}".strip()
            return None

    def _key(self, name: str, kind: str, known: Callable[[], Sequence[Choice]]) -> int | None:
        """The number of something that was chosen by its number, or typed by its name."""
        text = clean(self.typed.values.get(name))
        if not text:
            return None
        listed = known()
        by_number = [one for one in listed if str(one.key) == text]
        picked = by_number[0] if by_number else self._recognised(name, text, listed, kind)
        return picked.key if picked else None

    def _languages(self) -> list[Choice]:
        return [Choice(one["id"], one["name"], one["code"]) for one in studies.languages(self.scope)]

    def _sources(self) -> list[Choice]:
        return [Choice(one["id"], one["code"]) for one in people.sources(self.scope)]

    def _seconds(self) -> float | None:
        text = clean(self.typed.values.get("end"))
        try:
            return read_time(text) if text else None
        except ValueError as error:
            self.errors["end"] = why_no_time(text, error)
            return None


def schemes_of(scope: Scope) -> list[str]:
    """The schemes a report can be coded in, the one that the study counts by first."""
    counted = studies.study(scope)["scheme"]
    return [counted, *(one for one in told.schemes(scope.study_id) if one != counted)]
