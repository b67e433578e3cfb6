"""Nothing is left out in silence: every row counts, or is left out by a rule that is named, the first that does."""

from typing import Any

import pytest

from tender_ledger.core.rules import parse_rules
from tender_ledger.core.tally.counting import count
from tender_ledger.core.tally.exclusions import excluded_rows
from tender_ledger.core.tally.table import NONE_NAMED
from tender_ledger.formats.report_table import read_report_table

# What would be left out by each rule stands in a row of its own; the first row counts under all of them.
TABLE = """informant,community,informant_kind,taxon,rank,category,basis,stance,outcome,actor,currency,role,mixture,scheme
A,X,holder,Salix caprea,species,food,own,affirms,helped,people,current,main,,one
B,X,source,Salix caprea,species,food,read,affirms,unstated,people,current,main,,one
C,Y,holder,Salix caprea,species,food,own,affirms,helped,people,current,main,,one
D,X,holder,Salix caprea,species,,own,affirms,helped,people,current,main,,
E,X,holder,,species,food,own,affirms,helped,people,current,main,,one
F,X,holder,Salix caprea,species,food,hearsay,denies,harmed,people,current,main,,one
G,X,holder,Salix caprea,species,food,own,denies,helped,people,current,main,,one
H,X,holder,Salix caprea,species,food,own,affirms,harmed,people,current,main,,one
I,X,holder,Salix caprea,species,animal_food,own,affirms,helped,animal,current,main,,one
J,X,holder,Salix caprea,species,food,own,affirms,helped,people,former,main,,one
K,X,holder,Salix caprea,species,food,own,affirms,helped,people,current,carrier,M,one
L,X,holder,Salix caprea,species,food,own,affirms,helped,people,current,main,,two
M,X,holder,Salix caprea,species,none_named,own,affirms,unstated,people,current,main,,
"""
STRICT = {"communities": ["X"], "currency": ["current"]}


def reasons(**rules: Any) -> dict[str, str]:
    """The letters of the rows that are left out, by reason."""
    tally = count(read_report_table(TABLE.encode()), parse_rules(rules))
    letters = [line[0] for line in TABLE.splitlines()[1:]]
    return {
        reason: "".join(letter for letter, out in zip(letters, rows, strict=True) if out)
        for reason, rows in excluded_rows(tally).items()
    }


def test_each_row_is_left_out_by_the_rule_it_breaks_first():
    expected = {"source": "B", "community": "C", "coded": "D", "plant": "E", "basis": "F", "stance": "G", "outcome": "H",
                "actor": "I", "currency": "J", "role": "K", "scheme": "L"}  # fmt: skip
    assert reasons(**STRICT) == expected
    assert reasons(**STRICT, mixtures="drop") == {
        **{name: rows for name, rows in expected.items() if name != "role"},
        "mixture": "K",
    }
    assert reasons(**STRICT, basis=["own", "hearsay"])["stance"] == "FG"


@pytest.mark.parametrize(
    "rules",
    [{}, STRICT, {"mixtures": "own_taxon"}, {"undetermined": "lump"}, {"level": "subcategory"}, {"informant_kinds": ["source"]}],
)
def test_every_row_counts_or_is_left_out_once(rules: dict[str, Any]):
    tally = count(read_report_table(TABLE.encode()), parse_rules(rules))
    times = tally.kept.astype(int) + (tally.table.category == NONE_NAMED)
    for rows in excluded_rows(tally).values():
        times += rows
    assert times.tolist() == [1] * len(times)
