"""Everyday words for the terms of the vocabularies: tea for an infusion, berries for a fruit. Shipped, a table a language."""

from collections.abc import Iterable, Sequence
from functools import cache
from pathlib import Path

from tender_ledger.core.recognition import Choice, Unrecognised, recognise, two_readings
from tender_ledger.core.text import fold
from tender_ledger.formats.sheet import read_sheet

_FILES = Path(__file__).resolve().parents[1] / "data" / "everyday_words"


@cache
def everyday_words(language: str = "en") -> dict[str, dict[str, tuple[str, ...]]]:
    """By vocabulary and folded word the codes that the word can mean; a language without a table has none."""
    file = _FILES / f"{language}.csv"
    found: dict[str, dict[str, tuple[str, ...]]] = {}
    for row in read_sheet(file.read_bytes(), ("vocabulary", "word", "code"), file.name).rows if file.exists() else ():
        of_word = found.setdefault(row["vocabulary"], {})
        of_word[fold(row["word"])] = (*of_word.get(fold(row["word"]), ()), row["code"])
    return found


def meant_by(word: str, vocabulary: str, choices: Iterable[Choice]) -> list[Choice]:
    """The choices that an everyday word can mean, each once; none for a word that is in no table."""
    codes = everyday_words().get(vocabulary, {}).get(fold(word), ())
    return list({one.key: one for one in choices if one.code in codes}.values())


def recognise_everyday(text: str, kind: str, known: Sequence[Choice]) -> Choice:
    """The one choice that a text names, by its label or code, by a beginning that only one has, or by an everyday word.

    Raises Unrecognised where it names none, or two.
    """
    try:
        return recognise(text, known, kind)
    except Unrecognised:
        meant = meant_by(text, kind.split(" ")[0], known)
        if not meant:
            raise
    if len(meant) > 1:
        raise Unrecognised(two_readings(text, meant, kind), meant)
    return meant[0]
