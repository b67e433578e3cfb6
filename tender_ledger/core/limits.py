"""How much comes in at once: rows and columns of a sheet, records of a file, and characters of a text, by the name of its
column or of the field in which it is typed.

The same lengths of texts are checked in forms, in operations, and by the database (migration 0027); a test holds the three
together.
"""

from collections.abc import Iterator, Mapping
from functools import cache

CODE, LINE, WORDS, LIST = 64, 500, 20_000, 200_000
ROWS, COLUMNS = 300_000, 1_000  # of a sheet that comes in
RECORDS = 5_000  # of a file of references
_CODES = frozenset({"code", "abbreviation", "scheme", "vocabulary", "zone", "language", "unit"})
_WORDS = frozenset(
    {"words", "note", "remarks", "verbatim", "conditions", "reason", "protocol", "question", "citation", "cited", "caption",
     "harm", "withdrawal", "caution", "property"}
)  # fmt: skip
_LISTS = frozenset({"questions", "answers", "families", "text"})


class TooLong(ValueError):
    """A text has more characters than its column takes; `field` is the name of the column."""

    def __init__(self, field: str, found: int) -> None:
        super().__init__(sentence_of_length(field, found))
        self.field = field


@cache
def longest(name: str) -> int:
    """The most characters that a column or a field of this name takes."""
    if name.endswith("_fold"):  # folding may write several letters for one
        return 4 * LINE
    return CODE if name in _CODES else WORDS if name in _WORDS else LIST if name in _LISTS else LINE


def sentence_of_length(name: str, found: int = 0) -> str:
    """What is said of a text that is too long; `found` 0 where its length is not known."""
    has = f"It has {found:,} characters; at" if found else "At"
    return f"This is too long. {has} most {longest(name):,} are kept here. Shorten it, or write the rest as a note of its own."


def check_lengths(values: Mapping[str, object]) -> None:
    """Raise TooLong for the first text among the values that is longer than its column takes.

    Texts within a value of lists and mappings are held to WORDS.
    """
    for name, value in values.items():
        if isinstance(value, str):
            if len(value) > CODE and len(value) > longest(name):  # CODE is the shortest of all
                raise TooLong(name, len(value))
        elif value is None or type(value) in (int, float, bool):  # most of what there is, and much quicker
            continue
        elif isinstance(value, (Mapping, list, tuple)) and max(map(len, _texts(value)), default=0) > WORDS:
            raise TooLong(name, 0)


def _texts(value: object) -> Iterator[str]:
    if isinstance(value, str):
        yield value
    elif isinstance(value, (Mapping, list, tuple)):
        for one in value.values() if isinstance(value, Mapping) else value:
            yield from _texts(one)
