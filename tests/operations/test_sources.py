"""Sources with their records: typed, corrected, brought from a list, and known again."""

import pytest

from tender_ledger.formats.citing import cite_plainly
from tender_ledger.operations import sources
from tender_ledger.operations.errors import Refused
from tender_ledger.operations.history import undo_act
from tender_ledger.storage.queries import acts, people
from tests.factories import SmallStudy

LIST = b"""@book{a, author = {Halvick, E.}, title = {Household remedies}, year = 1931}
@article{b, author = {Halvick, E.}, title = {More remedies}, year = 1931, doi = {10.9999/x}}
@misc{c, title = {The label of the hall}}
@book{d, title = {Cut off"""


@pytest.fixture
def small(empty_db: str) -> SmallStudy:
    return SmallStudy()


def known(small: SmallStudy) -> dict[str, str]:
    return {one["code"]: cite_plainly(one["csl"]) for one in people.sources(small.scope)}


def test_a_typed_source_is_its_record_and_comes_back_as_typed(small: SmallStudy):
    typed = {"title": "Plants of a shore", "author": "Marrow, Ida B.; The council", "year": "about 1964", "container": "Annals",
             "volume": "3", "issue": "2", "pages": "11–19", "doi": "10.9999/y"}  # fmt: skip
    made = sources.add_source(small.scope, code="pn-1964", kind="article", **typed)
    (found,) = people.sources(small.scope)
    assert found["csl"]["type"] == "article-journal"
    back = sources.typed_record(found["csl"])
    assert {name: back[name] for name in typed} == typed
    sources.correct_source(small.scope, made, 1, kind="book", **{**typed, "title": "A shore", "doi": ""})
    (found,) = people.sources(small.scope)
    assert (found["kind"], found["csl"]["title"], "DOI" in found["csl"]) == ("book", "A shore", False)
    with pytest.raises(Refused, match="The title is missing"):
        sources.correct_source(small.scope, made, 2, kind="book", title=" ")


def test_a_list_comes_in_as_one_act_and_is_known_again(small: SmallStudy):
    first = sources.import_references(small.scope, LIST, "list.bib")
    assert first.codes == ("HALVICK-1931", "HALVICK-1931-B", "THELABELOFTH")
    assert (first.known, [one.where for one in first.problems]) == (0, ["list.bib, line 4"])
    assert known(small)["HALVICK-1931"] == "Halvick, E. (1931) Household remedies."
    again = sources.import_references(small.scope, LIST, "list.bib")
    assert (again.codes, again.known) == ((), 3)
    act = acts.acts(small.scope)[0]
    assert (act["operation"], act["records"]) == ("import_references", 3)
    undo_act(small.scope, act["id"])
    assert known(small) == {}


def test_what_is_no_list_is_refused_and_brings_nothing(small: SmallStudy):
    with pytest.raises(Refused, match="no list of references"):
        sources.import_references(small.scope, b"nothing of the kind", "notes.txt")
    assert known(small) == {}
