"""Means over informants (RFC, CI, UV): their standard errors, and their exact distribution under resampling."""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tender_ledger.core.resampling.quantiles import ALPHA
from tender_ledger.core.tally.table import Ints

Floats = npt.NDArray[np.float64]
_MOST_CELLS = 8_000_000  # of the exact distribution; beyond this, resamples are drawn
_SLACK = 1e-12


@dataclass(frozen=True)
class PerInformant:
    """A value for each (informant, taxon) that has one, in the order of the taxa; informants are numbered 0 .. N - 1."""

    taxon: Ints
    informant: Ints
    value: Ints | Floats
    taxa: int
    n: int

    def sums(self) -> Floats:
        return np.bincount(self.taxon, weights=self.value, minlength=self.taxa).astype(np.float64)

    def standard_errors(self) -> tuple[Floats, Floats]:
        """Of the mean over N: bootstrap sqrt(sum (U_i - mean)^2) / N, and jackknife, that times sqrt(N / (N - 1)).

        NaN where N is 0, and the jackknife also where N is 1. Source: Efron & Tibshirani 1993.
        """
        n = self.n
        if not n:
            nothing = np.full(self.taxa, np.nan)
            return nothing, nothing
        squares = np.bincount(self.taxon, weights=np.asarray(self.value, dtype=np.float64) ** 2, minlength=self.taxa)
        bootstrap = np.sqrt(np.maximum(squares - self.sums() ** 2 / n, 0.0)) / n
        return bootstrap, bootstrap * np.sqrt(n / (n - 1)) if n > 1 else np.full(self.taxa, np.nan)


def exact_ends(values: PerInformant, strata: Ints, alpha: float = ALPHA) -> tuple[Floats, Floats] | None:
    """The ends of the exact distribution of the mean of N drawings with replacement within the strata.

    The distribution of a sum of independent drawings is the convolution of theirs. None where values are no whole numbers,
    or where it would take too many cells. RFC* is so exactly Binomial(N, RFC) / N. NaN where N is 0.
    """
    if not values.n:
        return np.full(values.taxa, np.nan), np.full(values.taxa, np.nan)
    if not np.issubdtype(np.asarray(values.value).dtype, np.integer) and not np.all(np.mod(values.value, 1) == 0):
        return None
    top = int(np.max(values.value, initial=0))
    length = values.n * top + 1
    if length * values.taxa > _MOST_CELLS:
        return None
    transformed = np.ones((values.taxa, length // 2 + 1), dtype=np.complex128)
    for stratum, size in zip(*np.unique(strata, return_counts=True), strict=True):
        within = strata[values.informant] == stratum
        seen = np.zeros((values.taxa, length))
        np.add.at(seen, (values.taxon[within], np.asarray(values.value, dtype=np.int64)[within]), 1.0)
        seen[:, 0] += size - seen.sum(axis=1)
        transformed *= np.fft.rfft(seen / size, axis=1) ** int(size)
    summed = np.cumsum(np.fft.irfft(transformed, n=length, axis=1), axis=1)
    low, high = ((summed >= p - _SLACK).argmax(axis=1) / values.n for p in (alpha / 2, 1 - alpha / 2))
    return low, high
