"""Recording, correcting and taking back: one record for one key, nothing half saved, both versions in a conflict."""

import threading
import uuid
from typing import Any

import pytest

from tender_ledger.core.terms import NotAllowed
from tender_ledger.operations import drafts, encounters, plants, reports
from tender_ledger.operations.errors import CannotUndo, Conflict, NotFound, Refused
from tender_ledger.operations.history import undo_act
from tender_ledger.operations.typed_report import TypedReport, as_typed
from tender_ledger.storage.database import connected, rows, value
from tender_ledger.storage.queries import acts
from tender_ledger.storage.queries import plants as plant_queries
from tender_ledger.storage.queries import reports as queries
from tests.factories import SmallStudy, latest_act


@pytest.fixture
def small(empty_db: str) -> SmallStudy:
    return SmallStudy()


@pytest.fixture
def talk(small: SmallStudy) -> int:
    return small.encounter(small.holder("XAN-01"))


FULL = {
    "parts": "young leaf, flower",
    "methods": "infusion",
    "applications": "drunk",
    "category": "medicines",
    "subcategory": "respiratory system disorders",
    "purpose": "cough",
    "basis": "taught",
    "stage": "flowering",
    "stance": "affirms",
    "outcome": "helped",
    "words": "It loosens, ʔa̱s.",
    "start": "12:41",
    "caution": "not for children",
    "note": "by the door",
}


def typed(**more: str) -> TypedReport:
    return TypedReport(informant="XAN-01", **more)


def record(small: SmallStudy, talk: int, **more: str) -> int:
    return reports.record_report(small.scope, talk, typed(**more), str(uuid.uuid4()))


def test_everything_that_was_told_is_kept_as_told(small: SmallStudy, talk: int):
    small.plant("Salix caprea", "wiṯoi")
    made = queries.report(small.scope, record(small, talk, plant="wiṯoi", **FULL))
    assert made is not None
    assert (made["parts"], made["methods"], made["words"], made["start_s"]) == (
        ["young leaf", "flower"],
        ["infusion"],
        "It loosens, ʔa̱s.",
        761,
    )
    assert made["applications"] == ["drunk"]
    for slot in ("category", "subcategory", "purpose", "basis", "stage", "outcome", "caution", "note"):
        assert made[slot] == FULL[slot], slot


def test_what_was_recorded_reads_back_as_it_would_be_typed(small: SmallStudy, talk: int):
    number = small.plant("Salix caprea", "wiṯoi")
    first = record(small, talk, plant="wiṯoi", **FULL)
    plant, found = plant_queries.plant(small.scope, number), queries.report(small.scope, first)
    assert plant is not None
    assert found is not None
    again = as_typed(found, plant)
    second = queries.report(small.scope, reports.record_report(small.scope, talk, again, str(uuid.uuid4())))
    assert second is not None
    assert as_typed(second, plant) == again


def test_the_same_key_twice_is_one_report(small: SmallStudy, talk: int):
    key, number = str(uuid.uuid4()), small.plant("Salix caprea")
    first = small.report(talk, "XAN-01", number, key=key)
    assert small.report(talk, "XAN-01", number, key=key) == first
    assert queries.count_reports(small.scope) == 1


def test_the_same_key_at_the_same_moment_is_one_report(small: SmallStudy, talk: int):
    key, number = str(uuid.uuid4()), small.plant("Salix caprea")
    made: list[int] = []

    def save() -> None:
        with connected():
            made.append(small.report(talk, "XAN-01", number, key=key))

    threads = [threading.Thread(target=save) for _ in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(made) == 6
    assert len(set(made)) == 1
    assert value("SELECT count(*) FROM use_report") == 1
    assert value("SELECT count(*) FROM act WHERE operation = 'record_report'") == 1


@pytest.mark.parametrize(
    ("slot", "text", "told"),
    [
        ("category", "zebra", "No category is called"),
        ("parts", "leaf, fl0wer", "No part is called “fl0wer”"),
        ("basis", "p", "can be"),
        ("start", "later", "no time in a recording"),
        ("informant", "XAN-99", "No teller here"),
        ("plant", "Nowhere", "write + Nowhere"),
        ("plant", "P-077", "The study has no plant P-077"),
        ("plant", "+", "Write the name"),
        ("informant", "", "Choose who told it"),
        ("subcategory", "zzz", "No subcategory of food"),
    ],
)
def test_what_names_nothing_is_refused_beside_its_slot_and_nothing_is_saved(
    small: SmallStudy, talk: int, slot: str, text: str, told: str
):
    small.plant("Salix caprea", "wiṯoi")
    before = value("SELECT revision FROM study")
    values: dict[str, Any] = {"informant": "XAN-01", "plant": "wiṯoi", "category": "food", slot: text}
    with pytest.raises(Refused) as refused:
        reports.record_report(small.scope, talk, TypedReport(**values), str(uuid.uuid4()))
    assert told in refused.value.errors[slot]
    assert value("SELECT revision FROM study") == before
    assert queries.count_reports(small.scope) == 0


def test_a_purpose_without_a_category_asks_for_the_category(small: SmallStudy, talk: int):
    small.plant(name="wiṯoi")
    with pytest.raises(Refused) as refused:
        record(small, talk, plant="wiṯoi", purpose="cough")
    assert refused.value.errors == {"category": "Choose the category that the purpose belongs to."}


def test_a_report_that_says_nothing_is_no_report(small: SmallStudy, talk: int):
    small.plant(name="wiṯoi")
    with pytest.raises(Refused, match="Say what it is used for"):
        record(small, talk, plant="wiṯoi")


def test_a_plant_made_on_the_spot_has_the_name_its_language_and_who_told_it(small: SmallStudy, talk: int):
    record(small, talk, plant="+ sʷel-sʷel", category="materials")
    (plant,) = plant_queries.plants(small.scope)
    assert [(one["name"], one["attested"]) for one in plant["names"]] == [("sʷel-sʷel", 1)]
    assert plant["taxon"] is None


def test_a_refused_report_makes_no_plant_either(small: SmallStudy, talk: int):
    with pytest.raises(Refused):
        record(small, talk, plant="+ sʷel-sʷel", category="zzz")
    assert plant_queries.plants(small.scope) == []


def test_one_name_of_two_plants_saves_neither(small: SmallStudy, talk: int):
    small.plant("Salix caprea", "plo")
    small.plant("Tilia cordata", "plo")
    with pytest.raises(Refused) as refused:
        record(small, talk, plant="plo", category="food")
    assert "P-001" in refused.value.errors["plant"]
    assert "P-002" in refused.value.errors["plant"]


def test_an_asking_is_recorded_once_and_says_so(small: SmallStudy, talk: int):
    number = small.plant("Salix caprea")
    small.asking(talk, "XAN-01", number)
    with pytest.raises(Refused, match="recorded here already"):
        small.asking(talk, "XAN-01", number)


def test_a_correction_on_an_old_version_is_a_conflict_and_changes_nothing(small: SmallStudy, talk: int):
    number = small.plant("Salix caprea")
    made = small.report(talk, "XAN-01", number, note="first")
    reports.correct_report(small.scope, made, 1, typed(plant="P-001", category="fuels", note="second"))
    with pytest.raises(Conflict) as conflict:
        reports.correct_report(small.scope, made, 1, typed(plant="P-001", category="food", note="third"))
    assert conflict.value.version == 2
    assert conflict.value.current is not None
    assert conflict.value.current["note"] == "second"
    found = queries.report(small.scope, made)
    assert found is not None
    assert (found["note"], found["category"]) == ("second", "fuels")


def test_undo_puts_everything_back_and_undo_of_undo_again(small: SmallStudy, talk: int):
    small.plant("Salix caprea", "wiṯoi")
    made = record(small, talk, plant="wiṯoi", **FULL)
    reports.correct_report(small.scope, made, 1, typed(plant="P-001", category="fuels"))
    act = latest_act(small.scope)
    assert act is not None
    undo_act(small.scope, act)
    found = queries.report(small.scope, made)
    assert found is not None
    assert (found["category"], found["parts"], found["purpose"]) == ("medicines", ["young leaf", "flower"], "cough")
    redo = latest_act(small.scope)
    assert redo is not None
    undo_act(small.scope, redo)
    found = queries.report(small.scope, made)
    assert found is not None
    assert (found["category"], found["parts"]) == ("fuels", [])


def test_undoing_a_recording_hides_the_report_and_twice_is_refused(small: SmallStudy, talk: int):
    made = small.report(talk, "XAN-01", small.plant("Salix caprea"))
    act = latest_act(small.scope)
    assert act is not None
    undo_act(small.scope, act)
    assert queries.report(small.scope, made) is None
    with pytest.raises(CannotUndo, match="undone already"):
        undo_act(small.scope, act)


def test_an_act_whose_record_moved_on_is_not_undone_and_says_by_whom(small: SmallStudy, talk: int):
    made = small.report(talk, "XAN-01", small.plant("Salix caprea"))
    act, other = latest_act(small.scope), small.person("reviewer")
    assert act is not None
    reports.correct_report(other, made, 1, typed(plant="P-001", category="fuels"))
    with pytest.raises(CannotUndo, match=other.viewer.name):
        undo_act(small.scope, act)
    assert queries.report(small.scope, made)["category"] == "fuels"  # type: ignore[index]


def test_what_others_lean_on_is_not_undone(small: SmallStudy, talk: int):
    number = small.plant()
    act = latest_act(small.scope)
    small.report(talk, "XAN-01", number)
    assert act is not None
    with pytest.raises(CannotUndo, match="Other records point at"):
        undo_act(small.scope, act)
    assert plant_queries.plant(small.scope, number) is not None


def test_a_recorder_undoes_own_acts_only_and_a_reader_records_nothing(small: SmallStudy, talk: int):
    number, recorder, reader = small.plant(), small.person("recorder"), small.person("reader")
    small.report(talk, "XAN-01", number)
    act = latest_act(small.scope)
    assert act is not None
    with pytest.raises(NotAllowed, match="owner or reviewer"):
        undo_act(recorder, act)
    own = small.report(talk, "XAN-01", number, scope=recorder)
    act = latest_act(recorder)
    assert act is not None
    undo_act(recorder, act)
    assert queries.report(small.scope, own) is None
    with pytest.raises(NotAllowed, match="To record and correct, you need to be an owner, recorder or reviewer"):
        small.report(talk, "XAN-01", number, scope=reader)


def test_taking_back_needs_the_version_that_was_seen(small: SmallStudy, talk: int):
    made = small.report(talk, "XAN-01", small.plant())
    with pytest.raises(Conflict):
        reports.remove_report(small.scope, made, 7)
    reports.remove_report(small.scope, made, 1)
    assert queries.report(small.scope, made) is None
    with pytest.raises(NotFound):
        reports.remove_report(small.scope, made, 2)


def test_every_act_raises_the_revision_by_one_and_keeps_before_and_after(small: SmallStudy, talk: int):
    before = value("SELECT revision FROM study")
    made = small.report(talk, "XAN-01", small.plant(), note="first")
    reports.correct_report(small.scope, made, 1, typed(plant="P-001", category="food", note="second"))
    assert value("SELECT revision FROM study") == before + 3
    history = acts.record_history(small.scope, "use_report", made)
    assert [(one["before"] and one["before"]["note"], one["after"]["note"]) for one in history] == [
        (None, "first"),
        ("first", "second"),
    ]
    revisions = [one["revision"] for one in rows("SELECT revision FROM act ORDER BY id")]
    assert revisions == list(range(1, len(revisions) + 1))


def test_a_draft_is_kept_for_its_person_and_forgotten_once_recorded(small: SmallStudy, talk: int):
    place, key = drafts.draft_place(talk), str(uuid.uuid4())
    drafts.keep_draft(small.scope, place, {"words": "half a sent", "client_key": key})
    assert queries.draft(small.scope, place) == {"words": "half a sent", "client_key": key}
    assert queries.draft(small.person("recorder"), place) is None
    number = small.plant()
    reports.record_report(small.scope, talk, typed(plant=f"P-{number:03d}", category="food"), key)
    assert queries.draft(small.scope, place) is None
    drafts.keep_draft(small.scope, place, {"words": "half a sentence", "client_key": key})  # a late one of the same form
    assert queries.draft(small.scope, place) is None


def test_a_redetermination_moves_the_plant_and_keeps_the_earlier_opinion(small: SmallStudy):
    from tender_ledger.standins.names_service import ChecklistNames

    number = small.plant("Salix caprea")
    plants.determine_plant(
        small.scope,
        number,
        ChecklistNames(),
        taxon="rosmarinus officinalis",
        qualifier="none",
        basis="photo",
        confidence="likely",
    )
    found = plant_queries.plant(small.scope, number)
    assert found is not None
    assert (found["taxon"], found["accepted"]) == ("Rosmarinus officinalis", "Salvia rosmarinus")
    assert [one["taxon"] for one in plant_queries.determinations(small.scope, found["id"])] == [
        "Rosmarinus officinalis",
        "Salix caprea",
    ]
    with pytest.raises(Refused, match="The checklist has no “Salix nowhere”"):
        plants.determine_plant(
            small.scope, number, ChecklistNames(), taxon="Salix nowhere", qualifier="none", basis="photo", confidence="sure"
        )


def test_an_encounter_takes_only_those_who_agreed_to_be_recorded(small: SmallStudy):
    silent = small.holder(
        "XAN-02", may_record=False, may_count=False, may_show=False, may_publish_aggregate=False, may_publish_verbatim=False
    )
    with pytest.raises(Refused, match="has not agreed to be recorded"):
        small.encounter(silent)
    with pytest.raises(Refused) as refused:
        encounters.open_encounter(
            small.scope, {"kind": "walk", "title": "", "day": "32 May 2026", "community_id": small.community}, []
        )
    assert "12 May 2026" in refused.value.errors["day"]


def test_nothing_is_recorded_of_a_holder_who_withdrew(small: SmallStudy, talk: int):
    number = small.plant()
    small.withdraw("XAN-01")
    with pytest.raises((Refused, NotFound)):
        small.report(talk, "XAN-01", number)


def test_several_purposes_in_one_line_are_a_report_each_and_one_act(small: SmallStudy):
    talk, plant = small.encounter(small.holder("X-09")), small.plant("Salix caprea")
    typed = TypedReport(
        informant="X-09", plant=f"P-{plant:03d}", category="medicines", parts="leaf", purpose="cough; cold ;cough;"
    )
    key = str(uuid.uuid4())
    before = value("SELECT count(*) FROM act")
    made = reports.record_report(small.scope, talk, typed, key)
    assert reports.record_report(small.scope, talk, typed, key) == made
    found = queries.reports(small.scope)
    assert [(one["purpose"], one["part_codes"]) for one in found] == [("cough", ["leaf"]), ("cold", ["leaf"])]
    assert value("SELECT count(*) FROM act") == before + 1
    undo_act(small.scope, latest_act(small.scope))
    assert queries.reports(small.scope) == []
