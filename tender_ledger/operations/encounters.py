"""Encounters: opened, corrected, and joined by those who were there."""

from collections.abc import Mapping, Sequence
from typing import Any

from tender_ledger.core.days import parse_day
from tender_ledger.core.messages import InputRefused
from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Scope
from tender_ledger.core.text import clean
from tender_ledger.operations.errors import NotFound, Refused, constraints_as_refusals, degrees_of, number_of, required
from tender_ledger.operations.saving import made_once, saving
from tender_ledger.storage.database import value
from tender_ledger.storage.history import act
from tender_ledger.storage.models import Encounter, EncounterInformant
from tender_ledger.storage.queries import encounters, terms

KINDS = {"interview": "Interview", "walk": "Plant walk", "demonstration": "Demonstration", "free_list": "Free list",
         "group": "Group talk",
         "reading": "Reading of a source"}  # fmt: skip


def open_encounter(scope: Scope, values: Mapping[str, Any], informants: Sequence[tuple[int, str]], *,
                   client_key: str | None = None) -> int:  # fmt: skip
    """Open an encounter; returns its number.

    `values`: kind, title, day (as typed), community_id, language_id, interpreter, place, latitude and longitude in degrees
    (as typed); `informants`: (id, part) pairs. Without a community it is that of everybody who told, where they share one.
    Refused for an informant whose terms do not allow recording.
    """
    scope.viewer.require(Right.RECORD)
    _may_record(scope, informants)
    shared = encounters.community_of_informants(scope, [informant for informant, part in informants if part == "teller"])
    where = {"community_id": values.get("community_id") or shared}
    record = _record({**values, **where}) | {"recorded_by": scope.viewer.person_id, "client_key": client_key}

    def make() -> int:
        with constraints_as_refusals(), act(scope.viewer, "open_encounter") as writing:
            numbered = record | {"number": next_number(scope, "encounter")}
            return writing.create(Encounter, numbered, children={"informants": _present(informants)})

    made = made_once(scope, "encounter", client_key, make)
    return int(value("SELECT number FROM encounter WHERE id = %(id)s", id=made))


def correct_encounter(scope: Scope, number: int, version: int, values: Mapping[str, Any],
                      informants: Sequence[tuple[int, str]]) -> None:  # fmt: skip
    """Correct an encounter; informants whom the writer may not see stay in it."""
    scope.viewer.require(Right.RECORD)
    found = encounters.encounter(scope, number)
    if found is None:
        raise NotFound(f"encounter {number}")
    seen = {one["informant_id"] for one in encounters.present(scope, found["id"])}
    _may_record(scope, [one for one in informants if one[0] not in seen])
    hidden = [one for one in _all_present(found["id"]) if one[0] not in seen]
    with saving(scope, "correct_encounter") as writing:
        writing.update(Encounter, found["id"], version, _record(values, left_open=_left_open(found)),
                       children={"informants": _present([*hidden, *informants])})  # fmt: skip


def next_number(scope: Scope, kind: str) -> int:
    """The next running number of the study; gaps stay gaps. Call it within the act that uses the number."""
    return int(
        value(
            """INSERT INTO counter (study_id, kind, last) VALUES (%(study)s, %(kind)s, 1)
               ON CONFLICT (study_id, kind) DO UPDATE SET last = counter.last + 1 RETURNING last""",
            study=scope.study_id,
            kind=kind,
        )
    )


def reserve_numbers(scope: Scope, kind: str, how_many: int, *, above: int = 0) -> list[int]:
    """So many running numbers of the study, all above the last one given and above `above`; numbers up to there are taken."""
    last = int(
        value(
            """INSERT INTO counter (study_id, kind, last) VALUES (%(study)s, %(kind)s, %(above)s + %(n)s)
               ON CONFLICT (study_id, kind) DO UPDATE SET last = greatest(counter.last, %(above)s) + %(n)s RETURNING last""",
            study=scope.study_id,
            kind=kind,
            n=how_many,
            above=above,
        )
    )
    return list(range(last - how_many + 1, last + 1))


def _left_open(found: Mapping[str, Any]) -> frozenset[str]:
    """What an encounter may go on leaving open, since the table it came from did: its day, its place."""
    return frozenset(name for name, stored in (("day", "day_from"), ("community_id", "community_id")) if found[stored] is None)


def _record(values: Mapping[str, Any], *, left_open: frozenset[str] = frozenset()) -> dict[str, Any]:
    if values.get("kind") not in KINDS:
        raise Refused({"kind": f"Choose one of {', '.join(KINDS.values())}."})
    language, days = values.get("language_id"), _days(values, left_open=left_open)
    named = values.get("community_id")
    where = "Choose the community where it took place."
    return {
        "kind": values["kind"],
        "title": required(values.get("title"), "title", "The title"),
        **days,
        "community_id": None if not named and "community_id" in left_open else number_of(named, "community_id", where),
        "language_id": number_of(language, "language_id", "Choose a language of the study.") if language else None,
        "interpreter": clean(values.get("interpreter")),
        "place": clean(values.get("place")),
        **{name: degrees_of(values.get(name), name) for name in ("latitude", "longitude")},
    }


def _days(values: Mapping[str, Any], *, left_open: frozenset[str]) -> dict[str, Any]:
    if "day" in left_open and not clean(values.get("day")):
        return {"day_from": None, "day_to": None, "approximate": False}
    try:
        day = parse_day(required(values.get("day"), "day", "The date"), "day")
    except InputRefused as refused:
        raise Refused({"day": str(refused.problems[0])}) from refused
    return {"day_from": day.first, "day_to": day.last, "approximate": day.approximate}


def _may_record(scope: Scope, informants: Sequence[tuple[int, str]]) -> None:
    if any(not terms.may_record(scope, informant) for informant, _ in informants):
        sentence = "One of them has not agreed to be recorded, or has withdrawn. Ask first, and record the answer."
        raise Refused({"informants": sentence})


def _present(informants: Sequence[tuple[int, str]]) -> list[dict[str, Any]]:
    return [{"informant_id": informant, "part": part} for informant, part in sorted(informants)]


def _all_present(encounter_id: int) -> list[tuple[int, str]]:
    found = EncounterInformant.select().where(EncounterInformant.encounter_id == encounter_id)
    return [(one.informant_id, one.part) for one in found]
