"""The order and the ranks of the reckoning's tables."""

import numpy as np

from tender_ledger.core.indices.ranking import ranks
from tender_ledger.core.indices.reckoning import Reckoning, reckon
from tender_ledger.core.rules import parse_rules
from tender_ledger.core.tally.counting import count
from tender_ledger.formats.report_table import read_report_table
from tender_ledger.web.reckoning.tables import category_rows, taxon_rows
from tests.conftest import REFERENCE


def result() -> Reckoning:
    table = read_report_table((REFERENCE / "reports.csv").read_bytes(), (REFERENCE / "informants.csv").read_bytes())
    return reckon(count(table, parse_rules({"basis": ["own", "hearsay"]})))


def test_equals_share_a_rank_and_the_next_is_counted_on():
    # FC of the worked example: 6, 4, 4, 3, 2, 1
    rows, total = taxon_rows(result(), "fc")
    assert total == len(rows)
    few, again = taxon_rows(result(), "fc", first=1)
    assert ([row.name for row in few], again) == ([rows[0].name], total)
    assert [(row.rank, row.numbers["fc"]) for row in rows] == [(1, 6), (2, 4), (2, 4), (4, 3), (5, 2), (6, 1)]
    assert [row.name for row in taxon_rows(result(), "-fc")[0]] == [row.name for row in reversed(rows)]


def test_fractions_that_are_equal_share_a_rank_though_their_floats_differ():
    values = ranks(np.round(np.array([0.1 + 0.2, 0.3, 0.5]), 12))
    assert 0.1 + 0.2 != 0.3
    assert values.tolist() == [2, 2, 1]


def test_an_undefined_value_has_no_rank():
    rows, _total = taxon_rows(result(), "uva")  # nobody is on record as asked without naming a use
    assert {row.rank for row in rows} == {0}
    assert all(np.isnan(row.numbers["uva"]) for row in rows)


def test_the_strip_is_as_long_for_every_taxon_and_the_largest_share_comes_first():
    for row in taxon_rows(result(), "ci")[0]:
        assert abs(sum(share.width for share in row.shares) - 112) < 0.5
        assert [share.count for share in row.shares] == sorted((share.count for share in row.shares), reverse=True)


def test_categories_are_ordered_with_the_undefined_last():
    assert [row.code for row in category_rows(result(), "icf")] == ["FODDER", "MED", "FOOD", "CRAFT", "RITUAL"]
    assert [row.code for row in category_rows(result(), "nur")][:2] == ["MED", "FOOD"]
