"""What a view of the reckoning holds: sentences, figures and tables, and how each of its numbers came about."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from tender_ledger.figures.drawing import Drawing
from tender_ledger.formats.tables import Table
from tender_ledger.operations.computing import Computed

Names = Mapping[str, str]  # of communities, or of terms, by code


@dataclass(frozen=True)
class Block:
    """A part of a view under its own heading: a figure, a table, or both; `name` stands in the addresses of its files.

    `single` says that it shows single holders, so that it is given out as no file. `explains` gives, for a column and a
    row, the numbers that stand in the column's formula. `data` are the values that the figure draws, where its table is of
    something else; `canvas` a matrix too large to be drawn mark by mark, as rows, columns and cells.
    """

    name: str
    heading: str
    figure: Drawing | None = None
    table: Table | None = None
    sentences: Sequence[str] = ()
    cautions: Sequence[str] = ()
    single: bool = False
    canvas: Mapping[str, Any] | None = None
    data: Table | None = None
    explains: Mapping[str, Callable[[Mapping[str, Any]], Mapping[str, Any]]] = field(default_factory=dict)


@dataclass(frozen=True)
class Content:
    """A view: its heading, what it says first, and its blocks; `waits` while it is being computed."""

    heading: str
    lede: str
    blocks: Sequence[Block] = ()
    waits: Computed | None = None
    empty: str = ""
    seed: int | None = None
    n: int | None = None

    def block(self, name: str) -> Block | None:
        return next((one for one in self.blocks if one.name == name), None)
