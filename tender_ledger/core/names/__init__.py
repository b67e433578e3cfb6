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
