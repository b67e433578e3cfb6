"""Values in order: which index a table or figure is ordered by, ranks that equals share, and who is ranked at all."""

from collections.abc import Mapping

import numpy as np
import numpy.typing as npt

from tender_ledger.core.indices.reckoning import Reckoning
from tender_ledger.core.tally.table import Bools, Ints

Floats = npt.NDArray[np.float64]
RANKED_FROM = 5  # told by fewer, a taxon stands apart in a ladder: one holder more or less would move it far
PER_INFORMANT = ("rfc", "ci", "uv")  # indices over N, which groups of unequal N can be compared by


def values_of_taxa(r: Reckoning) -> Mapping[str, Floats]:
    """The values of every index of the taxa, by the index's short name, each of shape (taxa,); NaN where undefined.

    Rounded to 12 places, where floats differ and fractions do not: 1/3 + 2/3 ties with 1.
    """
    asked = r.uv_asked if r.askings_recorded else np.full(len(r.taxa), np.nan)
    found = {"ur": r.ur, "fc": r.fc, "nu": r.nu, "rfc": r.rfc, "ci": r.ci, "uv": r.uv_all, "uva": asked}
    return {name: np.round(column, 12) for name, column in found.items()}


def ranks(values: Floats) -> Ints:
    """1 for the highest; equals share the better rank, as in a race; 0 where the value is undefined."""
    falling = np.sort(-values[~np.isnan(values)])
    places = 1 + np.searchsorted(falling, -values, side="left")
    return np.where(np.isnan(values), 0, places)


def ranked_in_a_ladder(r: Reckoning) -> Bools:
    """Taxa told by at least RANKED_FROM informants; the others stand apart, unranked. Common practice, no source."""
    return r.fc >= RANKED_FROM
