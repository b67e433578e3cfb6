"""A scientific name as lists write it, parted into the name and its authors."""

import re

from tender_ledger.core.names import ABOVE_GENUS

# How the ranks below species are marked, in any usual way of writing: the marker in use and the rank (Shenzhen Code, Art. 24).
_MARKERS = {
    "subsp.": ("subsp.", "subspecies"), "ssp.": ("subsp.", "subspecies"), "subspecies": ("subsp.", "subspecies"),
    "var.": ("var.", "variety"), "varietas": ("var.", "variety"), "subvar.": ("subvar.", "subvariety"),
    "f.": ("f.", "form"), "fo.": ("f.", "form"), "forma": ("f.", "form"), "subf.": ("subf.", "subform"),
}  # fmt: skip
_MARKED_BY = {"subspecies": "subsp.", "variety": "var.", "subvariety": "subvar.", "form": "f.", "subform": "subf."}
_RANKS = {"varietas": "variety", "forma": "form", "subforma": "subform", "subvarietas": "subvariety", "ssp": "subspecies",
          "var": "variety", "subsp": "subspecies", "f": "form"}  # fmt: skip
_EPITHET = re.compile(r"[a-zëïöüéèáæœ]{2,}(-[a-zëïöüéèáæœ]+)*")
# Small words that stand within authors and are no epithets.
_OF_AUTHORS = frozenset({"ex", "et", "in", "non", "nec", "and", "sensu", "auct", "emend", "de", "von", "van", "der", "den", "da",
                         "do", "dos", "di", "du", "del", "la", "le", "des", "ter", "zur", "pro"})  # fmt: skip
_CROSS = frozenset({"×", "x", "X"})


def rank_of(told: str, words: str = "") -> str:
    """The rank as it is kept: `variety` for “varietas” or “Variety”; where none is told, what the words show; "" of nothing."""
    rank = re.sub(r"[^a-z]+", "_", told.strip().lower()).strip("_")
    if rank or not words:
        return _RANKS.get(rank, rank)
    parts = [word for word in words.split() if word not in _CROSS]
    marked = [_MARKERS[word][1] for word in parts if word in _MARKERS]
    if marked:
        return marked[-1]
    if len(parts) > 1:
        return "species" if len(parts) == 2 else "subspecies"
    return "family" if words.endswith("aceae") else "genus"


_QUALIFIERS = {"cf": "cf", "aff": "aff"}
_OPEN_ENDS = frozenset({"sp", "spp", "species"})


def part_qualifier(written: str) -> tuple[str, str]:
    """The name with single spaces and without what doubts or leaves open its species, and that as its code: `cf`, `aff`, or `sp`
    for a genus with a closing “sp.”; "" where nothing does."""
    words = written.split()
    if len(words) == 2 and words[1].lower().rstrip(".") in _OPEN_ENDS:
        return words[0], "sp"
    for at, word in enumerate(words[1:-1], 1):
        if qualifier := _QUALIFIERS.get(word.lower().rstrip(".")):
            return " ".join([*words[:at], *words[at + 1 :]]), qualifier
    return " ".join(words), ""


def usual_rank(name: str) -> str:
    """The rank that a table means where it says none: that of a genus or a family for one word, else species."""
    return rank_of("", name) if len(name.split()) == 1 and name[:1].isalpha() else "species"


def part_name(written: str, rank: str = "") -> tuple[str, str]:
    """The name and its authors: “Plantago major subsp. intermedia” and “(Gilib.) Lange”; ("", "") where nothing is written.

    The rank (as `rank_of` gives it, "" where none is told) says how many epithets to look for; authors within a name, as of
    the species of a variety, are left out; the ways of marking a rank become one, and a third word gets the marker of its rank.
    """
    words = written.split()
    name, authors, epithets = words[:1], list[str](), 0
    most = 0 if rank in ABOVE_GENUS or rank == "genus" else 1 if rank == "species" else 2
    at = 1
    if name and name[0] in _CROSS and len(words) > 1:
        name, at = ["×", words[1]], 2
    while at < len(words):
        word, following = words[at], words[at + 1] if at + 1 < len(words) else ""
        if word in _CROSS and _is_epithet(following) and not authors:
            name.append("×")
        elif word.lower() in _MARKERS and _is_epithet(following) and epithets:
            name += [_MARKERS[word.lower()][0], following]
            authors, epithets, at = [], epithets + 1, at + 1
        elif _is_epithet(word) and epithets < most and not authors:
            name += [_MARKED_BY.get(rank, "subsp."), word] if epithets else [word]
            epithets += 1
        else:
            authors.append(word)
        at += 1
    return " ".join(name), " ".join(authors)


def _is_epithet(word: str) -> bool:
    return word not in _OF_AUTHORS and bool(_EPITHET.fullmatch(word))
