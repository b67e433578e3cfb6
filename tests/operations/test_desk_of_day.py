"""The desk of the day: what waits, what was left off, what ends soon, as far as the viewer may see it."""

from datetime import timedelta

import pytest

from tender_ledger.operations import drafts, people, permits
from tender_ledger.operations.desk_of_day import SOON, DeskOfDay, Ending, LeftOff, desk_of_day
from tender_ledger.storage.queries import people as people_queries
from tests.factories import ALL, SmallStudy


@pytest.fixture
def small(empty_db: str) -> SmallStudy:
    return SmallStudy()


def agreement(small: SmallStudy, code: str, days: int, **terms: bool) -> None:
    """An agreement of today that ends in so many days."""
    found = people_queries.holder(small.scope, code)
    assert found is not None
    people.record_agreement(
        small.scope,
        agreed_on=small.scope.day,
        form="oral",
        terms={**ALL, **terms},
        holder_id=found["id"],
        expires_on=small.scope.day + timedelta(days=days),
    )


def test_an_empty_study_has_an_empty_desk(small: SmallStudy):
    assert desk_of_day(small.scope) == DeskOfDay([], [], [])


def test_what_waits_goes_once_it_is_settled(small: SmallStudy):
    talk, plant = small.encounter(small.holder("H-1")), small.plant()
    small.report(talk, "H-1", plant, parts="leaf")
    assert [(one.rule.code, len(one.items)) for one in desk_of_day(small.scope).waiting] == [("undetermined", 1)]


def test_where_the_viewer_recorded_last_and_what_stands_in_a_line(small: SmallStudy):
    one, two = small.holder("H-1"), small.holder("H-2")
    walk, talk = small.encounter(one, title="A walk"), small.encounter(two, title="A talk")
    plant = small.plant("Salix caprea")
    small.report(walk, "H-1", plant)
    assert desk_of_day(small.scope).left_off == [LeftOff(1, "A walk", is_draft=False)]
    drafts.keep_draft(small.scope, drafts.draft_place(2), {"informant": "H-2"})  # kept for the next line, and tells nothing
    assert desk_of_day(small.scope).left_off == [LeftOff(1, "A walk", is_draft=False)]
    drafts.keep_draft(small.scope, drafts.draft_place(2), {"informant": "H-2", "purpose": "tea"})
    assert desk_of_day(small.scope).left_off == [LeftOff(2, "A talk", is_draft=True), LeftOff(1, "A walk", is_draft=False)]
    assert desk_of_day(small.person("recorder")).left_off == []
    assert desk_of_day(small.person("reader")).left_off == []
    small.withdraw("H-2", small.scope.day)
    assert [one.title for one in desk_of_day(small.scope).left_off] == ["A walk"]
    assert talk != walk


def test_agreements_and_permits_that_end_soon_stand_in_their_order(small: SmallStudy):
    for code in ("H-1", "H-2", "H-3", "H-4"):
        small.holder(code, agreed=False)
    agreement(small, "H-1", SOON)
    agreement(small, "H-2", 3)
    agreement(small, "H-3", SOON + 1)
    agreement(small, "H-4", 5)
    agreement(small, "H-4", SOON + 100)  # a later one follows
    permits.record_permit(
        small.scope,
        {
            "kind": "ethics",
            "given_by": "A board",
            "granted_on": small.scope.day,
            "expires_on": small.scope.day + timedelta(days=7),
        },
    )
    assert desk_of_day(small.scope).ending == [
        Ending("holder", "H-2", small.scope.day + timedelta(days=3), 3),
        Ending("permit", "ethics", small.scope.day + timedelta(days=7), 7),
        Ending("holder", "H-1", small.scope.day + timedelta(days=SOON), SOON),
    ]


def test_whom_the_viewer_may_not_see_ends_nothing(small: SmallStudy):
    small.holder("H-1", agreed=False)
    agreement(small, "H-1", 3, may_show=False, may_publish_aggregate=False, may_publish_rows=False, may_publish_verbatim=False)
    assert desk_of_day(small.person("reader")).ending == []
