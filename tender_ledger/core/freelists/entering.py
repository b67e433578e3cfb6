"""A list as it was said, line by line: its order, what stands twice, and the plants that the names may mean.

Nothing is decided here: a name of two plants gives both, and one that no plant has gives none.
"""

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from tender_ledger.core.text import clean, fold

_NUMBERED = re.compile(r"^\s*\d{1,3}\s*[.):]\s*")
LONGEST = 400  # names in one list


@dataclass(frozen=True)
class KnownName:
    """A local name of a plant of the study: the plant's number and the name."""

    plant: int
    name: str


@dataclass(frozen=True)
class Entered:
    """A line of a list: its place from 1, the words, the place where the same was named before (0: nowhere), and the plants
    that bear the name, by their numbers in order."""

    position: int
    name: str
    again: int
    plants: tuple[int, ...]


def enter_list(text: str, known: Iterable[KnownName]) -> list[Entered]:
    """The names of a text, one a line or parted by semicolons; empty lines and numbers before the names fall away.

    Two names are the same where their folds are, or where both mean one plant alone. Raises ValueError for more than LONGEST.
    """
    of_name: dict[str, set[int]] = {}
    for one in known:
        of_name.setdefault(fold(one.name), set()).add(one.plant)
    said = [clean(_NUMBERED.sub("", line)) for line in re.split(r"[\n;]", text)]
    names = [name for name in said if name]
    if len(names) > LONGEST:
        raise ValueError(f"a list of {len(names)} names is longer than {LONGEST}")
    entered: list[Entered] = []
    for position, name in enumerate(names, 1):
        plants = tuple(sorted(of_name.get(fold(name), ())))
        entered.append(Entered(position, name, _again(name, plants, entered), plants))
    return entered


def _again(name: str, plants: tuple[int, ...], earlier: Sequence[Entered]) -> int:
    for one in earlier:
        if fold(one.name) == fold(name) or (len(plants) == 1 and one.plants == plants):
            return one.position
    return 0
