"""A sheet as it stands in its file, as text: before anybody says what its rows and columns mean."""

from collections.abc import Mapping
from dataclasses import dataclass, field


@dataclass(frozen=True)
class Grid:
    """One sheet: its name ("" for that of a text file) and its cells as trimmed text.

    `lines` are the numbers of the rows in the file, from 1; `colours` the fill of coloured rows, by their place in `rows`;
    `merged` how many merged ranges were filled down; `notes` sentences on what the file holds beside its cells.
    """

    name: str
    rows: tuple[tuple[str, ...], ...]
    lines: tuple[int, ...]
    colours: Mapping[int, str] = field(default_factory=dict)
    merged: int = 0
    notes: tuple[str, ...] = ()

    @property
    def width(self) -> int:
        """The number of columns; 0 of an empty sheet."""
        return max(map(len, self.rows), default=0)


@dataclass(frozen=True)
class SheetFile:
    """A file as its sheets. `encoding` is that of a text file, "" for a workbook; `doubtful` are words with letters that another
    encoding would read otherwise, where the encoding was not said by the file itself."""

    grids: tuple[Grid, ...]
    encoding: str = ""
    doubtful: tuple[str, ...] = ()
