"""Where communities lie, what is spoken there, what allows a study to work, and whom it asked."""

from datetime import date, timedelta

import pytest

from tender_ledger.core.terms import NotAllowed
from tender_ledger.operations import people, permits
from tender_ledger.operations.errors import CannotUndo, Conflict, Refused
from tender_ledger.operations.history import undo_act
from tender_ledger.storage.database import value
from tender_ledger.storage.queries import acts, studies
from tender_ledger.storage.queries import people as queries
from tests.factories import ALL, SmallStudy

GIVEN = {"kind": "research", "given_by": "Council of the Hills", "reference": "C 7", "granted_on": date(2026, 1, 5)}


@pytest.fixture
def small(empty_db: str) -> SmallStudy:
    return SmallStudy()


def last_act(small: SmallStudy) -> int:
    return int(acts.acts(small.scope, limit=1)[0]["id"])


def community(small: SmallStudy, code: str) -> dict[str, object]:
    return next(one for one in queries.communities(small.scope) if one["code"] == code)


def test_a_language_of_the_standard_brings_its_name_and_a_private_one_needs_one(small: SmallStudy):
    people.add_language(small.scope, code=" LAT ")
    people.add_language(small.scope, code="qaa", name="Onsic")
    people.add_language(small.scope, code="epo", name="As we call it")
    assert {(one["code"], one["name"]) for one in studies.languages(small.scope)} == {
        ("lat", "Latin"), ("qaa", "Onsic"), ("epo", "As we call it"),
    }  # fmt: skip
    for code, name, field in (("qab", "", "name"), ("zzz", "Of nowhere", "code"), ("mul", "", "code"), ("la", "", "code")):
        with pytest.raises(Refused) as refused:
            people.add_language(small.scope, code=code, name=name)
        assert list(refused.value.errors) == [field], code


def test_a_dialect_belongs_to_a_language_and_a_community_speaks_it(small: SmallStudy):
    language = people.add_language(small.scope, code="qaa", name="Onsic")
    upper = people.add_dialect(small.scope, language_id=language, name="Upper")
    with pytest.raises(Refused, match="has a dialect of this name already"):
        people.add_dialect(small.scope, language_id=language, name="Upper")
    with pytest.raises(Refused, match="not in this study"):
        people.add_dialect(small.scope, language_id=language + 99, name="Lower")
    dialect_act = last_act(small)
    people.correct_community(small.scope, small.community, 1, name="Xanmere", languages=[language], dialects=[upper])
    assert (community(small, "X")["languages"], community(small, "X")["dialects"]) == (["Onsic"], ["Upper"])
    with pytest.raises(CannotUndo, match="Other records point at"):
        undo_act(small.scope, dialect_act)
    undo_act(small.scope, last_act(small))
    assert community(small, "X")["dialects"] == []
    undo_act(small.scope, dialect_act)
    assert studies.dialects(small.scope) == []


def test_a_community_lies_within_another_and_never_within_itself(small: SmallStudy):
    middle = people.add_community(small.scope, code="M", name="Middle", parent_id=small.community, protocol=" Greet first. ")
    inner = people.add_community(small.scope, code="I", name="Inner", parent_id=str(middle))
    assert (community(small, "I")["parent_code"], community(small, "M")["protocol"]) == ("M", "Greet first.")
    for parent in (small.community, middle, inner):
        with pytest.raises(Refused, match="lies within this one"):
            people.correct_community(small.scope, small.community, 1, name="Xanmere", parent_id=parent)
    people.correct_community(small.scope, inner, 1, name="Inner", parent_id=small.community)
    assert community(small, "I")["parent_code"] == "X"
    other = SmallStudy()
    with pytest.raises(Refused, match="not in this study"):
        people.correct_community(small.scope, inner, 2, name="Inner", parent_id=other.community)


def test_a_permit_ends_with_its_last_day_and_is_corrected_when_it_is_prolonged(small: SmallStudy):
    today = small.scope.day
    ending = permits.record_permit(small.scope, {**GIVEN, "expires_on": today})
    permits.record_permit(small.scope, {**GIVEN, "kind": "ethics", "expires_on": today - timedelta(1)})
    permits.record_permit(small.scope, {**GIVEN, "kind": "access_and_benefit", "expires_on": None})
    assert [(one["kind"], one["expired"]) for one in studies.permits(small.scope)] == [
        ("access_and_benefit", False), ("research", False), ("ethics", True),
    ]  # fmt: skip
    permits.correct_permit(small.scope, ending, 1, {**GIVEN, "expires_on": today + timedelta(400)})
    with pytest.raises(Conflict):
        permits.correct_permit(small.scope, ending, 1, {**GIVEN, "expires_on": None})
    undo_act(small.scope, last_act(small))
    assert {one["expires_on"] for one in studies.permits(small.scope) if one["id"] == ending} == {today}


@pytest.mark.parametrize(
    ("wrong", "field"),
    [({"kind": "feast"}, "kind"), ({"given_by": " "}, "given_by"), ({"granted_on": None}, "granted_on"),
     ({"expires_on": date(2025, 12, 31)}, "expires_on")],
)  # fmt: skip
def test_a_permit_that_says_too_little_is_refused_at_its_field(small: SmallStudy, wrong: dict[str, object], field: str):
    with pytest.raises(Refused) as refused:
        permits.record_permit(small.scope, {**GIVEN, **wrong})
    assert list(refused.value.errors) == [field]
    assert studies.permits(small.scope) == []


def test_only_owners_record_permits_and_how_holders_were_chosen(small: SmallStudy):
    for role in ("recorder", "reviewer", "reader"):
        member = small.person(role)
        with pytest.raises(NotAllowed):
            permits.record_permit(member, GIVEN)
        with pytest.raises(NotAllowed):
            permits.say_choice_of_holders(member, 0, way="random")


def test_how_holders_were_chosen_is_said_once_and_corrected_by_version(small: SmallStudy):
    assert studies.choice_of_holders(small.scope) is None
    with pytest.raises(Refused, match="by snowball"):
        permits.say_choice_of_holders(small.scope, 0, way="by lot")
    permits.say_choice_of_holders(small.scope, 0, way="snowball", words="From the ford on.")
    with pytest.raises(Conflict):
        permits.say_choice_of_holders(small.scope, 0, way="random")
    permits.say_choice_of_holders(small.scope, 1, way="purposive")
    undo_act(small.scope, last_act(small))
    found = studies.choice_of_holders(small.scope)
    assert found is not None
    assert (found["way"], found["words"]) == ("snowball", "From the ford on.")
    assert value("SELECT count(*) FROM choice_of_holders") == 1


def test_what_only_some_may_hear_is_not_published_word_for_word(small: SmallStudy):
    small.holder("X-01", agreed=False)
    found = queries.holder(small.scope, "X-01")
    assert found is not None
    given = {"agreed_on": date(2026, 2, 3), "form": "oral", "holder_id": found["id"], "wishes": {"audience": "women"}}
    with pytest.raises(Refused) as refused:
        people.record_agreement(small.scope, terms=ALL, **given)
    assert list(refused.value.errors) == ["may_publish_verbatim"]
    people.record_agreement(small.scope, terms={**ALL, "may_publish_verbatim": False}, **given)
    assert queries.audience_of(small.scope, found["informant_id"]) == ["women"]
    people.record_agreement(small.scope, agreed_on=date(2026, 2, 4), form="oral", community_id=small.community,
                            terms={"may_record": True}, wishes={"audience": "in winter"})  # fmt: skip
    assert queries.audience_of(small.scope, found["informant_id"]) == ["in winter", "women"]
