"""The strip of a taxon's use categories, widest first, each as wide as its share."""

from collections.abc import Sequence
from dataclasses import dataclass

_ROOM = 15.0  # a share this wide has room for its two letters


@dataclass(frozen=True)
class Share:
    """One category's part of a strip: where it begins and how wide it is, pixels. `code` "" is a merged rest."""

    code: str
    x: float
    width: float
    count: int

    @property
    def drawn(self) -> float:
        """The width that is drawn: a pixel less than its own, so that neighbours stand apart."""
        return max(self.width - 1, 1)

    @property
    def has_room(self) -> bool:
        return self.width >= _ROOM


def strip(counts: Sequence[tuple[str, int]], width: float) -> tuple[Share, ...]:
    """Shares in the order given; together they are `width` wide. Counts of 0 take no room; no counts give no shares."""
    total, x, made = sum(count for _, count in counts), 0.0, []
    for code, count in counts:
        if count:
            wide = width * count / total
            made.append(Share(code, round(x, 1), round(wide, 1), count))
            x += wide
    return tuple(made)
