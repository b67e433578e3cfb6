"""The use ladder: taxa one below the other by their value, each with the strip of its categories."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from tender_ledger.figures.strip import Share, strip

ROW = 27.0  # height of a rung, pixels
HEAD = 26.0  # above the first rung: the scale
GAP = 40.0  # between the ranked and those that stand apart
SCALE_X, SCALE_WIDTH = 420.0, 240.0
STRIP_X, STRIP_WIDTH = 684.0, 130.0
WIDTH = 946.0


@dataclass(frozen=True)
class Told:
    """A taxon to be drawn: its value, how many informants told of it, its categories with their counts, most told first.

    `rank` 0 means that it stands apart. `interval` are the ends of its 95 % interval, `ranks` those of its ranks,
    `in_first` the share of the resamples in which it is among the first ten.
    """

    taxon: str
    value: float
    told_by: int
    counts: Sequence[tuple[str, int]]
    rank: int = 0
    interval: tuple[float, float] | None = None
    ranks: tuple[int, int] | None = None
    in_first: float = 0.0


@dataclass(frozen=True)
class Rung:
    """A drawn taxon: the baseline `y` of its text, the `x` of its dot, its whisker, its strip."""

    taxon: str
    rank: int
    value: float
    told_by: int
    y: float
    x: float
    shares: tuple[Share, ...]
    whisker: tuple[float, float] | None
    told: Told


@dataclass(frozen=True)
class Ladder:
    """Everything drawn: size, the ticks of the scale as (x, value), ranked rungs, then those apart, headed at `apart_y`."""

    height: float
    ticks: tuple[tuple[float, float], ...]
    rungs: tuple[Rung, ...]
    apart: tuple[Rung, ...]
    apart_y: float

    @property
    def foot(self) -> float:
        """Where the lines of the scale end."""
        return HEAD + ROW * len(self.rungs)


def use_ladder(told: Sequence[Told]) -> Ladder:
    """Place taxa in the order given, the ranked above those that stand apart; no taxa give a ladder without rungs.

    The scale begins at 0 and ends at a round number not below the highest value.
    """
    ends = [end for one in told for end in (one.value, *(one.interval or ())) if not math.isnan(end)]
    top, step = _scale(max(ends, default=0.0))
    ranked = [one for one in told if one.rank]
    apart = [one for one in told if not one.rank]
    rungs = tuple(_rung(one, HEAD + ROW * at, top) for at, one in enumerate(ranked))
    apart_y = HEAD + ROW * len(ranked) + GAP / 2
    below = apart_y + GAP / 2
    others = tuple(_rung(one, below + ROW * at, top) for at, one in enumerate(apart))
    height = below + ROW * len(apart) if apart else apart_y
    ticks = tuple((round(SCALE_X + SCALE_WIDTH * at * step / top, 1), at * step) for at in range(round(top / step) + 1))
    return Ladder(height, ticks, rungs, others, apart_y)


def _rung(one: Told, y: float, top: float) -> Rung:
    x = SCALE_X + SCALE_WIDTH * one.value / top if not math.isnan(one.value) else math.nan
    whisker = one.interval and (round(SCALE_X + SCALE_WIDTH * one.interval[0] / top, 1),
                                round(SCALE_X + SCALE_WIDTH * one.interval[1] / top, 1))  # fmt: skip
    return Rung(one.taxon, one.rank, one.value, one.told_by, y + ROW * 0.68, round(x, 1), strip(one.counts, STRIP_WIDTH),
                whisker, one)  # fmt: skip


def _scale(highest: float) -> tuple[float, float]:
    """A round end of the scale and a round step, with at most five steps."""
    if highest <= 0:
        return 1.0, 0.5
    power = 10 ** math.floor(math.log10(highest / 4))
    step = next(power * one for one in (1, 2, 2.5, 5, 10) if power * one * 5 >= highest)
    return step * math.ceil(round(highest / step, 9)), step
