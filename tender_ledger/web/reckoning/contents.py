"""What a view of the reckoning holds: sentences, figures and tables, and how each of its numbers came about."""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

from markupsafe import Markup, escape

from tender_ledger.core.indices.catalogue import EXPLAINED
from tender_ledger.core.indices.working import CATEGORY_INDICES, TAXON_INDICES
from tender_ledger.core.rules import CountingRules
from tender_ledger.figures.drawing import Drawing
from tender_ledger.formats.tables import Column, Table, ends_written, written
from tender_ledger.operations.computing import Computed
from tender_ledger.web.shared.words import gettext as _

Names = Mapping[str, str]  # of communities, or of terms, by code
Row = Mapping[str, Any]
STANDARD = (*TAXON_INDICES, *CATEGORY_INDICES)  # what `indices.working` takes apart


@dataclass(frozen=True)
class Link:
    """Something a number is made of, with what it leads to: its name, what is said of it, the address."""

    name: str
    said: str
    address: str = ""
    is_taxon: bool = False


@dataclass(frozen=True)
class Apart:
    """A number taken apart.

    `put` are the numbers put in for the symbols of its formula, `made_of` what they are made of, `others` what other measures
    make of the same thing, `ends` its 95 % interval. `behind` says which reports lie behind it, in the words of
    `reports_behind`; None where no report does.
    """

    put: Mapping[str, Any] = field(default_factory=dict)
    made_of: Sequence[Link] = ()
    others: Sequence[tuple[str, float | str | None]] = ()
    ends: tuple[float, float] | None = None
    how: str = ""  # the interval came about, where not by resampling
    behind: Mapping[str, Any] | None = None


@dataclass(frozen=True)
class Standing:
    """A number of a taxon or category that stands in every table: which, of what, by which rules (None: those of the page)."""

    kind: str
    about: str
    rules: CountingRules | None = None
    group: str | None = None


_LINE = 56.0  # pixels of the scale under a value


@dataclass(frozen=True)
class Hairline:
    """An interval under its value: where it begins and ends, where the value stands (pixels), and its ends in words."""

    low: float
    high: float
    at: float
    said: str

    @property
    def drawn(self) -> Markup:
        """As it stands on a page, its ends being read aloud."""
        title, line = escape(f"{_('95 %:')} {self.said}"), f"M{self.low} 2.5H{self.high}M{self.at} .5v4"
        drawn = f'<svg class="interval" width="{_LINE:.0f}" height="5" role="img"><title>{title}</title><path d="{line}"/></svg>'
        return Markup(drawn)  # noqa: S704 - its words are escaped


def hairline_of(value: float, ends: tuple[float, float], reach: tuple[float, float], said: str) -> Hairline | None:
    """An interval on the scale from the first to the last of what a column reaches; None where it reaches nowhere, or for 0
    without any doubt."""
    first, last = reach
    if first == last or not any((*ends, value)):
        return None
    scale = _LINE / (last - first)
    low, high, at = (round(min(max((one - first) * scale, 0.0), _LINE), 1) for one in (*ends, value))
    return Hairline(low, max(high, low + 0.5), at, said)


def hairlines(values: Mapping[str, float], ends: Mapping[str, Sequence[float]], kind: str = "decimal") -> dict[str, Markup]:
    """The intervals of the named values of a column that have one, drawn, all on one scale from 0, or from the lowest below it.

    A value that is undefined has none.
    """
    there = {name: ends[name] for name, value in values.items() if name in ends and not math.isnan(value)}
    reach = (min([0.0, *(low for low, _high in there.values())]), max([0.0, *(high for _low, high in there.values())]))
    drawn = {name: hairline_of(values[name], (low, high), reach, f"{written(low, kind)} to {written(high, kind)}")
             for name, (low, high) in there.items()}  # fmt: skip
    return {name: line.drawn for name, line in drawn.items() if line}


Takes = Callable[[Row], Apart | Standing]


@dataclass(frozen=True)
class Block:
    """A part of a view under its own heading: a figure, a table, or both; `name` stands in the addresses of its files.

    `single` says that it shows single holders, so that it is given out as no file; `stays` says for what other reason it is
    not. `apart` takes, for a kind of number, the one of a row apart; `behind` says which reports lie behind a row where its
    number does not say so. `data` are the values that the figure draws, where its table is of something else; `canvas` a matrix
    too large to be drawn mark by mark, as rows, columns and cells.
    """

    name: str
    heading: str
    figure: Drawing | None = None
    table: Table | None = None
    sentences: Sequence[str] = ()
    cautions: Sequence[str] = ()
    single: bool = False
    stays: str = ""
    canvas: Mapping[str, Any] | None = None
    data: Table | None = None
    apart: Mapping[str, Takes] = field(default_factory=dict)
    behind: Callable[[Row], Mapping[str, Any]] | None = None

    def kind_of(self, column: Column, row: Row) -> str:
        """What explains the number of a column in a row, or "" where nothing does.

        The entry of the catalogue, and behind a slash which of several numbers of that kind in a row it is.
        """
        kind = row.get("key", "") if column.explains == "row" else column.explains or (column.key if column.is_number else "")
        return kind if kind.partition("/")[0] in EXPLAINED or kind in STANDARD or kind in self.apart else ""

    @cached_property
    def _reach(self) -> dict[str, tuple[float, float]]:
        """Of every column with intervals the lowest and the highest of their ends, 0 among them."""
        found = {}
        for column in self.table.columns if self.table else ():
            if column.ends and self.table and column.explains != "row":
                ends = [row.get(f"{column.key}_{end}") for row in self.table.rows for end in ("low", "high")]
                there = [end for end in ends if end is not None and not math.isnan(end)]
                found[column.key] = (min([0.0, *there]), max([0.0, *there]))
        return found

    def hairline(self, column: Column, row: Row) -> Hairline | None:
        """The interval of a value as a line on the scale of its column; of unlike rows each on its own from −1 or 0 to 1."""
        value, low, high = (row.get(f"{column.key}{end}") for end in ("", "_low", "_high"))
        if not column.ends or value is None or low is None or high is None or math.isnan(value) or math.isnan(low):
            return None
        reach = self._reach.get(column.key) or (min(0.0, low, -1.0 if low < 0 else 0.0), max(1.0, high))
        return hairline_of(value, (low, high), reach, ends_written(row, column))

    def row_of(self, subject: str) -> Row | None:
        """The row of the table that is about the subject."""
        rows = self.table.rows if self.table else ()
        return next((row for row in rows if self.table and str(row.get(self.table.subject)) == subject), None)

    def take_apart(self, kind: str, row: Row) -> Apart | Standing:
        """The number of that kind in the row, taken apart."""
        for name in (kind, kind.partition("/")[0]):
            if name in self.apart:
                return self.apart[name](row)
        if kind in STANDARD:
            return Standing(kind, str(row.get("code") or row.get("taxon") or ""))
        return Apart()


@dataclass(frozen=True)
class Content:
    """A view: its heading, what it says first, and its blocks; `waits` while it is being computed, `stays` where none of it is
    given out, and why."""

    heading: str
    lede: str
    blocks: Sequence[Block] = ()
    waits: Computed | None = None
    empty: str = ""
    stays: str = ""
    seed: int | None = None
    n: int | None = None

    def block(self, name: str) -> Block | None:
        return next((one for one in self.blocks if one.name == name), None)
