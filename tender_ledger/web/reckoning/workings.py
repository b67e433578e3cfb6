"""What the margin says of a number: its formula, the counts put in, how sure it is, other measures, the reports behind it."""

from collections.abc import Mapping
from typing import Any

from flask import g, request

from tender_ledger.core.indices.catalogue import EXPLAINED
from tender_ledger.core.indices.ranking import PER_INFORMANT
from tender_ledger.core.indices.reckoning import Reckoning
from tender_ledger.core.indices.working import (
    MISLEADS,
    NAMES,
    SOURCES,
    TAXON_INDICES,
    Working,
    working_of_category,
    working_of_taxon,
)
from tender_ledger.core.rules import CountingRules
from tender_ledger.formats.tables import written
from tender_ledger.operations import analyses
from tender_ledger.operations.reckoning import reckon_study, reports_behind
from tender_ledger.web.reckoning.asked import Asked
from tender_ledger.web.reckoning.contents import Block, Content, Standing

_FIRST = 12  # reports shown behind a number before “all of them”


def working_of(part: Reckoning, kind: str, about: str, rules: CountingRules, group: str) -> dict[str, Any] | None:
    """What the margin needs for an index of a taxon or a category; None for what the reckoning has not."""
    is_taxon = kind in TAXON_INDICES
    working: Working | None = (working_of_taxon if is_taxon else working_of_category)(part, about, kind)
    if working is None:
        return None
    behind: dict[str, Any] = {"taxon": about} if is_taxon else {"category": about}
    found = {
        "working": working,
        "names": NAMES,
        "sources": SOURCES,
        "misleads": MISLEADS[kind],
        "is_taxon": is_taxon,
        "of_group": part,
        "behind": reports_behind(g.scope, rules, **behind, community=group),
        "first_reports": first_reports(),
    }
    if kind in PER_INFORMANT or kind == "icf":
        sure = analyses.uncertainty(g.scope, rules, group=group).body or {}
        found["interval"] = sure.get("categories", {}).get(about) if kind == "icf" else _interval(sure, about, kind)
    return found


def first_reports() -> int:
    return 10_000 if "all" in request.args else _FIRST


def _interval(sure: Mapping[str, Any], taxon: str, kind: str) -> dict[str, Any] | None:
    """The interval of a value with its standard errors and ranks, by name, as the margin tells them."""
    found = sure.get("taxa", {}).get(taxon, {}).get(kind)
    names = ("low", "high", "bootstrap", "jackknife", "in_first", "best", "worst")
    return dict(zip(names, found, strict=True)) if found else None


def taken_apart(content: Content, one: Asked, kind: str, about: str) -> tuple[str, dict[str, Any]] | None:
    """The template of the margin for a number of a view, `about` being its block and its row, with what it needs."""
    name, _colon, subject = about.partition(":")
    entry = EXPLAINED.get(kind.partition("/")[0])
    block = content.block(name)
    row = block.row_of(subject) if block else None
    if block is None or row is None:
        return ("reckoning/_explained.html", {"explanation": entry}) if entry else None
    apart = block.take_apart(kind, row)
    if isinstance(apart, Standing):
        return _standing(apart, one)
    if entry is None:
        return None
    put = {name: value if isinstance(value, str) else written(value, "count") for name, value in apart.put.items()}
    behind = apart.behind if apart.behind is not None else block.behind(row) if block.behind else None
    return "reckoning/_explained.html", {
        "explanation": entry, "numbers": put, "apart": apart, "subject": subject, "row": row,
        "taxon": row.get("taxon", ""), **_value(block, kind, row, apart.ends),
        "behind": None if behind is None else reports_behind(g.scope, one.rules, **behind), "first_reports": first_reports(),
    }  # fmt: skip


def _standing(number: Standing, one: Asked) -> tuple[str, dict[str, Any]] | None:
    rules = number.rules or one.rules
    group = one.group if number.group is None else number.group
    whole = reckon_study(g.scope, rules).result
    found = working_of(whole.by_community.get(group, whole), number.kind, number.about, rules, group)
    return None if found is None else ("reckoning/_working.html", {**found, "margin_group": group})


def _value(block: Block, kind: str, row: Mapping[str, Any], ends: tuple[float, float] | None) -> dict[str, Any]:
    """The value as the table writes it, None where it is undefined, and the ends of its interval in the same way."""
    of_kind = [column for column in (block.table.columns if block.table else ())
               if column.is_number and block.kind_of(column, row) == kind]  # fmt: skip
    own = next((column for column in of_kind if column.key == kind), of_kind[0] if of_kind else None)
    shown = written(row.get(own.key), own.kind) if own else "–"
    as_value = own.kind if own and own.kind in ("count", "share", "tenth") else "decimal"
    if shown == "–":
        return {"value": None, "ends": None}
    if own and own.kind == "p":  # beside a statistic whose formula stands above it
        shown, sign = shown.removeprefix("< "), "p < " if shown.startswith("<") else "p = "
    else:
        sign = "= "
    return {"value": shown, "sign": sign, "ends": ends and [written(end, as_value) for end in ends]}
