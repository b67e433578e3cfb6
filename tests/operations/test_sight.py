"""What is kept serves all who see the same, and nobody is given what only its writer may see."""

import uuid
from dataclasses import replace

import pytest

from tender_ledger.core.ledger import read_view
from tender_ledger.core.limits import longest
from tender_ledger.core.terms import Purpose, Scope
from tender_ledger.operations import encounters, people, reports
from tender_ledger.operations.typed_report import TypedReport
from tender_ledger.storage.queries import studies
from tender_ledger.storage.queries.kept import kept_body
from tender_ledger.storage.queries.ledger import ledger_page
from tender_ledger.storage.queries.sight import sight_of, with_roles
from tests.factories import SmallStudy


@pytest.fixture
def study(empty_db: str) -> SmallStudy:
    return SmallStudy()


def computed_for(*viewers: Scope) -> list[int]:
    """Which of the viewers an answer is computed for when all ask for it in turn."""
    asked: list[int] = []

    def compute(at: int) -> dict[str, int]:
        asked.append(at)
        return {"answer": at}

    for at, viewer in enumerate(viewers):
        kept_body(viewer, "a test", lambda at=at: compute(at))  # type: ignore[misc]
    return asked


def test_whoever_sees_the_same_shares_what_is_kept(study: SmallStudy):
    viewers = [study.person("recorder"), study.person("recorder"), study.person("reader"), study.scope]
    assert computed_for(*viewers, viewers[0]) == [0]


def test_owners_share_among_themselves_while_nothing_is_on_file_of_somebody(study: SmallStudy):
    study.holder("X-01", agreed=False)
    owners, readers = [study.scope, study.person("owner")], [study.person("reader"), study.person("reader")]
    assert sight_of(owners[1]) != sight_of(readers[0]) == sight_of(readers[1])
    assert sight_of(owners[0]) not in {sight_of(owners[1]), sight_of(readers[0])}  # who entered the holder


def test_a_report_without_terms_gives_its_writer_a_sight_of_their_own(study: SmallStudy):
    writer, other = study.person("recorder"), study.person("recorder")
    talk, plant = study.encounter(study.holder("X-01", agreed=False), study.holder("X-02")), study.plant()
    study.report(talk, "X-01", plant, scope=writer)
    assert sight_of(writer) != sight_of(other)
    assert [ledger_page(one, read_view({}))[1] for one in (writer, other)] == [1, 0]
    study.agree("X-01")
    assert sight_of(writer) == sight_of(other)
    assert [ledger_page(one, read_view({}))[1] for one in (writer, other)] == [1, 1]


def test_a_holder_without_terms_is_seen_by_who_entered_them(study: SmallStudy):
    writer, other = study.person("recorder"), study.person("recorder")
    people.add_holder(writer, {"code": "X-01", "community_id": study.community})
    assert (studies.waiting(writer)["people"], studies.waiting(other)["people"]) == (1, 0)


def test_a_talk_with_somebody_who_is_not_shown_gives_who_opened_it_a_sight_of_their_own(study: SmallStudy):
    writer, other = study.person("recorder"), study.person("recorder")
    hidden = study.holder("X-01", may_show=False, may_publish_verbatim=False)
    values = {"kind": "interview", "title": "A talk", "day": "3 May 2026", "community_id": study.community}
    encounters.open_encounter(writer, values, [(hidden, "teller")])
    assert sight_of(writer) != sight_of(other)


def test_a_plant_that_only_its_recorder_may_reach_is_counted_for_nobody_else(study: SmallStudy):
    writer, other = study.person("recorder"), study.person("recorder")
    talk = study.encounter(study.holder("X-01"), study.holder("X-02", may_show=False, may_publish_verbatim=False))
    typed = TypedReport(informant="X-02", plant="+vesta", category="food")
    reports.record_report(writer, talk, typed, str(uuid.uuid4()))
    assert (studies.waiting(writer)["plants"], studies.waiting(other)["plants"]) == (1, 0)
    assert sight_of(writer) != sight_of(other)


def test_what_may_leave_is_shared_by_guardians_of_the_same_communities_alone(study: SmallStudy):
    reader, guardian = study.person("reader"), study.person("reader")
    guarding = replace(guardian, viewer=replace(guardian.viewer, guards=frozenset({study.community})))
    assert sight_of(reader) == sight_of(guarding)
    leaving = [one.for_purpose(Purpose.PUBLISHED) for one in (reader, guardian, guarding)]
    assert sight_of(leaving[0]) == sight_of(leaving[1]) != sight_of(leaving[2])


def test_the_name_of_a_sight_is_short_however_many_communities_somebody_guards(study: SmallStudy):
    reader = study.person("reader")
    guarding = replace(reader, viewer=replace(reader.viewer, guards=frozenset(range(1, 2_000))))
    assert len(with_roles(sight_of(guarding.for_purpose(Purpose.PUBLISHED)), guarding)) <= longest("sight")
