"""Counting rules: every key is read, nothing is silently ignored."""

import pytest

from tender_ledger.core.messages import InputRefused
from tender_ledger.core.rules import KEYS, CountingRules, parse_rules

# The keys and their first values as the use-report table's description gives them.
FORMAT_DEFAULTS = {
    "unit": "category", "level": "category", "secondary_codes": "ignore",
    "basis": ["own", "patient", "witnessed", "taught", "community", "historical", "unstated"], "stances": ["affirms"],
    "outcomes": ["helped", "none", "unstated"], "actors": ["people"],
    "informant_kinds": ["holder"], "mixtures": "each", "undetermined": "drop", "genus_level": "own_taxon",
    "qualified": "as_taxon", "infraspecific": "lump", "scheme": None,
    "currency": ["current", "former", "remembered", "unstated"], "n": "roster", "nc": None, "communities": None, "repeat": "once",
    "resample": "all",
}  # fmt: skip
FURTHER = [("unit", "use_part"), ("level", "subcategory"), ("level", {"medicines": "subcategory"}), ("secondary_codes", "count"),
         ("mixtures", "own_taxon"), ("mixtures", "share"), ("qualified", "own_taxon"), ("qualified", "drop"),
         ("repeat", "each_event"), ("resample", "within_community")]  # fmt: skip


def test_the_defaults_are_those_of_the_format():
    assert CountingRules().to_json() == FORMAT_DEFAULTS
    assert set(KEYS) == {*FORMAT_DEFAULTS, "no_effect"}  # the short form of outcomes


def test_rules_come_back_from_their_json():
    rules = parse_rules({"unit": "use", "basis": ["hearsay", "own"], "communities": ["X"], "nc": 13})
    assert parse_rules(rules.to_json()) == rules
    assert rules.basis == ("own", "hearsay")


@pytest.mark.parametrize(("key", "value"), FURTHER)
def test_every_choice_of_the_format_is_read_and_written(key: str, value: object):
    assert parse_rules({key: value}).to_json() == {**FORMAT_DEFAULTS, key: value}
    assert parse_rules(parse_rules({key: value}).to_json()) == parse_rules({key: value})


def test_an_unknown_key_or_value_names_the_allowed_ones():
    with pytest.raises(InputRefused) as refused:
        parse_rules({"units": "use", "n": "everybody", "basis": ["own", "rumour"], "nc": 0, "level": {"food": "finer"}})
    told = {problem.where: problem for problem in refused.value.problems}
    assert set(told) == {"rules.units", "rules.n", "rules.basis", "rules.nc", "rules.level.food"}
    assert "secondary_codes" in told["rules.units"].expected
    assert told["rules.n"].expected == "roster, reporting"
    assert told["rules.basis"].found == "rumour"


def test_no_effect_is_short_for_outcomes():
    assert parse_rules({"no_effect": "count"}) == CountingRules()
    assert parse_rules({"no_effect": "leave_out"}).outcomes == ("helped", "unstated")
    assert parse_rules({"no_effect": "leave_out", "outcomes": ["unstated", "helped"]}).outcomes == ("helped", "unstated")
    with pytest.raises(InputRefused, match="short for outcomes"):
        parse_rules({"no_effect": "count", "outcomes": ["harmed"]})
    with pytest.raises(InputRefused, match="count, leave_out"):
        parse_rules({"no_effect": "maybe"})


def test_no_rule_counts_what_an_animal_does_of_itself():
    with pytest.raises(InputRefused) as refused:
        parse_rules({"actors": ["people", "animal"]})
    assert refused.value.problems[0].expected == "people"


@pytest.mark.parametrize("value", [[], "own", None])
def test_a_list_is_never_empty_or_a_word(value: object):
    with pytest.raises(InputRefused):
        parse_rules({"basis": value})


def test_rules_are_an_object():
    with pytest.raises(InputRefused):
        parse_rules([])  # type: ignore[arg-type]
