"""What the table of all reports can be asked: filters, an order, a grouping, columns; read from an address and written there."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date
from typing import Any

from tender_ledger.core.text import clean, whole_number

# What can be filtered by, in the order in which the sentence tells it. A dash asks for what says nothing there.
FILTERS = ("q", "informant", "community", "kind", "plant", "taxon", "family", "category", "purpose", "part", "method",
           "application", "basis", "stance", "outcome", "currency", "stage", "taker", "mixture", "encounter", "since", "until",
           "beside", "marked")  # fmt: skip
MARKED = ("caution", "disputed", "several", "own_note")
NOTHING = "-"
MAY_BE_NOTHING = frozenset({"taxon", "family", "category", "part", "method", "application", "stage"})
SORTS = ("day", "taxon", "plant", "informant", "category", "basis")
GROUPS = ("taxon", "plant", "informant", "category", "encounter")
COLUMNS = ("plant", "taxon", "informant", "what", "given", "purpose", "basis", "stance", "outcome", "stage", "day", "words",
           "note", "currency", "community", "family")  # fmt: skip
USUAL = ("plant", "taxon", "informant", "what", "purpose", "basis", "day")


@dataclass(frozen=True)
class LedgerView:
    """A view of the table: what is asked (by the names of FILTERS), how it is ordered and grouped, which columns stand in it."""

    asked: Mapping[str, str] = field(default_factory=dict)
    sort: str = "day"
    backwards: bool = False
    group: str = ""
    columns: Sequence[str] = USUAL
    page: int = 1

    def arguments(self, **changed: object) -> dict[str, Any]:
        """The address that draws this view; what is as usual does not stand in it. `changed` is asked anew, None no more."""
        asked = {**self.asked, **{key: str(said) for key, said in changed.items() if key in FILTERS and said}}
        asked = {key: said for key, said in asked.items() if changed.get(key, said) is not None}
        others: dict[str, Any] = {key: said for key, said in changed.items() if key not in FILTERS}
        view = replace(self, **others)
        rest = {"sort": view.sort if view.sort != "day" else None, "back": "1" if view.backwards else None,
                "group": view.group or None, "page": view.page if view.page > 1 else None,
                "cols": ",".join(view.columns) if tuple(view.columns) != USUAL else None}  # fmt: skip
        return {**asked, **{key: said for key, said in rest.items() if said is not None}}


def read_view(arguments: Mapping[str, str], columns: Sequence[str] = ()) -> LedgerView:
    """The view that an address asks for; what it misspells is as if it were not there."""
    asked = {name: clean(arguments.get(name))[:200] for name in FILTERS if clean(arguments.get(name))}
    for name in ("since", "until"):
        if name in asked and not _is_day(asked[name]):
            del asked[name]
    if asked.get("marked", MARKED[0]) not in MARKED:
        del asked["marked"]
    asked = {name: said for name, said in asked.items() if said != NOTHING or name in MAY_BE_NOTHING}
    chosen = [one for one in (columns or arguments.get("cols", "").split(",")) if one in COLUMNS]
    page = arguments.get("page", "1")
    return LedgerView(
        asked,
        sort=arguments["sort"] if arguments.get("sort") in SORTS else "day",
        backwards=arguments.get("back") == "1",
        group=arguments["group"] if arguments.get("group") in GROUPS else "",
        columns=tuple(dict.fromkeys(chosen)) or USUAL,
        page=whole_number(page, 999_999) or 1,
    )


def _is_day(text: str) -> bool:
    try:
        date.fromisoformat(text)
    except ValueError:
        return False
    return True
