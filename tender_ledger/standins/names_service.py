"""A simulated names service over the checklist that ships with the application; not a reference."""

from collections.abc import Sequence
from pathlib import Path

from tender_ledger.core.names import TaxonName
from tender_ledger.core.text import fold
from tender_ledger.formats.vocabularies import read_checklist

_SHIPPED = Path(__file__).resolve().parents[1] / "data" / "checklist.csv"


class ChecklistNames:
    """Answers from a list in memory, as a service on the network would from its own."""

    title = "Shipped checklist (from memory, not a reference)"
    version = "1"

    def __init__(self, names: Sequence[TaxonName] | None = None) -> None:
        listed = list(names) if names is not None else read_checklist(_SHIPPED.read_bytes())
        self._names = [*listed, *_above(listed)]
        self._by_fold = {fold(name.name): name for name in self._names}

    def find(self, name: str) -> TaxonName | None:
        return self._by_fold.get(fold(name))

    def suggest(self, typed: str, limit: int = 10) -> list[TaxonName]:
        wanted = fold(typed).split()
        fits = [name for name in self._names if wanted and _begins(wanted, fold(name.name).split())]
        return sorted(fits, key=lambda name: (name.accepted != "", name.name))[:limit]


def _above(names: Sequence[TaxonName]) -> list[TaxonName]:
    """The genera and families of the accepted names, which the list does not name by themselves."""
    there = {name.name for name in names}
    genera = {name.genus: TaxonName(name.genus, "", "genus", name.family) for name in names if not name.accepted}
    families = {name.family: TaxonName(name.family, "", "family", name.family) for name in names if name.family}
    return [one for one in (*genera.values(), *families.values()) if one.name not in there]


def _begins(wanted: list[str], words: list[str]) -> bool:
    return len(wanted) <= len(words) and all(word.startswith(part) for part, word in zip(wanted, words, strict=False))
