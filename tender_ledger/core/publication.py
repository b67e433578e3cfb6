"""What a published table or figure holds back: cells that so few holders stand behind that they could be known."""

from collections.abc import Mapping
from dataclasses import dataclass

MINIMUM_HOLDERS = 3  # fewer holders than this, and a cell is left out or merged


@dataclass(frozen=True)
class PublishedShares:
    """The categories of a taxon that can be named, each with its count, and the rest merged into one."""

    named: tuple[tuple[str, int], ...]
    merged: int


def publish_shares(counts: Mapping[str, int], holders: Mapping[str, int], minimum: int = MINIMUM_HOLDERS) -> PublishedShares:
    """Name the categories that at least `minimum` holders told; merge the others.

    The merged rest is itself no smaller than `minimum`: the smallest named category joins it as long as it is, or the
    difference from the total would tell it. `counts` and `holders` are by category; categories of count 0 are no cells.
    """
    told = sorted((code for code, count in counts.items() if count), key=lambda code: (-counts[code], code))
    named = [code for code in told if holders.get(code, 0) >= minimum]
    rest = [code for code in told if code not in named]
    while rest and named and sum(holders.get(code, 0) for code in rest) < minimum:
        rest.append(named.pop())
    return PublishedShares(tuple((code, counts[code]) for code in named), sum(counts[code] for code in rest))
