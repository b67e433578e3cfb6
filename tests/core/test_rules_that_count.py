"""What each rule does to a small table, worked by hand beside it."""

from typing import Any

import pytest

from tender_ledger.core.indices.reckoning import Reckoning, reckon
from tender_ledger.core.messages import InputRefused
from tender_ledger.core.rules import parse_rules
from tender_ledger.core.tally.counting import count
from tender_ledger.formats.report_table import read_report_table

TABLE = """informant,community,taxon,rank,category,use,scheme,outcome,currency,mixture,role,informant_kind
A,X,Salix caprea,species,food,tea,one,helped,current,,,holder
A,X,Salix,genus,food,tea,one,none,former,,,holder
B,Y,Salix caprea,species,medicines,cough,one,unstated,current,M1,main,holder
B,Y,Tilia cordata,species,medicines,cough,one,unstated,current,M1,carrier,holder
B,Y,Thymus vulgaris subsp. aestivus,subspecies,food,spice,two,unstated,current,,,holder
S,Y,Tilia cordata,species,fuels,fuels,one,unstated,unstated,,,source
"""


def reckoned(**rules: Any) -> Reckoning:
    return reckon(count(read_report_table(TABLE.encode()), parse_rules(rules)))


def told(**rules: Any) -> dict[str, int]:
    r = reckoned(**rules)
    return {r.taxa[at]: int(r.ur[at]) for at in range(len(r.taxa)) if r.told[at]}


@pytest.mark.parametrize(
    ("rules", "expected"),
    [
        ({}, {"Salix": 1, "Salix caprea": 2}),
        ({"mixtures": "all_roles"}, {"Salix": 1, "Salix caprea": 2, "Tilia cordata": 1}),
        ({"mixtures": "drop"}, {"Salix": 1, "Salix caprea": 1}),
        ({"genus_level": "drop"}, {"Salix caprea": 2}),
        ({"genus_level": "merge_if_single"}, {"Salix caprea": 2}),
        ({"no_effect": "leave_out"}, {"Salix caprea": 2}),
        ({"currency": ["former"]}, {"Salix": 1}),
        ({"scheme": "two"}, {"Thymus vulgaris": 1}),
        ({"scheme": "two", "infraspecific": "own_taxon"}, {"Thymus vulgaris subsp. aestivus": 1}),
        ({"informant_kinds": ["holder", "source"]}, {"Salix": 1, "Salix caprea": 2, "Tilia cordata": 1}),
        ({"communities": ["X"]}, {"Salix": 1, "Salix caprea": 1}),
        ({"stances": ["denies"]}, {}),
    ],
)
def test_what_counts(rules: dict[str, Any], expected: dict[str, int]):
    assert told(**rules) == expected


def test_communities_and_kinds_change_n_and_filters_do_not():
    assert reckoned().n == 2
    assert reckoned(informant_kinds=["holder", "source"]).n == 3
    assert reckoned(communities=["X"]).n == 1
    assert reckoned(currency=["former"]).n == 2
    assert reckoned(currency=["former"], n="reporting").n == 1


def test_nc_is_observed_or_the_protocols():
    assert (reckoned().nc, reckoned(nc=13).nc) == (2, 13)


@pytest.mark.parametrize("rules", [{"communities": ["Z"]}, {"scheme": "three"}])
def test_a_community_or_scheme_that_nobody_has_is_refused(rules: dict[str, Any]):
    with pytest.raises(InputRefused):
        reckoned(**rules)
