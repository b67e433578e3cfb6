"""Distances drawn: principal coordinates of groups or informants, and the tree of average linkage."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.cluster.hierarchy import leaves_list, linkage, optimal_leaf_ordering
from scipy.spatial.distance import squareform

from tender_ledger.core.tally.table import Ints

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Coordinates:
    """`points` (rows, axes), axes by falling eigenvalue; `shares` of each axis in the sum of the positive eigenvalues.

    `negative` is the sum of the negative eigenvalues as a share of the absolute sum: what no plane can show.
    """

    points: Floats
    shares: Floats
    negative: float


def principal_coordinates(distances: Floats, axes: int = 2) -> Coordinates:
    """PCoA: eigenvectors of -1/2 J D^2 J, J the centring, scaled by the roots of their eigenvalues. Gower 1966.

    Each axis is turned so that its entry of the largest size is positive. Misleads where much is negative, or few rows.
    """
    n = len(distances)
    if not n:
        return Coordinates(np.zeros((0, axes)), np.zeros(axes), 0.0)
    centre = np.eye(n) - 1 / n
    values, vectors = np.linalg.eigh(-0.5 * centre @ distances**2 @ centre)
    values, vectors = values[::-1], vectors[:, ::-1]
    positive = np.maximum(values, 0.0)
    points = np.zeros((n, axes))
    kept = min(axes, n)
    points[:, :kept] = vectors[:, :kept] * np.sqrt(positive[:kept])
    largest = np.abs(points).argmax(axis=0)
    points *= np.where(points[largest, np.arange(axes)] < 0, -1.0, 1.0)
    shares = np.zeros(axes)
    if positive.sum() > 1e-12:
        shares[:kept] = positive[:kept] / positive.sum()
    size = float(np.abs(values).sum())
    return Coordinates(points, shares, float(-np.minimum(values, 0.0).sum()) / size if size else 0.0)


@dataclass(frozen=True)
class Tree:
    """Merges in their order: (left, right, height, leaves); leaves are 0 .. n - 1, merge k is n + k. `order` of the leaves."""

    merges: tuple[tuple[int, int, float, int], ...]
    order: Ints


_TIE = 1e-9  # distances that differ by less are one


def average_tree(distances: Floats) -> Tree:
    """The tree of average linkage (UPGMA; Sokal & Michener 1958), leaves turned so that neighbours are alike."""
    n = len(distances)
    if n < 2:
        return Tree((), np.arange(n))
    condensed = squareform(distances, checks=False)
    joined = optimal_leaf_ordering(linkage(condensed, "average"), condensed)
    return Tree(_merges(joined), leaves_list(joined))


def _merges(joined: Floats) -> tuple[tuple[int, int, float, int], ...]:
    return tuple((int(a), int(b), float(height), int(size)) for a, b, height, size in joined)


def joins_found_again(tree: Tree, distances: Floats) -> list[float]:
    """Of every merge of the tree the share of (resamples, n, n) distances whose own tree joins the same leaves, in its order.

    A join that could as well have been another, at the same distance, is none, and the last one, of all leaves, is NaN: it is in
    every tree. Source: Felsenstein 1985, Evolution 39:783-791; ties as unresolved: common practice, no source. Misleads as a
    probability that the join is true.
    """
    joins = _leaves_of(tree.merges, len(tree.order))
    found = dict.fromkeys(joins, 0)
    for one in distances if found else ():
        for leaves in _resolved_joins(one):
            if leaves in found:
                found[leaves] += 1
    shares = [times / max(len(distances), 1) for times in found.values()]
    return [*shares[:-1], math.nan] if shares else []


def _resolved_joins(distances: Floats) -> list[frozenset[int]]:
    """The leaves under every merge of average linkage that no other merge ties with, distances of shape (n, n).

    A merge ties where one of its two sides is as near to something else. Two pairs apart at one distance do not tie.
    """
    between = np.array(distances, dtype=np.float64)
    np.fill_diagonal(between, np.inf)
    under = {at: frozenset([at]) for at in range(len(between))}
    found = []
    while len(under) > 1:
        least = between.min()
        if not math.isfinite(least):
            break
        near = between <= least + _TIE * max(least, 1.0)
        one, other = (int(at) for at in np.unravel_index(np.argmax(near), near.shape))
        tied = int(near[[one, other]].sum()) > 2  # each is near to the other, and one of them to a third
        sizes = len(under[one]), len(under[other])
        joined = (between[one] * sizes[0] + between[other] * sizes[1]) / sum(sizes)
        joined[one] = np.inf
        between[one], between[:, one] = joined, joined
        between[other], between[:, other] = np.inf, np.inf
        under[one] = under[one] | under.pop(other)
        if not tied:
            found.append(under[one])
    return found


def _leaves_of(merges: Sequence[tuple[int, int, float, int]], n: int) -> list[frozenset[int]]:
    under = [frozenset([leaf]) for leaf in range(n)]
    for one, other, _height, _size in merges:
        under.append(under[one] | under[other])
    return under[n:]
