"""Which rows the counting rules leave out, and by which of them: nothing is left out in silence."""

from collections.abc import Mapping

from tender_ledger.core.tally.counting import Tally, allowed_informants, row_conditions
from tender_ledger.core.tally.table import NONE_NAMED, Bools

# In the order in which a row that several rules leave out is told of: by the first.
REASONS = ("source", "community", "coded", "plant", "basis", "stance", "outcome", "actor", "currency", "role", "mixture",
           "scheme", "secondary")  # fmt: skip


def excluded_rows(tally: Tally) -> Mapping[str, Bools]:
    """The rows of a tally's table that its rules leave out, by the first of REASONS that does, shape (rows,) each.

    Reasons that leave nothing out are not among them. Rows that say that no use was named are no reports, and never are.
    """
    table, rules = tally.table, tally.rules
    of_source = table.informants.is_source[table.informant]
    allowed = allowed_informants(table, rules)[table.informant]
    met = {
        "source": allowed | ~of_source,
        "community": allowed | of_source,
        "plant": tally.taxa.of_plant[table.plant] >= 0,
        **dict(row_conditions(table, rules)),
    }
    open_rows = ~tally.kept & (table.category != NONE_NAMED)
    found: dict[str, Bools] = {}
    for reason in REASONS:
        if reason in met:
            left_out = open_rows & ~met[reason]
            open_rows &= met[reason]
            if left_out.any():
                found[reason] = left_out
    assert not open_rows.any(), "a row is left out for no reason that is known"
    return found
