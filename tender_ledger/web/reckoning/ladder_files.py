"""The use ladder as files: an SVG that looks the same in any program, and its data as CSV."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from typing import Any

from flask import render_template

from tender_ledger.core.indices.ranking import RANKED_FROM
from tender_ledger.core.indices.working import SYMBOLS
from tender_ledger.figures.ladder import WIDTH, Told, use_ladder
from tender_ledger.formats.sheet import write_sheet
from tender_ledger.operations.publishing import PublishedLadder
from tender_ledger.web.reckoning.tables import how_sure
from tender_ledger.web.shared.looks import LOOKS
from tender_ledger.web.shared.words import gettext as _

# The colours of the categories in a file: those of the light theme.
HUES = {
    "FD": "#5d7d2b",
    "FA": "#a3822a",
    "AF": "#7d8f6d",
    "BE": "#d0a63a",
    "IF": "#9a7fae",
    "MT": "#7c6044",
    "FU": "#b5622e",
    "SO": "#3f639c",
    "VP": "#6d2f2f",
    "NP": "#a06a6a",
    "MD": "#7d3a5d",
    "EN": "#3d7d75",
    "GS": "#6b6f76",
}
_OWN = ("#8a5a33", "#2f7286", "#6a5b9c", "#7a7a2c", "#a04d70", "#4a7a55")


@dataclass(frozen=True)
class AboutLadder:
    """What a file says of itself: how it was counted, where, what of it is shown, how holders were chosen, when; and the authors
    of the names."""

    counted: str
    where: str
    shown: str
    chosen: str
    day: date
    authorship: Mapping[str, str]


def ladder_svg(
    published: PublishedLadder, categories: Mapping[str, Any], about: AboutLadder, sure: Mapping[str, Any] | None = None
) -> bytes:
    """The ladder as SVG, complete in itself: heading, how it was counted, what is held back, and what it is not."""
    told = [
        Told(
            one.taxon,
            one.value,
            one.told_by,
            [*one.shares.named, ("", one.shares.merged)],
            one.rank,
            **how_sure(sure, one.taxon, published.index),
        )
        for one in published.taxa
    ]
    facts = {taxon: {"authorship": authorship, "name": ""} for taxon, authorship in about.authorship.items()}
    return render_template(
        "reckoning/ladder_file.svg",
        ladder=use_ladder(told),
        symbol=SYMBOLS[published.index],
        n=published.n,
        about=about,
        left_out=published.left_out,
        minimum=published.minimum,
        ranked_from=RANKED_FROM,
        categories=categories,
        facts=facts,
        looks=LOOKS,
        fill=_fill,
        banded=sure,
    ).encode()


def ladder_sheet(published: PublishedLadder) -> dict[str, float]:
    """The size of the drawing within its sheet, as a page for print takes it."""
    told = [Told(one.taxon, one.value, one.told_by, [], one.rank) for one in published.taxa]
    return {"width": WIDTH, "height": use_ladder(told).height + 10}


def _fill(abbreviation: str) -> str:
    """The colour of a category by its two letters; a merged rest is grey."""
    if not abbreviation:
        return "#c9cec6"
    return HUES.get(abbreviation, _OWN[sum(map(ord, abbreviation)) % len(_OWN)])


def ladder_csv(
    published: PublishedLadder, categories: Mapping[str, Any], about: AboutLadder, sure: Mapping[str, Any] | None = None
) -> bytes:
    """The data of the ladder: a row a taxon with its value and, by category, its counts; empty: merged, or none."""
    named = {code for one in published.taxa for code, _count in one.shares.named}
    shown = [code for code in categories if code in named]
    columns = (
        "rank",
        "taxon",
        "family",
        "index",
        "value",
        "low_95",
        "high_95",
        "first_ten",
        "reports",
        "told_by",
        "N",
        *shown,
        "other_categories",
        "counted",
        "holders",
        "note",
    )
    note = _("How often it was told, not how well it works. It is no advice to treat, eat or gather.")
    return write_sheet(
        columns,
        [
            {
                "rank": one.rank or None,
                "taxon": one.taxon,
                "family": one.family,
                "index": SYMBOLS[published.index],
                "value": one.value,
                **_how_sure(sure, one.taxon, published.index),
                "reports": one.reports,
                "told_by": one.told_by,
                "N": published.n,
                **dict(one.shares.named),
                "other_categories": one.shares.merged or None,
                "counted": about.counted,
                "holders": about.chosen,
                "note": note,
            }
            for one in published.taxa
        ],
    )


def _how_sure(sure: Mapping[str, Any] | None, taxon: str, index: str) -> dict[str, Any]:
    found = how_sure(sure, taxon, index)
    if not found:
        return {}
    return {"low_95": found["interval"][0], "high_95": found["interval"][1], "first_ten": found["in_first"]}
