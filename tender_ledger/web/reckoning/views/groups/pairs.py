"""Pairs of groups beside one another: how alike they are, and whether they differ."""

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from flask import request, url_for

from tender_ledger.core.groups.permuting import holm
from tender_ledger.formats.tables import Column, Table
from tender_ledger.web.reckoning.asked import carried
from tender_ledger.web.reckoning.contents import Apart, Block, Link, Names
from tender_ledger.web.reckoning.views.groups.each import BehindGroups
from tender_ledger.web.reckoning.views.intervals import ends_of, pair_of
from tender_ledger.web.shared.words import gettext as _

_INTERVALS = {"jaccard": "jaccard", "sorensen": "sorensen", "bray": "bray", "spearman": "spearman_union", "r2": "r2"}
_DIFFERENCES = {"permuted": "difference", "permanova": "permanova"}  # beside the p of which they stand


def slug_of(pair: Mapping[str, Any]) -> str:
    """How a pair is named in an address."""
    return f"{pair['first']}|{pair['second']}"


def p_of(found: Mapping[str, Any], name: str = "p") -> float | None:
    """p of a test, exact where every relabelling was counted."""
    value: float | None = found.get(f"{name}_exact", found.get(name))
    return value


def all_pairs(pairs: Sequence[Mapping[str, Any]], body: Mapping[str, Any], shown: Names, behind: BehindGroups) -> Block:
    """Every pair on a line: likeness, and the tests with their p adjusted for the number of pairs."""
    kept: dict[str, Any] = {**carried(), **{name: request.args[name] for name in ("by", "since") if name in request.args}}
    rows: list[dict[str, Any]] = [
        {"pair": heading_of(pair, shown), "of": pair, "shared": pair["shared"], "jaccard": pair["jaccard"],
         "sorensen": pair["sorensen"], "bray": pair["bray_curtis_CI"], "spearman": pair["spearman_CI_union"],
         "permuted": p_of(pair, "UR_per_informant_p"), "permanova": p_of(pair["permanova_jaccard_informants"]),
         "r2": pair["permanova_jaccard_informants"]["R2"],
         **{key: end for kind, name in _INTERVALS.items() for key, end in ends_of(kind, pair["ends"].get(name)).items()}}
        for pair in pairs
    ]  # fmt: skip
    p = np.array([np.nan if row["permanova"] is None else row["permanova"] for row in rows], dtype=np.float64)
    for row, adjusted in zip(rows, holm(p) if len(p) else (), strict=True):
        row["holm"] = None if np.isnan(adjusted) else float(adjusted)
    columns = [
        Column("pair", _("pair"), "text"),
        Column("jaccard", _("Jaccard")),
        Column("sorensen", _("Sørensen")),
        Column("bray", _("Bray-Curtis")),
        Column("spearman", "ρ"),
        Column("permuted", _("p, reports"), "p"),
        Column("permanova", _("p, PERMANOVA"), "p"),
        Column("holm", _("Holm"), "p"),
        Column("r2", "R²", ends=True),
    ]
    links = {row["pair"]: url_for("reckoning.analysis", view="groups", pair=slug_of(row["of"]), **kept) for row in rows}
    apart = {kind: (lambda row, kind=kind, name=name: measure_apart(row["of"], kind, body, shown, name))
             for kind, name in {**_INTERVALS, **_DIFFERENCES}.items()}  # fmt: skip
    return Block(
        "pairs",
        _("All pairs"),
        table=Table("pairs", _("Pairs of groups"), columns, rows, subject="pair", links=links),
        sentences=[_("Open a pair for its plants. Bray-Curtis and ρ are of CI over the own N of each; ρ over plants of either.")],
        apart={**apart, "holm": lambda _row: Apart({"m": len(rows)})},
        behind=lambda row: behind(row["of"]["first"], row["of"]["second"]),
    )


def heading_of(pair: Mapping[str, Any], shown: Names) -> str:
    """The pair by the names of its groups."""
    return _("%(one)s and %(two)s", one=shown[pair["first"]], two=shown[pair["second"]])


def measure_apart(pair: Mapping[str, Any], kind: str, body: Mapping[str, Any], shown: Names, interval: str) -> Apart:
    """A measure of a pair taken apart; `interval` names that of its intervals which is told."""
    first, second = (body["ci"][pair[side]] for side in ("first", "second"))
    both = sorted({*first} & {*second}, key=lambda taxon: (-first[taxon] - second[taxon], taxon))
    shared = [Link(taxon, f"{first[taxon]:.2f} · {second[taxon]:.2f}",
                   url_for("reckoning.show", margin=f"ci:{taxon}", **carried()), is_taxon=True) for taxon in both]  # fmt: skip
    put = {"c": pair["shared"], "A": pair["A"], "B": pair["B"]}
    ends = pair_of(pair["ends"].get(interval))
    test = pair["permanova_jaccard_informants"]
    if kind in ("jaccard", "sorensen"):
        other = (_("Sørensen"), pair["sorensen"]) if kind == "jaccard" else (_("Jaccard"), pair["jaccard"])
        return Apart(put, shared, [other, (_("Jaccard of plants for categories"), pair["jaccard_citations"])], ends)
    if kind == "bray":
        taxa = sorted({*first, *second})
        x, y = ([side.get(taxon, 0.0) for taxon in taxa] for side in (first, second))
        made = [Link("Σ | x − y |", f"{sum(abs(a - b) for a, b in zip(x, y, strict=True)):.3f}"),
                Link("Σ ( x + y )", f"{sum(x) + sum(y):.3f}"), *shared]  # fmt: skip
        return Apart({}, made, [(_("on UR, which mixes in the sizes"), pair["bray_curtis_UR"])], ends)
    if kind == "spearman":
        others = [(_("shared plants"), pair["spearman_CI_shared"]), (_("plants of either"), pair["spearman_CI_union"])]
        return Apart({}, shared, others, ends)
    if kind == "permuted":
        made = [
            Link(shown[pair[side]], _("%(mean)s reports per holder, N = %(n)s", mean=f"{mean:.3f}", n=n))
            for side, mean, n in zip(("first", "second"), pair["means"], pair["n"], strict=True)
        ]
        doubled = pair.get("UR_per_informant_p_exact_doubled", pair.get("UR_per_informant_p_doubled"))
        return Apart({}, made, [(_("p by doubling the smaller tail"), doubled)], ends, how=_("the difference, 95 % interval"))
    how = _("R², 95 % by leaving out each holder") if interval == "r2" else _("F, 95 % by leaving out each holder")
    return Apart({"a": 2, "N": sum(pair["n"]) - pair["left_out"]}, (), [("R²", test["R2"]), ("F", test["F"])], ends, how=how)
