"""The packaged table of languages against codes that the standard itself is known for."""

import pytest

from tender_ledger.formats.languages import find_languages, is_private, language_of


@pytest.mark.parametrize(
    ("code", "name", "state"),
    [  # ISO 639-3 (SIL, code tables); codes and reference names from memory
        ("eng", "English", ""),
        ("lat", "Latin", "historic"),
        ("epo", "Esperanto", "constructed"),
        ("sux", "Sumerian", "historic"),
        ("non", "Old Norse", "historic"),
    ],
)
def test_a_code_has_its_reference_name(code: str, name: str, state: str):
    found = language_of(code)
    assert found is not None
    assert (found.name, found.state) in {(name, state), (name, "ancient")}


@pytest.mark.parametrize("code", ["xx1", "qaa", "mul", "und", "zxx", "EN", ""])
def test_what_names_no_language_is_not_in_the_table(code: str):
    assert language_of(code) is None


def test_private_use_is_what_the_standard_leaves_free():
    """ISO 639-3, 4.3: qaa to qtz are reserved for local use; 20 times 26 codes (from memory)."""
    letters = "abcdefghijklmnopqrstuvwxyz"
    private = [code for a in letters for b in letters for c in letters if is_private(code := a + b + c)]
    assert len(private) == 520
    assert not any(language_of(code) for code in private)


def test_a_language_is_found_by_the_beginnings_of_its_words():
    assert find_languages("old nor")[0].code == "non"
    assert find_languages("LATIN")[0].code == "lat"
    assert find_languages("epo")[0].name == "Esperanto"
    assert len(find_languages("a", limit=5)) == 5
    assert find_languages("  ") == []
