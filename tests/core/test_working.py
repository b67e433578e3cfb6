"""The working of a number holds together: what is put in gives what comes out."""

import math

import pytest

from tender_ledger.core.indices.reckoning import Reckoning, reckon
from tender_ledger.core.indices.working import (
    CATEGORY_INDICES,
    MISLEADS,
    NAMES,
    SOURCES,
    SYMBOLS,
    TAXON_INDICES,
    working_of_category,
    working_of_taxon,
)
from tender_ledger.core.rules import parse_rules
from tender_ledger.core.tally.counting import count
from tender_ledger.formats.report_table import read_report_table
from tests.conftest import REFERENCE


@pytest.fixture(scope="module")
def result() -> Reckoning:
    table = read_report_table((REFERENCE / "reports.csv").read_bytes(), (REFERENCE / "informants.csv").read_bytes())
    return reckon(count(table, parse_rules({"basis": ["own", "hearsay"]})))


def test_ci_of_the_worked_example(result: Reckoning):
    working = working_of_taxon(result, "Mentha spicata", "ci")
    assert working is not None
    assert (working.terms, working.top, working.bottom, working.value) == ((("MED", 5), ("FOOD", 3)), 8, 8, 1.0)
    assert (dict(working.others)["RFC"], working.tellers) == (0.75, 6)


@pytest.mark.parametrize("kind", TAXON_INDICES)
def test_top_over_bottom_is_the_value(result: Reckoning, kind: str):
    for taxon in result.taxa:
        working = working_of_taxon(result, taxon, kind)
        assert working is not None
        if math.isnan(working.value):
            assert working.why_not
        else:
            assert working.value == pytest.approx(working.top / working.bottom if working.bottom is not None else working.top)


@pytest.mark.parametrize("kind", CATEGORY_INDICES)
def test_category_workings_name_their_taxa(result: Reckoning, kind: str):
    for category in result.categories:
        working = working_of_category(result, category, kind)
        assert working is not None
        assert len(working.terms) == working.top if kind == "nt" else sum(number for _, number in working.terms) == working.top
        assert working.why_not == (
            "One use report only: 0/0 is no agreement and no disagreement." if kind == "icf" and category == "RITUAL" else ""
        )


def test_what_is_not_there_has_no_working(result: Reckoning):
    assert working_of_taxon(result, "Nothing at all", "ci") is None
    assert working_of_taxon(result, "Mentha spicata", "xx") is None
    assert working_of_category(result, "NONE", "icf") is None


def test_every_index_is_explained():
    for table in (SYMBOLS, NAMES, SOURCES, MISLEADS):
        assert set(table) == {*TAXON_INDICES, *CATEGORY_INDICES}
