"""Measures as people tell them, against a table of phrases written by hand.

The values are arithmetic on the definitions of the units: inch 2.54 cm, pound 453.59237 g, US gallon 231 cubic inches, acre
43,560 square feet of the survey (NIST Handbook 44, appendix C), tea- and tablespoon and cup 5, 15 and 240 ml (21 CFR
101.9(b)(5)(viii)), a month a twelfth of a year of 365.25 days. All from memory.
"""

import contextlib
import csv

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tender_ledger.core.measures import MeasureNotRead, find_measures, read_measure
from tests.conftest import REFERENCE

TABLE = list(csv.DictReader((REFERENCE / "measures.csv").read_text(encoding="utf-8").splitlines()))
READ = [one for one in TABLE if one["low"] or one["high"]]
UNREAD = [one["phrase"] for one in TABLE if not one["low"] and not one["high"]]


def end(text: str) -> float | None:
    return float(text) if text else None


def test_the_table_is_long_enough():
    assert len(TABLE) >= 150
    assert len({one["phrase"] for one in TABLE}) == len(TABLE)


@pytest.mark.parametrize("row", READ, ids=lambda row: row["phrase"])
def test_a_phrase_is_the_range_that_it_tells(row: dict[str, str]):
    found = read_measure(row["phrase"])
    assert (found.unit, found.of, found.per) == (row["unit"], row["of"], row["per"])
    assert [found.low, found.high] == [pytest.approx(end(row[name]), rel=2e-6) if row[name] else None for name in ("low", "high")]
    assert found.approximate == (row["approximate"] == "yes")
    assert found.words == row["phrase"]


@pytest.mark.parametrize("phrase", UNREAD)
def test_what_tells_no_number_is_left_as_words(phrase: str):
    with pytest.raises(MeasureNotRead) as refused:
        read_measure(phrase)
    assert refused.value.text == phrase
    assert "leave it as words" in str(refused.value)


@given(st.integers(1, 400), st.integers(0, 400), st.sampled_from(["mm", "cm", "in", "feet", "g", "ml", "days", "handfuls"]))
def test_a_written_range_has_its_ends_in_order(low: int, more: int, unit: str):
    written, single = read_measure(f"{low} to {low + more} {unit}"), read_measure(f"{low} {unit}")
    assert written.low == single.low
    assert written.high == read_measure(f"{low + more} {unit}").high
    assert written.low is not None
    assert written.high is not None
    assert written.low <= written.high


@given(st.integers(1, 99), st.integers(1, 11))
def test_feet_and_inches_are_their_inches(feet: int, inches: int):
    assert read_measure(f"{feet} ft {inches} in").low == pytest.approx(read_measure(f"{12 * feet + inches} inches").low)


@given(st.text(max_size=40))
def test_nothing_that_is_said_makes_the_reader_fail(text: str):
    with contextlib.suppress(MeasureNotRead):
        assert read_measure(text).words == text.strip()
    for start, stop, measure in find_measures(text):
        assert text[start:stop] == measure.words


@pytest.mark.parametrize(("words", "low", "high"), [("26-38 C", 26, 38), ("100 C", 100, 100), ("78.8 to 100.4 F", 26, 38)])
def test_degrees_are_read_by_their_capital_letter(words: str, low: float, high: float):
    read = read_measure(words)
    assert (read.low, read.high, read.unit) == (pytest.approx(low), pytest.approx(high), "°C")
    assert read_measure(words.lower().replace(".", "")).unit == ""  # “c” is no degree; what it is was not told


def test_measures_are_found_where_they_stand_in_what_was_said():
    said = ("It grows knee-high, two and a half feet or so, with a leaf 4 to 6 mm wide. Take a handful and soak it for four or "
            "five nights.")  # fmt: skip
    found = [measure for _start, _stop, measure in find_measures(said)]
    words = ["knee-high", "two and a half feet or so", "4 to 6 mm wide", "a handful", "four or five nights"]
    assert [one.words for one in found] == words
    assert (found[2].low, found[2].high, found[2].unit) == (pytest.approx(0.4), pytest.approx(0.6), "cm")
