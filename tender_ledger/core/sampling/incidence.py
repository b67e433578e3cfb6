"""Incidences: in how many informants' tellings each thing stands, the informant being the sampling unit."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from tender_ledger.core.indices.importance import firsts_of_pairs
from tender_ledger.core.tally.counting import Tally
from tender_ledger.core.tally.table import Bools, Ints

THINGS = ("taxa", "uses", "citations")  # taxa, specific uses, taxon x category


@dataclass(frozen=True)
class Incidences:
    """`y`: of every thing told the informants who told it (Y_s > 0); `units`: T, all informants, the silent too.

    `by_informant`, shape (T, largest Y + 1): how many things each told (column 0), and how many of those Y = k informants
    told in all (column k). It has at least four columns.
    """

    y: Ints
    units: int
    by_informant: Ints

    @property
    def observed(self) -> int:
        """S_obs."""
        return len(self.y)

    @cached_property
    def u(self) -> int:
        """U, the sum of all incidences."""
        return int(self.y.sum())

    @property
    def q1(self) -> int:
        """Q_1: things that one informant told."""
        return int((self.y == 1).sum())

    @property
    def q2(self) -> int:
        return int((self.y == 2).sum())

    @property
    def uniques(self) -> Ints:
        """f_j: by number of things that nobody else told, the informants with so many."""
        return np.bincount(self.by_informant[:, 1], minlength=1)


def incidences(tally: Tally, things: str = "taxa", among: Bools | None = None) -> Incidences:
    """The incidences of taxa, of specific uses, or of citations (taxon x category) among the informants flagged."""
    among = tally.counted if among is None else tally.counted & among
    cited, used = tally.citations.among(among), among[tally.uses_informant]
    if things == "taxa":
        first = firsts_of_pairs(cited)
        thing, informant = cited.taxon[first], cited.informant[first]
    elif things == "uses":
        pairs = np.unique(np.stack([tally.uses_use[used], tally.uses_informant[used]], axis=1), axis=0)
        thing, informant = pairs[:, 0], pairs[:, 1]
    elif things == "citations":
        thing, informant = cited.taxon * max(len(tally.table.categories), 1) + cited.category, cited.informant
    else:
        raise ValueError(things)
    y = np.bincount(thing) if len(thing) else np.zeros(0, dtype=np.int64)
    told_by = y[thing]
    width = max(int(y.max(initial=0)), 3) + 1
    own = np.bincount(informant * width + told_by, minlength=len(among) * width).reshape(-1, width)[among]
    own[:, 0] = own.sum(axis=1)
    return Incidences(y[y > 0], int(among.sum()), own)
