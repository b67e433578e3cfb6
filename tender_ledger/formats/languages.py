"""The languages of the world by their three letters: ISO 639-3, from the table that the pycountry package carries.

The table is read once and held in memory; nothing is looked up elsewhere.
"""

from dataclasses import dataclass
from functools import cache

import pycountry

from tender_ledger.core.text import clean, fold

_STATES = {"E": "extinct", "H": "historic", "C": "constructed", "A": "ancient"}


@dataclass(frozen=True)
class KnownLanguage:
    """A language of ISO 639-3: its code, its reference name, and "" or what sets it apart from a living language."""

    code: str
    name: str
    state: str


def is_private(code: str) -> bool:
    """Whether a code is one of qaa to qtz, which ISO 639-3 leaves to whoever needs one."""
    return len(code) == 3 and code.isascii() and "qaa" <= code <= "qtz"


def language_of(code: str) -> KnownLanguage | None:
    """The language of a code in small letters; None for private use and for what stands in no table."""
    return _table().get(clean(code))


def find_languages(typed: str, limit: int = 12) -> list[KnownLanguage]:
    """Languages whose code is what was typed or whose name has words that begin so, the shortest names first.

    Case and diacritics do not matter; nothing typed finds nothing.
    """
    wanted = fold(typed).split()
    fits = [one for words, one in _folded() if wanted and _begin(wanted, words)]
    exact = _table().get(fold(typed))
    found = sorted(fits, key=lambda one: (len(one.name), one.name))
    return ([exact] if exact else []) + [one for one in found if one != exact][: limit - bool(exact)]


def _begin(wanted: list[str], words: list[str]) -> bool:
    return all(any(word.startswith(part) for word in words) for part in wanted)


@cache
def _table() -> dict[str, KnownLanguage]:
    return {
        one.alpha_3: KnownLanguage(one.alpha_3, clean(one.name), _STATES.get(one.type, ""))
        for one in pycountry.languages
        if one.scope != "S"  # codes for “many”, “none” and “not known” name no language
    }


@cache
def _folded() -> list[tuple[list[str], KnownLanguage]]:
    return [(fold(one.name).replace("(", " ").replace(")", " ").replace("-", " ").split(), one) for one in _table().values()]
