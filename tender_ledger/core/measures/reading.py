"""A measure read from what was said: a range in the standard unit of its kind, and the words.

Nothing is made up: where the words give no number, the measure is not read, and the words stay what was told.
"""

import math
from dataclasses import dataclass, replace

from tender_ledger.core.measures.units import BODY, STANDARD, Unit, into_standard, unit_of
from tender_ledger.core.measures.words import (
    ARTICLES,
    GROUPS,
    Number,
    Token,
    read_and_fraction,
    read_number,
    skip_hyphen,
    tokens_of,
    word,
)

_ABOUT_WORDS = "about around roughly approximately approx circa ca c perhaps maybe nearly almost some say ~ ≈ close to just"
_ASPECT_WORDS = "long high tall wide broad thick deep across apart old round square length height width diameter thickness girth"
_ABOUT = frozenset(_ABOUT_WORDS.split())
_ASPECTS = frozenset([*_ASPECT_WORDS.split(), "in", "by", "-", "weight", "volume"])
Phrases = tuple[tuple[str, ...], ...]


def _phrases(*said: str) -> Phrases:
    """Phrases as tuples of tokens, the longest first."""
    return tuple(sorted((tuple(one.split()) for one in said), key=len, reverse=True))


_OR_SO = _phrases("or so", "or thereabouts", "more or less", "- ish", "ish", "- odd", "odd", "give or take")
_LEAST = _phrases("at least", "not less than", "no less than", "not fewer than", "no fewer than", "more than", "over", "above",
                  "upwards of", ">", "≥")  # fmt: skip
_MOST = _phrases("at most", "not more than", "no more than", "less than", "fewer than", "up to", "under", "below", "not over",
                 "<", "≤")  # fmt: skip
_OR_MORE = _phrases("or more", "and more", "at least", "and up", "or over", "and over", "+", "upwards")
_OR_LESS = _phrases("or less", "at most", "or under", "or fewer")
_COUNT = Unit("count", "")
_TIMES = {"once": 1.0, "twice": 2.0, "thrice": 3.0}
_SMALLER = {"foot": "inch", "yard": "foot", "pound": "ounce", "stone": "pound", "hour": "minute", "minute": "second",
            "day": "hour", "week": "day", "m": "cm", "cm": "mm", "km": "m", "kg": "g", "year": "month", "l": "ml"}  # fmt: skip


class MeasureNotRead(ValueError):
    """What was said holds no number and unit that are known; `rest` is what could not be read."""

    def __init__(self, text: str, rest: str) -> None:
        super().__init__(f"“{text}” is no measure that can be read{f': “{rest}” is left' if rest and rest != text else ''}. "
                         "Write it as 4 to 6 mm, two and a half feet, or a handful; or leave it as words.")  # fmt: skip
        self.text, self.rest = text, rest


@dataclass(frozen=True)
class Measure:
    """A range from `low` to `high` in `unit`, and the words that told it.

    None at an end means that it is open there. `unit` is cm, m², g, ml, h, °C or %, the name of a folk measure, “×” for so many
    times as much, “1:” for parts to one, and "" for a count. `approximate` where it was told so, or where the unit is of no one
    length. `of` is what is measured and `per` what it is for, where they were told.
    """

    low: float | None
    high: float | None
    unit: str
    words: str
    approximate: bool = False
    of: str = ""
    per: str = ""


@dataclass(frozen=True)
class _Amount:
    """One end of a range while it is read; without a unit, the other end gives it."""

    value: float
    unit: Unit | None
    group: float
    after: int
    bare: bool = False
    rough: bool = False


def read_measure(text: str) -> Measure:
    """The measure that a whole text tells. Raises MeasureNotRead where there is none, or something is left unread."""
    tokens = tokens_of(text)
    found = _measure(text, tokens, 0)
    if found is None:
        raise MeasureNotRead(text, text)
    measure, after = found
    if after < len(tokens):
        rest = text[tokens[after].start :].strip()
        if measure.of or not _can_be_told(measure, tokens, after):
            raise MeasureNotRead(text, rest)
        measure = replace(measure, of=rest.removeprefix("of ").strip(" ,."))
    return replace(measure, words=text.strip())


def find_measures(text: str) -> list[tuple[int, int, Measure]]:
    """The measures within a longer text, each with where it begins and ends. A bare article is no measure: “a leaf”."""
    tokens, at, found = tokens_of(text), 0, []
    while at < len(tokens):
        read = _measure(text, tokens, at)
        if read and not (read[0].unit == "" and read[1] == at + 1 and tokens[at].text in (*ARTICLES, "one")):
            measure, after = read
            start, end = tokens[at].start, tokens[after - 1].end
            found.append((start, end, replace(measure, words=text[start:end])))
            at = after
        else:
            at += 1
    return found


def _can_be_told(measure: Measure, tokens: list[Token], at: int) -> bool:
    """Whether what follows can be what is measured: “of leaves”, or up to three words after a count or a folk measure."""
    if word(tokens, at) == "of":
        return len(tokens) - at > 1
    if word(tokens, at) == "times":
        return False
    folk = measure.unit in ("", "×", "1:") or not measure.unit.startswith(("cm", "m²", "g", "ml", "h", "°C", "%"))
    return folk and len(tokens) - at <= 3 and all(one.text[0].isalpha() for one in tokens[at:])


def _measure(text: str, tokens: list[Token], at: int) -> tuple[Measure, int] | None:
    return _body(tokens, at) or _ratio(tokens, at) or _multiple(text, tokens, at) or _range(text, tokens, at)


def _phrase(tokens: list[Token], at: int, phrases: Phrases) -> int:
    """The token after one of the phrases, 0 where none stands there."""
    for phrase in phrases:
        if tuple(word(tokens, at + step) for step in range(len(phrase))) == phrase:
            return at + len(phrase)
    return 0


def _range(text: str, tokens: list[Token], at: int) -> tuple[Measure, int] | None:
    """A number or a range with its unit, and how exactly it was told."""
    here, about, least, most = at, False, False, False
    while True:
        if after := _phrase(tokens, here, _LEAST):
            here, least = after, True
        elif after := _phrase(tokens, here, _MOST):
            here, most = after, True
        elif word(tokens, here) in _ABOUT:
            here, about = here + 1 + (word(tokens, here + 1) == "."), True
        else:
            break
    between = word(tokens, here) in ("between", "from")
    first = _amount(tokens, here + between)
    if first is None:
        return None
    second = _other_end(tokens, first, between=word(tokens, here) == "between")
    spread = _plus_minus(tokens, first) if second is None else None
    low, high = first, second or first
    unit = high.unit or low.unit or _COUNT
    if low.bare and low.unit is None and second is None:
        return None  # “a”, and nothing after it
    if low.unit is None and low.group == 1 < high.group and low.value < high.value / high.group:  # two or three dozen
        low = replace(low, value=low.value * high.group)
    ends = sorted(into_standard(one.value, one.unit or unit) for one in (low, high))
    after = high.after
    if spread:
        unit, after = spread.unit or unit, spread.after
        ends = sorted(into_standard(first.value + sign * spread.value, unit) for sign in (-1, 1))
    after, rough, more, less = _suffix(tokens, after)
    lowest: float | None = None if most or less else ends[0]
    highest: float | None = None if least or more else ends[1]
    name = _named(unit)
    measure = Measure(_tidy(lowest), _tidy(highest), name, "", about or rough or unit.rough or low.rough or high.rough)
    return _followed(text, tokens, measure, after)


def _amount(tokens: list[Token], at: int) -> _Amount | None:
    """A number with its unit, where it has one: three feet, 5 ft 6 in, an hour and a half, a score."""
    number = read_number(tokens, at)
    if number is None:
        return None
    said = _phrase(tokens, number.after, _OR_SO)  # thirty-odd feet
    unit, after = _unit(tokens, said or number.after)
    if unit is None:
        return _Amount(number.value, None, number.group, number.after, number.bare)
    value = number.value
    if part := read_and_fraction(tokens, after):  # a foot and a half
        value, after = value + part[0], part[1]
    elif more := _smaller(tokens, unit, after):
        value, after = value + into_standard(more.value, more.unit or unit) / into_standard(1, unit), more.after
    return _Amount(value, unit, number.group, after, rough=said > 0)


def _unit(tokens: list[Token], at: int) -> tuple[Unit | None, int]:
    """The longest unit that the next tokens name, and the token after it; a unit may be joined by a hyphen."""
    here = skip_hyphen(tokens, at)
    here += word(tokens, here) == "of" and word(tokens, here + 1) in ARTICLES  # three quarters of an inch
    words = [word(tokens, here + step) for step in range(3)]
    if words[0] == "°" and words[1] in ("c", "f"):
        return unit_of("°" + words[1]), here + 2
    if words[0].startswith("°"):
        return unit_of(words[0].replace(" ", "")), here + 1
    if words[0] == "°":
        return unit_of("degree"), here + 1
    if words[0] in ("c", "f") and tokens[here].is_capital:  # 26-38 C
        return unit_of("°" + words[0]), here + 1
    for long in (3, 2, 1):
        said = " ".join(words[:long]) if words[long - 1] else ""
        if (unit := unit_of(said)) and not (said == "in" and words[1] in ("the", "a", "an", "diameter", "length", "height")):
            dot = word(tokens, here + long) == "." and len(words[long - 1]) < 5
            return unit, here + long + dot
    return None, at


def _smaller(tokens: list[Token], unit: Unit, at: int) -> _Amount | None:
    """What follows in the next smaller unit: 5 ft 6 in, 2 hours and 20 minutes, 6'2\"."""
    here = at + (word(tokens, at) in ("and", ","))
    number = read_number(tokens, here)
    if number is None or number.bare:
        return None
    more, after = _unit(tokens, number.after)
    if more is None or more.name != _SMALLER.get(unit.name):
        return None
    return _Amount(number.value, more, 1, after)


def _other_end(tokens: list[Token], first: _Amount, *, between: bool) -> _Amount | None:
    """The other end of a range, with the first end's unit or group where it says none; None where there is no range."""
    joint, here = word(tokens, first.after), first.after + 1
    if (joint == "up" and word(tokens, here) == "to") or (joint == "or" and word(tokens, here) in ("even", "sometimes")):
        here += 1
    elif joint not in ("to", "-", "or", "till", "until") and not (between and joint == "and"):
        return None
    second = _amount(tokens, here)
    if second is None or (second.bare and second.unit is None) or (joint == "to" and _is_for(first, second)):
        return None
    if second.unit is None and first.group > 1 and second.group == 1 and second.value < first.group and first.unit is None:
        return replace(second, value=second.value * first.group)  # a score or two
    return replace(second, unit=second.unit or first.unit)


def _is_for(first: _Amount, second: _Amount) -> bool:
    """Whether “to” says for how much, not up to how much: two spoons to a cup."""
    return first.unit is not None and second.unit is not None and first.unit.name != second.unit.name and (
        first.unit.kind != second.unit.kind or second.bare or first.unit.kind == "folk")  # fmt: skip


def _plus_minus(tokens: list[Token], first: _Amount) -> _Amount | None:
    if word(tokens, first.after) == "±":
        return _amount(tokens, first.after + 1)
    if word(tokens, first.after) == "+" and word(tokens, first.after + 1) == "/" and word(tokens, first.after + 2) == "-":
        return _amount(tokens, first.after + 3)
    return None


def _suffix(tokens: list[Token], at: int) -> tuple[int, bool, bool, bool]:
    """The token after what qualifies a measure, and whether it is about so much, so much or more, so much or less."""
    rough, more, less = False, False, False
    while True:
        if after := _phrase(tokens, at, _OR_SO):
            at, rough = after, True
        elif after := _phrase(tokens, at, _OR_MORE):
            at, more = after, True
        elif after := _phrase(tokens, at, _OR_LESS):
            at, less = after, True
        else:
            return at, rough, more, less


def _followed(text: str, tokens: list[Token], measure: Measure, at: int) -> tuple[Measure, int]:
    """The measure with the aspect that it is of, and what it is for: long, in diameter, per litre, to a cup."""
    while word(tokens, at) in _ASPECTS and not (word(tokens, at) in ("in", "by", "-") and word(tokens, at + 1) not in _ASPECTS):
        at += 1
    after, rough, more, less = _suffix(tokens, at)  # six feet high or more
    measure = replace(measure, low=None if less else measure.low, high=None if more else measure.high,
                      approximate=measure.approximate or rough)  # fmt: skip
    at = after
    joint, here = word(tokens, at), at + 1
    told = word(tokens, here) in (*ARTICLES, "every", "each", "the")
    if joint not in ("per", "/") and not (joint in ("each", "to", "for", "in") and (told or word(tokens, here)[:1].isdigit())):
        return measure, at
    here += told
    last = here
    while last < len(tokens) and last - here < 3 and tokens[last].text not in (",", ".", ";"):
        last += 1
    if last == here:
        return measure, at
    return replace(measure, per=text[tokens[here].start : tokens[last - 1].end]), last


def _body(tokens: list[Token], at: int) -> tuple[Measure, int] | None:
    """Knee-high, waist deep, as thick as a finger, arm's length: what it reaches, one of it."""
    here = at + (word(tokens, at) in _ABOUT)
    if word(tokens, here) == "as" and word(tokens, here + 2) == "as":
        here += 3 + (word(tokens, here + 3) in (*ARTICLES, "the", "your", "my", "one's"))
        name, after = word(tokens, here), here + 1
    else:
        name, after = word(tokens, here).removesuffix("'s"), skip_hyphen(tokens, here + 1)
        if word(tokens, after) not in ("high", "deep", "tall", "thick", "wide", "broad", "long", "length", "height"):
            return None
        after += 1
    if name not in BODY:
        return None
    return Measure(1, 1, BODY[name], "", True), after


def _ratio(tokens: list[Token], at: int) -> tuple[Measure, int] | None:
    """1:5, one part to five, equal parts: the parts that come to one."""
    if word(tokens, at) == "equal" and word(tokens, at + 1) in ("parts", "amounts", "measures", "shares"):
        return Measure(1, 1, "1:", ""), at + 2
    first = read_number(tokens, at)
    if first is None or first.value <= 0:
        return None
    here, parts = first.after, False
    if word(tokens, here) in ("part", "parts"):
        here, parts = here + 1, True
    if not (word(tokens, here) == ":" or (parts and word(tokens, here) in ("to", "in", "per"))):
        return None
    second = read_number(tokens, here + 1)
    if second is None:
        return None
    after, last = second.after, second
    if word(tokens, after) in ("-", "to", "or") and (top := read_number(tokens, after + 1)):
        after, last = top.after, top
    after += word(tokens, after) in ("part", "parts")
    return Measure(_tidy(second.value / first.value), _tidy(last.value / first.value), "1:", ""), after


def _multiple(text: str, tokens: list[Token], at: int) -> tuple[Measure, int] | None:
    """Twice as much, three times its weight, two to three times the amount."""
    here = at + (word(tokens, at) in _ABOUT)
    first = _times(tokens, here)
    if first is None:
        return None
    last = first
    if word(tokens, first.after) in ("to", "or", "-") and (other := _times(tokens, first.after + 1)):
        last = other
    after = last.after
    if word(tokens, after) == "times" or word(tokens, after) == "×":
        after += 1
    elif word(tokens, first.after - 1) not in _TIMES:
        return None
    ends = ("much", "many", "long", "high", "large", "big", "thick", "wide")
    if word(tokens, after) == "as" and word(tokens, after + 1) in ends:
        after += 2
        after += word(tokens, after) == "as"
    elif word(tokens, after) in ("its", "the", "their", "that"):
        after += 1
    else:
        return None
    rest = text[tokens[after].start :].strip(" .") if after < len(tokens) else ""
    return Measure(_tidy(first.value), _tidy(last.value), "×", "", here > at, of=rest), len(tokens)


def _times(tokens: list[Token], at: int) -> Number | None:
    if word(tokens, at) in _TIMES:
        return Number(_TIMES[word(tokens, at)], 1, at + 1)
    number = read_number(tokens, at)
    return number if number and not number.bare and word(tokens, at) not in GROUPS else None


def _named(unit: Unit) -> str:
    return STANDARD.get(unit.kind, unit.name)


def _tidy(value: float | None) -> float | None:
    """A value without the last digits that the arithmetic of conversions leaves."""
    return None if value is None else float(f"{value:.12g}") if math.isfinite(value) else value
