"""What an explanation holds, and the symbols that many of them share."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Explanation:
    """`symbol` and `name` of the number, its formula, the meanings of the symbols, its source, the line on when it misleads.

    Formulas are in a linear notation: `frac(a; b)`, `sqrt(a)`, `sum_i`, `X_s` for an index, `^2` for a square; words in quotes.
    """

    symbol: str
    name: str
    formula: str
    meanings: tuple[tuple[str, str], ...]
    source: str
    misleads: str

    @property
    def in_words(self) -> bool:
        """Whether the formula is a sign and words, into which no counts can be put."""
        _sign, equals, rest = self.formula.partition(" = ")
        return bool(equals) and rest.count('"') == 2 and rest[:1] == rest[-1:] == '"'


NC = ("NC", "use categories of the study, or of its protocol")
N = ("N", "everybody counted, the silent too")
FC = ("FC", "informants who told of it")
NU = ("NU", "use categories told of it (specific uses where these are the unit)")
T = ("T", "informants heard, the silent too")
Q = (("Q_1", "things that exactly one informant told"), ("Q_2", "things that exactly two told"))
U = ("U", "the sum over things of the informants who told them")
BYG = "Byg & Balslev 2001, Biodivers Conserv 10:951–970"
COMMON = "common practice, no source"
