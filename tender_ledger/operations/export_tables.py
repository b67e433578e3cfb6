"""The tables beside reports.csv, as rows: what reports hold in several rows, and what is told of plants beside their uses."""

from collections.abc import Mapping, Sequence
from typing import Any

from tender_ledger.core.days import PartialDay
from tender_ledger.core.importing.companion_tables import COLUMNS
from tender_ledger.core.terms import Scope
from tender_ledger.core.worklist.rules import is_strong_claim
from tender_ledger.formats.sheet import write_sheet
from tender_ledger.storage.queries import tables

_OF_REPORTS = {"steps": tables.steps, "ingredients": tables.ingredients, "teachings": tables.teachings, "codings": tables.codings}
_IN_WORDS = ("lasts", "heat", "strength", "words", "when", "amount")
_PLACES = {"steps": "step", "ingredients": "ingredient", "teachings": "teaching"}

Rows = list[dict[str, Any]]


def rows_of_reports(scope: Scope, reports: Sequence[Mapping[str, Any]], masked: frozenset[int]) -> dict[str, Rows]:
    """The rows of steps, ingredients, teachings and codings of reports, each with the `report_id` that it tells of.

    Nothing of a report that is masked leaves, and nothing in words where its terms allow none. A row that says nothing then is
    none, and places are counted among those that leave.
    """
    ids = [one["id"] for one in reports if one["id"] not in masked]
    quoted = {one["id"] for one in reports if one["may_publish_verbatim"]}
    order = {number: at for at, number in enumerate(ids)}
    found: dict[str, Rows] = {}
    for kind, query in _OF_REPORTS.items():
        found[kind] = []
        last = (0, 0)
        for row in sorted(query(scope, ids), key=lambda row: order[row["report_id"]]):
            report_id = row["report_id"]
            if kind == "codings":
                found[kind].append({**row, "primary": "yes" if row.pop("is_primary") else ""})
                continue
            if report_id not in quoted:
                row |= {name: "" for name in _IN_WORDS if name in row}
            said = [value for name, value in row.items() if name not in ("report_id", "role", _PLACES[kind]) and value]
            if not said:
                continue
            last = (report_id, last[1] + 1 if last[0] == report_id else 1)
            found[kind].append({**row, _PLACES[kind]: last[1]})
    return found


def rows_of_plants(scope: Scope, plants: Mapping[int, Mapping[str, Any]]) -> dict[str, Rows]:
    """The rows of plants, features, names, properties and links; plants by their id. A strong claim of a property stays here."""
    about = tables.determinations(scope, list(plants))
    label = {number: one["field_number"] for number, one in plants.items()}
    claims = [one for one in tables.properties(scope) if not is_strong_claim(one["property"], one["words"])]
    return {
        "plants": [_plant(one, about[number]) for number, one in plants.items()],
        "features": [
            {**_cut("features", one), "plant": label[one["plant_id"]], "approximate": "yes" if one["approximate"] else "",
             **{name: _number(one[name]) for name in ("low", "high")}}
            for one in sorted(tables.features(scope, list(plants)), key=lambda one: label[one["plant_id"]])
        ],
        "names": [_telling("names", one, label) for one in sorted(
            (one for one in tables.names(scope) if one["plant_id"] in label), key=lambda one: label[one["plant_id"]])],
        "properties": [_telling("properties", one, label) for one in claims if one["plant_id"] in label],
        "links": [{**_telling("links", one, label), "other": label[one["other_id"]]} for one in tables.links(scope)
                  if one["plant_id"] in label and one["other_id"] in label],
    }  # fmt: skip


def written(found: Mapping[str, Rows], labels: Mapping[int, str]) -> dict[str, bytes]:
    """The tables as files, by name; `labels` are the labels of reports by their id."""
    return {
        f"{kind}.csv": write_sheet(
            COLUMNS[kind],
            [_cut(kind, row | ({"report": labels[row["report_id"]]} if "report_id" in row else {})) for row in found[kind]],
        )
        for kind in COLUMNS
    }


def _cut(kind: str, row: Mapping[str, Any]) -> dict[str, Any]:
    return {name: row[name] for name in COLUMNS[kind] if name in row}


def _plant(plant: Mapping[str, Any], about: Mapping[str, Any]) -> dict[str, Any]:
    said = {"basis": "determined_from", "remarks": "determination_remarks"}
    chosen = {name: "" if plant[name] == "unknown" else plant[name] for name in ("origin", "management")}
    return {
        "plant": plant["field_number"], "taxon": plant["accepted"] or plant["taxon"], "rank": plant["rank"],
        "family": plant["family"], "qualifier": _unless(plant["qualifier"] or "none", "none"), "verbatim": about["verbatim"],
        **{column: _unless(about[name] or "", "unstated") for name, column in said.items()},
        "confidence": _unless(about["confidence"] or "", "unstated"), "determiner": about["determiner"],
        "determined_on": about["determined_on"], "growth_form": plant["growth_form"], "habitat": plant["habitat"],
        **chosen, "stage": about["stage"], "remarks": plant["remarks"],
    }  # fmt: skip


def _telling(kind: str, row: Mapping[str, Any], label: Mapping[int, str]) -> dict[str, Any]:
    """A row of what somebody told; all that says who and where is empty where nobody is named."""
    who: dict[str, Any] = {}
    if row["informant"]:
        day = PartialDay(row["day_from"], row["day_to"], row["approximate"]).iso() if row["day_from"] else ""
        who = {"informant_kind": "source" if row["is_source"] else "holder", "event": f"E{row['encounter']}", "date": day}
    return _cut(kind, {**row, "plant": label[row["plant_id"]], **who, **_unstated(row), **_start(row)})


def _unstated(row: Mapping[str, Any]) -> dict[str, str]:
    return {"basis": _unless(row["basis"], "unstated")} if "basis" in row else {}


def _start(row: Mapping[str, Any]) -> dict[str, Any]:
    return {"start": seconds_written(row["start_s"])} if "start_s" in row else {}


def _unless(code: str, usual: str) -> str:
    return "" if code == usual else code


def _number(value: float | None) -> str:
    """A measure as short as it can be written without another value being read back."""
    if value is None:
        return ""
    return str(int(value)) if value.is_integer() and abs(value) < 1e15 else repr(value)


def seconds_written(value: float | None) -> str | int | None:
    """Seconds as the import reads them: with two digits after the point they could be taken for minutes and seconds."""
    if value is None or value.is_integer():
        return value if value is None else int(value)
    return f"{value:.3f}" if len(str(value).partition(".")[2]) == 2 else str(value)
