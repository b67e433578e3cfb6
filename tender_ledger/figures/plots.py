"""The figures of the reckoning: what was heard, groups in a plane and as a tree, knowledge by age, families of a flora."""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from tender_ledger.figures.drawing import Drawing, Mark, axes, circle, line, path, rect, scale, text

WIDTH = 640.0


@dataclass(frozen=True)
class Curve:
    """An expected curve at numbers of informants, with both ends of a band, None where there is none."""

    name: str
    at: Sequence[int]
    values: Sequence[float]
    low: Sequence[float | None]
    high: Sequence[float | None]


def listening_curve(curve: Curve, words: Mapping[str, str], link: str = "") -> Drawing:
    """What was heard by number of informants, with its band. `words`: title, says, x, y; `link` is that of the last point, which
    is all that was heard."""
    top = max([*curve.values, *(end for end in curve.high if end is not None)], default=1.0)
    x, y = scale(0, max(curve.at, default=1), 56, WIDTH - 20), scale(0, top, 300, 30)
    marks = axes(x, y, words["x"], words["y"])
    upper, lower = (
        [(x(n), y(end)) for n, end in zip(curve.at, ends, strict=True) if end is not None] for ends in (curve.high, curve.low)
    )
    if len(upper) > 1:
        marks.append(path([*upper, *reversed(lower)], "band", closed=True))
    if len(curve.at) > 1:
        marks.append(path([(x(n), y(value)) for n, value in zip(curve.at, curve.values, strict=True)]))
    marks += [circle(x(n), y(value), 3, link=link, says=f"{n}: {value:g}")
              for n, value in [*zip(curve.at, curve.values, strict=True)][-1:]]  # fmt: skip
    return Drawing(WIDTH, 346, words["title"], words["says"], tuple(marks))


def plane(names: Sequence[str], points: Sequence[Sequence[float]], words: Mapping[str, str],
          links: Sequence[str] = ()) -> Drawing:  # fmt: skip
    """Groups as points on their first two principal coordinates, both axes by one measure."""
    reach = max([abs(value) for point in points for value in point] or [1.0]) or 1.0
    x, y = scale(-reach, reach, 56, 356, most=4), scale(-reach, reach, 330, 30, most=4)
    marks = axes(x, y, words["x"], words["y"])
    marks += [line(x(0), y.start, x(0), y.end, "stem"), line(x.start, y(0), x.end, y(0), "stem")]
    for name, (one, other), link in zip(names, points, links or [""] * len(names), strict=True):
        right = x(one) < (x.start + x.end) / 2
        marks += [circle(x(one), y(other), 4.5, says=name, link=link),
                  text(x(one) + (9 if right else -9), y(other) + 4, name, "place" if right else "place-end")]  # fmt: skip
    return Drawing(380, 380, words["title"], words["says"], tuple(marks))


def tree(
    names: Sequence[str],
    merges: Sequence[Sequence[float]],
    order: Sequence[int],
    words: Mapping[str, str],
    links: Sequence[str] = (),
    joins: Sequence[str] = (),
    again: Sequence[float | None] = (),
) -> Drawing:
    """The tree of average linkage, leaves one below the other, heights from left to right. `links` are those of the leaves,
    `joins` those of the merges, each marked by a knot, `again` the share of resamples in which each was joined; the last, which
    joins all, has no doubt."""
    row, top = 26.0, 40.0
    foot = top + row * max(len(names), 1)
    x = scale(0, max([merge[2] for merge in merges] or [1.0]), 380, 30, most=4)
    marks: list[Mark] = [line(x(value), top - 8, x(value), foot) for value in x.ticks]
    marks += [text(x(value), top - 14, f"{value:g}", "tick") for value in x.ticks]
    marks.append(text(30, 14, words["x"], "head"))
    place = {leaf: (x(0), top + row * at + row / 2) for at, leaf in enumerate(order)}
    of_leaf = links or [""] * len(names)
    marks += [text(x(0) + 10, y + 5, names[leaf], "place", link=of_leaf[leaf]) for leaf, (_x, y) in place.items()]
    knots: list[Mark] = []
    for at, (one, other, height, _size) in enumerate(merges):
        (x1, y1), (x2, y2) = place[int(one)], place[int(other)]
        marks += [line(x1, y1, x(height), y1, "branch"), line(x2, y2, x(height), y2, "branch"),
                  line(x(height), y1, x(height), y2, "branch")]  # fmt: skip
        place[len(names) + at] = (x(height), (y1 + y2) / 2)
        if joins:
            said, found_again = f"{words['x']} {height:.3f}", again[at] if at < len(again) else None
            if found_again is not None:
                share = f"{100 * found_again:.0f} %"
                said = f"{said}; {words['again']} {share}"
                knots.append(text(x(height) + 6, (y1 + y2) / 2 + 4, share, "head"))
            knots.append(circle(x(height), (y1 + y2) / 2, 3.5, link=joins[at], says=said))
    return Drawing(WIDTH, foot + 8, words["title"], words["says"], (*marks, *knots))


@dataclass(frozen=True)
class Person:
    """A holder, or a class of holders, at a place on both measures; `size` of how many it stands for."""

    label: str
    x: float
    y: float
    link: str = ""
    size: int = 1


def by_measure(people: Sequence[Person], words: Mapping[str, str]) -> Drawing:
    """Holders by a measure of themselves (years) and one of what they know; those in one place lie over one another, larger."""
    x = scale(min([one.x for one in people] or [0.0]), max([one.x for one in people] or [1.0]), 56, WIDTH - 20)
    y = scale(0, max([one.y for one in people] or [1.0]), 300, 30)
    marks = axes(x, y, words["x"], words["y"])
    marks += [circle(x(one.x), y(one.y), 3 + 1.5 * math.sqrt(one.size), "open", link=one.link, says=one.label) for one in people]
    return Drawing(WIDTH, 346, words["title"], words["says"], tuple(marks))


@dataclass(frozen=True)
class Family:
    """A family of the flora with its species, those used, and what the bounds call it."""

    name: str
    flora: int
    used: int
    call: str
    link: str = ""


def families_of_a_flora(families: Sequence[Family], shares: tuple[float, float], line_of: tuple[float, float],
                        words: Mapping[str, str]) -> Drawing:  # fmt: skip
    """Used species by species of the flora: the line of the regression, and the fan of the whole flora's bounds."""
    x = scale(0, max([one.flora for one in families] or [1]), 56, WIDTH - 20)
    y = scale(0, max([one.used for one in families] or [1]), 330, 30)
    marks = axes(x, y, words["x"], words["y"])
    high = min(shares[1] * x.high, y.high)
    marks.append(
        path(
            [
                (x(0), y(0)),
                (x(high / shares[1] if shares[1] else x.high), y(high)),
                *([(x(x.high), y(y.high))] if shares[1] * x.high > y.high else []),
                (x(x.high), y(shares[0] * x.high)),
            ],
            "band",
            closed=True,
        )
    )
    slope, intercept = line_of
    if not math.isnan(slope):
        ends = [(value, intercept + slope * value) for value in (x.low, x.high)]
        if all(y.low - 1e-9 <= value <= y.high + 1e-9 for _x, value in ends):
            marks.append(path([(x(one), y(value)) for one, value in ends], "dashed"))
    for one in sorted(families, key=lambda one: one.call != "no"):
        at = (x(one.flora), y(one.used))
        marks.append(
            circle(*at, 4, "dot" if one.call != "no" else "open", link=one.link, says=f"{one.name}: {one.used} / {one.flora}")
        )
        if one.call != "no" or one.used >= 0.6 * y.high or one.flora >= 0.8 * x.high:
            marks.append(text(at[0] + 8, at[1] - 6, one.name, "place") if at[0] < WIDTH - 130
                         else text(at[0] - 8, at[1] - 8, one.name, "place-end"))  # fmt: skip
    return Drawing(WIDTH, 376, words["title"], words["says"], tuple(marks))


@dataclass(frozen=True)
class Point:
    """A named point with what it leads to."""

    name: str
    x: float
    y: float
    link: str = ""


def leveling_off(points: Sequence[Point], threshold: int, line_of: tuple[float, float], words: Mapping[str, str]) -> Drawing:
    """Uses by tellers, a point a plant, with the line that rises to the threshold T and is level from there."""
    x = scale(0, max([point.x for point in points] or [1.0]), 56, WIDTH - 20)
    y = scale(0, max([point.y for point in points] or [1.0]), 300, 30)
    marks = axes(x, y, words["x"], words["y"])
    if threshold and not math.isnan(line_of[0]):
        level = line_of[0] + line_of[1] * threshold
        start = max(line_of[0], 0.0)
        marks.append(path([(x(0), y(start)), (x(threshold), y(level)), (x(x.high), y(level))], "dashed"))
        marks += [
            line(x(threshold), y.start, x(threshold), y.end, "stem"),
            text(x(threshold) + 5, y.end + 4, f"T = {threshold}", "code-left"),
        ]
    marks += [circle(x(one.x), y(one.y), 4, "open", link=one.link, says=f"{one.name}: {one.x:g}, {one.y:g}") for one in points]
    return Drawing(WIDTH, 346, words["title"], words["says"], tuple(marks))


def against(points: Sequence[Point], words: Mapping[str, str]) -> Drawing:
    """The same things by two measures of one kind, both axes alike, with the line on which they are equal."""
    top = max([value for one in points for value in (one.x, one.y)] or [1.0])
    x, y = scale(0, top, 56, 356, most=5), scale(0, top, 330, 30, most=5)
    marks = axes(x, y, words["x"], words["y"])
    marks.append(path([(x(x.low), y(y.low)), (x(x.high), y(y.high))], "dashed"))
    marks += [
        circle(x(one.x), y(one.y), 4, "open", link=one.link, says=f"{one.name}: {one.x:.2f}, {one.y:.2f}") for one in points
    ]
    return Drawing(400, 376, words["title"], words["says"], tuple(marks))


@dataclass(frozen=True)
class InGroup:
    """A group with its holders, or without them where they may not be shown, and the quartiles of what they know."""

    name: str
    people: Sequence[Person]
    quartiles: tuple[float, float, float]
    link: str = ""


def by_group(groups: Sequence[InGroup], words: Mapping[str, str]) -> Drawing:
    """What holders know, group beside group: a dot a holder, equals beside one another, a line at the median, a bar between the
    quartiles."""
    wide = 120.0
    top = max([one.quartiles[2] for one in groups] + [person.y for one in groups for person in one.people] or [1.0])
    end = 56 + wide * max(len(groups), 1)
    x, y = scale(0, len(groups), 56, end), scale(0, top, 300, 30)
    marks = [line(x.start, y(value), end, y(value)) for value in y.ticks]
    marks += [text(x.start - 8, y(value) + 4, f"{value:g}", "tick-left") for value in y.ticks]
    marks += [line(x.start, y.start, end, y.start, "rule"), text(x.start, y.end - 10, words["y"], "head")]
    for at, one in enumerate(groups):
        middle = 56 + wide * (at + 0.5)
        low, median, high = one.quartiles
        marks += [rect(middle - 34, y(high), 68, max(y(low) - y(high), 1), "band", link=one.link,
                       says=f"{one.name}: {low:g}, {median:g}, {high:g}"),
                  line(middle - 34, y(median), middle + 34, y(median), "branch"),
                  text(middle, y.start + 18, one.name, "tick", link=one.link)]  # fmt: skip
        alike: dict[float, int] = {}
        for person in one.people:
            place = alike[person.y] = alike.get(person.y, -1) + 1
            shift = 9 * ((place + 1) // 2) * (-1 if place % 2 else 1)
            marks.append(circle(middle + shift, y(person.y), 4, "open", link=person.link, says=f"{person.label}: {person.y:g}"))
    return Drawing(max(end + 20, 240), 336, words["title"], words["says"], tuple(marks))


def bars(rows: Sequence[tuple[str, float, str]], words: Mapping[str, str], *, italic: bool = False,
         whole: bool = False) -> Drawing:  # fmt: skip
    """Values one below the other, each as a bar from 0; rows are (name, value, link), values counts where `whole`."""
    row, top = 24.0, 40.0
    x = scale(0, max([value for _name, value, _link in rows] or [1.0]), 250, WIDTH - 60)
    foot = top + row * len(rows)
    ticks = [value for value in x.ticks if not whole or float(value).is_integer()]
    marks: list[Mark] = [line(x(value), top - 8, x(value), foot) for value in ticks]
    marks += [text(x(value), top - 14, f"{value:g}", "tick") for value in ticks]
    marks.append(text(0, top - 14, words["y"], "head"))
    for at, (name, value, link) in enumerate(rows):
        y = top + row * at
        marks += [text(0, y + 16, name, "name", link=link, italic=italic),
                  rect(x(0), y + 6, max(x(value) - x(0), 1), 11, "bar", link=link, says=f"{name} {value:.3g}"),
                  text(x(value) + 6, y + 16, f"{value:.0f}" if whole else f"{value:.3f}", "code-left")]  # fmt: skip
    return Drawing(WIDTH, foot + 8, words["title"], words["says"], tuple(marks))


def named_by(holders: Sequence[str], taxa: Sequence[str], cells: Sequence[Sequence[int]], words: Mapping[str, str],
             address: Callable[[str, str], str]) -> Drawing:  # fmt: skip
    """Who told of what: a mark where a holder (row) told of a taxon (column), in the orders given.

    `address` says what a holder, a taxon, or both lead to; the other is then "".
    """
    size, left, top = 13.0, 70.0, 150.0
    marks: list[Mark] = [
        text(left - 8, top + size * at + 10, code, "row", link=address(code, "")) for at, code in enumerate(holders)
    ]
    marks += [Mark("text", (left + size * at + 10, top - 6), "up", text=taxon, italic=True, link=address("", taxon))
              for at, taxon in enumerate(taxa)]  # fmt: skip
    for at, told in enumerate(cells):
        marks += [rect(left + size * one, top + size * at, size - 1.5, size - 1.5, "bar", says=f"{holders[at]}: {taxa[one]}",
                       link=address(holders[at], taxa[one]))
                  for one in told]  # fmt: skip
    return Drawing(left + size * len(taxa) + 110, top + size * len(holders) + 8, words["title"], words["says"], tuple(marks))
