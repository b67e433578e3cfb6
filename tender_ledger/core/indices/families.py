"""Families of the told taxa: FUV, the mean use value of a family's cited species, with the sums beside it."""

from dataclasses import dataclass

import numpy as np

from tender_ledger.core.indices.reckoning import Floats, Reckoning
from tender_ledger.core.tally.table import Ints


@dataclass(frozen=True)
class FamilyValues:
    """The families in alphabetical order with parallel columns; "" (no family known) is left out.

    FUV_s = sum of UV_s over the family's cited taxa / their number. Source: Phillips & Gentry 1993, Econ Bot 47:15-32.
    Misleads for families of one cited species: their FUV is that species' value.
    """

    names: tuple[str, ...]
    taxa: Ints
    ur: Ints | Floats
    ci_sum: Floats
    fuv_all: Floats
    fuv_asked: Floats


def family_values(r: Reckoning) -> FamilyValues:
    """FUV by the use value over everybody counted and over those asked, for the families of the told taxa."""
    told = [int(at) for at in np.flatnonzero(r.told) if r.family[at]]
    names = tuple(sorted({r.family[at] for at in told}))
    place = {name: at for at, name in enumerate(names)}
    code = np.array([place[r.family[at]] for at in told], dtype=np.int64)
    taxa = np.bincount(code, minlength=len(names))
    uv, asked, ci, ur = (
        np.bincount(code, weights=column[told], minlength=len(names)).astype(np.float64)
        for column in (r.uv_all, r.uv_asked, r.ci, r.ur)
    )
    return FamilyValues(names, taxa, ur, ci, uv / taxa, asked / taxa)
