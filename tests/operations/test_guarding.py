"""Limits within agreements and what guardians hold back: one thing less, and nothing else."""

from datetime import date

import pytest

from tender_ledger.core.rights import Role
from tender_ledger.core.rules import CountingRules
from tender_ledger.core.terms import NotAllowed, Scope
from tender_ledger.formats.archive import Tables
from tender_ledger.formats.sheet import read_sheet
from tender_ledger.operations import accounts, clock, guarding, importing, members, people
from tender_ledger.operations.errors import CannotUndo, NotFound, Refused
from tender_ledger.operations.export import export_study
from tender_ledger.operations.history import undo_act
from tender_ledger.operations.reckoning import reckon_study
from tender_ledger.standins.names_service import ChecklistNames
from tender_ledger.storage.database import value
from tender_ledger.storage.queries import accounts as account_queries
from tender_ledger.storage.queries import acts, plants, reports, studies
from tender_ledger.storage.queries import guarding as queries
from tender_ledger.storage.queries import people as people_queries
from tests.factories import ALL, PASSWORD, SmallStudy, latest_act


@pytest.fixture
def small(empty_db: str) -> SmallStudy:
    """X-01 and X-02 each told of a willow as food and as a thing of custom."""
    made = SmallStudy()
    willow = made.plant("Salix caprea")
    for code in ("X-01", "X-02"):
        talk = made.encounter(made.holder(code))
        made.report(talk, code, willow, "food", purpose="flour")
        made.report(talk, code, willow, "social_uses", purpose="wreath", words=f"words of {code}")
    return made


def category(small: SmallStudy, code: str) -> str:
    return str(next(one["id"] for one in studies.use_codes(small.scope) if one["code"] == code))


def limit(small: SmallStudy, code: str, *limits: dict[str, str]) -> None:
    found = people_queries.holder(small.scope, code)
    assert found is not None
    people.record_agreement(small.scope, agreed_on=date(2026, 3, 4), form="oral", terms=ALL, holder_id=found["id"], limits=limits)


def guardian(small: SmallStudy, community: int | None = None) -> Scope:
    email = f"guardian{community or small.community}@small.example"
    person = accounts.add_person(email, "G. Uardian", PASSWORD)
    members.add_member(small.scope, email, Role.GUARDIAN, community or small.community)
    member = account_queries.member_of(person, small.code)
    assert member is not None
    return clock.scope_of(member)


def counted(small: SmallStudy) -> tuple[int, int, list[str]]:
    """N, the use reports, and the warnings."""
    result = reckon_study(small.scope, CountingRules()).result
    return result.n, int(result.ur.sum()), [one.code for one in result.warnings]


def shown(scope: Scope) -> list[tuple[str, str]]:
    return sorted((one["informant"], one["purpose"]) for one in reports.reports(scope))


def exported(scope: Scope) -> list[dict[str, str]]:
    return [dict(row) for row in read_sheet(export_study(scope)["reports.csv"], (), "reports.csv").rows]


EVERYTHING = [("X-01", "flour"), ("X-01", "wreath"), ("X-02", "flour"), ("X-02", "wreath")]


def test_a_limit_on_counting_leaves_n_as_it_is_and_is_told_with_the_result(small: SmallStudy):
    assert counted(small) == (2, 4, [])
    limit(small, "X-01", {"refuses": "count", "category": category(small, "social_uses")})
    assert counted(small) == (2, 3, ["partial_terms"])
    assert shown(small.scope) == EVERYTHING


@pytest.mark.parametrize("refuses", ["show", "record"])
def test_what_may_not_be_shown_is_in_no_read_and_no_export(small: SmallStudy, refuses: str):
    limit(small, "X-01", {"refuses": refuses, "category": category(small, "social_uses")})
    assert shown(small.scope) == [one for one in EVERYTHING if one != ("X-01", "wreath")]
    assert [one["use"] for one in exported(small.scope) if one["informant"] == "X-01"] == ["flour"]
    assert [one["attested"] for one in plants.plants(small.scope)[0]["names"]] == []


def test_what_may_not_be_published_is_shown_and_counted_and_stays_here(small: SmallStudy):
    limit(small, "X-01", {"refuses": "publish", "category": category(small, "social_uses")})
    assert shown(small.scope) == EVERYTHING
    assert counted(small)[:2] == (2, 4)
    assert sorted((one["informant"], one["use"]) for one in exported(small.scope)) == [
        one for one in EVERYTHING if one != ("X-01", "wreath")
    ]


def test_what_may_not_be_quoted_is_published_without_its_words(small: SmallStudy):
    limit(small, "X-01", {"refuses": "quote", "category": category(small, "social_uses")})
    words = {(one["informant"], one["use"]): one.get("words", "") for one in exported(small.scope)}
    assert words["X-01", "wreath"] == ""
    assert words["X-02", "wreath"] == "words of X-02"


def test_what_may_not_be_recorded_is_refused_once_it_is_coded_and_nothing_is_saved(small: SmallStudy):
    limit(small, "X-01", {"refuses": "record", "category": category(small, "social_uses")})
    before = value("SELECT count(*) FROM use_report")
    with pytest.raises(Refused, match="leaves uses of this category"):
        small.report(1, "X-01", 1, "social_uses", purpose="song")
    small.report(1, "X-01", 1, "fuels", purpose="kindling")
    assert value("SELECT count(*) FROM use_report") == before + 1


def test_an_import_of_what_may_not_be_recorded_names_the_lines_and_imports_nothing(small: SmallStudy):
    limit(small, "X-01", {"refuses": "record", "category": category(small, "social_uses")})
    table = (b"informant,community,event,taxon,category,use\nX-01,X,t1,Salix caprea,food,soup\n"
             b"X-01,X,t1,Salix caprea,social_uses,song\nX-02,X,t1,Salix caprea,social_uses,song\n")  # fmt: skip
    before = value("SELECT count(*) FROM use_report")
    with pytest.raises(Refused, match=r"what these lines tell: 3\. Take them out"):
        importing.import_tables(small.scope, Tables(table), ChecklistNames(), terms=("record",), new_codes=False)
    assert value("SELECT count(*) FROM use_report") == before


def test_a_limit_by_plant_covers_reports_askings_and_names_of_it_alone(small: SmallStudy):
    other = small.plant("Betula pendula")
    small.report(1, "X-01", other, "fuels", purpose="bark")
    small.asking(1, "X-01", 1)
    limit(small, "X-01", {"refuses": "show", "plant": "P-001"})
    assert [one for one in shown(small.scope) if one[0] == "X-01"] == [("X-01", "bark")]
    assert reports.askings(small.scope) == []


def test_a_limit_ends_with_the_next_agreement(small: SmallStudy):
    limit(small, "X-01", {"refuses": "show", "category": category(small, "social_uses")})
    limit(small, "X-01")
    assert shown(small.scope) == EVERYTHING


def test_a_limit_of_a_community_is_a_limit_of_all_its_holders(small: SmallStudy):
    people.record_agreement(small.scope, agreed_on=date(2026, 3, 4), form="witnessed", terms=ALL, community_id=small.community,
                            limits=[{"refuses": "count", "category": category(small, "social_uses")}])  # fmt: skip
    assert counted(small) == (2, 2, ["partial_terms"])


@pytest.mark.parametrize(
    ("wrong", "sentence"),
    [({"refuses": "show", "category": "999999"}, "Choose a category"), ({"refuses": "show", "plant": "P-77"}, "no plant “P-77”"),
     ({"refuses": "sell", "plant": "P-001"}, "Say what is not to be done"),
     ({"refuses": "show", "plant": "P-001", "category": "1"}, "about a category or about a plant")],
)  # fmt: skip
def test_a_limit_that_names_nothing_is_refused(small: SmallStudy, wrong: dict[str, str], sentence: str):
    with pytest.raises(Refused, match=sentence):
        limit(small, "X-01", wrong)


def test_a_guardian_holds_back_and_releases_one_report(small: SmallStudy):
    keeper = guardian(small)
    held = guarding.restrict_records(keeper, small.community, refuses="show", reason="not for outsiders", report="2")
    for viewer in (small.scope, small.person("reader"), keeper):
        assert shown(viewer) == [one for one in EVERYTHING if one != ("X-01", "wreath")]
    assert counted(small)[:2] == (2, 3)  # who is hidden in part is alone in that, and of one report a number would tell
    assert [one["report_id"] for one in queries.restrictions(keeper, small.community)] == [2]
    assert queries.restrictions(small.scope, small.community) == []
    assert "restrict_records" not in [one["operation"] for one in acts.acts(small.scope)]
    assert "restrict_records" in [one["operation"] for one in acts.acts(keeper)]
    guarding.release_records(keeper, held, 1)
    assert shown(small.scope) == EVERYTHING


def test_only_a_guardian_of_the_community_lifts_what_a_guardian_restricted(small: SmallStudy):
    keeper = guardian(small)
    held = guarding.restrict_records(keeper, small.community, refuses="count", reason="ours",
                                     category=category(small, "social_uses"))  # fmt: skip
    act = latest_act(keeper)
    elsewhere = guardian(small, people.add_community(small.scope, code="Y", name="Ydre"))
    for scope in (small.scope, small.person("reviewer")):
        with pytest.raises(NotAllowed):
            guarding.release_records(scope, held, 1)
        with pytest.raises(NotFound):
            undo_act(scope, act)
    with pytest.raises(NotFound):
        guarding.release_records(elsewhere, held, 1)
    with pytest.raises(NotAllowed):
        guarding.restrict_records(elsewhere, small.community, refuses="count", reason="ours", report="1")
    undo_act(keeper, act)
    assert counted(small) == (2, 4, [])


def test_a_guardian_narrows_a_holders_terms_and_never_widens_them(small: SmallStudy):
    keeper, found = guardian(small), people_queries.holder(small.scope, "X-01")
    assert found is not None
    small.agree("X-01", date(2026, 3, 4), may_publish_aggregate=False, may_publish_verbatim=False)
    with pytest.raises(Refused, match="narrower, not wider"):
        people.record_agreement(keeper, agreed_on=date(2026, 3, 5), form="oral", terms=ALL, holder_id=found["id"])
    people.record_agreement(keeper, agreed_on=date(2026, 3, 5), form="oral", terms={"may_record": True}, holder_id=found["id"])
    assert counted(small)[0] == 1


def test_a_guardian_takes_away_neither_a_limit_nor_a_last_day_of_the_holder(small: SmallStudy):
    keeper, found, last = guardian(small), people_queries.holder(small.scope, "X-01"), small.scope.day
    assert found is not None
    left_out = [{"refuses": "count", "category": category(small, "social_uses")}]
    given = {"agreed_on": date(2026, 3, 4), "expires_on": last}
    people.record_agreement(small.scope, form="oral", terms=ALL, holder_id=found["id"], limits=left_out, **given)
    for until in (None, last.replace(year=last.year + 1)):
        people.record_agreement(
            keeper, agreed_on=date(2026, 3, 5), form="oral", terms=ALL, holder_id=found["id"], expires_on=until
        )
        assert counted(small) == (2, 3, ["partial_terms"])
        assert people_queries.agreements(small.scope, holder_id=found["id"])[0]["expires_on"] == last


def test_a_guardian_exports_what_is_of_the_own_community(small: SmallStudy):
    community = people.add_community(small.scope, code="Y", name="Ydre")
    people.add_holder(small.scope, {"code": "Y-01", "community_id": community})
    small.agree("Y-01")
    found = people_queries.holder(small.scope, "Y-01")
    assert found is not None
    small.report(small.encounter(found["informant_id"]), "Y-01", 1, "fuels", purpose="kindling")
    assert {one["informant"] for one in exported(guardian(small, community))} == {"Y-01"}
    assert {one["informant"] for one in exported(small.scope)} == {"X-01", "X-02", "Y-01"}


def test_what_is_held_back_names_one_thing_of_the_community(small: SmallStudy):
    keeper = guardian(small)
    for thing, sentence in (
        ({}, "Choose one thing"),
        ({"report": "99"}, "no report 99"),
        ({"plant": "P-001", "report": "1"}, "one thing"),
    ):
        with pytest.raises(Refused, match=sentence):
            guarding.restrict_records(keeper, small.community, refuses="show", reason="ours", **thing)
    guarding.restrict_records(keeper, small.community, refuses="count", reason="ours", plant="P-001")
    with pytest.raises(Refused, match="held back already"):
        guarding.restrict_records(keeper, small.community, refuses="count", reason="ours", plant="1")


def test_an_agreement_with_its_limits_comes_back_whole(small: SmallStudy):
    limit(small, "X-01", {"refuses": "count", "category": category(small, "social_uses")})
    act = latest_act(small.scope)
    undo_act(small.scope, act)
    assert counted(small) == (2, 4, [])
    undo_act(small.scope, latest_act(small.scope))
    assert counted(small) == (2, 3, ["partial_terms"])
    with pytest.raises(CannotUndo):
        undo_act(small.scope, act)


def test_a_guardian_stands_for_a_community(small: SmallStudy):
    accounts.add_person("g@small.example", "G", PASSWORD)
    for community in ("", "999999", "x"):
        with pytest.raises(Refused, match="Choose the community"):
            members.add_member(small.scope, "g@small.example", Role.GUARDIAN, community)
