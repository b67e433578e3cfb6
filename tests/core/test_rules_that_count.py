"""What each rule does to a small table, worked by hand beside it."""

from typing import Any

import pytest

from tender_ledger.core.indices.parts import shares_told
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


MIXED = """informant,community,taxon,plant,rank,category,subcategory,use,part,preparation,mixture,role,event
A,X,Salix caprea,,species,medicines,fever,brow,bark;leaf,decoction,M1,main,E1
A,X,Tilia cordata,,species,medicines,fever,brow,flower,decoction,M1,companion,E1
A,X,Sorbus aucuparia,,species,medicines,fever,brow,fruit,decoction,M1,carrier,E1
A,X,Salix caprea,,species,food,,tea,leaf,infusion,,,E1
B,X,Salix caprea,,species,medicines,cough,chest,bark,infusion,M1,main,E2
B,X,Tilia cf. cordata,,species,medicines,cough,chest,flower,,M1,main,E2
B,X,Tilia cf. cordata,,species,medicines,fever,brow,flower,,,,E3
C,X,,P-9,,medicines,fever,brow,root,,M2,main,E4
C,X,Salix caprea,,species,medicines,fever,brow,bark,,M2,main,E4
"""


def mixed(**rules: Any) -> Reckoning:
    return reckon(count(read_report_table(MIXED.encode()), parse_rules(rules)))


@pytest.mark.parametrize(
    ("rules", "expected"),
    [
        # (A food) + (A, B, C medicines) of the willow; (A, B medicines) of the lime.
        ({}, {"Salix caprea": 4, "Tilia cordata": 2}),
        # 1/2 in a remedy of two; B tells fever of the lime alone as well, so the lime is whole for B; the third plant of C's
        # remedy is not determined and still a component.
        ({"mixtures": "share"}, {"Salix caprea": 2.5, "Tilia cordata": 1.5}),
        ({"mixtures": "own_taxon"}, {"Salix caprea": 1, "Salix caprea + Tilia cordata": 2, "Tilia cordata": 1}),
        ({"mixtures": "own_taxon", "undetermined": "lump"},
         {"(undetermined) + Salix caprea": 1, "Salix caprea": 1, "Salix caprea + Tilia cordata": 2, "Tilia cordata": 1}),
        ({"mixtures": "all_roles"}, {"Salix caprea": 4, "Sorbus aucuparia": 1, "Tilia cordata": 2}),
        ({"qualified": "own_taxon"}, {"Salix caprea": 4, "Tilia cf. cordata": 1, "Tilia cordata": 1}),
        ({"qualified": "drop"}, {"Salix caprea": 4, "Tilia cordata": 1}),
        ({"unit": "use"}, {"Salix caprea": 4, "Tilia cordata": 3}),
        ({"unit": "use_part"}, {"Salix caprea": 5, "Tilia cordata": 3}),
        ({"unit": "use", "repeat": "each_event"}, {"Salix caprea": 4, "Tilia cordata": 3}),
        ({"repeat": "each_event"}, {"Salix caprea": 4, "Tilia cordata": 3}),
        ({"level": "subcategory"}, {"Salix caprea": 4, "Tilia cordata": 3}),
    ],
)  # fmt: skip
def test_mixtures_doubtful_names_units_and_levels(rules: dict[str, Any], expected: dict[str, float]):
    r = mixed(**rules)
    assert {r.taxa[at]: float(r.ur[at]) for at in range(len(r.taxa)) if r.told[at]} == pytest.approx(expected)


def test_shares_leave_tellers_and_agreement_whole():
    whole, shared = mixed(), mixed(mixtures="share")
    assert shared.fc.tolist() == whole.fc.tolist()
    assert (shared.nur.tolist(), shared.nt.tolist()) == (whole.nur.tolist(), whole.nt.tolist())
    assert shared.ci == pytest.approx(shared.ur / 3)
    assert shared.uv_all.tolist() == pytest.approx([2.5 / 3, 0, 2 / 3])  # the lime: A 1/2, B chest 1/2 and brow 1


def test_a_level_in_one_category_leaves_the_others():
    r = mixed(level={"medicines": "subcategory"})
    assert r.categories == ("food", "medicines/cough", "medicines/fever")
    assert dict(zip(r.categories, r.nur.tolist(), strict=True)) == {"food": 1, "medicines/cough": 2, "medicines/fever": 4}
    assert mixed(level={"food": "subcategory"}).categories == ("food", "medicines")


def test_one_label_of_two_levels_is_two_uses():
    assert int(mixed(level="subcategory").counts.nu_use.sum()) == 3 + 2
    with pytest.raises(InputRefused, match="medicine"):
        mixed(level={"medicine": "subcategory"})


def test_parts_and_preparations_by_taxon_category_and_community():
    tally = count(read_report_table(MIXED.encode()), parse_rules({}))
    by_taxon = shares_told(tally, tally.table.parts, "taxon")
    assert by_taxon.labels == ("bark", "flower", "fruit", "leaf", "root")
    # The willow: bark by A, B, C as a medicine, leaf by A twice (medicine and food): 3 of 5 and 2 of 5.
    assert by_taxon.shares[0].tolist() == pytest.approx([3 / 5, 0, 0, 2 / 5, 0])
    by_category = shares_told(tally, tally.table.preparations, "category")
    assert by_category.counts[by_category.of.index("food")].tolist() == [0, 1, 0]
    assert shares_told(tally, tally.table.parts, "community").counts.sum() == 7
    assert shares_told(tally, None, "community").counts.tolist() == [[6]]


@pytest.mark.parametrize("rules", [{"communities": ["Z"]}, {"scheme": "three"}])
def test_a_community_or_scheme_that_nobody_has_is_refused(rules: dict[str, Any]):
    with pytest.raises(InputRefused):
        reckoned(**rules)


OUTCOMES = """informant,taxon,category,outcome,actor,part
A,Salix caprea,food,helped,,leaf
B,Salix caprea,food,none,,unspecified
C,Salix caprea,food,harmed,,leaf;unspecified
D,Salix caprea,food,unstated,,
E,Salix caprea,animal_food,helped,animal,bark
F,Salix caprea,animal_food,helped,people,bark
G,Tilia cordata,food,harmed,,flower
"""


def of_outcomes(**rules: Any) -> dict[str, int]:
    r = reckon(count(read_report_table(OUTCOMES.encode()), parse_rules(rules)))
    return {r.taxa[at]: int(r.ur[at]) for at in range(len(r.taxa)) if r.told[at]}


def test_what_only_harmed_is_no_use_unless_the_rules_say_so():
    assert of_outcomes() == {"Salix caprea": 4}
    assert of_outcomes(no_effect="leave_out") == {"Salix caprea": 3}
    assert of_outcomes(outcomes=["helped", "none", "harmed", "unstated"]) == {"Salix caprea": 5, "Tilia cordata": 1}
    assert of_outcomes(outcomes=["harmed"]) == {"Salix caprea": 1, "Tilia cordata": 1}


def test_what_an_animal_does_of_itself_is_no_use_and_an_animal_fed_by_people_is_one():
    r = reckon(count(read_report_table(OUTCOMES.encode()), parse_rules({})))
    fed = r.categories.index("animal_food")
    assert r.ur_by_category[r.taxa.index("Salix caprea")][fed] == 1


def test_an_unspecified_part_is_none_told_and_hides_no_other():
    """Of five reports that count, two say leaf or bark, two none, and one only that it is not said which."""
    tally = count(read_report_table(OUTCOMES.encode()), parse_rules({"outcomes": ["helped", "none", "harmed", "unstated"]}))
    found = shares_told(tally, tally.table.parts, "taxon")
    at = found.of.index("Salix caprea")
    assert found.labels == ("bark", "flower", "leaf")
    assert found.counts[at].tolist() == [1, 0, 2, 2]  # the last column: none told
    assert found.shares[at].tolist() == pytest.approx([1 / 3, 0, 2 / 3])
