"""The rows of an imported table as values: what was read, and what failed with the reason."""

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from itertools import chain

from tender_ledger.core.messages import RowProblem

# Columns that a table of failing rows has in front, so that it can be mended and imported.
PROBLEM_COLUMN, MENDED_COLUMN = "import_problem", "import_row"


def row_key(content: str, how_manieth: int) -> bytes:
    """By what a row is known again: its content, and the how-manieth of its equals in the table it is (from 1)."""
    return hashlib.sha256(f"{content}\0{how_manieth}".encode()).digest()


@dataclass(frozen=True)
class TableRow:
    """A row: its line, its filled cells as they stood, every column of the format with its default, and where it failed before.

    `mended` is what a table of failing rows says of the row's first table and line, "" elsewhere.
    """

    line: int
    cells: Mapping[str, str]
    full: Mapping[str, str]
    mended: str = ""

    def content(self) -> str:
        """What the row says, however its columns are ordered; no name of a column and no cell holds a NUL."""
        return "\0".join(chain.from_iterable(sorted(self.cells.items())))

    def mended_key(self) -> bytes | None:
        """By what a mended row is known again, however it was mended; None for any other row."""
        return hashlib.sha256(self.mended.encode()).digest() if self.mended else None


@dataclass(frozen=True)
class FailingRow:
    """A row that cannot land: its line, its cells in the order of the table, and what is wrong with each."""

    line: int
    cells: tuple[str, ...]
    problems: tuple[RowProblem, ...]
    mended: str = ""


@dataclass(frozen=True)
class ReadTable:
    """A use-report table as read: its columns, the rows that can be looked at further, and those that cannot.

    `places` says where in their file rows stand whose lines are not those of the file.
    """

    columns: tuple[str, ...]
    rows: tuple[TableRow, ...]
    failing: tuple[FailingRow, ...]
    sha256: str
    places: Mapping[int, str] = field(default_factory=dict)

    def as_failing(self, row: TableRow, problems: Sequence[RowProblem]) -> FailingRow:
        """A row that was looked at further and cannot land."""
        return FailingRow(row.line, tuple(row.cells.get(column, "") for column in self.columns), tuple(problems), row.mended)


@dataclass(frozen=True)
class RosterEntry:
    """Somebody interviewed, as informants.csv has them."""

    line: int
    informant: str
    community: str
    kind: str
    gender: str = "unstated"
    birth_year: int | None = None
    chosen: str = "unstated"
