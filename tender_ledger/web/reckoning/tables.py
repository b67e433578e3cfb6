"""The rows of the reckoning's tables, in the order asked for."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from tender_ledger.core.indices.reckoning import Reckoning
from tender_ledger.core.tally.table import Ints

_STRIP = 112.0  # width of the category strip, pixels
_ROOM = 15.0  # a share this wide has room for its two letters


@dataclass(frozen=True)
class Share:
    """One category's part of the strip of a taxon."""

    code: str
    x: float
    width: float
    count: int

    @property
    def has_room(self) -> bool:
        return self.width >= _ROOM


@dataclass(frozen=True)
class TaxonRow:
    """A taxon as the table shows it; `rank` is shared by equals, and 0 where the value ranked by is undefined."""

    rank: int
    name: str
    family: str
    numbers: Mapping[str, float]
    shares: tuple[Share, ...]


@dataclass(frozen=True)
class CategoryRow:
    """A use category as the table shows it."""

    code: str
    nur: int
    nt: int
    icf: float
    why_not: str


def taxon_rows(r: Reckoning, sort: str) -> list[TaxonRow]:
    """The taxa that were told, by the column `sort` (a leading minus turns the order round); unknown columns mean ci."""
    columns = _columns(r)
    name, turned = sort.removeprefix("-"), sort.startswith("-")
    told = [int(at) for at in np.flatnonzero(r.told)]
    key = _order(r, columns, name)
    ordered = sorted(told, key=key, reverse=turned)
    rank = dict(zip(told, _ranks(columns.get(name, columns["ci"])[told]), strict=True))
    return [
        TaxonRow(rank[at], r.taxa[at], r.family[at], {key: float(column[at]) for key, column in columns.items()}, _shares(r, at))
        for at in ordered
    ]


def _ranks(values: Ints) -> list[int]:
    """1 for the highest; equals share the better rank, as in a race; 0 for NaN."""
    falling = np.sort(-values[~np.isnan(values)])
    ranks = 1 + np.searchsorted(falling, -values, side="left")
    return np.where(np.isnan(values), 0, ranks).tolist()


def _columns(r: Reckoning) -> dict[str, Any]:
    """The values by column, rounded where floats differ and fractions do not: 1/3 + 2/3 ties with 1."""
    asked = r.uv_asked if r.askings_recorded else np.full(len(r.taxa), np.nan)
    found = {"ur": r.ur, "fc": r.fc, "nu": r.nu, "rfc": r.rfc, "ci": r.ci, "uv": r.uv_all, "uva": asked}
    return {name: np.round(column, 12) for name, column in found.items()}


def _order(r: Reckoning, columns: dict[str, Any], name: str) -> Callable[[int], Any]:
    if name == "plant":
        return lambda at: r.taxa[at]
    if name == "family":
        return lambda at: (r.family[at], r.taxa[at])
    values = columns.get(name, columns["ci"])
    return lambda at: (np.isnan(values[at]), -np.nan_to_num(values[at]), r.taxa[at])


def _shares(r: Reckoning, at: int) -> tuple[Share, ...]:
    counts = r.ur_by_category[at]
    total, x, made = int(counts.sum()), 0.0, []
    for category in np.argsort(-counts, kind="stable"):
        if counts[category]:
            width = _STRIP * int(counts[category]) / total
            made.append(Share(r.categories[category], round(x, 1), round(width, 1), int(counts[category])))
            x += width
    return tuple(made)


def category_rows(r: Reckoning, sort: str) -> list[CategoryRow]:
    """The categories that were told, by Nur, Nt, ICF or name."""
    rows = [
        CategoryRow(r.categories[at], int(r.nur[at]), int(r.nt[at]), float(r.icf[at]), r.why_no_icf(int(at)))
        for at in np.flatnonzero(r.nt)
    ]
    name, turned = sort.removeprefix("-"), sort.startswith("-")
    keys: dict[str, Callable[[CategoryRow], Any]] = {
        "category": lambda row: row.code,
        "nt": lambda row: (-row.nt, row.code),
        "icf": lambda row: (np.isnan(row.icf), -np.nan_to_num(row.icf), row.code),
    }
    return sorted(rows, key=keys.get(name, lambda row: (-row.nur, row.code)), reverse=turned)
