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

    `uniques` are, by number of things that nobody else told, the informants with so many: f_j of the jackknife.
    """

    y: Ints
    units: int
    uniques: Ints

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
    alone = informant[y[thing] == 1] if len(thing) else thing
    own = np.bincount(alone, minlength=len(among))[among]
    return Incidences(y[y > 0], int(among.sum()), np.bincount(own) if len(own) else np.zeros(1, dtype=np.int64))
