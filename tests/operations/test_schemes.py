"""The study's own scheme: categories in the people's words, beside the shipped schemes, and reports coded by both."""

import pytest

from tender_ledger.core.rights import Role
from tender_ledger.core.rules import CountingRules
from tender_ledger.core.terms import NotAllowed
from tender_ledger.operations import full_reports, schemes
from tender_ledger.operations.errors import Refused
from tender_ledger.operations.history import CannotUndo, undo_act
from tender_ledger.operations.reckoning import reckon_study
from tender_ledger.operations.told_in_full import ToldInFull
from tender_ledger.storage.database import value
from tender_ledger.storage.queries import acts, studies, told
from tests.factories import SmallStudy


@pytest.fixture
def small(empty_db: str) -> SmallStudy:
    made = SmallStudy()
    talk = made.encounter(made.holder("X-01"))
    made.report(talk, "X-01", made.plant("Salix caprea"))
    return made


def test_a_report_is_coded_by_the_studys_own_scheme_beside_the_shipped_one_and_counted_by_that(small: SmallStudy):
    made = schemes.add_category(small.scope, "Of the cold time")
    below = schemes.add_category(small.scope, "Ǹight cold", str(made))
    assert [(one["code"], one["abbreviation"]) for one in studies.terms(small.scope.study_id, "category", schemes.OWN)] == [
        ("of_the_cold_time", "OF")
    ]
    assert studies.terms(small.scope.study_id, "subcategory", schemes.OWN)[0]["id"] == below
    before = list(reckon_study(small.scope, CountingRules()).result.ur)
    own = {"scheme": schemes.OWN, "category": "of the cold time", "subcategory": "night cold", "purpose": "shivering"}
    shipped = {"scheme": "economic_botany", "category": "food"}
    full_reports.complete_report(small.scope, 1, 1, ToldInFull(rows={"codings": [shipped, own]}))
    found = told.report_in_full(small.scope, 1)
    assert found is not None
    assert {(one["scheme"], one["category"], one["is_primary"]) for one in found["codings"]} == {
        ("economic_botany", "food", True), ("emic", "Of the cold time", True),
    }  # fmt: skip
    assert list(reckon_study(small.scope, CountingRules()).result.ur) == before
    with pytest.raises(CannotUndo):
        undo_act(small.scope, acts.acts(small.scope, limit=3)[2]["id"])


def test_another_study_has_none_of_it(small: SmallStudy):
    schemes.add_category(small.scope, "Of the cold time")
    assert told.schemes(SmallStudy().scope.study_id) == ["economic_botany", "icpc_2"]


@pytest.mark.parametrize(("label", "within", "field"), [("", "", "label"), ("??", "", "label"), ("Of the cold", "7", "within"),
                                                        ("of THE cold time", "", "label"), ("x", "odd", "within")])  # fmt: skip
def test_what_is_no_category_is_refused_at_its_field(small: SmallStudy, label: str, within: str, field: str):
    schemes.add_category(small.scope, "Of the cold time")
    with pytest.raises(Refused) as refused:
        schemes.add_category(small.scope, label, within)
    assert list(refused.value.errors) == [field]


def test_only_owners_change_schemes(small: SmallStudy):
    with pytest.raises(NotAllowed):
        schemes.add_category(small.person(Role.REVIEWER), "x")


@pytest.mark.parametrize(("label", "abbreviation"), [("á?", "AX"), ("B 1", "BX"), ("Dyes", "DY"), ("o" * 300, "OO")])
def test_a_category_has_two_letters_whatever_it_is_called(small: SmallStudy, label: str, abbreviation: str):
    schemes.add_category(small.scope, label)
    assert value("SELECT abbreviation FROM vocabulary_term ORDER BY id DESC LIMIT 1") == abbreviation
