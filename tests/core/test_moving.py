"""What a redetermination would move equals the difference of two counts made from the definitions, before and after."""

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tender_ledger.core.indices.moving import difference, redetermined
from tender_ledger.core.indices.reckoning import reckon
from tender_ledger.core.rules import parse_rules
from tender_ledger.core.tally.counting import count
from tender_ledger.formats.report_table import read_report_table
from tender_ledger.formats.sheet import write_sheet
from tests.core.brute_force import brute

ROSTER = {"A1": "holder", "A2": "holder", "A3": "holder", "A4": "holder"}
TAXA = ["Betula pendula", "Salix caprea", "Malva sylvestris", ""]
COLUMNS = ("informant", "event", "plant", "taxon", "category", "use", "basis", "stance")
SYMBOLS = {"UR": "ur", "FC": "fc", "NU": "nu", "RFC": "rfc", "CI": "ci", "UV": "uv"}
ROWS = st.lists(
    st.fixed_dictionaries(
        {
            "informant": st.sampled_from([*ROSTER]),
            "event": st.sampled_from(["E1", "E2"]),
            "plant": st.sampled_from(["P-001", "P-002", "P-003"]),
            "category": st.sampled_from(["food", "medicines", "fuels", ""]),
            "use": st.sampled_from(["tea", "cough"]),
            "basis": st.sampled_from(["own", "hearsay"]),
            "stance": st.sampled_from(["affirms", "affirms", "denies"]),
        }
    ),
    min_size=1,
    max_size=30,
)
OF_PLANTS = st.fixed_dictionaries({plant: st.sampled_from(TAXA) for plant in ("P-001", "P-002", "P-003")})


def determined(rows: list[dict[str, str]], of_plant: dict[str, str]) -> list[dict[str, str]]:
    return [{**row, "taxon": of_plant[row["plant"]]} for row in rows]


def counted(rows: list[dict[str, str]], unit: str) -> dict[str, Any]:
    return brute(rows, ROSTER, unit=unit, bases={"own"}, kinds={"holder"})


@settings(max_examples=150)
@given(rows=ROWS, of_plant=OF_PLANTS, plant=st.sampled_from(["P-001", "P-002"]), taxon=st.sampled_from(TAXA),
       unit=st.sampled_from(["category", "use"]))  # fmt: skip
def test_the_preview_is_the_difference_of_two_full_counts(rows: list[dict[str, str]], of_plant: dict[str, str], plant: str,
                                                          taxon: str, unit: str):  # fmt: skip
    people = [{"informant": who, "community": "X", "kind": kind} for who, kind in ROSTER.items()]
    table = read_report_table(write_sheet(COLUMNS, determined(rows, of_plant)),
                              write_sheet(("informant", "community", "kind"), people))  # fmt: skip
    rules = parse_rules({"unit": unit, "basis": ["own"], "informant_kinds": ["holder"], "undetermined": "drop"})
    rank = "species" if taxon else ""
    moved = difference(reckon(count(table, rules)), reckon(count(redetermined(table, plant, taxon, rank, ""), rules)))
    before = counted(determined(rows, of_plant), unit)
    after = counted(determined(rows, {**of_plant, plant: taxon}), unit)
    for kind, found, symbols in (
        ("taxa", moved.taxa, SYMBOLS),
        ("categories", moved.categories, {"Nur": "nur", "Nt": "nt", "ICF": "icf"}),
    ):
        told = [{name: {one: values[one] for one in symbols} for name, values in full[kind].items()} for full in (before, after)]
        assert {one.name for one in found} == {name for name in {*told[0], *told[1]} if told[0].get(name) != told[1].get(name)}
        for one in found:
            for side, full in ((one.before, before), (one.after, after)):
                assert bool(side) == (one.name in full[kind])
                for symbol, index in symbols.items():
                    if side:
                        expected = full[kind][one.name][symbol]
                        assert np.isnan(side[index]) if expected is None else side[index] == pytest.approx(expected)


def test_a_plant_that_is_not_there_and_the_same_taxon_move_nothing():
    rows = [{"informant": "A1", "event": "E1", "plant": "P-001", "taxon": "Salix caprea", "category": "food", "use": "tea",
             "basis": "own", "stance": "affirms"}]  # fmt: skip
    table = read_report_table(write_sheet(COLUMNS, rows), None)
    now = reckon(count(table, parse_rules({})))
    for plant, taxon in (("P-009", "Betula pendula"), ("P-001", "Salix caprea")):
        moved = difference(now, reckon(count(redetermined(table, plant, taxon, "species", ""), parse_rules({}))))
        assert (moved.taxa, moved.categories) == ((), ())
