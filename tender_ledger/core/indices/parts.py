"""Parts of the plant and preparations: what share of the tellings of a taxon, a category or a community gives each."""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tender_ledger.core.indices.ranking import RANKED_FROM
from tender_ledger.core.resampling.jackknife import ends_of_shares
from tender_ledger.core.tally.counting import Tally, rows_told
from tender_ledger.core.tally.table import Bools, Ints, Listed

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Shares:
    """`counts` (rows, labels + 1): distinct (informant, taxon, category, label), the last column those that tell none.

    Rows are taxa, categories or communities by `of`; labels are parts or preparations; `informants` told of each row.
    """

    of: tuple[str, ...]
    labels: tuple[str, ...]
    counts: Ints
    informants: Ints

    @property
    def shares(self) -> Floats:
        """Each label's share of what names one; NaN in rows that name none."""
        named = self.counts[:, :-1]
        total = named.sum(axis=1, keepdims=True)
        return np.divide(named, total, out=np.full(named.shape, np.nan), where=total > 0)


def shares_told(tally: Tally, listed: Listed | None, by: str, among: Bools | None = None) -> Shares:
    """How often each part or preparation was told, by `taxon`, `category` or `community`; a report of two counts for both.

    By taxon the shares are CPP = Px / Pt, citations of s that give the part (Monteiro et al. 2006, J Ethnopharmacol
    105:173-186, less certain). Misleads where parts were asked about for some plants only.
    """
    labels = listed.labels if listed else ()
    names, place, column, informant = tellings(tally, listed, by, tally.counted if among is None else among)
    wide = len(labels) + 1
    counts = np.bincount(place * wide + column, minlength=len(names) * wide).reshape(len(names), wide)
    pairs = np.unique(np.stack([place, informant], axis=1), axis=0)
    return Shares(names, tuple(labels), counts, np.bincount(pairs[:, 0], minlength=len(names)))


def tellings(tally: Tally, listed: Listed | None, by: str, among: Bools) -> tuple[tuple[str, ...], Ints, Ints, Ints]:
    """What rows are of, and of every distinct (taxon, informant, category, label) its row, its column and its informant."""
    table = tally.table
    row, code = rows_told(listed, tally.kept & among[table.informant])
    keys = np.stack([tally.taxa.of_plant[table.plant[row]], table.informant[row], table.category[row], code], axis=1)
    distinct = np.unique(keys, axis=0) if len(row) else keys
    taxon, informant, category, code = distinct.T
    names, place = {
        "taxon": (tally.taxa.names, taxon),
        "category": (table.categories, category),
        "community": (table.informants.communities, table.informants.community[informant]),
    }[by]
    there = place >= 0
    return tuple(names), place[there], np.where(code >= 0, code, len(listed.labels) if listed else 0)[there], informant[there]


def shares_ends(tally: Tally, listed: Listed | None, by: str) -> tuple[Floats, Floats]:
    """The 95 % ends of every share, shape (rows, labels), each informant left out in turn, on the scale of shares with Student's
    factor for the informants of the row; NaN where fewer than RANKED_FROM told, or one left out leaves it undefined."""
    names, place, column, informant = tellings(tally, listed, by, tally.counted)
    wide = len(listed.labels) if listed else 0
    number = np.cumsum(tally.counted) - 1
    named = column < wide
    own = np.bincount(number[informant[named]] * (len(names) * wide) + place[named] * wide + column[named],
                      minlength=tally.n * len(names) * wide)  # fmt: skip
    low, high = np.full((len(names), wide), np.nan), np.full((len(names), wide), np.nan)
    for at, told in enumerate(own.reshape(tally.n, len(names), wide).transpose(1, 0, 2)):
        tellers = int(told.any(axis=1).sum())
        if tellers < RANKED_FROM:
            continue
        counts = told.sum(axis=0)
        left = counts - told
        with np.errstate(invalid="ignore"):
            shares, without = counts / counts.sum(), left / left.sum(axis=1, keepdims=True)
        low[at], high[at] = ends_of_shares(shares, without, tellers=np.full(wide, tellers))
    return low, high
