"""Texts of others that name a sealed holder: while the holder is sealed, the code stands in no text that leaves the database.

What is stored stays as it was written, since a new agreement unseals. Whoever saves a text as it was shown changes nothing.
"""

import re
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import Any

from tender_ledger.core.terms import Scope

MENTION = "a sealed holder"
# Columns that hold what somebody wrote in words of their own, under whatever name a statement gives them.
FREE_TEXTS = frozenset(
    {"after_death", "amount", "archive", "attributed_to", "audience", "came_as", "caption",
     "caution", "conditions", "course", "determiner", "dose", "frequency", "given_by", "gloss",
     "habitat", "harm", "harvest", "heat", "interpreter", "label", "lasts", "learned_from",
     "minors", "mixture", "name", "note", "occupation", "phase", "place", "property",
     "proportion", "protocol", "purpose", "question", "reason", "reference", "remarks",
     "reuse", "season", "source", "strength", "taker", "title", "told_when", "verbatim",
     "words"}
)  # fmt: skip
_pattern: ContextVar[re.Pattern[str] | None] = ContextVar("sealed codes", default=None)


def code_pattern(codes: list[str]) -> re.Pattern[str] | None:
    """What finds these codes as words of a text, in any case but for codes of letters alone, which may be words; None of none."""
    if not codes:
        return None
    either = "|".join(
        f"(?i:{re.escape(code)})" if any(letter.isdigit() for letter in code) else re.escape(code)
        for code in sorted(codes, key=len, reverse=True)
    )
    return re.compile(rf"(?<![A-Za-z0-9-])(?:{either})(?![A-Za-z0-9-])")


def mask_for(scope: Scope) -> None:
    """From now on, in this request or command, mask in every text of a read the holders who are sealed in the study."""
    from tender_ledger.storage.queries.sight import sealed_codes  # it reads through the database module, which masks

    _pattern.set(None)
    _pattern.set(code_pattern(sealed_codes(scope)))


def mask_nothing() -> None:
    """Read texts as they are stored, as before any study was entered."""
    _pattern.set(None)


@contextmanager
def masked_for(scope: Scope) -> Iterator[None]:
    """`mask_for` for a piece of work."""
    before = _pattern.get()
    mask_for(scope)
    try:
        yield
    finally:
        _pattern.set(before)


def masks() -> bool:
    """Whether there is anything to mask."""
    return _pattern.get() is not None


def mask_rows(found: list[dict[str, Any]]) -> None:
    """Mask the free texts of rows in place, those in JSON values too. All rows have the columns of the first."""
    pattern = _pattern.get()
    if pattern is None or not found:
        return
    free = [name for name in found[0] if name in FREE_TEXTS]
    for one in found:
        for name in free:
            if isinstance(one[name], str):
                one[name] = pattern.sub(MENTION, one[name])
        for name, value in one.items():
            if isinstance(value, (dict, list)) and value:
                one[name] = _masked(value, name in FREE_TEXTS, pattern)


def masked_text(text: str) -> str:
    """A text as it leaves."""
    pattern = _pattern.get()
    return text if pattern is None else pattern.sub(MENTION, text)


def _masked(value: Any, free: bool, pattern: re.Pattern[str]) -> Any:
    if isinstance(value, str):
        return pattern.sub(MENTION, value) if free else value
    if isinstance(value, dict):
        return {key: _masked(one, key in FREE_TEXTS, pattern) for key, one in value.items()}
    if isinstance(value, list):
        return [_masked(one, free, pattern) for one in value]
    return value


def unmasked(typed: Any, stored: Any) -> Any:
    """What to store where a text was typed: what stands there, where it is typed as it was shown."""
    if isinstance(typed, str) and isinstance(stored, str) and typed != stored and masked_text(stored) == typed:
        return stored
    return typed
