"""Intervals in the tables: both ends of each beside its value."""

from collections.abc import Mapping, Sequence
from typing import Any

Ends = Sequence[float] | None


def ends_of(key: str, ends: Ends) -> dict[str, float | None]:
    """The ends under the names at which a table looks for them; None where there is no interval."""
    low, high = ends or (None, None)
    return {f"{key}_low": low, f"{key}_high": high}


def pair_of(ends: Ends) -> tuple[float, float] | None:
    """The ends as a pair, as they were kept as a list."""
    return None if ends is None else (ends[0], ends[1])


def ends_in(row: Mapping[str, Any], key: str) -> tuple[float, float] | None:
    """The ends beside a value of a row, as `ends_of` put them there."""
    low, high = row[f"{key}_low"], row[f"{key}_high"]
    return None if low is None else (low, high)
