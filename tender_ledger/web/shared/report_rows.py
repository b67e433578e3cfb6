"""Rows of a report in full as a form sends them: `steps-2-method`, by kind, place and name."""

import re
from collections.abc import Mapping
from typing import Any

from tender_ledger.operations.told_in_full import CHOSEN_ALWAYS, DESK_ROWS, ROWS

_MOST_ROWS = 40
_SENT = re.compile(r"(?P<kind>[a-z]+)-(?P<at>\d{1,2})-(?P<name>[a-z_]+)$")

Rows = dict[str, list[dict[str, str]]]


def rows_sent(sent: Mapping[str, str]) -> Rows:
    """The rows that were typed, by kind, in the order in which they stood, up to the last that says something."""
    found: dict[str, dict[int, dict[str, str]]] = {kind: {} for kind in DESK_ROWS}
    for name, value in sent.items():
        part = _SENT.match(name)
        if part and part["name"] in DESK_ROWS.get(part["kind"], ()) and int(part["at"]) < _MOST_ROWS:
            found[part["kind"]].setdefault(int(part["at"]), {})[part["name"]] = value
    said = {
        kind: [at for at, row in rows.items() if any(row.get(name) for name in DESK_ROWS[kind] if name not in CHOSEN_ALWAYS)]
        for kind, rows in found.items()
    }
    return {kind: [rows.get(at, {}) for at in range(max(said[kind], default=-1) + 1)] for kind, rows in found.items()}


def is_of_row(name: str) -> bool:
    """Whether a name is one of a cell of a row."""
    return bool(_SENT.match(name))


def rows_of(stands: Mapping[str, Any]) -> Rows:
    """What stands in a report, as one would type it."""
    components = [{name: ", ".join(one[name]) for name in ROWS["components"]} for one in stands["components"]]
    rest = {
        kind: [{name: one[name] or "" for name in ROWS[kind]} for one in stands[kind]] for kind in ROWS if kind != "components"
    }
    return {"components": components, **rest}
