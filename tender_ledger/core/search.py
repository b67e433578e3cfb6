"""How near a text is to what somebody looks for: whole, from its beginning, from a word of it, within it, or spelt nearly so."""

import re
from collections.abc import Sequence
from difflib import SequenceMatcher
from functools import cached_property

from tender_ledger.core.text import fold

SHORTEST = 2  # letters or digits that are looked for
LONGEST = 100  # characters
NEAR = 0.78  # share of the letters in order, as difflib counts them: one of five may differ, and not one of four
_TOO_SHORT = 4  # letters from which a word is told from any other by them
_WHOLE, _BEGINS, _WORD_BEGINS, _WITHIN = 4.0, 3.0, 2.0, 1.5
_WORD = re.compile(r"\w+")


class Sought:
    """What somebody looks for, folded."""

    def __init__(self, text: str) -> None:
        self.text = text.strip()[:LONGEST]
        self.folded = fold(self.text)

    @property
    def is_long_enough(self) -> bool:
        """Whether there is enough of it to look for: two letters, or a number."""
        words = "".join(_WORD.findall(self.folded))
        return len(words) >= SHORTEST or words.isdigit()

    @property
    def may_be_in_words(self) -> bool:
        """Whether it is long enough to be looked for in what people said: three letters, by which their index goes."""
        return len(self.folded) >= 3

    @property
    def may_be_near_in_words(self) -> bool:
        """Whether a word of it is long enough to be told from most words that people say."""
        return max(map(len, self._words), default=0) >= 5

    @cached_property
    def _words(self) -> tuple[str, ...]:
        return tuple(_WORD.findall(self.folded))

    @cached_property
    def number(self) -> int | None:
        """The number that it is, with or without letters before it such as P-012; None where it is none."""
        found = re.fullmatch(r"(?:p-|#)?0*(\d{1,9})", self.folded)
        return int(found[1]) if found else None

    def closeness(self, text: str) -> float:
        """From 4 for the same text to 0 for another one; what is spelt nearly so has less than 1."""
        folded = fold(text)
        if not folded or not self.folded:
            return 0.0
        if folded == self.folded:
            return _WHOLE
        if folded.startswith(self.folded):
            return _BEGINS
        at = folded.find(self.folded)
        if at > 0:
            return _WORD_BEGINS if not folded[at - 1].isalnum() else _WITHIN
        return self._near(_WORD.findall(folded))

    def closest(self, texts: Sequence[str]) -> float:
        """The closeness of the nearest of several texts; 0 of none."""
        return max(map(self.closeness, texts), default=0.0)

    def _near(self, words: Sequence[str]) -> float:
        """The likeness with the run of as many words of a text that is most like it; 0 where none is near."""
        size, wanted = len(self._words), " ".join(self._words)
        if not size or len(wanted) < _TOO_SHORT:
            return 0.0
        best, matcher = 0.0, SequenceMatcher(None, b=wanted, autojunk=False)
        for at in range(max(len(words) - size, 0) + 1):
            matcher.set_seq1(" ".join(words[at : at + size]))
            if matcher.real_quick_ratio() >= NEAR and matcher.quick_ratio() >= NEAR:
                best = max(best, matcher.ratio())
        return best if best >= NEAR else 0.0
