"""What the tables of indices share: the reckoning they show, its rows, their intervals, the reports behind them."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from tender_ledger.core.indices.reckoning import Reckoning
from tender_ledger.operations.disclosure.audience import Audience
from tender_ledger.web.reckoning.contents import Names, Row
from tender_ledger.web.reckoning.views.intervals import ends_of


@dataclass(frozen=True)
class Counted:
    """A reckoning with the places of its taxa in the order shown, and their intervals where they are computed.

    `labels` are of use categories; the audience says which rows are shown.
    """

    r: Reckoning
    taxa: Sequence[int]
    sure: Mapping[str, Any] | None
    labels: Names
    group: str
    audience: Audience

    def rows(self, columns: Mapping[str, Any]) -> list[dict[str, Any]]:
        """A row a taxon, with the ends of the intervals of its indices."""
        rows: list[dict[str, Any]] = [
            {"taxon": self.r.taxa[at], **{key: float(column[at]) for key, column in columns.items()}} for at in self.taxa
        ]
        for row in rows:
            row |= {key: end for name in columns for key, end in ends_of(name, self.ends("taxa", name, row["taxon"])).items()}
        return rows

    def ends(self, of: str, index: str, name: str) -> tuple[float, float] | None:
        """The 95 % ends of an index of a taxon, a category or a family; None where there are none."""
        found = (self.sure or {}).get("further", {}).get(of, {}).get(index, {}).get(name)
        return None if found is None else (found[0], found[1])

    def behind(self, row: Row) -> Mapping[str, Any]:
        """The reports behind a row of a taxon, a category or a family."""
        what = {"taxon": row["taxon"]} if "taxon" in row else {"category": row["code"]} if "code" in row else {
            "family": row["family"]}  # fmt: skip
        return {**what, "community": self.group}
