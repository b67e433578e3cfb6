"""Distances drawn: principal coordinates of groups or informants, and the tree of average linkage."""

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


def average_tree(distances: Floats) -> Tree:
    """The tree of average linkage (UPGMA; Sokal & Michener 1958), leaves turned so that neighbours are alike."""
    n = len(distances)
    if n < 2:
        return Tree((), np.arange(n))
    condensed = squareform(distances, checks=False)
    joined = optimal_leaf_ordering(linkage(condensed, "average"), condensed)
    merges = tuple((int(a), int(b), float(height), int(size)) for a, b, height, size in joined)
    return Tree(merges, leaves_list(joined))
