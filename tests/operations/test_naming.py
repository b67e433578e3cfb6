"""What is worth knowing of a local name: homonyms, a genus called so, a name spelt nearly so; and nothing that is hidden."""

import pytest

from tender_ledger.operations import people, plants
from tender_ledger.operations.naming import check_name
from tender_ledger.storage.queries import people as people_queries
from tender_ledger.storage.queries import plants as queries
from tests.factories import SmallStudy


@pytest.fixture
def small(empty_db: str) -> SmallStudy:
    made = SmallStudy()
    made.plant("Salix caprea", name="vitte")
    made.plant("Malva sylvestris", name="bɛlu")
    return made


def found(small: SmallStudy, name: str, number: int = 0) -> tuple[list[int], list[int], list[str]]:
    check = check_name(small.scope, name, number)
    return [one["number"] for one in check.same], [one["number"] for one in check.genus], [one["name"] for one in check.near]


def test_a_name_of_another_plant_and_of_its_own(small: SmallStudy):
    assert found(small, "Vítte") == ([1], [], [])
    assert found(small, "vitte", 1) == ([], [], [])


def test_a_name_that_is_a_genus_of_another_plant(small: SmallStudy):
    assert found(small, "malva") == ([], [2], [])
    assert found(small, "malva", 2) == ([], [], [])


def test_a_spelling_near_a_known_name(small: SmallStudy):
    assert found(small, "vittte") == ([], [], ["vitte"])
    assert found(small, "vittte", 1) == ([], [], [])
    assert found(small, "unheard of") == ([], [], [])
    assert found(small, "v") == ([], [], [])


def test_what_is_hidden_is_in_no_check(small: SmallStudy):
    teller = small.holder("X-01", may_show=False, may_publish_verbatim=False)
    talk = small.encounter(teller)
    holder = people_queries.holder(small.scope, "X-01")
    assert holder is not None
    plants.name_plant(small.scope, 1, name="secretly", language_id=None, attested=[(teller, talk, holder["id"])])
    plants.name_plant(small.scope, 2, name="openly", language_id=None)
    plants.name_plant(small.scope, 2, name="openly", language_id=None, attested=[(teller, talk, holder["id"])])
    reviewer = small.person("reviewer")
    for name in ("secretly", "secretli"):
        check = check_name(reviewer, name)
        assert (check.same, check.genus, check.near) == ((), (), ())
    seen = [one["name"] for one in queries.uses_of_names(queries.plants(reviewer))]
    assert "secretly" not in seen
    assert "openly" in seen  # it was on record before they used it


def test_a_name_has_its_dialect(small: SmallStudy):
    language = people.add_language(small.scope, code="qaa", name="Onsic")
    upper = people.add_dialect(small.scope, language_id=language, name="Upper")
    plants.name_plant(small.scope, 1, name="witta", language_id=language, dialect_id=upper)
    used = queries.uses_of_names(queries.plants(small.scope))
    assert {(one["name"], one["language"]) for one in used if one["plant"] == "P-001"} == {
        ("vitte", ""), ("witta", "Onsic, Upper"),
    }  # fmt: skip
