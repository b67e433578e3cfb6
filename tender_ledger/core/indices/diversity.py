"""How evenly reports spread: over uses, over informants, over taxa. Inverse Simpson with replacement throughout."""

import numpy as np
import numpy.typing as npt

from tender_ledger.core.tally.table import Ints

Floats = npt.NDArray[np.float64]


def inverse_simpson(counts: Ints | Floats, axis: int = -1) -> Floats:
    """1 / sum p^2 over an axis, p the shares of the counts; NaN where they sum to 0. Between 1 and the number of kinds.

    With replacement: sum p^2, not n(n - 1). UD over categories, ID over informants, SD over species: Byg & Balslev 2001,
    Biodivers Conserv 10:951-970. Misleads at small sums: with replacement it cannot exceed the number of reports.
    """
    total = counts.sum(axis=axis)
    return from_sums(total, (np.asarray(counts, dtype=np.float64) ** 2).sum(axis=axis))


def from_sums(total: Ints | Floats, squares: Ints | Floats) -> Floats:
    """Inverse Simpson from the sum of counts and the sum of their squares: total^2 / squares; NaN where nothing was told."""
    total = np.asarray(total, dtype=np.float64)
    return np.divide(total**2, squares, out=np.full(np.shape(total), np.nan), where=np.asarray(squares) > 0)


def evenness(diversity: Floats, kinds: Ints) -> Floats:
    """Diversity over its highest possible value, in (0, 1]; NaN where there are no kinds. UE, IE, SE of Byg & Balslev 2001
    (the normalisers are less certain: UE over NU or NC, IE over FC or N)."""
    return np.divide(diversity, kinds, out=np.full(np.shape(diversity), np.nan), where=np.asarray(kinds) > 0)


def use_consensus(fc: Ints, n: int) -> Floats:
    """UC_s = 2 FC_s / N - 1, in [-1, 1]; NaN where N is 0. Byg & Balslev 2001, reused by Monteiro et al. 2006 (less certain).

    Misleads when many of the N were never asked about the plant.
    """
    return 2 * fc / n - 1 if n else np.full(np.shape(fc), np.nan)
