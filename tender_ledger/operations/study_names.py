"""The names service of a study: the checklists it brought, the latest first, and behind them the service of all studies."""

from collections.abc import Sequence
from typing import Any

from tender_ledger.core.names import NamesService, TaxonName, begins, by_rank
from tender_ledger.core.terms import Scope
from tender_ledger.core.text import fold
from tender_ledger.storage.queries import checklists


class StudyNames:
    """Answers from the study's checklists in the database; a name that none of them has is asked of the service behind."""

    def __init__(self, lists: Sequence[int], behind: NamesService) -> None:
        self._lists, self._behind = list(lists), behind
        self._known: dict[str, list[TaxonName]] = {}

    @property
    def title(self) -> str:
        return self._behind.title

    @property
    def version(self) -> str:
        return self._behind.version

    def namesakes(self, name: str) -> list[TaxonName]:
        known = self._known[name] if name in self._known else _names(checklists.namesakes(self._lists, name))
        return known or self._behind.namesakes(name)

    def look_up(self, names: Sequence[str]) -> None:
        """Read the namesakes of many names at once, which are asked for next."""
        found = checklists.namesakes_of(self._lists, names)
        self._known = {name: _names(found.get(name, ())) for name in names}

    def suggest(self, typed: str, limit: int = 10) -> list[TaxonName]:
        wanted = fold(typed).split()
        own = [
            one for one in _names(checklists.beginning(self._lists, wanted, 4 * limit)) if begins(wanted, fold(one.name).split())
        ]
        return sorted(_each_once([*own, *self._behind.suggest(typed, limit)]), key=by_rank)[:limit]

    def near(self, name: str, limit: int = 50) -> list[TaxonName]:
        return _each_once([*_names(checklists.near(self._lists, name, limit)), *self._behind.near(name, limit)])


def names_of_study(scope: Scope, behind: NamesService) -> NamesService:
    """The names service of a study as it stands now."""
    lists = checklists.in_force(scope)
    return StudyNames(lists, behind) if lists else behind


def _names(found: Sequence[dict[str, Any]]) -> list[TaxonName]:
    return [TaxonName(**one) for one in found]


def _each_once(names: Sequence[TaxonName]) -> list[TaxonName]:
    """Each name with the same authors once; of a name that the study's lists have, nothing that only stands behind them."""
    own = {fold(one.name) for one in names if one.key}
    once: dict[tuple[str, str], TaxonName] = {}
    for one in names:
        if one.key or fold(one.name) not in own:
            once.setdefault((fold(one.name), one.authorship), one)
    return list(once.values())
