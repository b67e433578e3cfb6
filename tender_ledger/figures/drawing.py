"""A drawing as a list of marks, each with a look and perhaps a link: what every figure of the reckoning is made of."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, field


@dataclass(frozen=True)
class Mark:
    """One mark. `kind` is line, circle, rect, text or path, `at` its numbers: x1 y1 x2 y2; x y r; x y width height; x y.

    `look` names how it looks; `link` what it leads to, `says` what it says when it is pointed at or read aloud.
    """

    kind: str
    at: tuple[float, ...]
    look: str
    text: str = ""
    link: str = ""
    says: str = ""
    italic: bool = False


@dataclass(frozen=True)
class Drawing:
    """Marks on a sheet of `width` by `height` pixels, with what it is called and what it shows in words."""

    width: float
    height: float
    title: str
    says: str
    marks: Sequence[Mark] = field(default_factory=tuple)


def line(x1: float, y1: float, x2: float, y2: float, look: str = "hair") -> Mark:
    return Mark("line", _round(x1, y1, x2, y2), look)


def circle(x: float, y: float, r: float, look: str = "dot", *, link: str = "", says: str = "") -> Mark:
    return Mark("circle", _round(x, y, r), look, link=link, says=says)


def rect(x: float, y: float, width: float, height: float, look: str, *, link: str = "", says: str = "") -> Mark:
    return Mark("rect", _round(x, y, width, height), look, link=link, says=says)


def text(x: float, y: float, words: str, look: str = "head", *, link: str = "", italic: bool = False) -> Mark:
    return Mark("text", _round(x, y), look, text=words, link=link, italic=italic)


def path(points: Sequence[tuple[float, float]], look: str = "curve", *, closed: bool = False) -> Mark:
    """A broken line through the points; `closed` fills what it encloses."""
    steps = " ".join(f"{'L' if at else 'M'}{x:.1f} {y:.1f}" for at, (x, y) in enumerate(points))
    return Mark("path", (), look, text=steps + ("Z" if closed else ""))


def _round(*numbers: float) -> tuple[float, ...]:
    return tuple(round(number, 1) for number in numbers)


@dataclass(frozen=True)
class Scale:
    """Values from `low` to `high` on pixels from `start` to `end`, with round ticks."""

    low: float
    high: float
    start: float
    end: float
    step: float

    def __call__(self, value: float) -> float:
        return self.start + (self.end - self.start) * (value - self.low) / (self.high - self.low)

    @property
    def ticks(self) -> list[float]:
        first = math.ceil(round(self.low / self.step, 9))
        return [at * self.step for at in range(first, math.floor(round(self.high / self.step, 9)) + 1)]


def scale(low: float, high: float, start: float, end: float, *, most: int = 6) -> Scale:
    """A scale with round ends that holds `low` and `high`; where they are one, it is made a step wide."""
    if high - low < 1e-9 * max(abs(low), abs(high), 1e-3):
        high = low + 1
    power = 10 ** math.floor(math.log10((high - low) / most))
    step = next(power * one for one in (1, 2, 2.5, 5, 10, 20) if (high - low) / (power * one) <= most)
    first, last = math.floor(round(low / step, 9)), math.ceil(round(high / step, 9))
    return Scale(first * step, last * step, start, end, step)


def _tick(value: float) -> str:
    return f"{value:g}".replace("-", "−")


def axes(x: Scale, y: Scale, x_words: str, y_words: str) -> list[Mark]:
    """The ticks of both scales with their numbers, hairlines across, and what is on them."""
    marks = [line(x.start, y(value), x.end, y(value)) for value in y.ticks]
    marks += [text(x.start - 8, y(value) + 4, _tick(value), "tick-left") for value in y.ticks]
    marks += [text(x(value), y.start + 16, _tick(value), "tick") for value in x.ticks]
    marks += [line(x.start, y.start, x.end, y.start, "rule"), text(x.start, y.end - 10, y_words, "head"),
              text(x.end, y.start + 34, x_words, "head-end")]  # fmt: skip
    return marks
