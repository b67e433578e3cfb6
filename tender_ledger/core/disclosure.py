"""Which cells of published tables are held back, so that none tells of so few people that they could be known.

A cell is a count of what some holders told: its contributions, by holder. Three rules hide cells, in this order.

1. **Small**: fewer than the minimum of holders stand behind it, or fewer than the minimum of those who let nothing of theirs
   leave row by row, since whoever reads the rows of the others knows what remains.
2. **Changed**: it left the study before, or was held back then, and since then the contributions of fewer than the minimum of
   holders differ, so that the two files together tell of those few.
3. **Complementary**: it could be had from what is shown by subtraction. Of every sum nothing is hidden, or at least two parts
   that are large enough together, or the total and a part; where that is not so, the part with the fewest holders is hidden
   too, by name among equals, and the total only when no part is left. Between two shown cells of which one lies within the
   other, what lies between must be large enough; where it is not, the inner one is hidden.

The first and the third are rules of statistical offices (Hundepool et al. 2012, Statistical Disclosure Control, Wiley, sections
4.2 and 4.4; from memory). The choice of the complementary cell is not the best that there is, which is hard to find, but the
same every time. It closes pairs and sums; that a combination of many tables gives a hidden cell is rare and not ruled out.
"""

from collections import deque
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

Key = tuple[str, ...]
Contributions = Mapping[int, float]  # what each holder, by number, contributes to a cell

MINIMUM_HOLDERS = 3  # the least minimum a study may have, and the usual one
SMALL, CHANGED, COMPLEMENTARY = "small", "changed", "complementary"
_KNOWN = "known"
_LEAST = 1e-9  # weights of shared mixtures are no whole numbers


@dataclass(frozen=True)
class Sum:
    """A cell that is the sum of others; parts that nobody told of are left out."""

    total: Key
    parts: tuple[Key, ...]


@dataclass(frozen=True)
class Cells:
    """The cells of a study that could be published: contributions by key, the sums that hold among them, and pairs of cells of
    which the first lies within the second."""

    contributions: Mapping[Key, Contributions]
    sums: Sequence[Sum] = ()
    within: Sequence[tuple[Key, Key]] = ()


@dataclass(frozen=True)
class Release:
    """What left the study at one time: contributions of every cell that there was, and which of them were shown.

    `erased` counts, by cell, the holders behind it who were erased since; of them nothing else is kept.
    """

    contributions: Mapping[Key, Contributions]
    shown: frozenset[Key]
    erased: Mapping[Key, int] = field(default_factory=dict)


@dataclass(frozen=True)
class Suppression:
    """The cells that are hidden, each with the first of the rules that hides it."""

    hidden: Mapping[Key, str]
    cells: Cells

    def shows(self, key: Key) -> bool:
        """Whether the cell is shown. One that nobody told of is: it says nothing of anybody."""
        return key not in self.hidden

    @cached_property
    def shown(self) -> frozenset[Key]:
        return frozenset(key for key in self.cells.contributions if key not in self.hidden)

    def counts(self) -> dict[str, int]:
        """How many cells each rule hides."""
        found = dict.fromkeys((SMALL, CHANGED, COMPLEMENTARY), 0)
        for reason in self.hidden.values():
            found[reason] += 1
        return found


def is_too_few(holders: int, protected: int, minimum: int) -> bool:
    """Whether so many holders, so many of them protected, are somebody and too few; nobody is not too few."""
    return 0 < holders < minimum or 0 < protected < minimum


def suppress(
    cells: Cells,
    *,
    protected: Collection[int],
    minimum: int = MINIMUM_HOLDERS,
    releases: Iterable[Release] = (),
    barred: Iterable[Key] = (),
) -> Suppression:
    """Choose the cells to hide. `protected` are the holders who let nothing leave row by row; `barred` are hidden in any case.

    Deterministic: the same cells, protected holders and releases hide the same cells, in whatever order they come. Cells with
    no holder behind them, of written sources alone, are never hidden. No cell gives an empty suppression. Raises ValueError
    for a minimum below MINIMUM_HOLDERS.
    """
    if minimum < MINIMUM_HOLDERS:
        raise ValueError(f"The minimum of holders is {MINIMUM_HOLDERS} or more, not {minimum}.")
    return _Suppressing(cells, frozenset(protected), minimum, tuple(releases)).all(frozenset(barred))


class _Suppressing:
    def __init__(self, cells: Cells, protected: frozenset[int], minimum: int, releases: Sequence[Release]) -> None:
        self.cells, self.minimum, self.releases = cells, minimum, releases
        everybody = sorted({holder for of in cells.contributions.values() for holder in of} | protected)
        place = {holder: 1 << at for at, holder in enumerate(everybody)}
        self.protected = sum(place[holder] for holder in protected)
        self.holders = {key: sum(place[holder] for holder in of) for key, of in cells.contributions.items()}
        self.is_protected = protected
        self.hidden: dict[Key, str] = {}
        self.known: set[Key] = set()  # shown before as it is now: hiding it hides nothing
        present = ((one.total, tuple(part for part in one.parts if part in self.holders)) for one in cells.sums)
        self.sums = [Sum(total, parts) for total, parts in present if total in self.holders and parts]
        self.sums_of: dict[Key, list[int]] = {}
        for at, one in enumerate(self.sums):
            for key in (one.total, *one.parts):
                self.sums_of.setdefault(key, []).append(at)

    def all(self, barred: frozenset[Key]) -> Suppression:
        for key in sorted(self.holders):
            if key in barred or self._is_too_few(self.holders[key]):
                self.hidden[key] = SMALL
            elif (reason := self._change(key)) == _KNOWN:
                self.known.add(key)
            elif reason:
                self.hidden[key] = reason
        waiting = deque(range(len(self.sums)))
        while waiting or self._hide_between(waiting):
            self._look_at(waiting.popleft(), waiting)
        return Suppression(self.hidden, self.cells)

    def _is_too_few(self, holders: int) -> bool:
        return is_too_few(holders.bit_count(), (holders & self.protected).bit_count(), self.minimum)

    def _change(self, key: Key) -> str:
        """Why the releases hide a cell, _KNOWN where it is as one of them showed it, "" where none says anything of it.

        What was held back beside other cells and did not change since is held back as then.
        """
        found = ""
        now = self.cells.contributions[key]
        for release in self.releases:
            then = release.contributions.get(key, {})
            gone = release.erased.get(key, 0)
            if not then and not gone:
                continue
            differ = {one for one in {*now, *then} if abs(now.get(one, 0) - then.get(one, 0)) > _LEAST}
            number, protected = len(differ) + gone, len(differ & self.is_protected) + gone
            if number == 0:
                found = found or (_KNOWN if key in release.shown else COMPLEMENTARY)
            elif is_too_few(number, protected, self.minimum):
                return CHANGED
        return found

    def _visible(self, key: Key) -> bool:
        return key not in self.hidden or key in self.known

    def _look_at(self, at: int, waiting: deque[int]) -> None:
        """Hide more of a sum until what is hidden of it cannot be had by subtraction."""
        one = self.sums[at]
        while not self._is_closed(one):
            candidates = [part for part in one.parts if part not in self.hidden and part not in self.known and self.holders[part]]
            if candidates:
                self._hide(min(candidates, key=lambda part: (self.holders[part].bit_count(), part)), waiting)
            elif one.total not in self.hidden and one.total not in self.known:
                self._hide(one.total, waiting)
            else:  # all that is left was shown before as it is now
                return

    def _is_closed(self, one: Sum) -> bool:
        """Whether nothing that is hidden of a sum can be had from the rest of it."""
        unseen, number = 0, 0
        for part in one.parts:
            if not self._visible(part):
                unseen, number = unseen | self.holders[part], number + 1
        if not self._visible(one.total):
            return number > 0 or not any(self.holders[part] for part in one.parts)
        return number == 0 or (number > 1 and not self._is_too_few(unseen))

    def _hide_between(self, waiting: deque[int]) -> bool:
        """Hide every inner cell that too few holders lie between it and a shown outer one; whether there was any."""
        for inner, outer in self.cells.within:
            if inner not in self.holders or outer not in self.holders or inner in self.hidden or outer in self.hidden:
                continue
            if self._is_far(inner, outer):
                continue
            inside, outside = self.cells.contributions[inner], self.cells.contributions[outer]
            between = [holder for holder, number in outside.items() if number - inside.get(holder, 0) > _LEAST]
            protected = sum(holder in self.is_protected for holder in between)
            if is_too_few(len(between), protected, self.minimum):
                self._hide(inner if inner not in self.known else outer, waiting)
        return bool(waiting)

    def _is_far(self, inner: Key, outer: Key) -> bool:
        """Whether the numbers of holders alone show that enough lie between."""
        inside, outside = self.holders[inner], self.holders[outer]
        protected = (outside & self.protected).bit_count() - (inside & self.protected).bit_count()
        far = outside.bit_count() - inside.bit_count() >= self.minimum
        return far and (protected >= self.minimum or not outside & self.protected)

    def _hide(self, key: Key, waiting: deque[int]) -> None:
        self.hidden[key] = COMPLEMENTARY
        waiting.extend(self.sums_of.get(key, ()))
