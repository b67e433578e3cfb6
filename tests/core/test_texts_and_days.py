"""Words, days, names and rights: the small rules everything else leans on."""

import unicodedata
from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tender_ledger.core.days import PartialDay, parse_day
from tender_ledger.core.messages import InputRefused
from tender_ledger.core.names import written_name
from tender_ledger.core.names.scientific import part_qualifier, usual_rank
from tender_ledger.core.recognition import Choice, Unrecognised, rank, recognise
from tender_ledger.core.rights import Right, Role, may, who_may
from tender_ledger.core.terms import AgreementTerms, Member
from tender_ledger.core.text import clean, fold
from tender_ledger.core.times import AmbiguousTime, read_time


@given(st.text())
def test_what_is_stored_is_nfc_and_trimmed_and_folding_is_stable(text: str):
    assert unicodedata.is_normalized("NFC", clean(text))
    assert clean(clean(text)) == clean(text)
    assert fold(fold(text)) == fold(text)


@pytest.mark.parametrize(
    ("one", "other"),
    [
        ("vesta-rūn", "VESTA-RUN"),
        ("ok’un", "ok'un"),
        ("ʔasdel", "ʔasdel"),
        ("a̱", "a"),
        ("ok‘un", "okʼun"),
        ("Łąka", "laka"),
        ("straße", "STRASSE"),
        ("ŋelʷa", "nelwa"),
        ("ʔasdel", "'asdel"),
    ],
)
def test_texts_that_a_searcher_holds_for_one(one: str, other: str):
    assert fold(one) == fold(other)


@given(st.text(st.characters(max_codepoint=127)))
def test_the_quick_way_of_plain_letters_is_the_long_way(text: str):
    assert fold(f"{text} é") == f"{fold(text)} e".strip()


def test_words_are_not_changed_by_cleaning():
    assert clean("  ʔasdel, “a̱” ") == "ʔasdel, “a̱”"


@pytest.mark.parametrize(
    ("typed", "first", "last", "about", "shown", "iso"),
    [
        ("12 May 2026", date(2026, 5, 12), date(2026, 5, 12), False, "12 May 2026", "2026-05-12"),
        ("2026-05-12", date(2026, 5, 12), date(2026, 5, 12), False, "12 May 2026", "2026-05-12"),
        ("Feb 2024", date(2024, 2, 1), date(2024, 2, 29), False, "February 2024", "2024-02"),
        ("about 1931", date(1931, 1, 1), date(1931, 12, 31), True, "about 1931", "1931"),
    ],
)
def test_days_of_the_field(typed: str, first: date, last: date, about: bool, shown: str, iso: str):
    day = parse_day(typed)
    assert (day.first, day.last, day.approximate) == (first, last, about)
    assert (str(day), day.iso()) == (shown, iso)


@pytest.mark.parametrize("typed", ["31 June 2026", "2026-13", "Ma 2026", "", "yesterday", "2026-02-30"])
def test_a_day_no_calendar_has_says_what_would_be_right(typed: str):
    with pytest.raises(InputRefused, match="12 May 2026"):
        parse_day(typed)


def test_a_span_of_days_is_written_out():
    assert str(PartialDay(date(2026, 5, 3), date(2026, 5, 5))) == "3 May 2026 to 5 May 2026"


PARTS = [
    Choice(1, "leaf", "leaf"),
    Choice(2, "young leaf", "young_leaf"),
    Choice(3, "flower", "flower", weight=3),
    Choice(4, "fruit", "fruit"),
    Choice(5, "fruit rind or husk", "fruit_rind"),
    Choice(6, "medicines", "medicines", "MD"),
]


@pytest.mark.parametrize(
    ("typed", "expected"),
    [
        ("leaf", ["leaf", "young leaf"]),
        ("f", ["flower", "fruit", "fruit rind or husk"]),
        ("young_leaf", ["young leaf"]),
        ("md", ["medicines"]),
        ("hus", ["fruit rind or husk"]),
        ("zz", []),
    ],
)
def test_a_few_letters_rank_the_choices(typed: str, expected: list[str]):
    assert [choice.label for choice in rank(typed, PARTS)] == expected


def test_one_reading_is_taken_and_two_are_refused_with_both():
    assert recognise("you", PARTS, "part").key == 2
    assert recognise("fruit", PARTS, "part").key == 4  # equal before beginning
    with pytest.raises(Unrecognised, match=r"“fr” can be fruit, fruit rind or husk"):
        recognise("fr", PARTS, "part")
    with pytest.raises(Unrecognised, match="No part is called “twig”"):
        recognise("twig", PARTS, "part")


def test_two_names_of_one_thing_are_one_reading():
    assert recognise("sa", [Choice(1, "salvia"), Choice(1, "sage")], "plant").key == 1


@pytest.mark.parametrize(
    ("name", "qualifier", "expected"),
    [
        ("Rubus idaeus", "cf", [("Rubus", True), ("cf.", False), ("idaeus", True)]),
        ("Alchemilla", "sp", [("Alchemilla", True), ("sp.", False)]),
        (
            "Thymus vulgaris subsp. aestivus",
            "none",
            [("Thymus", True), ("vulgaris", True), ("subsp.", False), ("aestivus", True)],
        ),
        ("(undetermined)", "none", [("(undetermined)", False)]),
        ("", "none", []),
    ],
)
def test_latin_is_italic_and_ranks_are_roman(name: str, qualifier: str, expected: list[tuple[str, bool]]):
    """By the custom of the International Code of Nomenclature: common practice, no source."""
    assert written_name(name, qualifier) == expected


def test_rights_are_those_of_the_table():
    owner, recorder, reviewer, reader, guardian = Role.OWNER, Role.RECORDER, Role.REVIEWER, Role.READER, Role.GUARDIAN
    expected = {
        Right.SEE: {owner, recorder, reviewer, reader, guardian},
        Right.RECORD: {owner, recorder, reviewer},
        Right.UNDO_OTHERS: {owner, reviewer},
        Right.REDETERMINE: {owner, reviewer},
        Right.BULK_EDIT: {owner, reviewer},
        Right.SETTLE: {owner, reviewer},
        Right.SET_RULES: {owner, reviewer},
        Right.ADMINISTER: {owner},
        Right.IMPORT: {owner},
        Right.CANCEL: {owner, recorder, reviewer},
        Right.EXPORT: {owner, reviewer, guardian},
        Right.AGREE: {owner, recorder, guardian},
        Right.REVEAL: {owner},
        Right.RESTRICT: {guardian},
    }
    assert {right: set(who_may(right)) for right in Right} == expected
    assert may(frozenset({reader, recorder}), Right.AGREE)
    assert not may(frozenset(), Right.SEE)


def test_a_guardian_has_rights_over_one_community_and_a_reviewer_over_all():
    guardian = Member(1, 1, frozenset({Role.GUARDIAN}), guards=frozenset({7}))
    both = Member(1, 1, frozenset({Role.GUARDIAN, Role.REVIEWER}), guards=frozenset({7}))
    assert [guardian.may_for(Right.EXPORT, one) for one in (7, 8, None)] == [True, False, False]
    assert [both.may_for(Right.EXPORT, one) for one in (7, 8, None)] == [True, True, True]
    assert [both.may_for(Right.RESTRICT, one) for one in (7, 8)] == [True, False]
    assert (guardian.everywhere(Right.SEE), guardian.everywhere(Right.EXPORT)) == (True, False)


def test_terms_in_words():
    assert AgreementTerms(True, True, True, False).sentence() == "counted and shown to members; not published"
    in_aggregate = "counted, shown to members and published in aggregate"
    assert AgreementTerms(True, True, True, True).sentence() == f"{in_aggregate}; not row by row"
    assert (
        AgreementTerms(True, True, True, True, True).sentence()
        == "counted, shown to members, published in aggregate and row by row"
    )
    assert AgreementTerms(True, False, False, False).sentence() == "not counted, shown to members or published"
    assert AgreementTerms(False, False, False, False).sentence() == "nothing may be recorded"


@pytest.mark.parametrize(
    ("text", "seconds"),
    [("12:41", 761), ("1:02:41", 3761), ("761", 761), ("761 s", 761), ("1.27 s", 1.27), ("61.5", 61.5), ("1:27.25", 87.25)],
)
def test_times_of_a_recording(text: str, seconds: float):
    assert read_time(text) == seconds


@pytest.mark.parametrize("text", ["1.27", "12.41", "75.25"])
def test_a_time_with_a_point_could_mean_two_things_and_is_asked_back(text: str):
    with pytest.raises(AmbiguousTime, match=text.replace(".", ":")):
        read_time(text)


@pytest.mark.parametrize("text", ["", "soon", "12:7", "1.275.3", "1:2:3:4"])
def test_what_is_no_time(text: str):
    with pytest.raises(ValueError, match=r".*"):
        read_time(text)


@pytest.mark.parametrize(
    ("written", "name", "qualifier", "rank"),
    [
        ("Salix", "Salix", "", "genus"), ("Salix sp.", "Salix", "sp", "genus"), ("Salix  spp", "Salix", "sp", "genus"),
        ("Salicaceae", "Salicaceae", "", "family"), ("Salix caprea", "Salix caprea", "", "species"), ("", "", "", "species"),
        ("Salix cf. caprea", "Salix caprea", "cf", "species"), ("Salix aff caprea", "Salix caprea", "aff", "species"),
        ("Salix sp. 2", "Salix sp. 2", "", "species"),
    ],
)  # fmt: skip
def test_one_word_names_no_species_and_a_doubt_is_no_part_of_a_name(written: str, name: str, qualifier: str, rank: str):
    assert (*part_qualifier(written), usual_rank(part_qualifier(written)[0])) == (name, qualifier, rank)
