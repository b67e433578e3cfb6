"""How salient the items of free lists are: Smith's S, Sutrop's index, and the category bias B."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tender_ledger.core.indices.ranking import RANKED_FROM
from tender_ledger.core.resampling.drawing import Resamples
from tender_ledger.core.resampling.jackknife import Ends, student
from tender_ledger.core.resampling.quantiles import ends_where_defined
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
    """The 95 % ends of Smith's S and Sutrop's index over all lists and of the mean position, by name and item.

    The names are `smith`, `sutrop` and `mean`. S and Sutrop's index: the lists resampled whole, the empty ones too. The mean
    position: Student's for the logarithm of a mean of so many positions. Of an item that fewer than RANKED_FROM named there are
    none.
    """
    closed = [closed_up(one) for one in lists]
    items = sorted({item for one in closed for item in one})
    place = {item: at for at, item in enumerate(items)}
    own, ranks = np.zeros((len(closed), len(items))), np.zeros((len(closed), len(items)))
    for at, one in enumerate(closed):
        for rank, item in enumerate(one, 1):
            own[at, place[item]], ranks[at, place[item]] = (len(one) - rank + 1) / len(one), rank
    weights, shares, tellers = drawn.weights.astype(np.float64), drawn.shares(), (ranks > 0).sum(axis=0)
    frequency, summed = weights @ (ranks > 0), weights @ ranks
    with np.errstate(invalid="ignore", divide="ignore"):
        sutrop = frequency**2 / (len(closed) * summed)
        places = np.where(ranks > 0, ranks, np.nan)
    ends = {
        "smith": ends_where_defined(weights @ own / max(len(closed), 1), shares),
        "sutrop": ends_where_defined(sutrop, shares),
        "mean": _position_ends(places, tellers),
    }
    named = np.flatnonzero(tellers >= RANKED_FROM)
    return {
        name: {items[at]: (float(low[at]), float(high[at])) for at in named if not np.isnan(low[at])}
        for name, (low, high) in ends.items()
    }


def _position_ends(places: Floats, tellers: Ints) -> Ends:
    """The 95 % ends of the mean of every column of (lists, items), NaN where a list has not the item."""
    enough = tellers > 1
    low, high = np.full(len(tellers), np.nan), np.full(len(tellers), np.nan)
    chosen, n = places[:, enough], tellers[enough]
    mean = np.nanmean(chosen, axis=0)
    error = np.nanstd(chosen, axis=0, ddof=1) / np.sqrt(n) / mean
    low[enough], high[enough] = (np.exp(np.log(mean) + sign * student(n) * error) for sign in (-1, 1))
    return low, high


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


def mean_bias(lists: Sequence[Sequence[str]], category_of: Mapping[str, bool]) -> MeanBias:
    """The mean category bias with Student's interval over the lists that have one; none for fewer than RANKED_FROM lists."""
    each = np.array([category_bias(one, category_of) for one in lists], dtype=np.float64)
    each = each[~np.isnan(each)]
    if not len(each):
        return MeanBias(float("nan"), 0, None)
    mean, n = float(each.mean()), len(each)
    if n < RANKED_FROM:
        return MeanBias(mean, n, None)
    reach = float(student(n)) * float(each.std(ddof=1)) / math.sqrt(n)
    return MeanBias(mean, n, (max(mean - reach, 0.0), min(mean + reach, 1.0)))
