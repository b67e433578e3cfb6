"""The words of a measure: tokens with their places in the text, and the numbers that they write."""

import re
from dataclasses import dataclass

_TOKEN = re.compile(r"\d+(?:[.,]\d+)*|[^\W\d_]+(?:['’][^\W\d_]+)?|[¼½¾⅐⅑⅒⅓⅔⅕⅖⅗⅘⅙⅚⅛⅜⅝⅞]|°\s?[CFcf]\b|\S")
_VULGAR = {"¼": 1 / 4, "½": 1 / 2, "¾": 3 / 4, "⅐": 1 / 7, "⅑": 1 / 9, "⅒": 1 / 10, "⅓": 1 / 3, "⅔": 2 / 3,
           "⅕": 1 / 5, "⅖": 2 / 5, "⅗": 3 / 5, "⅘": 4 / 5, "⅙": 1 / 6, "⅚": 5 / 6, "⅛": 1 / 8, "⅜": 3 / 8,
           "⅝": 5 / 8, "⅞": 7 / 8}  # fmt: skip
_SIGNS = {**dict.fromkeys("‐‑‒–—−", "-"), **dict.fromkeys("’′ʹ", "'"), **dict.fromkeys("″“”", '"'), "⁄": "/", "∶": ":"}
_TO_TWENTY = """zero one two three four five six seven eight nine ten eleven twelve thirteen fourteen fifteen sixteen seventeen
    eighteen nineteen"""
_BY_TENS = "twenty thirty forty fifty sixty seventy eighty ninety"
_ONES = {word: at for at, word in enumerate(_TO_TWENTY.split())}
_TENS = {word: 10 * at for at, word in enumerate(_BY_TENS.split(), 2)}
# Words that stand for so many and are counted themselves: two dozen, a score or two.
GROUPS = {"pair": 2, "pairs": 2, "couple": 2, "dozen": 12, "dozens": 12, "score": 20, "scores": 20, "hundred": 100,
          "hundreds": 100, "thousand": 1000, "thousands": 1000}  # fmt: skip
_FRACTIONS = {"half": 2, "halves": 2, "third": 3, "thirds": 3, "quarter": 4, "quarters": 4, "fifth": 5, "fifths": 5, "sixth": 6,
              "sixths": 6, "eighth": 8, "eighths": 8, "tenth": 10, "tenths": 10, "sixteenth": 16, "sixteenths": 16}  # fmt: skip
ARTICLES = ("a", "an")


@dataclass(frozen=True)
class Token:
    """A word, number or sign in small letters, with where it begins and ends in the text; `is_capital` where it is one capital
    letter, which is what C and F are as degrees."""

    text: str
    start: int
    end: int
    is_capital: bool = False

    @property
    def is_digits(self) -> bool:
        return self.text[0].isdecimal()


@dataclass(frozen=True)
class Number:
    """A number as told: its value, the value of its group word (a dozen is 12, else 1), and the token after it.

    `bare` means that nothing but an article says it, as in “a foot”.
    """

    value: float
    group: float
    after: int
    bare: bool = False


def tokens_of(text: str) -> list[Token]:
    """The tokens of a text; kinds of dashes, apostrophes and fraction strokes are one."""
    return [
        Token(_SIGNS.get(m[0], m[0].casefold().replace("’", "'")), m.start(), m.end(), len(m[0]) == 1 and m[0].isupper())
        for m in _TOKEN.finditer(text)
    ]


def read_number(tokens: list[Token], at: int) -> Number | None:
    """The number that begins at a token: 12, 1 1/2, ½, two and a half, three quarters of an, half a dozen, a score; or None."""
    found = _digits(tokens, at) or _words(tokens, at)
    if found is None:
        return None
    found = _grouped(tokens, found)
    added = read_and_fraction(tokens, found.after)
    if added and not found.bare:
        return Number(found.value + added[0] * found.group, found.group, added[1])
    return found


def word(tokens: list[Token], at: int) -> str:
    """The text of a token; "" after the last."""
    return tokens[at].text if at < len(tokens) else ""


def read_and_fraction(tokens: list[Token], at: int) -> tuple[float, int] | None:
    """“and a half”, “and three quarters”, also with hyphens: its value and the token after it."""
    here = skip_hyphen(tokens, at)
    if word(tokens, here) != "and":
        return None
    part = _fraction(tokens, skip_hyphen(tokens, here + 1))
    return (part.value, part.after) if part else None


def skip_hyphen(tokens: list[Token], at: int) -> int:
    return at + (word(tokens, at) == "-")


def _digits(tokens: list[Token], at: int) -> Number | None:
    if _is_minus(tokens, at):
        found = _digits(tokens, at + 1)
        return Number(-found.value, 1, found.after) if found else None
    if word(tokens, at) in _VULGAR:
        return Number(_VULGAR[word(tokens, at)], 1, at + 1)
    if at >= len(tokens) or not tokens[at].is_digits:
        return None
    if over := _stroke(tokens, at):
        return Number(over, 1, at + 3)
    value = _decimal(tokens[at].text)
    if word(tokens, at + 1) in _VULGAR:
        return Number(value + _VULGAR[word(tokens, at + 1)], 1, at + 2)
    joint = at + 1 + (word(tokens, at + 1) == "-")  # 1-1/2 is one and a half where the rest is less than one
    over = _stroke(tokens, joint)
    if over and over < 1 and float(value).is_integer():
        return Number(value + over, 1, joint + 3)
    return Number(value, 1, at + 1)


def _is_minus(tokens: list[Token], at: int) -> bool:
    """Whether a dash is the sign of the number right after it: -5, and not 4-5."""
    if word(tokens, at) != "-" or at + 1 >= len(tokens) or not tokens[at + 1].is_digits:
        return False
    return tokens[at].end == tokens[at + 1].start and (at == 0 or not tokens[at - 1].is_digits)


def _stroke(tokens: list[Token], at: int) -> float:
    """The value of 3/4; 0 where there is no such fraction."""
    above, below = word(tokens, at), word(tokens, at + 2)
    if word(tokens, at + 1) == "/" and above.isdecimal() and below.isdecimal() and int(below):
        return int(above) / int(below)
    return 0.0


def _decimal(text: str) -> float:
    """1,200 is twelve hundred; 1,5 is one and a half; 1.200,5 and 1,200.5 are the same."""
    if re.fullmatch(r"\d{1,3}(,\d{3})+(\.\d+)?", text):
        return float(text.replace(",", ""))
    if re.fullmatch(r"\d{1,3}(\.\d{3})+,\d+", text):
        return float(text.replace(".", "").replace(",", "."))
    return float(re.sub(r"[.,](?=.*[.,])", "", text).replace(",", "."))


def _words(tokens: list[Token], at: int) -> Number | None:
    if part := _fraction(tokens, at):
        return part
    said = word(tokens, at)
    if said in ARTICLES:
        return Number(1, 1, at + 1, bare=True)
    value, here = 0.0, at
    if said in _TENS:
        value, here = _TENS[said], at + 1
        more = skip_hyphen(tokens, here)
        if 0 < _ONES.get(word(tokens, more), 0) < 10:
            value, here = value + _ONES[word(tokens, more)], more + 1
    elif said in _ONES:
        value, here = _ONES[said], at + 1
    else:
        return None
    over = skip_hyphen(tokens, here)
    if word(tokens, over) in _FRACTIONS and value:  # three quarters, two thirds of a
        return Number(value / _FRACTIONS[word(tokens, over)], 1, _of_one(tokens, over + 1))
    return Number(value, 1, here)


def _fraction(tokens: list[Token], at: int) -> Number | None:
    """half, a half, half a, a quarter of an, three quarters: a part of one."""
    here, above = at, 1.0
    if word(tokens, here) in ARTICLES:
        here = skip_hyphen(tokens, here + 1)
    elif word(tokens, here) in _ONES and word(tokens, skip_hyphen(tokens, here + 1)) in _FRACTIONS:
        above, here = _ONES[word(tokens, here)], skip_hyphen(tokens, here + 1)
    below = _FRACTIONS.get(word(tokens, here))
    return Number(above / below, 1, _of_one(tokens, here + 1)) if below else None


def _of_one(tokens: list[Token], at: int) -> int:
    """The token after “of a”, “a”, “of an”, which add nothing to a fraction."""
    here = at + (word(tokens, at) == "of")
    if word(tokens, here) in ARTICLES:
        return here + 1
    return skip_hyphen(tokens, at) if word(tokens, at) == "-" else at


def _grouped(tokens: list[Token], number: Number) -> Number:
    """The number with the groups that it counts: two dozen, a couple of, a hundred and fifty."""
    value, group, here, bare = number.value, number.group, number.after, number.bare
    while word(tokens, here) in GROUPS:
        size = GROUPS[word(tokens, here)]
        value, group, here, bare = value * size, group * size, here + 1, False
        if size >= 100:
            rest = here + (word(tokens, here) == "and")
            more = _words(tokens, rest) if rest < len(tokens) and word(tokens, rest) not in ARTICLES else None
            if more and more.value < size and not more.bare and more.value >= 1:
                value, here = value + more.value, more.after
    if group == 2 and word(tokens, here) == "of":  # a couple of inches
        here += 1
    return Number(value, group, here, bare)
