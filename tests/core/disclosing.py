"""What a reader of published cells could work out, found by trying: every pair, every sum, and every linear combination.

It knows the rows themselves, as the code that chooses the cells does not: a cell is the set of its rows.
"""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

Row = tuple[int, str, str, str, str]  # holder, taxon, family, category, community
Cell = tuple[str, ...]


def cells_of(rows: Sequence[Row]) -> dict[Cell, frozenset[int]]:
    """Every cell of uses and families as the set of places of its rows."""
    found: dict[Cell, set[int]] = {}
    for at, (_holder, taxon, family, category, community) in enumerate(rows):
        for where in ("", community):
            for name in ("", taxon):
                for use in ("", category):
                    found.setdefault(("use", name, use, where), set()).add(at)
            found.setdefault(("family", family, where), set()).add(at)
    return {cell: frozenset(of) for cell, of in found.items()}


@dataclass(frozen=True)
class Audit:
    """What was tried and what came of it: shown cells that are small, differences of pairs and sums, and cells in the linear
    span of what is shown, of too few holders."""

    cells: int
    hidden: int
    pairs: int
    small: tuple[Cell, ...]
    differences: tuple[tuple[Cell, Cell], ...]
    spanned: tuple[Cell, ...]


def audit(
    rows: Sequence[Row], shown: Collection[Cell], *, protected: Collection[int], minimum: int = 3, linear: bool = True
) -> Audit:
    """Try everything that can be had from the shown cells of these rows."""
    cells = cells_of(rows)
    visible = [cell for cell in cells if cell in shown]

    def too_few(of: frozenset[int]) -> bool:
        holders = {rows[at][0] for at in of}
        few = len(holders & set(protected))
        return 0 < len(holders) < minimum or 0 < few < minimum

    small = tuple(cell for cell in visible if too_few(cells[cell]))
    differences, pairs = [], 0
    for one in visible:
        for other in visible:
            if one != other:
                pairs += 1
                if cells[other] < cells[one] and too_few(cells[one] - cells[other]):
                    differences.append((one, other))
    spanned = _spanned(rows, cells, visible) if linear else ()
    return Audit(
        len(cells),
        len(cells) - len(visible),
        pairs,
        small,
        tuple(differences),
        tuple(cell for cell in spanned if too_few(cells[cell])),
    )


def _spanned(rows: Sequence[Row], cells: Mapping[Cell, frozenset[int]], visible: Sequence[Cell]) -> list[Cell]:
    """Hidden cells that some linear combination of visible ones gives exactly, over all numbers of rows that there could be."""
    atoms = sorted({row[1:] for row in rows})
    place = {atom: at for at, atom in enumerate(atoms)}

    def vector(cell: Cell) -> np.ndarray:
        found = np.zeros(len(atoms))
        for at in cells[cell]:
            found[place[rows[at][1:]]] = 1.0
        return found

    if not visible:
        return []
    basis = np.array([vector(cell) for cell in visible])
    rank = np.linalg.matrix_rank(basis)
    hidden = [cell for cell in cells if cell not in set(visible)]
    return [cell for cell in hidden if np.linalg.matrix_rank(np.vstack([basis, vector(cell)])) == rank]
