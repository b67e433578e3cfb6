"""Resamples of informants as weights: how often each stands in the resample. Every drawing is a new informant."""

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tender_ledger.core.messages import InputRefused, Problem
from tender_ledger.core.tally.table import Ints

MOST_EXACT = 100_000  # resamples that are enumerated at most


@dataclass(frozen=True)
class Resamples:
    """`weights` (resamples, N) sum to N in every row; `times` how many of all equally likely drawings each stands for.

    `times` None: every row is one drawing. `method` says how they came about, in words.
    """

    weights: npt.NDArray[np.float32]
    times: npt.NDArray[np.float64] | None
    method: str

    def __len__(self) -> int:
        return len(self.weights)

    def shares(self) -> npt.NDArray[np.float64]:
        """The probability of every row."""
        if self.times is None:
            return np.full(len(self), 1 / max(len(self), 1))
        return np.asarray(self.times / self.times.sum())


def draw(strata: Ints, replicates: int, seed: int) -> Resamples:
    """Draw whole informants with replacement, within each stratum; one stratum is the whole study. Silent ones are drawn too.

    `strata`, shape (N,), numbers the stratum of every informant. The same seed gives the same rows.
    """
    rng = np.random.default_rng(seed)
    n = len(strata)
    weights = np.zeros((replicates, n), dtype=np.float32)
    for stratum in np.unique(strata):
        members = np.flatnonzero(strata == stratum)
        size = len(members)
        drawn = rng.integers(0, size, (replicates, size)) + np.arange(replicates)[:, None] * size
        weights[:, members] = np.bincount(drawn.ravel(), minlength=replicates * size).reshape(replicates, size)
    return Resamples(weights, None, f"bootstrap of {replicates} resamples, seed {seed}")


def number_of_resamples(n: int) -> int:
    """C(2N - 1, N): how many different resamples of N informants there are."""
    return math.comb(2 * n - 1, n) if n else 0


def every_resample(n: int) -> Resamples:
    """All different resamples of N informants, each with the number of drawings that give it (they sum to N^N).

    Raises InputRefused where there are more than MOST_EXACT.
    """
    if number_of_resamples(n) > MOST_EXACT:
        raise InputRefused(
            Problem("All resamples can be enumerated for few informants only.", "bootstrap", f"N = {n}",
                    "N of 10 at most", "Give a number of resamples instead."))  # fmt: skip
    rows = np.array(_compositions(n, n) if n else [()], dtype=np.float32).reshape(-1 if n else 1, n)
    factorial = np.array([math.factorial(k) for k in range(n + 1)], dtype=np.float64)
    times = factorial[n] / factorial[rows.astype(np.int64)].prod(axis=1)
    return Resamples(rows, times, "exact enumeration of all resamples")


def _compositions(total: int, places: int) -> list[tuple[int, ...]]:
    """All ways to share `total` among `places`, 0 allowed."""
    if places == 0:
        return []
    if places == 1:
        return [(total,)]
    return [(first, *rest) for first in range(total + 1) for rest in _compositions(total - first, places - 1)]
