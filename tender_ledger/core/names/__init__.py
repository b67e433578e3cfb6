"""Scientific names: what a names service answers, and how a name is written."""

from dataclasses import dataclass
from typing import Protocol


@dataclass(frozen=True)
class TaxonName:
    """A scientific name as a checklist has it; `accepted` is the accepted name of a synonym, else ""."""

    name: str
    authorship: str
    rank: str
    family: str
    accepted: str = ""

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

    def find(self, name: str) -> TaxonName | None:
        """The name exactly as given, ignoring case; None where the service has it not."""

    def suggest(self, typed: str, limit: int = 10) -> list[TaxonName]:
        """Names that the typed letters can begin; `pl la` finds Plantago lanceolata."""


_ROMAN = frozenset({"subsp.", "var.", "f.", "cf.", "aff.", "sp.", "×", "x", "+"})
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
