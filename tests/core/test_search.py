"""How near a text is to what is looked for."""

import pytest

from tender_ledger.core.search import NEAR, Sought


@pytest.mark.parametrize(
    ("sought", "texts"),
    [
        ("nelva", ["Nelva", "nelva kar", "old nelva", "unelvam", "nevla"]),
        ("salt meadow", ["Salt meadow", "Salt meadows", "Walk over the salt meadow", "Walk over the salt medow"]),
        ("sambucus", ["Sambucus", "Sambucus nigra", "Cf. Sambucus nigra", "Sambcus nigra"]),
    ],
)
def test_the_same_goes_before_a_beginning_before_a_word_within_before_a_near_spelling(sought: str, texts: list[str]):
    near = [Sought(sought).closeness(text) for text in texts]
    assert near == sorted(near, reverse=True)
    assert len(set(near)) == len(near)
    assert near[-1] >= NEAR
    assert Sought(sought).closest([]) == 0


@pytest.mark.parametrize(
    ("sought", "text"),
    [("aniz", "aníz"), ("kurt ?en", "kurt ʔen"), ("ok'un", "ok’un"), ("PLAT", "plāt"), ("tsaret", "tsaɾet")],
)
def test_marks_case_and_apostrophes_do_not_matter(sought: str, text: str):
    expected = 4.0 if "?" not in sought else 0.0  # a question mark is no glottal stop
    assert Sought(sought).closeness(text) == pytest.approx(expected) or Sought(sought).closeness(text) >= NEAR


def test_what_is_spelt_otherwise_is_not_near():
    assert Sought("salix").closeness("Tilia cordata") == 0
    assert Sought("elm").closeness("elk") == 0  # three letters are near to too much
    assert Sought("walk").closeness("A talk") == 0
    assert Sought("salix").closeness("") == 0


@pytest.mark.parametrize(
    ("text", "number"), [("12", 12), ("P-012", 12), ("p-7", 7), ("#55", 55), ("ONS-01", None), ("1e9", None)]
)
def test_a_number_is_read_with_or_without_its_letters(text: str, number: int | None):
    assert Sought(text).number == number


def test_less_than_two_letters_is_not_looked_for():
    assert [Sought(text).is_long_enough for text in ("", " ", "a", "é", "--", "ab", "7")] == [False] * 5 + [True, True]
