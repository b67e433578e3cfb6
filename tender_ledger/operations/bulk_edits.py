"""Many reports changed alike: looked at first, then written as one act with one undo."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from tender_ledger.core.ledger import LedgerView
from tender_ledger.core.recognition import Choice, Unrecognised, recognise
from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Scope
from tender_ledger.core.text import clean
from tender_ledger.operations.errors import Refused
from tender_ledger.operations.saving import saving
from tender_ledger.operations.told_in_full import CURRENCIES
from tender_ledger.operations.typed_report import plant_choices
from tender_ledger.operations.vocabularies import choices
from tender_ledger.storage.models import ReportCoding, UseReport
from tender_ledger.storage.queries import ledger, plants, studies
from tender_ledger.storage.queries.terms import refused_records

MOST = 5_000  # reports of one edit
FIELDS = {"category": "use category", "basis": "grounds", "stance": "stance", "outcome": "result", "stage": "plant stage",
          "currency": "in use", "plant": "plant"}  # fmt: skip
_SHOWN = 20


@dataclass(frozen=True)
class BulkEdit:
    """What an edit would do: the field, what is put there, the reports asked for, those that differ, and the first of them."""

    field: str
    value: str
    reports: int
    changed: int
    sample: tuple[dict[str, Any], ...]


def preview_edit(scope: Scope, view: LedgerView, field: str, value: str) -> BulkEdit:
    """What would change if the field of every report of a view were set to the value; nothing is written.

    Refused where the field or the value is none, and for more reports than MOST.
    """
    chosen, ids = _chosen(scope, view, field, value)
    lines = ledger.lines_of(scope, ids)
    differ = [one for one in lines if _stands(one, field) != chosen.label]
    sample = tuple({**one, "before": _stands(one, field)} for one in differ[:_SHOWN])
    return BulkEdit(field, chosen.label, len(ids), len(differ), sample)


def edit_reports(scope: Scope, view: LedgerView, field: str, value: str) -> int:
    """Set the field of every report of a view, in one act; returns how many changed."""
    chosen, ids = _chosen(scope, view, field, value)
    lines = ledger.lines_of(scope, ids)
    differ = [one["id"] for one in lines if _stands(one, field) != chosen.label]
    holders = ledger.holders_of(scope, differ)
    with saving(scope, "edit_reports") as writing:
        changed = writing.update_many(
            UseReport, differ, _values(field, chosen), holders, also=_coded(scope, field, differ, chosen)
        )
        if refused := refused_records(scope, differ):
            what = f"The agreements of the tellers of {len(refused)} of these reports leave it out of what may be recorded."
            raise Refused({"value": f"{what} Nothing was changed; ask for fewer reports."})
    return changed


def _chosen(scope: Scope, view: LedgerView, field: str, value: str) -> tuple[Choice, list[int]]:
    scope.viewer.require(Right.BULK_EDIT)
    if field not in FIELDS:
        raise Refused({"field": "Choose what is to be changed."})
    text = clean(value)
    if not text:
        raise Refused({"value": "Say what is to stand there."})
    try:
        chosen = recognise(text, _known(scope, field), FIELDS[field])
    except Unrecognised as unknown:
        raise Refused({"value": f"{unknown.problem.what} {unknown.problem.remedy}".strip()}) from unknown
    if field == "plant":
        found = next(one for one in plants.plants(scope) if one["id"] == chosen.key)
        chosen = Choice(chosen.key, found["field_number"])
    ids = ledger.ledger_ids(scope, view)
    if len(ids) > MOST:
        raise Refused({"": f"{len(ids)} reports are asked for. Change at most {MOST} at once: ask for fewer."})
    return chosen, ids


def _known(scope: Scope, field: str) -> Sequence[Choice]:
    if field == "plant":
        return plant_choices(plants.plants(scope))
    if field == "currency":
        return [Choice(at, label, code) for at, (code, label) in enumerate(CURRENCIES.items(), 1)]
    return choices(scope.study_id, field, studies.study(scope)["scheme"] if field == "category" else None)


def _stands(line: Mapping[str, Any], field: str) -> str:
    """What stands in a field of a line, as the choice is called."""
    if field == "plant":
        return str(line["field_number"])
    return CURRENCIES[line["currency"]] if field == "currency" else str(line[field] or "")


def _values(field: str, chosen: Choice) -> dict[str, Any]:
    if field == "category":
        return {}
    return {"currency": chosen.code} if field == "currency" else {f"{field}_id": chosen.key}


def _coded(scope: Scope, field: str, ids: Sequence[int], chosen: Choice) -> Callable[[], None]:
    """Put a category in the place of the primary code of the study's scheme; what was below the old one goes with it."""
    scheme = studies.study(scope)["scheme"]

    def write() -> None:
        if field != "category" or not ids:
            return
        of_scheme = (ReportCoding.report_id.in_(list(ids))) & (ReportCoding.scheme == scheme)
        ReportCoding.delete().where(of_scheme & (ReportCoding.is_primary | (ReportCoding.category_id == chosen.key))).execute()
        made = ({"study_id": scope.study_id, "report_id": one, "scheme": scheme, "category_id": chosen.key} for one in ids)
        ReportCoding.insert_many(list(made)).execute()

    return write
