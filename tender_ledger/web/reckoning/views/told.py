"""Free lists, parts and preparations."""

from collections.abc import Mapping
from typing import Any

from flask import g

from tender_ledger.core.publication import MINIMUM_HOLDERS
from tender_ledger.core.terms import Purpose
from tender_ledger.figures.plots import bars
from tender_ledger.formats.tables import Column, Table
from tender_ledger.operations import analyses
from tender_ledger.operations.reckoning import taxa_of_category
from tender_ledger.web.reckoning.asked import Asked
from tender_ledger.web.reckoning.contents import Block, Content, Names
from tender_ledger.web.shared.words import gettext as _


def lists(one: Asked, purpose: Purpose, _names: Names) -> Content:
    """How salient the items of the free lists are."""
    category = one.selection.category
    members = taxa_of_category(g.scope, one.rules, category, purpose=purpose) if category else ()
    found = analyses.list_salience(g.scope, group=one.group, members=members, purpose=purpose)
    heading = _("Salience in free lists")
    lede = _("What is named by many and early is salient. N are all lists, the empty ones too.")
    if not found["items"]:
        return Content(heading, lede, empty=_("No free list is on record. Enter one on the page of an encounter."))
    small = purpose is Purpose.PUBLISHED
    rows = [
        {
            "item": item,
            "frequency": value["frequency"],
            "mean": value["mean_position"],
            "smith": value["smith_S_N_all"],
            "sutrop": value["sutrop_N_all"],
            "n": found["N_all"],
        }
        for item, value in found["items"].items()
        if not small or value["frequency"] >= MINIMUM_HOLDERS
    ]
    rows.sort(key=lambda row: (-row["smith"], row["item"]))
    columns = [
        Column("item", _("item"), "text"),
        Column("frequency", _("lists"), "count"),
        Column("mean", _("mean place")),
        Column("smith", _("Smith’s S")),
        Column("sutrop", _("Sutrop")),
    ]
    words = {"title": _("Salience, Smith’s S"), "y": _("item"), "says": _("Items of free lists by Smith’s S.")}
    figure = bars([(row["item"], row["smith"], "") for row in rows[:30]], words)
    lengths = found["lengths"]
    said = [
        _(
            "%(n)s lists, %(empty)s of them empty; the longest has %(longest)s items, the middle one %(middle)s.",
            n=found["N_all"],
            empty=found["N_all"] - found["N_lists"],
            longest=lengths[0],
            middle=lengths[len(lengths) // 2],
        )
    ]
    if category and found["bias"] is not None:
        bias, of = f"{found['bias']:.2f}", found["bias_lists"]
        said.append(_("B = %(b)s for the chosen category, the mean of %(n)s lists: 1 all first, 0 all last.", b=bias, n=of))
    elif category:
        said.append(_("B is undefined: no list has items of the category and others beside them."))
    explains = {"sutrop": lambda row: {"F": row["frequency"], "N": row["n"], "m": f"{row['mean']:.2f}"}, "smith": lambda _row: {}}
    return Content(
        heading,
        lede,
        [
            Block(
                "salience",
                "",
                figure,
                Table("salience", _("Salience in free lists"), columns, rows, subject="item"),
                said,
                explains=explains,
            )
        ],
    )


def parts(one: Asked, purpose: Purpose, names: Names, labels: Names | None = None) -> Content:
    """Shares of parts and of preparations, by category and by community."""
    answer = analyses.parts_and_preparations(g.scope, one.rules, purpose=purpose)
    heading = _("Parts and preparations")
    lede = _("Shares of what was told with a part, or a preparation; what names two counts for both.")
    if answer.body is None:
        return Content(heading, lede, waits=answer)
    labels = labels or {}
    blocks = []
    for name, title in (("parts", _("Parts")), ("preparations", _("Preparations"))):
        for by, words in (("category", _("by use category")), ("community", _("by community"))):
            found = answer.body[f"{name}_by_{by}"]
            if any(sum(counts[:-1]) for counts in found["counts"]):
                blocks.append(_shares(f"{name}-{by}", f"{title} {words}", found, {**labels, **names}, purpose))
    return Content(heading, lede, blocks, empty="" if blocks else _("No report that counts names a part or a preparation."))


def _shares(name: str, heading: str, found: Mapping[str, Any], labels: Names, purpose: Purpose) -> Block:
    total = [sum(counts[at] for counts in found["counts"]) for at in range(len(found["labels"]))]
    order = sorted((at for at, number in enumerate(total) if number), key=lambda at: (-total[at], found["labels"][at]))[:9]
    rows = []
    for of, counts in zip(found["of"], found["counts"], strict=True):
        named = sum(counts[:-1])
        if named and (purpose is not Purpose.PUBLISHED or named >= MINIMUM_HOLDERS):
            cells = {found["labels"][at]: counts[at] / named for at in order}
            cells["others"] = 1 - sum(cells.values()) if len(order) < sum(map(bool, total)) else None
            rows.append({"of": labels.get(of, of.replace("_", " ")), "named": named, "none": counts[-1], **cells})
    columns = [
        Column("of", "", "text"),
        Column("named", _("told with one"), "count"),
        Column("none", _("without"), "count"),
        *(
            Column(found["labels"][at], labels.get(found["labels"][at], found["labels"][at].replace("_", " ")), "share")
            for at in order
        ),
    ]
    if any(row["others"] is not None for row in rows):
        columns.append(Column("others", _("others"), "share"))
    return Block(name, heading, table=Table(name, heading, columns, rows, subject="of"))
