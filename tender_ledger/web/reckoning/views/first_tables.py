"""The numbers of the first tables that are no index of one plant or category: ranks, who told, diversity, differences."""

from collections.abc import Mapping
from typing import Any

from tender_ledger.core.indices.comparison import compare_categories, compare_taxa
from tender_ledger.core.indices.ranking import ranks, values_of_taxa
from tender_ledger.core.indices.reckoning import Reckoning
from tender_ledger.core.indices.working import SYMBOLS
from tender_ledger.core.rules import CountingRules
from tender_ledger.core.terms import Scope
from tender_ledger.formats.tables import Column, Table
from tender_ledger.operations.disclosure.audience import MEMBERS
from tender_ledger.operations.grouped import behind_groups
from tender_ledger.web.reckoning.asked import Asked, categories
from tender_ledger.web.reckoning.contents import Apart, Block, Content, Row
from tender_ledger.web.reckoning.views.indices.counted import Counted
from tender_ledger.web.reckoning.views.indices.gathered import agreement
from tender_ledger.web.reckoning.views.intervals import Ends, pair_of
from tender_ledger.web.shared.words import gettext as _


def first_tables(one: Asked, scope: Scope, whole: Reckoning, sure: Any, spans: Any) -> Content:
    """Blocks for the margin alone: `agreement` and `ranks` of what is shown, `plants` and `categories` of two side by side.

    `sure` and `spans` are the intervals of the indices, and of the differences between the two, as far as they are computed.
    """
    labels = {code: choice.label for code, choice in categories().items()}
    part = whole.by_community.get(one.group, whole)
    blocks = [agreement(Counted(part, (), sure, labels, one.group, MEMBERS)), _ranks(part, one)]
    if one.beside:
        sides = (part, whole.by_community[one.beside])
        blocks += [
            _plants(sides, one, scope, (spans or {}).get(one.index, {})),
            _categories(sides, one, scope, labels, (spans or {}).get("icf", {})),
        ]
    return Content("", "", blocks)


def _ranks(r: Reckoning, one: Asked) -> Block:
    columns = values_of_taxa(r)
    sort = one.sort.removeprefix("-")
    by = one.index if one.beside or one.view == "ladder" else sort if sort in columns else "ci"
    told = [at for at in range(len(r.taxa)) if r.told[at]]
    place = dict(zip(told, ranks(columns[by][told]).tolist(), strict=True))
    rows = [{"taxon": r.taxa[at], "rank": place[at], "value": float(columns[by][at])} for at in told]

    def rank(row: Row) -> Apart:
        return Apart({"r": row["rank"]}, others=[(SYMBOLS[by], row["value"])])

    table = Table("ranks", "", [Column("taxon", "", "taxon"), Column("rank", "", "count")], rows, subject="taxon")
    return Block(
        "ranks", "", table=table, apart={"rank": rank}, behind=lambda row: {"taxon": row["taxon"], "community": one.group}
    )


def _plants(sides: tuple[Reckoning, Reckoning], one: Asked, scope: Scope, ends: Mapping[str, Ends]) -> Block:
    found = compare_taxa(*sides, one.index)
    rows = [{"taxon": taxon, "first": float(found.first.values[at]), "second": float(found.second.values[at]),
             "first_rank": int(found.first.ranks[at]), "second_rank": int(found.second.ranks[at]),
             "gap": float(found.difference[at])} for at, taxon in enumerate(found.taxa) if found.told[at]]  # fmt: skip

    def gap(row: Row) -> Apart:
        others = [
            (_("rank in the first"), str(row["first_rank"] or "–")),
            (_("rank in the second"), str(row["second_rank"] or "–")),
        ]
        return Apart({"x_1": f"{row['first']:.3f}", "x_2": f"{row['second']:.3f}"}, (), others, pair_of(ends.get(row["taxon"])))

    def rank(row: Row, which: str) -> Apart:
        return Apart({"r": row[f"{which}_rank"]}, others=[(SYMBOLS[one.index], row[which])])

    columns = [Column("taxon", "", "taxon"), Column("gap", ""), Column("first_rank", "", "count", explains="rank/first"),
               Column("second_rank", "", "count", explains="rank/second")]  # fmt: skip
    apart = {"gap": gap, "rank/first": lambda row: rank(row, "first"), "rank/second": lambda row: rank(row, "second")}
    return Block("plants", "", table=Table("plants", "", columns, rows, subject="taxon"), apart=apart,
                 behind=lambda row: {**_of_both(scope, one.rules, one), "taxon": row["taxon"]})  # fmt: skip


def _categories(sides: tuple[Reckoning, Reckoning], one: Asked, scope: Scope, labels: dict[str, str],
                ends: Mapping[str, Ends]) -> Block:  # fmt: skip
    found = compare_categories(*sides)
    rows = [{"category": labels.get(code, code), "code": code, "icfgap": float(found.difference[at]),
             "put": {f"{name}_{side + 1}": int(column[at]) for side, r in enumerate(sides)
                     for name, column in (("Nur", r.nur), ("Nt", r.nt))}}
            for at, code in enumerate(found.categories) if found.told[at]]  # fmt: skip
    table = Table("categories", "", [Column("category", "", "text"), Column("icfgap", "")], rows, subject="code")
    apart = {"icfgap": lambda row: Apart(row["put"], ends=pair_of(ends.get(row["code"])))}
    return Block("categories", "", table=table, apart=apart,
                 behind=lambda row: {**_of_both(scope, one.rules, one), "category": row["code"]})  # fmt: skip


def _of_both(scope: Scope, rules: CountingRules, one: Asked) -> dict[str, Any]:
    return behind_groups(scope, rules, "community", None, one.group, one.beside)
