"""The rows of the reckoning's tables and its ladder, in the order asked for, and of those only what the filter shows."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from markupsafe import Markup, escape

from tender_ledger.core.indices.comparison import CategoriesCompared, Side, TaxaCompared
from tender_ledger.core.indices.ranking import ranked_in_a_ladder, ranks, values_of_taxa
from tender_ledger.core.indices.reckoning import Reckoning
from tender_ledger.core.indices.selection import Selected
from tender_ledger.core.tally.table import Bools
from tender_ledger.figures.ladder import Ladder, Told, use_ladder
from tender_ledger.figures.strip import Share, strip
from tender_ledger.web.shared.templating import hue

_STRIP = 112.0  # width of the category strip, pixels
_FACE = 200.0  # width of the scale on which two communities face each other, pixels


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
    sd: float
    informants: int
    interval: tuple[float, float] | None


@dataclass(frozen=True)
class FacedTaxon:
    """A taxon in two communities: of each its rank (0: never told there), counts and value, and where the value stands."""

    name: str
    first: Mapping[str, float]
    second: Mapping[str, float]
    difference: float


@dataclass(frozen=True)
class FacedCategory:
    """A use category in two communities."""

    code: str
    first: CategoryRow
    second: CategoryRow
    difference: float


def taxon_rows(r: Reckoning, sort: str, selected: Selected | None = None, first: int | None = None) -> tuple[list[TaxonRow], int]:
    """The taxa that were told, by the column `sort` (a leading minus turns the order round); unknown columns mean ci.

    Ranks are those among everything told, whatever the filter shows. At most the `first` rows, and how many there are.
    """
    columns = values_of_taxa(r)
    name, turned = sort.removeprefix("-"), sort.startswith("-")
    told = [int(at) for at in np.flatnonzero(r.told)]
    key = _order(r, columns, name)
    rank = dict(zip(told, ranks(columns.get(name, columns["ci"])[told]).tolist(), strict=True))
    shown = [at for at in sorted(told, key=key, reverse=turned) if _shown(selected.taxa if selected else None, at)]
    rows = [
        TaxonRow(rank[at], r.taxa[at], r.family[at], {key: float(column[at]) for key, column in columns.items()},
                 strip(_counts(r, at), _STRIP))
        for at in shown[:first]
    ]  # fmt: skip
    return rows, len(shown)


def drawn_strip(shares: Sequence[Share], known: Mapping[str, Any]) -> Markup:
    """The strip of a taxon's use categories as it stands on a page, by their colours and two letters; `known` by code."""
    said = escape(", ".join(f"{known[one.code].label} {one.count}" for one in shares))
    marks = [f'<svg class="shares" viewBox="0 0 112 22" role="img" aria-label="{said}">']
    for one in shares:
        letters = escape(known[one.code].short)
        marks.append(f'<rect class="{hue(known[one.code].short)}" x="{one.x}" y="2" width="{one.drawn}" height="9"/>')
        if one.has_room:
            marks.append(f'<text x="{one.x + one.width / 2}" y="20">{letters}</text>')
    return Markup("".join([*marks, "</svg>"]))  # noqa: S704 - words are escaped above


def _shown(flags: Bools | None, at: int) -> bool:
    return flags is None or bool(flags[at])


def _order(r: Reckoning, columns: Mapping[str, Any], name: str) -> Callable[[int], Any]:
    if name == "plant":
        return lambda at: r.taxa[at]
    if name == "family":
        return lambda at: (r.family[at], r.taxa[at])
    values = columns.get(name, columns["ci"])
    undefined, falling = np.isnan(values).tolist(), (-np.nan_to_num(values)).tolist()
    return lambda at: (undefined[at], falling[at], r.taxa[at])


def _counts(r: Reckoning, at: int) -> list[tuple[str, int]]:
    """The categories of a taxon with their counts, most told first."""
    counts = r.ur_by_category[at]
    return [(r.categories[one], int(counts[one])) for one in np.argsort(-counts, kind="stable")]


def category_rows(
    r: Reckoning, sort: str, selected: Selected | None = None, sure: Mapping[str, Any] | None = None
) -> list[CategoryRow]:
    """The categories that were told, by Nur, Nt, ICF or name; `sure` are their intervals where they are computed."""
    rows = [
        _category(r, int(at), sure) for at in np.flatnonzero(r.nt) if _shown(selected.categories if selected else None, int(at))
    ]
    name, turned = sort.removeprefix("-"), sort.startswith("-")
    keys: dict[str, Callable[[CategoryRow], Any]] = {
        "category": lambda row: row.code,
        "nt": lambda row: (-row.nt, row.code),
        "icf": lambda row: (np.isnan(row.icf), -np.nan_to_num(row.icf), row.code),
    }
    return sorted(rows, key=keys.get(name, lambda row: (-row.nur, row.code)), reverse=turned)


def _category(r: Reckoning, at: int, sure: Mapping[str, Any] | None = None) -> CategoryRow:
    found = (sure or {"categories": {}})["categories"].get(r.categories[at], {})
    interval = (found["low"], found["high"]) if found.get("low") is not None else None
    return CategoryRow(
        r.categories[at],
        int(r.nur[at]),
        int(r.nt[at]),
        float(r.icf[at]),
        r.why_no_icf(at),
        float(r.sd[at]),
        int(r.category_counts.informants[at]),
        interval,
    )


def ladder_of(
    r: Reckoning,
    index: str,
    selected: Selected | None = None,
    sure: Mapping[str, Any] | None = None,
    most: int | None = None,
) -> tuple[Ladder, int]:
    """The use ladder by an index: the ranked from the highest down, then those told by too few to be ranked; and how many plants
    there are. At `most` so many of them are drawn.

    `sure` are the intervals and ranks of the taxa under resampling, where they are computed.
    """
    values, standing = values_of_taxa(r)[index], ranked_in_a_ladder(r)
    told = [int(at) for at in np.flatnonzero(r.told)]
    ranked = [at for at in told if standing[at]]
    rank = dict(zip(ranked, ranks(values[ranked]).tolist(), strict=True))
    shown = [at for at in told if _shown(selected.taxa if selected else None, at)]
    shown.sort(key=lambda at: (rank.get(at, 0) == 0, -values[at], r.taxa[at]))
    rungs = [
        Told(r.taxa[at], float(values[at]), int(r.fc[at]), _counts(r, at), rank.get(at, 0), **how_sure(sure, r.taxa[at], index))
        for at in shown[:most]
    ]
    return use_ladder(rungs), len(shown)


def how_sure(sure: Mapping[str, Any] | None, taxon: str, index: str) -> dict[str, Any]:
    """The interval, the ranks and the share of resamples in the first ten, as a rung of the ladder takes them."""
    found = sure and sure["taxa"].get(taxon, {}).get(index)
    if not found or found[0] is None:
        return {}
    return {"interval": (found[0], found[1]), "in_first": found[4], "ranks": (found[5], found[6]) if found[5] else None}


def faced_taxa(compared: TaxaCompared, sort: str, selected: Selected | None = None) -> list[FacedTaxon]:
    """The taxa told in either community: by the size of the difference, or by `first`, `second` or `plant`."""
    top = max(float(np.nanmax(one.values, initial=0.0)) for one in (compared.first, compared.second)) or 1.0
    told = [int(at) for at in np.flatnonzero(compared.told) if _shown(selected.taxa if selected else None, int(at))]
    rows = [
        FacedTaxon(
            compared.taxa[at], _side(compared.first, at, top), _side(compared.second, at, top), float(compared.difference[at])
        )
        for at in told
    ]
    name, turned = sort.removeprefix("-"), sort.startswith("-")
    keys: dict[str, Callable[[FacedTaxon], Any]] = {
        "plant": lambda row: row.name,
        "first": lambda row: (-row.first["value"], row.name),
        "second": lambda row: (-row.second["value"], row.name),
    }
    return sorted(rows, key=keys.get(name, lambda row: (-abs(row.difference), row.name)), reverse=turned)


def _side(side: Side, at: int, top: float) -> dict[str, float]:
    value = float(side.values[at])
    return {
        "value": value,
        "rank": int(side.ranks[at]),
        "ur": int(side.ur[at]),
        "fc": int(side.fc[at]),
        "x": 0.0 if np.isnan(value) else round(_FACE * value / top, 1),
    }


def faced_categories(compared: CategoriesCompared, sort: str, selected: Selected | None = None) -> list[FacedCategory]:
    """The categories told in either community, by the reports of both, or by `difference` or `category`."""
    told = [int(at) for at in np.flatnonzero(compared.told) if _shown(selected.categories if selected else None, int(at))]
    rows = [
        FacedCategory(
            compared.categories[at], _category(compared.first, at), _category(compared.second, at), float(compared.difference[at])
        )
        for at in told
    ]
    name, turned = sort.removeprefix("-"), sort.startswith("-")
    keys: dict[str, Callable[[FacedCategory], Any]] = {
        "category": lambda row: row.code,
        "difference": lambda row: (np.isnan(row.difference), -abs(np.nan_to_num(row.difference)), row.code),
    }
    return sorted(rows, key=keys.get(name, lambda row: (-row.first.nur - row.second.nur, row.code)), reverse=turned)
