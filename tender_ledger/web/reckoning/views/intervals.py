"""Intervals in the tables: the ends as one text beside the value."""

from tender_ledger.formats.tables import Column


def ends_in_words(ends: tuple[float, float] | None, index: str = "") -> str:
    """“0.12 to 0.34”, or a dash where there is no interval; indices of a hundred with one place."""
    places = 1 if index in ("fl", "rop") else 2
    return "–" if ends is None else f"{ends[0]:.{places}f} to {ends[1]:.{places}f}".replace("-", "−")


def with_ends(index: str, label: str, kind: str = "decimal") -> list[Column]:
    """The columns of an index: its value, and the ends of its interval."""
    return [Column(index, label, kind), Column(f"{index}_ends", "95 %", "text", explains=index)]
