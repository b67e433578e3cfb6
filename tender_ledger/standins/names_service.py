"""A simulated names service over the checklist that ships with the application; not a reference."""

from collections import defaultdict
from collections.abc import Sequence
from difflib import SequenceMatcher
from pathlib import Path

from tender_ledger.core.names import TaxonName, begins, by_rank, genera_and_families
from tender_ledger.core.text import fold
from tender_ledger.formats.vocabularies import read_checklist

_SHIPPED = Path(__file__).resolve().parents[1] / "data" / "checklist.csv"


class ChecklistNames:
    """Answers from a list in memory, as a service on the network would from its own."""

    title = "Shipped checklist (from memory, not a reference)"
    version = "1"

    def __init__(self, names: Sequence[TaxonName] | None = None) -> None:
        listed = list(names) if names is not None else read_checklist(_SHIPPED.read_bytes())
        self._by_fold: dict[str, list[TaxonName]] = defaultdict(list)
        for name in (*listed, *genera_and_families(listed)):
            self._by_fold[fold(name.name)].append(name)

    def namesakes(self, name: str) -> list[TaxonName]:
        return list(self._by_fold.get(fold(name), ()))

    def suggest(self, typed: str, limit: int = 10) -> list[TaxonName]:
        wanted = fold(typed).split()
        fits = [name for key, names in self._by_fold.items() if wanted and begins(wanted, key.split()) for name in names]
        return sorted(fits, key=lambda name: (by_rank(name), name.accepted != "", name.name))[:limit]

    def near(self, name: str, limit: int = 50) -> list[TaxonName]:
        alike = SequenceMatcher(None, b=fold(name), autojunk=False)
        rated = []
        for key, names in self._by_fold.items():
            alike.set_seq1(key)
            rated += [(alike.quick_ratio(), one.name, one) for one in names]
        return [one for _ratio, _name, one in sorted(rated, key=lambda rated: (-rated[0], rated[1]))[:limit]]
