"""The communities of a study where they lie: dots on a grid of degrees, drawn to scale from coordinates alone.

Plate carrée about the middle latitude: degrees of longitude are shortened by its cosine, so that distances are true there and
close to it (Snyder 1987, Map projections: a working manual, p. 90). When this misleads: over more than some ten degrees of
latitude the scale holds at the middle only.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

PAD = 46.0  # pixels: room for labels around the outermost places
LOWEST, HIGHEST = 0.3, 0.7  # height of the figure, by its width
KM_A_DEGREE = 111.195  # of latitude, on a sphere of the mean radius of the Earth, 6371.009 km (Moritz 2000, GRS 80)
_LEAST = 0.04  # degrees drawn around a single place
_EM = 7.4  # width of a letter of a label, on the average
_LINE = 16.0
Box = tuple[float, float, float, float]


@dataclass(frozen=True)
class Place:
    """Somewhere to be drawn: degrees north and east, its key and label, and the key of what it lies within, or ""."""

    key: str
    label: str
    latitude: float
    longitude: float
    within: str = ""


@dataclass(frozen=True)
class Dot:
    """A drawn place; its label begins, ends or is centred at (`label_x`, `label_y`) as `anchor` says."""

    key: str
    label: str
    x: float
    y: float
    label_x: float
    label_y: float
    anchor: str


@dataclass(frozen=True)
class PlaceMap:
    """Everything drawn: size, lines of the grid as (position, label), dots, lines from a place to what it lies within as
    (x1, y1, x2, y2), and the bar of `bar_km` kilometres, `bar` pixels long, true at `latitude`."""

    width: float
    height: float
    meridians: tuple[tuple[float, str], ...]
    parallels: tuple[tuple[float, str], ...]
    dots: tuple[Dot, ...]
    lines: tuple[tuple[float, float, float, float], ...]
    bar: float
    bar_km: float
    latitude: float


def place_map(places: Sequence[Place], width: float = 620.0) -> PlaceMap | None:
    """Place communities on a grid so many pixels wide; None where there is none to place. Their order does not matter.

    A study on both sides of the 180th meridian is drawn together.
    """
    if not places:
        return None
    places = sorted(_unwrapped(places), key=lambda one: one.key)
    south, north = min(one.latitude for one in places), max(one.latitude for one in places)
    west, east = min(one.longitude for one in places), max(one.longitude for one in places)
    middle = (south + north) / 2
    narrow = max(math.cos(math.radians(middle)), 0.05)  # nearer the poles than 87 degrees nothing is to be read anyway
    wide, high = (east - west) * narrow, north - south
    scale = min(
        (width - 2 * PAD) / max(wide, _LEAST), (HIGHEST * width - 2 * PAD) / max(high, _LEAST)
    )  # pixels a degree of latitude
    height = max(LOWEST * width, min(HIGHEST * width, high * scale + 2 * PAD))

    def spot(one: Place) -> tuple[float, float]:
        x = width / 2 + (one.longitude - (west + east) / 2) * narrow * scale
        return round(x, 1), round(height / 2 - (one.latitude - middle) * scale, 1)

    spots = {one.key: spot(one) for one in places}
    lines = tuple((*spots[one.key], *spots[one.within]) for one in places if one.within in spots)
    half_wide, half_high = width / 2 / (narrow * scale), height / 2 / scale
    centre = (west + east) / 2
    meridians = tuple((round(width / 2 + (at - centre) * narrow * scale, 1), _degrees(_wrapped(at), "E", "W", step))
                      for at, step in _grid(centre - half_wide, centre + half_wide))  # fmt: skip
    parallels = tuple((round(height / 2 - (at - middle) * scale, 1), _degrees(at, "N", "S", step))
                      for at, step in _grid(max(middle - half_high, -90), min(middle + half_high, 90)))  # fmt: skip
    km = _round_below(width / 4 / scale * KM_A_DEGREE)
    bar = round(km / KM_A_DEGREE * scale, 1)
    meridians = tuple(one for one in meridians if _EM * 3 < one[0] < width - _EM * 3)  # or the label would be cut
    return PlaceMap(width, height, meridians, parallels, _labelled(places, spots, width, height), lines, bar, km, middle)


def _unwrapped(places: Sequence[Place]) -> list[Place]:
    """The places with longitudes that run on across the 180th meridian where that draws them closer together."""
    eastward = sorted(one.longitude for one in places)
    gap, before = max(((after - before, before) for before, after in pairwise(eastward)), default=(0.0, 0.0))
    if gap <= eastward[0] + 360 - eastward[-1]:
        return list(places)
    return [replace(one, longitude=one.longitude + 360) if one.longitude <= before else one for one in places]


def _wrapped(longitude: float) -> float:
    return (longitude + 180) % 360 - 180


def _round_below(value: float) -> float:
    """The greatest 1, 2 or 5 times a power of ten that is not above the value."""
    power = float(10 ** math.floor(math.log10(value)))
    return next(power * one for one in (5, 2, 1) if power * one <= value * (1 + 1e-9))


def _grid(low: float, high: float) -> list[tuple[float, float]]:
    """Round values between two, two to five of them, each with the step between them."""
    step = _round_below((high - low) / 2)
    first = math.ceil(low / step)
    return [(at * step, step) for at in range(first, math.floor(high / step) + 1)]


def _degrees(value: float, positive: str, negative: str, step: float) -> str:
    """47.85° N, with as many decimals as the step needs."""
    places = max(0, -math.floor(math.log10(step) + 1e-9))
    text = f"{abs(value):.{places}f}"
    return f"{text}°" if not float(text) else f"{text}° {positive if value > 0 else negative}"


def _labelled(places: Sequence[Place], spots: dict[str, tuple[float, float]], width: float, height: float) -> tuple[Dot, ...]:
    """The dots, each with its label where it meets fewest other labels, dots and edges."""
    taken = [(x - 5, y - 5, x + 5, y + 5) for x, y in spots.values()]
    dots = []
    for one in places:
        x, y = spots[one.key]
        beside, above, below = ("start", x + 10, y + 5), ("middle", x, y - 11), ("middle", x, y + 21)
        anchor, at_x, at_y = min((beside, ("end", x - 10, y + 5), above, below),
                                 key=lambda spot: _cost(_box(one.label, *spot), taken, width, height))  # fmt: skip
        taken.append(_box(one.label, anchor, at_x, at_y))
        dots.append(Dot(one.key, one.label, x, y, round(at_x, 1), round(at_y, 1), anchor))
    return tuple(dots)


def _box(label: str, anchor: str, x: float, y: float) -> Box:
    """The left, upper, right and lower end of a label, about."""
    long = len(label) * _EM
    left = x - {"start": 0.0, "end": long, "middle": long / 2}[anchor]
    return left, y - _LINE + 3, left + long, y + 3


def _cost(box: Box, taken: Sequence[Box], width: float, height: float) -> int:
    """How many labels and dots it meets; an edge counts for ten."""
    outside = box[0] < 4 or box[2] > width - 4 or box[1] < 4 or box[3] > height - 4
    return sum(_meet(box, other) for other in taken) + 10 * outside


def _meet(one: Box, other: Box) -> bool:
    return one[0] < other[2] and other[0] < one[2] and one[1] < other[3] and other[1] < one[3]
