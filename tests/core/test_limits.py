"""How long texts may be: by the name of their field, said in characters, and of texts within texts too."""

import pytest

from tender_ledger.core.limits import CODE, LINE, LIST, WORDS, TooLong, check_lengths, longest
from tender_ledger.core.text import control_character, whole_number


def test_a_length_goes_by_the_name_of_the_field():
    assert [longest(name) for name in ("code", "name", "words", "answers", "name_fold")] == [CODE, LINE, WORDS, LIST, 4 * LINE]


def test_a_text_as_long_as_may_be_is_kept_and_one_longer_is_refused_with_both_lengths():
    check_lengths({"name": "é" * LINE, "number": 10**9, "removed": None})
    with pytest.raises(TooLong, match="It has 501 characters; at most 500 are kept here") as refused:
        check_lengths({"code": "A", "name": "é" * (LINE + 1)})
    assert refused.value.field == "name"


def test_texts_within_a_value_are_held_to_the_length_of_words():
    check_lengths({"csl": {"author": [{"family": "a" * WORDS}]}})
    with pytest.raises(TooLong):
        check_lengths({"csl": {"author": [{"family": "a" * (WORDS + 1)}]}})


def test_a_whole_number_has_plain_digits_and_fits_the_database():
    assert [whole_number(text) for text in ("7", " 12 ", "0", "2147483647", None, 3)] == [7, 12, 0, 2147483647, None, 3]
    odd = ("", "-1", "+1", "1.0", "²", "٣", "2147483648", "9" * 5_000, "1e3", "abc", "1_000")
    assert [whole_number(text) for text in odd] == [None] * len(odd)
    assert whole_number("12", 11) is None


def test_control_characters_and_halves_of_pairs_are_no_text():
    odd = ("a\x00b", "\x1b[31m", "\ud800", "\ufffe")
    assert [control_character(text) for text in odd] == ["U+0000", "U+001B", "U+D800", "U+FFFE"]
    assert control_character("nelva\tŋelʷa\r\n🌿 e\u0301 \u200f") == ""
