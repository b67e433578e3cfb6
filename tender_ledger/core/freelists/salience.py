"""How salient the items of free lists are: Smith's S, Sutrop's index, and the category bias B."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tender_ledger.core.resampling.drawing import Resamples
from tender_ledger.core.resampling.quantiles import ends_where_defined, only_pair
from tender_ledger.core.tally.table import Ints

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Salience:
    """Items in alphabetical order with parallel columns; `lengths` are those of the lists, the empty ones with 0.

    `smith` and `ranks` are sums over the lists; the indices take N, all lists or only those with an item.
    """

    items: tuple[str, ...]
    frequency: Ints
    smith: Floats
    ranks: Ints
    lengths: Ints

    @property
    def n_all(self) -> int:
        return len(self.lengths)

    @property
    def n_lists(self) -> int:
        return int((self.lengths > 0).sum())

    @property
    def mean_position(self) -> Floats:
        """mP: the mean position over the lists that have the item."""
        return self.ranks / self.frequency

    def smith_s(self, n: int) -> Floats:
        """S_a = (1/N) sum_i (L_i - R_ia + 1) / L_i, 0 where absent. Smith 1993, CAM 5:1-3; Smith & Borgatti 1997, J Ling
        Anthropol 7:208-209. Misleads when lists were cut short: a place is worth less in a short list."""
        return self.smith / n if n else np.full(len(self.items), np.nan)

    def sutrop(self, n: int) -> Floats:
        """F / (N mP). Sutrop 2001, Field Methods 13:263-276. Misleads for items that few named early."""
        return self.frequency / (n * self.mean_position) if n else np.full(len(self.items), np.nan)


def closed_up(items: Sequence[str]) -> list[str]:
    """A list without second namings: the first stands, and the list closes up before lengths and ranks are taken."""
    return list(dict.fromkeys(item for item in items if item))


def salience(lists: Sequence[Sequence[str]]) -> Salience:
    """The salience of every item over the lists, each in the order named; an empty list is somebody asked who named none."""
    closed = [closed_up(one) for one in lists]
    items = tuple(sorted({item for one in closed for item in one}))
    place = {item: at for at, item in enumerate(items)}
    named = [(place[item], rank, len(one)) for one in closed for rank, item in enumerate(one, 1)]
    item, rank, length = (np.array(column, dtype=np.int64) for column in zip(*named, strict=True)) if named else (
        np.zeros(0, dtype=np.int64),) * 3  # fmt: skip
    smith = np.bincount(item, weights=(length - rank + 1) / np.maximum(length, 1), minlength=len(items)).astype(np.float64)
    return Salience(items, np.bincount(item, minlength=len(items)), smith,
                    np.bincount(item, weights=rank, minlength=len(items)).astype(np.int64),
                    np.array([len(one) for one in closed], dtype=np.int64))  # fmt: skip


def salience_ends(lists: Sequence[Sequence[str]], drawn: Resamples) -> Mapping[str, Mapping[str, tuple[float, float]]]:
    """The 95 % ends of Smith's S, Sutrop's index (both over all lists) and the mean position of every item, the lists resampled
    whole, the empty ones too; by `smith`, `sutrop`, `mean` and item.

    Undefined where nobody in a resample named the item, in all but Smith's S; no ends where that is so in more than 5 %.
    """
    closed = [closed_up(one) for one in lists]
    items = sorted({item for one in closed for item in one})
    place = {item: at for at, item in enumerate(items)}
    own, ranks = np.zeros((len(closed), len(items))), np.zeros((len(closed), len(items)))
    for at, one in enumerate(closed):
        for rank, item in enumerate(one, 1):
            own[at, place[item]], ranks[at, place[item]] = (len(one) - rank + 1) / len(one), rank
    weights, shares = drawn.weights.astype(np.float64), drawn.shares()
    frequency, summed = weights @ (ranks > 0), weights @ ranks
    with np.errstate(invalid="ignore", divide="ignore"):
        found = {"smith": weights @ own / max(len(closed), 1), "sutrop": frequency**2 / (len(closed) * summed),
                 "mean": summed / frequency}  # fmt: skip
    return {name: _ends(values, items, shares) for name, values in found.items()}


def _ends(values: Floats, items: Sequence[str], shares: Floats) -> dict[str, tuple[float, float]]:
    low, high = ends_where_defined(values, shares)
    return {item: (float(low[at]), float(high[at])) for at, item in enumerate(items) if not np.isnan(low[at])}


def category_bias(items: Sequence[str], category_of: Mapping[str, bool]) -> float:
    """B = [k (n + 1/2) - k^2 / 2 - sum R] / [k (n - k)] of one list: k items of the category among n, R their ranks.

    1 all first, 0 all last, 1/2 no bias; NaN where the list has none or only items of the category. Source: Robbins & Nolan
    1997. Misleads for short lists, where few values are possible.
    """
    closed = closed_up(items)
    ranks = [rank for rank, item in enumerate(closed, 1) if category_of.get(item, False)]
    n, k = len(closed), len(ranks)
    return (k * (n + 0.5) - k**2 / 2 - sum(ranks)) / (k * (n - k)) if 0 < k < n else float("nan")


@dataclass(frozen=True)
class MeanBias:
    """The mean of B over the `lists` in which it is defined, NaN for none, and its 95 % ends, None where there are none."""

    value: float
    lists: int
    ends: tuple[float, float] | None


def mean_bias(lists: Sequence[Sequence[str]], category_of: Mapping[str, bool], drawn: Resamples) -> MeanBias:
    """The mean category bias, the lists resampled whole: those without a B are drawn too and leave fewer to take the mean of."""
    each = np.array([category_bias(one, category_of) for one in lists], dtype=np.float64)
    there = ~np.isnan(each)
    if not there.any():
        return MeanBias(float("nan"), 0, None)
    weights = drawn.weights.astype(np.float64)[:, there]
    with np.errstate(invalid="ignore"):
        means = weights @ each[there] / weights.sum(axis=1)
    ends = only_pair(ends_where_defined(means[:, None], drawn.shares()))
    return MeanBias(float(each[there].mean()), int(there.sum()), ends)
