"""A scientific name as it was written, matched to the names of a checklist: exactly, by a synonym, or only nearly.

What is near is told with what differs and never taken; a genus is not made a species, nor a species a genus.
"""

from dataclasses import dataclass
from difflib import SequenceMatcher

from tender_ledger.core.limits import LINE
from tender_ledger.core.names import NamesService, TaxonName, find_name
from tender_ledger.core.text import fold

_NEAR = 0.8  # of the letters alike, by difflib's ratio


@dataclass(frozen=True)
class Match:
    """What a written name is: the name found, None where none is; whether it is a synonym; and the names that are only near, the
    nearest first, each with what differs: letters, or the author alone where a name was given twice."""

    name: TaxonName | None
    synonym: bool = False
    near: tuple[tuple[TaxonName, str], ...] = ()


def match_name(names: NamesService, typed: str, most: int = 4) -> Match:
    """Match a written name; case and diacritics do not matter. No name is longer than LINE."""
    if len(typed) > LINE:
        return Match(None)
    found = find_name(names, typed)
    if found is not None:
        return Match(found, bool(found.accepted))
    wanted = fold(typed)
    words = len(wanted.split())
    if not words:
        return Match(None)
    if several := names.namesakes(typed):
        return Match(None, near=tuple((one, _by_author(one)) for one in several))
    alike = [(_alike(wanted, fold(one.name)), one) for one in names.near(typed) if len(one.name.split()) == words]
    nearest = sorted((pair for pair in alike if pair[0] >= _NEAR), key=lambda pair: (-pair[0], pair[1].name))[:most]
    return Match(None, near=tuple((one, what_differs(typed, one.name)) for _ratio, one in nearest))


def what_differs(written: str, listed: str) -> str:
    """The letters in which two names differ, as `o for a, added n, without r`."""
    said = []
    for how, a, b, c, d in SequenceMatcher(None, fold(written), fold(listed), autojunk=False).get_opcodes():
        old, new = fold(written)[a:b], fold(listed)[c:d]
        if how == "replace":
            said.append(f"{new} for {old}")
        elif how == "insert":
            said.append(f"added {new}")
        elif how == "delete":
            said.append(f"without {old}")
    return ", ".join(said)


def _by_author(name: TaxonName) -> str:
    author = f"of {name.authorship}" if name.authorship else "without author"
    return f"{author}, a synonym of {name.accepted}" if name.accepted else author


def _alike(one: str, other: str) -> float:
    return SequenceMatcher(None, one, other, autojunk=False).ratio()
