"""Use reports in full: what is told beside the line of a report, and reports made of reports."""

import uuid
from collections.abc import Callable, Collection, Mapping, Sequence
from typing import Any

from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Scope
from tender_ledger.core.text import clean
from tender_ledger.core.times import written_time
from tender_ledger.operations.errors import NotFound, Refused
from tender_ledger.operations.reports import require_recordable
from tender_ledger.operations.saving import made_once, saving
from tender_ledger.operations.told_in_full import ROWS, FullReading, ToldInFull
from tender_ledger.storage.history import Snapshot, take_snapshot
from tender_ledger.storage.models import Dispute, UseReport
from tender_ledger.storage.queries import reports, studies, told


def complete_report(scope: Scope, report_id: int, version: int, typed: ToldInFull) -> None:
    """Put what was told beside the line of a report in the place of what stands there.

    Refused with a sentence a field; a row's is named `steps-2-method`, by its place among those typed. Raises Conflict where
    somebody saved meanwhile.
    """
    scope.viewer.require(Right.RECORD)
    found = _report(scope, report_id)
    with saving(scope, "complete_report") as writing:  # a new purpose is made while reading, and must not outlive a refusal
        reading = FullReading(scope, typed)
        values, children = reading.values(), reading.children()
        if reading.errors:
            raise Refused(reading.errors)
        writing.update(UseReport, report_id, version, values, holder_id=found["holder_id"], children=children)
        require_recordable(scope, report_id)


def duplicate_report(scope: Scope, report_id: int, client_key: str | None) -> int:
    """A second report like this one, to be corrected where it differs; returns its id."""
    scope.viewer.require(Right.RECORD)
    found = _report(scope, report_id)
    return _made(scope, client_key, lambda key: _copy(scope, found, _state(report_id), key))


def split_report(scope: Scope, report_id: int, version: int, client_key: str | None, *, components: Collection[int] = (),
                 categories: Collection[int] = ()) -> int:  # fmt: skip
    """Two reports out of one: the chosen components, and codes by their categories, go to a new one; returns its id.

    All else stands in both. Where no code is chosen both have the same codes, and where no component is chosen, the same
    components. Something of what is chosen from has to stay.
    """
    scope.viewer.require(Right.RECORD)
    found = _report(scope, report_id)

    def make(key: str) -> int:
        state = _state(report_id)
        kept, new = _parted(state, components, categories)
        with saving(scope, "split_report") as writing:
            writing.update(UseReport, report_id, version, {}, holder_id=found["holder_id"], children=kept)
            return _write_copy(scope, writing, found, {**state, **new}, key)

    return _made(scope, client_key, make)


def _parted(state: Snapshot, components: Collection[int], categories: Collection[int]) -> tuple[Snapshot, Snapshot]:
    """The rows that stay and the rows that go, of the kinds that are parted."""
    there = {one["component"] for name in ROWS["components"] for one in state[name]}
    coded = {one["category_id"] for one in state["codings"]}
    gone, moved = there & set(components), coded & set(categories)
    if not gone and not moved:
        raise Refused({"split": "Choose what is to stand in a report of its own."})
    if (gone and gone == there) or (moved and moved == coded):
        raise Refused({"split": "Something of it has to stay in the first report. Choose less."})
    kept = {name: _components(state[name], there - gone) for name in ROWS["components"]} if gone else {}
    new = {name: _components(state[name], gone) for name in ROWS["components"]} if gone else {}
    if moved:
        kept["codings"] = _primary_first([one for one in state["codings"] if one["category_id"] not in moved])
        new["codings"] = _primary_first([one for one in state["codings"] if one["category_id"] in moved])
    return kept, new


def merge_reports(scope: Scope, report_id: int, version: int, other_id: int) -> None:
    """One report out of two of one teller on one plant: what the other tells beside goes into this one, the other is taken back.

    Parts, preparations, applications, codes, steps, ingredients and teachers of the other are added; so are its words, note and
    caution, and the time at which they stand in the recording. Refused, saying in what, where the two were told in different
    encounters, or differ in something that a report says once: joining would lose the one or the other.
    """
    scope.viewer.require(Right.RECORD)
    found, other = _report(scope, report_id), reports.report(scope, other_id)
    told_of = ("informant_id", "plant_id")
    if other is None or report_id == other_id or any(found[name] != other[name] for name in told_of):
        raise Refused({"other": "Choose another report of the same teller on the same plant."})
    state, more = (_said_alone(scope, _state(one)) for one in (report_id, other_id))
    if differing := _differing(state, more):
        raise Refused(
            {
                "other": f"They differ in {', '.join(differing)}. Both would not stand in one report: leave them two, or "
                "correct one of them first."
            }
        )
    more = {**more, "note": " / ".join(filter(None, (more["note"], _also_told_at(state, more))))}
    values: dict[str, Any] = {
        name: " / ".join(filter(None, dict.fromkeys((state[name], more[name])))) for name in ("words", "note", "caution")
    }
    values |= {name: more[name] for name in _SAID_ONCE if state[name] is None and more[name] is not None}
    if state["start_s"] is None:
        values |= {name: more[name] for name in ("start_s", "end_s")}
    values["extra"] = {**more["extra"], **state["extra"]}
    with saving(scope, "merge_reports") as writing:
        writing.update(UseReport, report_id, version, values, holder_id=found["holder_id"], children=_joined(state, more))
        writing.remove(UseReport, other_id, None, holder_id=other["holder_id"])


# What a report says once, and what it is called where two of them differ in it.
_SAID_ONCE = {
    "basis_id": "basis",
    "stance_id": "stance",
    "outcome_id": "outcome",
    "stage_id": "plant stage",
    "actor": "who uses it",
    "taker": "for whom",
    "currency": "whether it is done now",
    "harvest_effect": "what the harvest does",
    "language_id": "language of the words",
    "cited_id": "source read",
    "season": "season",
    "harvest": "manner of harvest",
    "dose": "dose",
    "phase": "phase of the illness",
    "frequency": "how often",
    "course": "for how long",
    "attributed_to": "to whom it is credited",
    "mixture": "remedy",
    "role": "role in the remedy",
    "proportion": "share in the remedy",
}
_UNSAID = ("", None, "unstated")


def _said_alone(scope: Scope, state: Snapshot) -> Snapshot:
    """A report with None for everything that it could say once and does not."""
    known = [one for name in ("basis", "outcome") for one in studies.terms(scope.study_id, name)]
    unstated = {one["id"] for one in known if one["code"] == "unstated"}
    told_once = {name: None if state[name] in _UNSAID or state[name] in unstated else state[name] for name in _SAID_ONCE}
    return {**state, **told_once, "role": told_once["role"] if state["mixture"] else None}


def _differing(state: Snapshot, more: Snapshot) -> list[str]:
    """In what two reports contradict one another, or were told apart, in words; empty where one report can hold both."""
    found = ["the encounter they were told in"] if state["encounter_id"] != more["encounter_id"] else []
    found += [words for name, words in _SAID_ONCE.items() if None not in (state[name], more[name]) and state[name] != more[name]]
    uses = {(one["scheme"], one["category_id"]): (one["subcategory_id"], one["purpose_id"]) for one in state["codings"]}
    if any(
        uses.get((one["scheme"], one["category_id"]), use) != use
        for one in more["codings"]
        for use in [(one["subcategory_id"], one["purpose_id"])]
    ):
        found.append("what it is used for")
    both = set(state["extra"]) & set(more["extra"])
    return found + [f"the column {name}" for name in sorted(both) if state["extra"][name] != more["extra"][name]]


def _also_told_at(state: Snapshot, more: Snapshot) -> str:
    """When the other was told, where both are somewhere in the recording."""
    if None in (state["start_s"], more["start_s"]) or state["start_s"] == more["start_s"]:
        return ""
    end = f" to {written_time(more['end_s'])}" if more["end_s"] is not None else ""
    return f"also told at {written_time(more['start_s'])}{end}"


def dispute_report(scope: Scope, report_id: int, other_id: int, note: str = "") -> int:
    """Say that two tellers contradict one another on a plant; both reports stay as they are."""
    scope.viewer.require(Right.RECORD)
    found, other = _report(scope, report_id), reports.report(scope, other_id)
    if other is None or found["plant_id"] != other["plant_id"] or found["informant_id"] == other["informant_id"]:
        raise Refused({"other": "Choose a report of another teller on the same plant."})
    first, second = sorted((report_id, other_id))
    with saving(scope, "dispute_report") as writing:
        return writing.create(Dispute, {"report_id": first, "other_id": second, "note": clean(note)})


def settle_dispute(scope: Scope, dispute_id: int, version: int) -> int:
    """Take back that two reports contradict one another; returns the number of one of them."""
    scope.viewer.require(Right.RECORD)
    found = told.dispute(scope, dispute_id)
    if found is None:
        raise NotFound(f"dispute {dispute_id}")
    with saving(scope, "settle_dispute") as writing:
        writing.remove(Dispute, dispute_id, version)
    return int(found["report_id"])


def _report(scope: Scope, report_id: int) -> dict[str, Any]:
    found = reports.report(scope, report_id)
    if found is None:
        raise NotFound(f"report {report_id}")
    return found


def _state(report_id: int) -> Snapshot:
    state = take_snapshot(UseReport, report_id)
    assert state is not None
    return state


def _made(scope: Scope, client_key: str | None, make: Callable[[str], int]) -> int:
    key = client_key or str(uuid.uuid4())
    return made_once(scope, "use_report", key, lambda: make(key))


def _copy(scope: Scope, found: Mapping[str, Any], state: Snapshot, key: str) -> int:
    with saving(scope, "duplicate_report") as writing:
        return _write_copy(scope, writing, found, state, key)


def _write_copy(scope: Scope, writing: Any, found: Mapping[str, Any], state: Snapshot, key: str) -> int:
    children = {child.name for child in UseReport.CHILDREN}
    values = {name: value for name, value in state.items() if name not in children}
    values |= {"recorded_by": scope.viewer.person_id, "client_key": key}
    made = int(writing.create(UseReport, values, holder_id=found["holder_id"], children={name: state[name] for name in children}))
    require_recordable(scope, made)
    return made


def _components(rows: Sequence[Snapshot], wanted: Collection[int]) -> list[Snapshot]:
    """The rows of some components, which are numbered anew."""
    places = {component: at for at, component in enumerate(sorted(wanted), 1)}
    return [{**one, "component": places[one["component"]]} for one in rows if one["component"] in places]


def _primary_first(codings: Sequence[Snapshot]) -> list[Snapshot]:
    """Codes of which the first of each scheme is its primary one, if none is."""
    primary = {one["scheme"] for one in codings if one["is_primary"]}
    found = []
    for one in codings:
        found.append({**one, "is_primary": one["is_primary"] or one["scheme"] not in primary})
        primary.add(one["scheme"])
    return found


def _joined(state: Snapshot, more: Snapshot) -> dict[str, list[Snapshot]]:
    """The rows of two reports together: further components, codes that the first has not, and steps, ingredients and teachers."""
    after = max((one["component"] for name in ROWS["components"] for one in state[name]), default=0)
    there = {name: {(one["component"], *one.values()) for one in state[name]} for name in ROWS["components"]}
    same = all({(one["component"], *one.values()) for one in more[name]} <= there[name] for name in ROWS["components"])
    joined = {name: [*state[name], *([] if same else ({**one, "component": one["component"] + after} for one in more[name]))]
              for name in ROWS["components"]}  # fmt: skip
    coded = {(one["scheme"], one["category_id"]) for one in state["codings"]}
    joined["codings"] = _primary_once(
        [*state["codings"], *(one for one in more["codings"] if (one["scheme"], one["category_id"]) not in coded)]
    )
    for name in ("steps", "ingredients", "teachings"):
        said = [{**one, "position": 0} for one in state[name]]
        rows = [*state[name], *(one for one in more[name] if {**one, "position": 0} not in said)]
        joined[name] = [{**one, "position": at} for at, one in enumerate(rows, 1)]
    return joined


def _primary_once(codings: Sequence[Snapshot]) -> list[Snapshot]:
    primary: set[str] = set()
    found = []
    for one in codings:
        found.append({**one, "is_primary": one["is_primary"] and one["scheme"] not in primary})
        primary |= {one["scheme"]} if one["is_primary"] else set()
    return found
