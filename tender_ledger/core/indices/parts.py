"""Parts of the plant and preparations: what share of the tellings of a taxon, a category or a community gives each."""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tender_ledger.core.tally.counting import Tally, rows_told
from tender_ledger.core.tally.table import Bools, Ints, Listed

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Shares:
    """`counts` (rows, labels + 1): distinct (informant, taxon, category, label), the last column those that tell none.

    Rows are taxa, categories or communities by `of`; labels are parts or preparations.
    """

    of: tuple[str, ...]
    labels: tuple[str, ...]
    counts: Ints

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
    table = tally.table
    kept = tally.kept if among is None else tally.kept & among[table.informant]
    row, code = rows_told(listed, kept)
    labels = listed.labels if listed else ()
    keys = np.stack([tally.taxa.of_plant[table.plant[row]], table.informant[row], table.category[row], code], axis=1)
    distinct = np.unique(keys, axis=0) if len(row) else keys
    taxon, informant, category, code = distinct.T
    names, place = {
        "taxon": (tally.taxa.names, taxon),
        "category": (table.categories, category),
        "community": (table.informants.communities, table.informants.community[informant]),
    }[by]
    there = place >= 0
    wide = len(labels) + 1
    column = np.where(code[there] >= 0, code[there], len(labels))
    counts = np.bincount(place[there] * wide + column, minlength=len(names) * wide).reshape(len(names), wide)
    return Shares(tuple(names), tuple(labels), counts)
