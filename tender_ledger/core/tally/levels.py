"""At which level of the coding scheme reports are counted: by category, or by subcategory in some categories or in all."""

from dataclasses import replace

import numpy as np

from tender_ledger.core.messages import InputRefused, Problem
from tender_ledger.core.rules import CountingRules
from tender_ledger.core.tally.table import UseReportTable, Uses


def at_level(table: UseReportTable, rules: CountingRules) -> UseReportTable:
    """The table with `category/subcategory` for a category where the rules count subcategories and a row has one.

    Raises InputRefused where the rules name a category that the table has not.
    """
    if rules.level == "category":
        return table
    _refuse_unknown(table, rules)
    if table.subcategory is None:
        return table
    finer = np.array([rules.level_of(name) == "subcategory" for name in table.categories] + [False, False])
    wide = len(table.subcategories) + 1
    within = np.where(finer[table.category], table.subcategory + 1, 0)
    pairs, category = np.unique(
        np.where(table.category >= 0, table.category * wide + within, table.category), return_inverse=True
    )
    names = [_name(table, *divmod(int(pair), wide)) for pair in pairs if pair >= 0]
    order = sorted(range(len(names)), key=names.__getitem__)
    special = int((pairs < 0).sum())
    new = np.empty(len(pairs), dtype=np.int64)
    new[:special] = pairs[:special]
    new[special + np.array(order, dtype=np.int64)] = np.arange(len(order))
    category = new[category]
    return _with_uses(replace(table, category=category, categories=tuple(names[at] for at in order)), table.uses)


def _refuse_unknown(table: UseReportTable, rules: CountingRules) -> None:
    named = [] if isinstance(rules.level, str) else [category for category, _level in rules.level]
    unknown = [category for category in named if category not in table.categories]
    if unknown:
        raise InputRefused(
            Problem("No row is coded in this category.", "rules.level", ", ".join(unknown), ", ".join(table.categories))
        )


def _name(table: UseReportTable, category: int, within: int) -> str:
    return table.categories[category] + (f"/{table.subcategories[within - 1]}" if within else "")


def _with_uses(table: UseReportTable, old: Uses) -> UseReportTable:
    """The uses numbered anew, by the new categories; one label in two of them is two uses."""
    coded = table.category >= 0
    wide = max(len(old.labels), 1)
    pairs, use = np.unique(table.category[coded] * wide + table.use[coded], return_inverse=True)
    category, label = np.divmod(pairs, wide)
    places = np.full(len(table.use), -1, dtype=np.int64)
    places[coded] = use
    return replace(table, use=places, uses=Uses(category, tuple(old.labels[at] for at in label)))
