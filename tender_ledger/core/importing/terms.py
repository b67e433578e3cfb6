"""Codes of an imported table: those the study has, and those it would be given."""

import hashlib
import re
from collections.abc import Collection, Mapping
from difflib import SequenceMatcher
from itertools import product
from string import ascii_uppercase

from tender_ledger.core.importing.known import Known, NewTerm, Reference, TermKey
from tender_ledger.core.spelling import nearest
from tender_ledger.core.text import fold

_SOME = 6  # so many of the codes there are, are named where one is wrong
_COMPARED = 300  # so many wrong codes are compared with those there are; in a table with more, the likest would say little
_FIXED = frozenset({"stance", "outcome"})


class TermsOfTable:
    """Looks codes up by their code or whole label, and takes new ones into `planned` where the import may add them.

    With `new_codes` it may add every code that is nearly none there is; `approved` are texts (vocabulary, folded text) of which
    somebody said that they are codes of their own.
    """

    def __init__(
        self,
        known: Known,
        planned: dict[TermKey, NewTerm],
        *,
        new_codes: bool,
        approved: Collection[tuple[str, str]] = (),
    ) -> None:
        self.known, self.planned, self.new_codes, self.approved = known, planned, new_codes, frozenset(approved)
        self.twins: dict[TermKey, str] = {}
        self.folds: dict[str, str] = {}
        self.likest: dict[tuple[str, str, Reference, str], list[str]] = {}
        self.taken = set(known.abbreviations)

    def find(self, vocabulary: str, scheme: str, parent: Reference, text: str) -> int | TermKey | None:
        """The term that the text names in full, of the study or of the rows before; None where there is none."""
        listed = self.known.terms.get((vocabulary, scheme, parent), {})
        if found := listed.get(text) or listed.get(self._fold(text)):
            return found
        key = (vocabulary, scheme, parent, code_of(text))
        return key if key in self.planned else None

    def new(self, vocabulary: str, scheme: str, parent: Reference, text: str) -> tuple[TermKey, NewTerm | None]:
        """A term to be made of the text; the second is None where the import may not."""
        key = (vocabulary, scheme, parent, code_of(text))
        said = (vocabulary, self._fold(text)) in self.approved
        may = (said or (self.new_codes and not self.twin(key, text))) and vocabulary not in _FIXED and len(text) <= 80
        return key, NewTerm(text, self._abbreviation(text) if vocabulary == "category" else "") if may else None

    def twin(self, key: TermKey, text: str) -> str:
        """The code there is that a new one would be nearly the same as, in the study or in the rows before; "" for none."""
        if key not in self.twins:
            planned = [term.label for (*place, _), term in self.planned.items() if tuple(place) == key[:3]]
            folds = {one: one for one in (*self.known.labels.get(key[:3], ()), *planned)}
            self.twins[key] = nearest(text, (), folds)
        return self.twins[key]

    def enter(self, made: Mapping[TermKey, NewTerm]) -> None:
        """Take the new terms of a row that lands."""
        for key, term in made.items():
            self.planned.setdefault(key, term)
            if term.abbreviation:
                self.taken.add(term.abbreviation)

    def some(self, vocabulary: str, scheme: str, parent: Reference, text: str) -> str:
        """A few of the codes that the study has, for a sentence: those most like the text first."""
        said = (vocabulary, scheme, parent, text)
        labels = self.known.labels.get(said[:3], ())
        if said not in self.likest and len(self.likest) < _COMPARED:
            self.likest[said] = sorted(labels, key=lambda label: -SequenceMatcher(a=label, b=code_of(text)).ratio())[:_SOME]
        return (
            ", ".join(self.likest.get(said, labels[:_SOME])) + (" and others" if len(labels) > _SOME else "")
            if labels
            else "none are there yet"
        )

    def _fold(self, text: str) -> str:
        if text not in self.folds:
            self.folds[text] = fold(text)
        return self.folds[text]

    def _abbreviation(self, text: str) -> str:
        """Two capital letters for a category: of its own letters where they are free, else the first free pair."""
        own = [letter for letter in fold(text).upper() if letter in ascii_uppercase]
        pairs = (own[0] + second for second in own[1:]) if own else iter(())
        others = (first + second for first, second in product([*own[:1], *ascii_uppercase], ascii_uppercase))
        return next((pair for pair in (*pairs, *others) if pair not in self.taken), "")


def code_of(text: str) -> str:
    """A stable code of a label: small letters, digits and underscores; for a script without them, a short digest."""
    plain = re.sub(r"[^a-z0-9]+", "_", fold(text)).strip("_")
    if plain and not any(letter.isalpha() and not letter.isascii() for letter in fold(text)):
        return plain if plain[0].isalpha() else f"c_{plain}"
    return f"c_{hashlib.sha256(fold(text).encode()).hexdigest()[:8]}"
