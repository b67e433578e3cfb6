"""The cells of a study that could be published, and what of them may be: the one account of all tables, figures and files.

There is one account at a time: by the rules in force, of the whole study, of its communities and by what was told of each taxon
for each category, with its parts and preparations. What is cut otherwise is not published, since every further cut would let
more be had by subtraction.
"""

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass

import numpy as np

from tender_ledger.core.disclosure import (
    COMPLEMENTARY,
    MINIMUM_HOLDERS,
    Cells,
    Contributions,
    Key,
    Release,
    Sum,
    Suppression,
    suppress,
)
from tender_ledger.core.indices.parts import tellings
from tender_ledger.core.tally.counting import Tally

WHOLE, NOWHERE = "", "\x01"  # in place of a community: the whole study, and informants of no community
_ALL = ""
NAMED, UNNAMED = "\x02", "\x01"  # in place of a part or a preparation: any was told, none was


def use_key(taxon: str = _ALL, category: str = _ALL, community: str = WHOLE) -> Key:
    """What was told of a taxon, for a category, in a community; left out: of all."""
    return ("use", taxon, category, community)


def family_key(family: str, community: str = WHOLE) -> Key:
    return ("family", family, community)


def holders_key(community: str = WHOLE) -> Key:
    """The holders of a community who are counted, the silent too."""
    return ("holders", community)


def silent_key(taxon: str, community: str = WHOLE) -> Key:
    """Those who were asked about a taxon and named no use of it."""
    return ("silent", taxon, community)


def part_key(listed: str, label: str, by: str = _ALL, of: str = _ALL) -> Key:
    """Tellings that name a part or a preparation (`listed`: parts, preparations), of a taxon, category or community (`by`).

    The label may be NAMED or UNNAMED.
    """
    return (listed, label, by, of)


def item_key(item: str) -> Key:
    """The free lists that hold an item."""
    return ("listed", item)


@dataclass(frozen=True)
class Publication:
    """What may leave the study as it stands. `communities` are those that may be told apart."""

    uses: Suppression
    holders: Suppression
    communities: frozenset[str]
    minimum: int

    def shows(self, key: Key) -> bool:
        return (self.holders if key[0] == "holders" else self.uses).shows(key)

    def hidden(self) -> dict[str, int]:
        """How many cells are held back, by reason."""
        return {reason: number + self.holders.counts()[reason] for reason, number in self.uses.counts().items()}


def publish(
    cells: Cells, *, protected: Collection[int], minimum: int = MINIMUM_HOLDERS, releases: Iterable[Release] = ()
) -> Publication:
    """Choose what may leave of a study's cells.

    A community that may not be told apart has no cell shown. How many holders there are is not held back for having changed:
    that somebody more was met says nothing of what was told.
    """
    people = Cells(
        {key: of for key, of in cells.contributions.items() if key[0] == "holders"},
        [one for one in cells.sums if one.total[0] == "holders"],
    )
    holders = suppress(people, protected=protected, minimum=minimum)
    apart = frozenset(key[1] for key in people.contributions if holders.shows(key)) - {WHOLE, NOWHERE}
    rest = Cells(
        {key: of for key, of in cells.contributions.items() if key[0] != "holders"},
        [one for one in cells.sums if one.total[0] != "holders"],
        cells.within,
    )
    barred = [key for key in rest.contributions if (where := _community_of(key)) and where not in apart | {NOWHERE}]
    uses = suppress(rest, protected=protected, minimum=minimum, releases=releases, barred=barred)
    return Publication(uses, holders, apart, minimum)


def publication_as_shown(cells: Cells, shown: Collection[Key], minimum: int) -> Publication:
    """The publication that shows these of the cells, as one that was chosen before did."""
    kinds = {False: {}, True: {}}  # type: dict[bool, dict[Key, Contributions]]
    for key, of in cells.contributions.items():
        kinds[key[0] == "holders"][key] = of
    uses, holders = (
        Suppression({key: COMPLEMENTARY for key in kinds[kind] if key not in shown}, Cells(kinds[kind])) for kind in (False, True)
    )
    apart = frozenset(key[1] for key in kinds[True] if key in shown) - {WHOLE, NOWHERE}
    return Publication(uses, holders, apart, minimum)


def _community_of(key: Key) -> str:
    if key[0] in ("use", "family", "silent"):
        return key[-1]
    return key[3] if key[0] in ("parts", "preparations") and key[2] == "community" else WHOLE


def study_contributions(tally: Tally, numbers: Mapping[str, int]) -> dict[Key, dict[int, float]]:
    """What every holder contributes to every cell of a tally.

    `numbers` are the holders by code: whoever is not in it is a written source, and contributes to no cell. The tally carries
    parts and preparations. An empty one gives cells of holders alone.
    """
    return _Counting(tally, numbers).contributions()


def linked_cells(contributions: Mapping[Key, Contributions], families: Mapping[str, str]) -> Cells:
    """The cells with the sums that hold among them; `families` are those of the taxa."""
    sums: dict[tuple[str, Key], list[Key]] = {}
    above: dict[Key, frozenset[Key]] = {}

    def all_above(key: Key) -> frozenset[Key]:
        """Every larger cell that a cell lies in, through however many sums."""
        if key not in above:
            direct = [total for _kind, total in _totals_of(key, families)]
            above[key] = frozenset(direct).union(*map(all_above, direct))
        return above[key]

    for key in sorted(contributions):
        for kind, total in _totals_of(key, families):
            if total in contributions:
                sums.setdefault((kind, total), []).append(key)
    within = [
        (key, outer)
        for key in sorted(contributions)
        if key[0] in ("use", "family")
        for outer in sorted(all_above(key))
        if outer in contributions
    ]
    return Cells(contributions, [Sum(total, tuple(parts)) for (_kind, total), parts in sorted(sums.items())], within)


def _totals_of(key: Key, families: Mapping[str, str]) -> list[tuple[str, Key]]:
    """The cells of which a cell is a part, each with what is summed over."""
    if key[0] == "use":
        _use, taxon, category, where = key
        found = [("categories", use_key(taxon, _ALL, where))] if category else []
        found += [("taxa", use_key(_ALL, category, where))] if taxon else []
        if taxon and not category:
            found.append(("taxa of a family", family_key(families.get(taxon, ""), where)))
        return found + ([("communities", use_key(taxon, category))] if where else [])
    if key[0] == "family":
        found = [("families", use_key(_ALL, _ALL, key[2]))]
        return found + ([("communities", family_key(key[1]))] if key[2] else [])
    if key[0] in ("holders", "silent"):
        return [("communities", (*key[:-1], WHOLE))] if key[-1] else []
    if key[0] == "listed":
        return []
    listed, label, by, of = key
    if not by:
        return [(listed, part_key(listed, NAMED))] if label not in (NAMED, UNNAMED) else []
    whole = {"taxon": use_key(of), "category": use_key(_ALL, of), "community": use_key(_ALL, _ALL, of)}[by]
    total = whole if label in (NAMED, UNNAMED) else part_key(listed, NAMED, by, of)
    return [(listed, total), (by, part_key(listed, label))]


class _Counting:
    def __init__(self, tally: Tally, numbers: Mapping[str, int]) -> None:
        self.tally, people = tally, tally.table.informants
        self.number = [numbers.get(code, 0) for code in people.codes]
        self.where = [people.communities[at] if at >= 0 else NOWHERE for at in people.community]
        self.found: dict[Key, dict[int, float]] = {}

    def contributions(self) -> dict[Key, dict[int, float]]:
        for at in np.flatnonzero(self.tally.counted):
            self._add(int(at), 1.0, holders_key(), holders_key(self.where[at]))
        self._uses()
        self._silent()
        self._parts()
        return self.found

    def _add(self, informant: int, weight: float, *keys: Key) -> None:
        number = self.number[informant]
        for key in keys:
            cell = self.found.setdefault(key, {})
            if number:
                cell[number] = cell.get(number, 0.0) + weight

    def _uses(self) -> None:
        keys, tally = self.tally.reports, self.tally
        weights = np.ones(len(keys)) if keys.weight is None else keys.weight
        counted, families = tally.counted, dict(zip(tally.taxa.names, tally.taxa.family, strict=True))
        for taxon, informant, category, weight in zip(
            keys.taxon.tolist(), keys.informant.tolist(), keys.category.tolist(), weights.tolist(), strict=True
        ):
            if not counted[informant]:
                continue
            name, use = tally.taxa.names[taxon], tally.table.categories[category]
            for where in (WHOLE, self.where[informant]):
                self._add(
                    informant,
                    weight,
                    use_key(name, use, where),
                    use_key(name, _ALL, where),
                    use_key(_ALL, use, where),
                    use_key(_ALL, _ALL, where),
                    family_key(families[name], where),
                )

    def _silent(self) -> None:
        tally = self.tally
        told = set(zip(tally.citations_taxon.tolist(), tally.citations_informant.tolist(), strict=True))
        for pair in zip(tally.asked_taxon.tolist(), tally.asked_informant.tolist(), strict=True):
            if pair not in told and tally.counted[pair[1]]:
                name = tally.taxa.names[pair[0]]
                self._add(pair[1], 1.0, silent_key(name), silent_key(name, self.where[pair[1]]))

    def _parts(self) -> None:
        tally = self.tally
        for listed, told in (("parts", tally.table.parts), ("preparations", tally.table.preparations)):
            for by in ("taxon", "category", "community"):
                names, place, column, informant = tellings(tally, told, by, tally.counted)
                labels = (*(told.labels if told else ()), UNNAMED)
                for of, code, who in zip(place.tolist(), column.tolist(), informant.tolist(), strict=True):
                    for label in (labels[code],) if labels[code] == UNNAMED else (labels[code], NAMED):
                        self._add(who, 1.0, part_key(listed, label, by, names[of]))
                        if by == "taxon":  # the same tellings are met once more by the others
                            self._add(who, 1.0, part_key(listed, label))
