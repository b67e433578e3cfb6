"""Formulas of the catalogue's linear notation as MathML, with symbols or with the numbers put in for them."""

import re
from collections.abc import Iterator, Mapping

from markupsafe import Markup, escape

_TOKEN = re.compile(r"""\s*(?:(?P<call>frac|sqrt)\(|(?P<words>"[^"]*")|(?P<power>\^\([^)]*\)|\^\w+)|(?P<sum>sum_\w)
    |(?P<name>[A-Za-zλρ]+(?:_\w+)?\*?)|(?P<number>\d+(?:\.\d+)?)|(?P<mark>.))""", re.VERBOSE)  # fmt: skip


_IN_WORDS = re.compile(r'(?P<sign>\w+) = "(?P<words>[^"]*)"')


def mathml(formula: str, values: Mapping[str, str] | None = None) -> Markup:
    """The formula as a block of MathML. A symbol with a value is written as that, and so is a sum by its sign (`sum_i`)."""
    in_words = _IN_WORDS.fullmatch(formula)
    if in_words:  # words alone, which a formula would not break into lines
        sign = Markup('<math class="formula"><mrow>{}<mo>=</mo></mrow></math>').format(symbol(in_words["sign"]))
        return sign + Markup(' <span class="in-words">{}</span>').format(in_words["words"])
    tokens = list(_tokens(formula))
    body, _rest = _row(tokens, values or {}, ())
    return Markup('<math display="block" class="formula"><mrow>{}</mrow></math>').format(body)


def _tokens(formula: str) -> Iterator[tuple[str, str]]:
    at = 0
    text = formula.rstrip()
    while at < len(text):
        found = _TOKEN.match(text, at)
        if found is None or found.lastgroup is None:
            raise ValueError(f"unreadable formula: {formula}")
        yield found.lastgroup, found[found.lastgroup]
        at = found.end()


def _row(
    tokens: list[tuple[str, str]], values: Mapping[str, str], until: tuple[str, ...]
) -> tuple[Markup, list[tuple[str, str]]]:
    """What stands before one of the marks in `until`, brackets inside passed over, and what is left after that mark."""
    parts: list[Markup] = []
    depth = 0
    while tokens:
        (kind, word), tokens = tokens[0], tokens[1:]
        if kind == "mark" and depth == 0 and word in until:
            return Markup("").join(parts), tokens
        if kind == "call":
            first, tokens = _row(tokens, values, (";",) if word == "frac" else (")",))
            if word == "frac":
                second, tokens = _row(tokens, values, (")",))
                parts.append(Markup("<mfrac><mrow>{}</mrow><mrow>{}</mrow></mfrac>").format(first, second))
            else:
                parts.append(Markup("<msqrt>{}</msqrt>").format(first))
            continue
        if kind == "power":
            base = parts.pop() if parts else Markup("<mrow></mrow>")
            parts.append(Markup("<msup>{}<mn>{}</mn></msup>").format(base, word.lstrip("^").strip("()")))
            continue
        if kind == "sum" and word in values:
            tokens = _after_sum(tokens)
        depth += {"(": 1, ")": -1}.get(word, 0) if kind == "mark" else 0
        parts.append(_piece(kind, word, values))
    if until:
        raise ValueError(f"the formula ends before {until[0]}")
    return Markup("").join(parts), tokens


def _after_sum(tokens: list[tuple[str, str]]) -> list[tuple[str, str]]:
    """What stands behind the term of a sum: it ends at a plus or minus, a semicolon, an equals sign or a closing bracket."""
    depth, within = 0, False
    for at, (kind, word) in enumerate(tokens):
        mark = word if kind == "mark" else ""
        if mark == "|":
            within = not within
        elif not within and depth == 0 and mark in (";", ")", "+", "−", "="):
            return tokens[at:]
        depth += 1 if kind == "call" or mark == "(" else -1 if mark == ")" else 0
    return []


def _piece(kind: str, word: str, values: Mapping[str, str]) -> Markup:
    if kind == "words":
        return Markup("<mtext>{}</mtext>").format(f"\u2009{word[1:-1]}\u2009")
    if kind == "sum" and word in values:
        return Markup("<mn>{}</mn>").format(values[word])
    if kind == "sum":
        return Markup("<munder><mo>∑</mo><mi>{}</mi></munder>").format(word[-1])
    if kind == "number":
        return Markup("<mn>{}</mn>").format(word)
    if kind == "name":
        return Markup("<mn>{}</mn>").format(values[word]) if word in values else symbol(word)
    return Markup("<mo>{}</mo>").format(escape(word))


def symbol(word: str) -> Markup:
    """A symbol with its index below."""
    base, _, index = word.partition("_")
    return Markup("<msub><mi>{}</mi><mi>{}</mi></msub>").format(base, index) if index else Markup("<mi>{}</mi>").format(base)
