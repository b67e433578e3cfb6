"""Reference lists in three open formats give one record; a record is written out in one style."""

import json

import pytest

from tender_ledger.core.limits import RECORDS
from tender_ledger.core.messages import InputRefused
from tender_ledger.formats.citing import cite, cite_plainly
from tender_ledger.formats.references import date_of, name_of, read_references

BIBTEX = rb"""@article{marrow64,
  author = {Marrow, Ida B. and de la T{\'o}r, R.}, title = {Plants of an Invented {S}hore}, journal = {Annals of Nowhere},
  year = 1964, volume = 3, number = 2, pages = {11--19}, doi = {10.9999/nowhere.3}
}"""
RIS = b"""TY  - JOUR
AU  - Marrow, Ida B.
AU  - de la T\xc3\xb3r, R.
TI  - Plants of an Invented Shore
JO  - Annals of Nowhere
PY  - 1964
VL  - 3
IS  - 2
SP  - 11
EP  - 19
DO  - 10.9999/nowhere.3
ER  -"""
CSL = """[{"type": "article-journal", "title": "Plants of an Invented Shore", "container-title": "Annals of Nowhere",
  "volume": "3", "issue": "2", "page": "11–19", "DOI": "10.9999/nowhere.3", "issued": {"date-parts": [[1964]]},
  "author": [{"family": "Marrow", "given": "Ida B."},
             {"family": "Tór", "given": "R.", "non-dropping-particle": "de la"}]}]""".encode()
# Harvard, author and year, as its guides print a journal article: authors (year) title, journal in italics, volume(issue), pages
# (from memory).
WRITTEN = "Marrow, I.B. and de la Tór, R. (1964) “Plants of an Invented Shore”, Annals of Nowhere, 3(2), pp. 11–19."


@pytest.mark.parametrize("data", [BIBTEX, RIS, CSL], ids=["bibtex", "ris", "csl"])
def test_the_same_work_in_three_formats_is_one_reference(data: bytes):
    found = read_references(data)
    assert found.problems == ()
    (item,) = found.items
    assert item["type"] == "article-journal"
    assert item["issued"] == {"date-parts": [[1964]]}
    assert cite_plainly(item).startswith(WRITTEN)
    assert ("Annals of Nowhere", True) in cite(item)


def test_what_fails_is_told_with_its_place_and_the_rest_is_read():
    found = read_references(b"@book{a, title = {Whole}, year = 1999}\n\n@book{b, title = {Cut off", "list.bib")
    assert [one["title"] for one in found.items] == ["Whole"]
    assert [one.where for one in found.problems] == ["list.bib, line 3"]
    found = read_references(b'[{"type": "book", "title": "T"}, 3, {"type": "book"}]', "list.json")
    assert [one.where for one in found.problems] == ["list.json, record 2", "list.json, record 2"]


@pytest.mark.parametrize("data", [b"", b"just words", b"\xff\xfe\x00", b"[{", b"title;year\nT;1999"])
def test_what_is_no_list_of_references_is_refused(data: bytes):
    with pytest.raises(InputRefused) as refused:
        read_references(data)
    assert refused.value.problems[0].expected


@pytest.mark.parametrize(
    ("text", "date"),
    [("1964", {"date-parts": [[1964]]}), ("1964-05-12", {"date-parts": [[1964, 5, 12]]}), ("1964/5", {"date-parts": [[1964, 5]]}),
     ("about 1931", {"date-parts": [[1931]], "circa": True}), ("in the war", {"literal": "in the war"}), ("", {})],
)  # fmt: skip
def test_a_year_as_people_write_it(text: str, date: dict[str, object]):
    assert date_of(text) == date


def test_a_name_with_and_without_a_comma():
    assert name_of("Marrow, Ida B.") == {"family": "Marrow", "given": "Ida B."}
    assert name_of("The council of the ford") == {"literal": "The council of the ford"}


@pytest.mark.parametrize("item", [{}, {"title": "T"}, {"type": "no such", "title": "T & <b>", "author": [{"literal": "A"}]},
                                  {"type": "book", "title": "T", "author": [{}], "issued": {"date-parts": [["x"]]}}])  # fmt: skip
def test_an_unusual_record_is_still_written(item: dict[str, object]):
    assert str(item.get("title", "")) in cite_plainly(item)


def test_more_records_than_a_list_may_have_are_refused():
    records = json.dumps([{"type": "book", "title": f"Plants {at}"} for at in range(RECORDS + 1)])
    with pytest.raises(InputRefused, match=r"5,001 records\. Expected: at most 5,000 records"):
        read_references(records.encode(), "library.json")
