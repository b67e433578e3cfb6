"""What of a reckoning is shown: the taxa and categories of reports that meet a filter. It changes no N, NC or maximum."""

from dataclasses import dataclass, fields

import numpy as np

from tender_ledger.core.tally.counting import Tally
from tender_ledger.core.tally.table import Bools, Ints


@dataclass(frozen=True)
class Selection:
    """A filter; "" asks for nothing. All that is asked must hold of one and the same report.

    `family` is a name, `category`, `part` and `community` are codes.
    """

    family: str = ""
    category: str = ""
    part: str = ""
    community: str = ""

    def __bool__(self) -> bool:
        return any(getattr(self, field.name) for field in fields(self))


@dataclass(frozen=True)
class Selected:
    """Which taxa and which categories are shown, one flag each."""

    taxa: Bools
    categories: Bools


def select(tally: Tally, selection: Selection, *, with_part: Ints | None = None, among: Bools | None = None) -> Selected:
    """The taxa and categories with at least one counted report that meets the filter, told by the informants `among`.

    `with_part` are the identities of the reports of the part that is asked for; the tally must carry identities then. A
    name or code that the tally has not selects nothing.
    """
    table = tally.table
    keep = tally.kept.copy()
    taxon = tally.taxa.of_plant[table.plant]
    if among is not None:
        keep &= among[table.informant]
    if selection.family:
        of_family = np.array([family == selection.family for family in tally.taxa.family] + [False])
        keep &= of_family[taxon]
    if selection.category:
        keep &= table.category == _place(table.categories, selection.category)
    if selection.community:
        communities = table.informants.communities
        keep &= table.informants.community[table.informant] == _place(communities, selection.community)
    if selection.part:
        if table.row is None or with_part is None:
            raise ValueError("a tally without identities cannot be filtered by part")
        keep &= np.isin(table.row, with_part)
    return Selected(_flags(taxon[keep], len(tally.taxa.names)), _flags(table.category[keep], len(table.categories)))


def _place(labels: tuple[str, ...], wanted: str) -> int:
    return labels.index(wanted) if wanted in labels else -9


def _flags(codes: Ints, size: int) -> Bools:
    flags = np.zeros(size, dtype=bool)
    flags[codes] = True
    return flags
