"""Scientific names: what a names service answers, and how a name is written."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

from tender_ledger.core.limits import LINE
from tender_ledger.core.text import fold


@dataclass(frozen=True)
class TaxonName:
    """A scientific name as a checklist has it; `accepted` is the accepted name of a synonym, else "".

    `family` is "" where the checklist tells none; `key` is the service's own number of the name, 0 where it has none.
    """

    name: str
    authorship: str
    rank: str
    family: str
    accepted: str = ""
    key: int = 0

    @property
    def genus(self) -> str:
        return self.name.split()[0]


class NamesService(Protocol):
    """What the application asks of any source of scientific names."""

    @property
    def title(self) -> str:
        """The name of the checklist behind the service."""

    @property
    def version(self) -> str:
        """Its version or date."""

    def namesakes(self, name: str) -> list[TaxonName]:
        """Every name that is exactly the one given, case and diacritics aside; several where authors gave one name twice."""

    def suggest(self, typed: str, limit: int = 10) -> list[TaxonName]:
        """Names that the typed letters can begin; `pl la` finds Plantago lanceolata."""

    def near(self, name: str, limit: int = 50) -> list[TaxonName]:
        """Names that may be nearly the one given, for `match_name` to look at more closely."""


def find_name(names: NamesService, written: str) -> TaxonName | None:
    """The name of a service that was written, with or without its author; None where there is none.

    Of several names that differ in their authors the accepted one is meant; where that leaves a choice it is None, since
    nothing may choose between them. No name is longer than LINE.
    """
    if len(written) > LINE:
        return None
    found = _namesakes(names, written)
    accepted = [one for one in found if not one.accepted]
    if accepted:
        return accepted[0] if len(accepted) == 1 else None
    return found[0] if len({one.accepted for one in found}) == 1 else None


def _namesakes(names: NamesService, written: str) -> list[TaxonName]:
    """The names that were written; by the author as well, if one was."""
    if found := names.namesakes(written):
        return found
    words = written.split()
    for at in range(len(words) - 1, 0, -1):
        author = fold(" ".join(words[at:]))
        if found := [one for one in names.namesakes(" ".join(words[:at])) if fold(one.authorship) == author]:
            return found
    return []


def genera_and_families(names: Sequence[TaxonName]) -> list[TaxonName]:
    """The genera and families of accepted names that the names do not hold by themselves."""
    there = {one.name for one in names}
    accepted = [one for one in names if not one.accepted and one.rank not in ABOVE_GENUS]
    genera = {one.genus: TaxonName(one.genus, "", "genus", one.family) for one in accepted}
    families = {one.family: TaxonName(one.family, "", "family", one.family) for one in names if one.family}
    return [one for one in (*genera.values(), *families.values()) if one.name not in there]


def begins(typed: Sequence[str], words: Sequence[str]) -> bool:
    """Whether every typed beginning begins its word."""
    return len(typed) <= len(words) and all(word.startswith(part) for part, word in zip(typed, words, strict=False))


def by_rank(name: TaxonName) -> int:
    """Where a name stands among those that typed letters can begin: species and below, then genera, then all above."""
    return 2 if name.rank in ABOVE_GENUS else 1 if name.rank == "genus" else 0


ABOVE_GENUS = frozenset({"family", "order", "class", "phylum", "division", "kingdom", "superfamily", "subfamily", "tribe",
                          "subtribe", "suborder", "superorder", "subclass", "subphylum", "domain"})  # fmt: skip


_ROMAN = frozenset({"subsp.", "var.", "f.", "subvar.", "subf.", "cf.", "aff.", "sp.", "×", "x", "+"})
_QUALIFIERS = {"cf": "cf.", "aff": "aff.", "sp": "sp."}


def written_name(name: str, qualifier: str = "none") -> list[tuple[str, bool]]:
    """The words of a scientific name with whether each is set in italics.

    A qualifier stands before the epithet it doubts (Rubus cf. idaeus), after a genus (Alchemilla sp.). A text in brackets is
    no name and is roman throughout. The empty name gives no words.
    """
    if name.startswith("("):
        return [(name, False)]
    words = name.split()
    if words and qualifier in _QUALIFIERS:
        words.insert(min(1, len(words)), _QUALIFIERS[qualifier])
    return [(word, word not in _ROMAN) for word in words]
