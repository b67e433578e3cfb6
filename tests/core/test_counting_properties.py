"""Counting against a brute force written from the definitions, and for what must hold of any table."""

import random
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tender_ledger.core.indices.reckoning import Reckoning, reckon
from tender_ledger.core.rules import parse_rules
from tender_ledger.core.tally.counting import count
from tender_ledger.formats.report_table import read_report_table
from tender_ledger.formats.sheet import write_sheet
from tests.core.brute_force import brute

ROSTER = {"A1": "holder", "A2": "holder", "A3": "holder", "A4": "holder", "S1": "source"}
COLUMNS = ("informant", "event", "taxon", "category", "use", "basis", "stance")
ROWS = st.lists(
    st.fixed_dictionaries(
        {
            "informant": st.sampled_from([*ROSTER]),
            "event": st.sampled_from(["E1", "E2"]),
            "taxon": st.sampled_from(["Betula pendula", "Salix caprea", "Malva sylvestris", ""]),
            "category": st.sampled_from(["food", "medicines", "fuels", "none_named", ""]),
            "use": st.sampled_from(["tea", "cough", "tea "]).map(str.strip),
            "basis": st.sampled_from(["own", "taught", "hearsay", "read", "unstated"]),
            "stance": st.sampled_from(["affirms", "affirms", "denies"]),
        }
    ).filter(lambda row: row["category"] != "none_named" or row["taxon"]),
    max_size=40,
)
BASES = [["own"], ["own", "taught", "unstated"], ["own", "taught", "hearsay", "read", "unstated"]]


def reckoned(rows: list[dict[str, str]], roster: dict[str, str] = ROSTER, **rules: Any) -> Reckoning:
    people = [{"informant": who, "community": "X", "kind": kind} for who, kind in roster.items()]
    table = read_report_table(write_sheet(COLUMNS, rows), write_sheet(("informant", "community", "kind"), people))
    return reckon(count(table, parse_rules(rules)))


def values(r: Reckoning) -> dict[str, dict[str, float | None]]:
    """The values of a reckoning by taxon, as the brute force gives them."""
    named = {"UR": r.ur, "FC": r.fc, "NU": r.nu, "RFC": r.rfc, "CI": r.ci, "UV": r.uv_all, "UVA": r.uv_asked}
    return {
        r.taxa[at]: {name: None if np.isnan(column[at]) else float(column[at]) for name, column in named.items()}
        for at in np.flatnonzero(r.told)
    }


@settings(max_examples=150)
@given(rows=ROWS, unit=st.sampled_from(["category", "use"]), bases=st.sampled_from(BASES), sources=st.booleans())
def test_against_the_brute_force(rows: list[dict[str, str]], unit: str, bases: list[str], sources: bool):
    kinds = ["holder", "source"] if sources else ["holder"]
    r = reckoned(rows, unit=unit, basis=bases, informant_kinds=kinds)
    expected = brute(rows, ROSTER, unit=unit, bases=set(bases), kinds=set(kinds))
    assert r.n == expected["N"]
    found = values(r)
    assert sorted(found) == sorted(expected["taxa"])
    for taxon, one in expected["taxa"].items():
        assert found[taxon] == pytest.approx(one, abs=1e-12), taxon
    categories = {r.categories[at]: (int(r.nur[at]), int(r.nt[at]), r.icf[at]) for at in np.flatnonzero(r.nt)}
    assert sorted(categories) == sorted(expected["categories"])
    for name, one in expected["categories"].items():
        nur, nt, icf = categories[name]
        assert (nur, nt) == (one["Nur"], one["Nt"])
        assert np.isnan(icf) if one["ICF"] is None else icf == pytest.approx(one["ICF"], abs=1e-12)


@settings(max_examples=60)
@given(rows=ROWS, seed=st.integers(0, 99))
def test_order_and_repetition_of_rows_change_nothing(rows: list[dict[str, str]], seed: int):
    shuffled = [*rows, *rows]
    random.Random(seed).shuffle(shuffled)
    assert values(reckoned(rows)) == values(reckoned(shuffled))


@settings(max_examples=60)
@given(rows=ROWS)
def test_relabelling_changes_nothing(rows: list[dict[str, str]]):
    new = {"Betula pendula": "Zz pendula", "Salix caprea": "Aa caprea", "Malva sylvestris": "Mm sylvestris", "": ""}
    people = {f"{code[::-1]}x": kind for code, kind in ROSTER.items()}
    renamed = [{**row, "taxon": new[row["taxon"]], "informant": f"{row['informant'][::-1]}x"} for row in rows]
    found, again = values(reckoned(rows)), values(reckoned(renamed, people))
    assert {new[taxon]: one for taxon, one in found.items()} == again


@settings(max_examples=60)
@given(rows=ROWS, extra=ROWS)
def test_a_further_informant_never_lowers_fc(rows: list[dict[str, str]], extra: list[dict[str, str]]):
    before = values(reckoned(rows))
    new = [{**row, "informant": "A9"} for row in extra]
    after = values(reckoned([*rows, *new], {**ROSTER, "A9": "holder"}))
    for taxon, one in before.items():
        assert after[taxon]["FC"] >= one["FC"]


@settings(max_examples=80)
@given(rows=ROWS, unit=st.sampled_from(["category", "use"]))
def test_identities(rows: list[dict[str, str]], unit: str):
    r = reckoned(rows, unit=unit)
    assert r.ur.sum() == r.nur.sum()
    np.testing.assert_allclose(r.ci_components.sum(axis=1), r.ci)
    assert (r.fc <= r.ur).all()
    assert (r.ur <= r.fc * r.nu).all()
    assert (r.rfc <= 1).all()
    defined = ~np.isnan(r.icf)
    assert (r.icf[defined] <= 1).all()
    assert (r.icf[defined] >= 0).all()
    assert (defined == (r.nur > 1)).all()
    if unit == "category":
        by_category = reckoned([{**row, "use": row["category"]} for row in rows])
        np.testing.assert_allclose(by_category.uv_all, by_category.ci)  # with categories as uses the two are one


@settings(max_examples=40)
@given(rows=ROWS)
def test_a_silent_informant_thins_what_is_over_n_and_nothing_else(rows: list[dict[str, str]]):
    before, after = reckoned(rows), reckoned(rows, {**ROSTER, "A9": "holder"})
    factor = before.n / (before.n + 1)
    np.testing.assert_allclose(after.rfc, before.rfc * factor)
    np.testing.assert_allclose(after.ci, before.ci * factor)
    np.testing.assert_allclose(after.uv_all, before.uv_all * factor)
    np.testing.assert_array_equal(after.icf, before.icf)
    np.testing.assert_array_equal(after.uv_asked, before.uv_asked)


def test_nobody_counted_is_undefined_not_zero():
    rows = [
        {
            "informant": "S1",
            "event": "E",
            "taxon": "Salix caprea",
            "category": "food",
            "use": "",
            "basis": "own",
            "stance": "affirms",
        }
    ]
    r = reckoned(rows, {"S1": "source"})
    assert r.n == 0
    assert np.isnan(r.rfc).all()
    assert r.why_no_share() == "N is 0: nobody is counted under these rules."


def test_an_empty_table_is_an_empty_result():
    r = reckoned([])
    assert (r.n, len(r.taxa), r.told.sum()) == (4, 0, 0)


def test_one_label_in_two_categories_is_two_uses():
    one = {"informant": "A1", "event": "E1", "taxon": "Salix caprea", "use": "rheumatism", "basis": "own", "stance": "affirms"}
    r = reckoned([{**one, "category": "medicines"}, {**one, "category": "social_uses"}])
    assert r.counts.nu_use.tolist() == [2]
    assert r.counts.ur_use.tolist() == [2]


def test_undetermined_plants_are_dropped_lumped_or_kept_apart_and_their_informant_stays():
    rows = [
        {"informant": "A1", "taxon": "", "plant": plant, "category": "food", "use": "", "basis": "own", "stance": "affirms"}
        for plant in ("P-1", "P-2")
    ]
    people = write_sheet(("informant", "community"), [{"informant": "A1", "community": "X"}])
    table = read_report_table(write_sheet(("informant", "taxon", "plant", "category", "use", "basis", "stance"), rows), people)
    for choice, taxa in (("drop", 0), ("lump", 1), ("each_own", 2)):
        r = reckon(count(table, parse_rules({"undetermined": choice})))
        assert (int(r.told.sum()), r.n) == (taxa, 1), choice
    dropped = reckon(count(table, parse_rules({})))
    assert [one.code for one in dropped.warnings] == ["dropped_plants"]
