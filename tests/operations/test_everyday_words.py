"""Words as people say them settle into the terms of the vocabularies; what they could mean twice is asked back."""

import pytest

from tender_ledger.operations.errors import Refused
from tender_ledger.operations.everyday_words import everyday_words
from tender_ledger.operations.vocabularies import choices
from tender_ledger.storage.queries import reports, studies
from tests.factories import SmallStudy


@pytest.fixture
def small(empty_db: str) -> SmallStudy:
    return SmallStudy()


def test_every_word_means_a_term_that_there_is_and_is_none_itself(small: SmallStudy):
    scheme = studies.study(small.scope)["scheme"]
    for vocabulary, words in everyday_words().items():
        known = choices(small.scope.study_id, vocabulary, scheme if vocabulary in ("category", "subcategory") else None)
        codes = {one.code for one in known}
        assert {code for of_word in words.values() for code in of_word} <= codes, vocabulary
        labels = {one.label.casefold() for one in known} | {code.replace("_", " ") for code in codes}
        assert not labels & set(words), vocabulary
    assert sum(len(words) for words in everyday_words().values()) > 150


def test_words_said_are_recorded_as_their_terms(small: SmallStudy):
    talk, plant = small.encounter(small.holder("X-01")), small.plant("Salix caprea")
    made = small.report(
        talk,
        "X-01",
        plant,
        category="remedy",
        subcategory="belly ache",
        parts="leafs, berries",
        methods="tea",
        applications="drink",
        basis="grandmother",
        outcome="worked",
    )
    found = reports.report(small.scope, made)
    assert found is not None
    assert (found["part_codes"], found["method_codes"], found["application_codes"]) == (
        ["leaf", "fruit"],
        ["infusion"],
        ["drunk"],
    )
    assert (found["category_code"], found["subcategory_code"]) == ("medicines", "digestive_system_disorders")
    assert (found["basis_code"], found["outcome_code"]) == ("taught", "helped")


@pytest.mark.parametrize(
    ("slot", "typed", "said"),
    [
        ("methods", "boiled", "“boiled” can be cooked, decoction."),
        ("parts", "roott", "No part is called “roott”. Near it: root"),
        ("methods", "infusoin", "Near it: infusion"),
        ("category", "medecines", "Near it: medicines"),
    ],
)
def test_what_could_mean_two_things_is_asked_back_and_what_is_near_is_offered(
    small: SmallStudy, slot: str, typed: str, said: str
):
    talk, plant = small.encounter(small.holder("X-01")), small.plant("Salix caprea")
    with pytest.raises(Refused) as refused:
        small.report(talk, "X-01", plant, **{slot: typed})
    assert said in refused.value.errors[slot]
