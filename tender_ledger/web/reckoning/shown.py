"""What the first pages of the reckoning show: plants, use categories, the ladder, two communities side by side."""

from typing import Any

from flask import g, request

from tender_ledger.core.indices.comparison import compare_categories, compare_taxa
from tender_ledger.core.indices.ranking import PER_INFORMANT, RANKED_FROM
from tender_ledger.core.indices.reckoning import Reckoning
from tender_ledger.core.indices.selection import Selected
from tender_ledger.operations import analyses, grouped
from tender_ledger.operations.computing import Computed
from tender_ledger.operations.disclosure.splits import minimum_of
from tender_ledger.operations.reckoning import taxon_facts
from tender_ledger.web.reckoning.asked import LADDER_INDICES, Asked, categories, most_rows
from tender_ledger.web.reckoning.contents import hairlines
from tender_ledger.web.reckoning.tables import category_rows, drawn_strip, faced_categories, faced_taxa, ladder_of, taxon_rows


def shown_of(one: Asked, part: Reckoning, whole: Reckoning, selected: Selected | None) -> dict[str, Any]:
    """The rows of the view that is asked for in their order, how many there would be without the filter, and the intervals:
    `sure` those of the indices, `spans` both ends alone, `lines` drawn under the values."""
    if one.beside:
        sides = (whole.by_community[one.group], whole.by_community[one.beside])
        return (_categories_beside if one.view == "categories" else _plants_beside)(one, *sides, selected)
    return {"categories": _categories, "ladder": _ladder}.get(one.view, _plants)(one, part, selected)


def _sure(one: Asked) -> Computed:
    return analyses.uncertainty(g.scope, one.rules, group=one.group, again="again" in request.args)


def _categories(one: Asked, part: Reckoning, selected: Selected | None) -> dict[str, Any]:
    sure, sort = _sure(one), one.sort or "nur"
    rows = category_rows(part, sort, selected, sure.body)
    sd = (sure.body or {}).get("further", {}).get("categories", {}).get("sd", {})
    return {"sure": sure, "lines": hairlines({row.code: row.sd for row in rows}, sd), "rows": rows,
            "all_rows": int((part.nt > 0).sum()), "sort": sort}  # fmt: skip


def _ladder(one: Asked, part: Reckoning, selected: Selected | None) -> dict[str, Any]:
    sure = _sure(one) if one.index in PER_INFORMANT else None
    drawn, plants = ladder_of(part, one.index, selected, sure.body if sure else None, most_rows())
    return {
        "sure": sure,
        "ladder": drawn,
        "rows": [*drawn.rungs, *drawn.apart],
        "shown_rows": plants,
        "all_rows": int(part.told.sum()),
        "facts": taxon_facts(g.scope),
        "sort": one.index,
        "ladder_indices": LADDER_INDICES,
        "ranked_from": RANKED_FROM,
        "minimum": minimum_of(g.scope),
    }


def _plants(one: Asked, part: Reckoning, selected: Selected | None) -> dict[str, Any]:
    sort = one.sort or "ci"
    rows, shown = taxon_rows(part, sort, selected, most_rows())
    spans = analyses.ends_of_values(g.scope, one.rules, group=one.group, **_wanted())
    lines = {kind: hairlines({row.name: row.numbers[kind] for row in rows}, (spans.body or {}).get(kind, {}))
             for kind in (*PER_INFORMANT, "uva")}  # fmt: skip
    known = categories()
    strips = {row.name: drawn_strip(row.shares, known) for row in rows}
    return {"spans": spans, "lines": lines, "strips": strips, "rows": rows, "shown_rows": shown, "all_rows": int(part.told.sum()),
            "facts": taxon_facts(g.scope), "sort": sort}  # fmt: skip


def _wanted() -> dict[str, Any]:
    """Whether intervals that take long are asked for, and anew."""
    return {"begin": "sure" in request.args, "again": "again" in request.args}


def _beside(one: Asked) -> Computed:
    return grouped.sides(g.scope, one.rules, one.group, one.beside, **_wanted())


def _plants_beside(one: Asked, first: Reckoning, second: Reckoning, selected: Selected | None) -> dict[str, Any]:
    compared, spans, sort = compare_taxa(first, second, one.index), _beside(one), one.sort or "difference"
    rows = faced_taxa(compared, sort, selected)
    lines = hairlines({row.name: row.difference for row in rows}, (spans.body or {}).get(one.index, {}))
    return {"spans": spans, "lines": lines, "rows": rows, "all_rows": int(compared.told.sum()), "sort": sort,
            "compared": compared, "first": first, "second": second, "facts": taxon_facts(g.scope),
            "indices": PER_INFORMANT}  # fmt: skip


def _categories_beside(one: Asked, first: Reckoning, second: Reckoning, selected: Selected | None) -> dict[str, Any]:
    compared, spans, sort = compare_categories(first, second), _beside(one), one.sort or "nur"
    rows = faced_categories(compared, sort, selected)
    lines = hairlines({row.code: row.difference for row in rows}, (spans.body or {}).get("icf", {}))
    return {"spans": spans, "lines": lines, "rows": rows, "all_rows": int(compared.told.sum()), "sort": sort,
            "compared": compared, "first": first, "second": second}  # fmt: skip
