"""The hand-worked example: every value of this version against results computed apart from this code.

Formulas as published: Tardio & Pardo-de-Santayana 2008 (Econ Bot 62:24-39) for UR, FC, NU, RFC, CI; Rossato et al. 1999 (Econ Bot
53:387-395) and Phillips & Gentry 1993 (Econ Bot 47:15-32) for the use values; Trotter & Logan 1986 and Heinrich et al. 1998
(Soc Sci Med 47:1859-1871) for ICF. The worked numbers are in tests/reference.
"""

import json
from fractions import Fraction
from typing import Any

import pytest

from tender_ledger.core.indices.reckoning import reckon
from tender_ledger.core.rules import CountingRules, parse_rules
from tender_ledger.core.tally.counting import count
from tender_ledger.formats.report_table import read_report_table
from tender_ledger.formats.result_document import result_document
from tests.conftest import REFERENCE

RULES = parse_rules({"basis": ["own", "hearsay"]})
TAXON_KEYS = ("UR", "UR_by_category", "UR_use", "FC", "NU_category", "NU_use", "RFC", "CI", "CI_components", "UV_simple_use",
              "UV_simple_category", "UV_PG_use_ns", "n_asked", "family")  # fmt: skip
CATEGORY_KEYS = ("Nur", "Nt", "ICF", "Nur_use", "ICF_use")
COMMUNITY_KEYS = ("UR", "FC", "NU_category", "RFC", "CI", "UV_simple_use")


def document(rules: CountingRules = RULES) -> dict[str, Any]:
    table = read_report_table((REFERENCE / "reports.csv").read_bytes(), (REFERENCE / "informants.csv").read_bytes())
    return result_document(reckon(count(table, rules)))


def exact(value: Any) -> Any:
    if isinstance(value, dict):
        return {key: exact(one) for key, one in value.items()}
    return float(Fraction(value)) if isinstance(value, str) and value[:1].isdigit() else value


EXPECTED = json.loads((REFERENCE / "expected-exact.json").read_text())
TAXA = sorted(EXPECTED["taxa"])


def test_the_example_is_the_one_meant():
    assert sorted(document()["taxa"]) == TAXA
    assert len(TAXA) == 6


@pytest.mark.parametrize("taxon", TAXA)
@pytest.mark.parametrize("key", TAXON_KEYS)
def test_taxa(taxon: str, key: str):
    expected = exact(EXPECTED["taxa"][taxon][key])
    assert document()["taxa"][taxon][key] == (expected if isinstance(expected, str) else pytest.approx(expected, rel=1e-12))


@pytest.mark.parametrize("category", sorted(EXPECTED["categories"]))
@pytest.mark.parametrize("key", CATEGORY_KEYS)
def test_categories(category: str, key: str):
    expected = exact(EXPECTED["categories"][category][key])
    found = document()["categories"][category][key]
    assert found is None if expected is None else found == pytest.approx(expected, rel=1e-12)


@pytest.mark.parametrize("community", ["X", "Y"])
def test_communities_have_their_own_n_and_values(community: str):
    expected, found = EXPECTED["communities"]["by_community"][community], document()["communities"]["by_community"][community]
    assert found["N"] == expected["N"]
    assert sorted(found["taxa"]) == sorted(expected["taxa"])
    for name, values in expected["taxa"].items():
        for key in COMMUNITY_KEYS:
            assert found["taxa"][name][key] == pytest.approx(exact(values[key]), rel=1e-12), (name, key)
    for name, values in expected["categories"].items():
        for key in ("Nur", "Nt", "ICF"):
            one = exact(values[key])
            assert found["categories"][name][key] == (one if one is None else pytest.approx(one, rel=1e-12)), (name, key)


@pytest.mark.parametrize("key", ["N", "NC", "UR", "UR_use", "informants_reporting", "rows_with_a_use", "taxa"])
def test_totals(key: str):
    assert document()["totals"][key] == EXPECTED["totals"][key]


def test_undefined_agreement_is_null_with_a_reason():
    found = document()
    assert found["categories"]["RITUAL"]["ICF"] is None
    reasons = [one["message"] for one in found["warnings"] if one["where"] == "categories.RITUAL.ICF"]
    assert reasons == ["One use report only: 0/0 is no agreement and no disagreement."]


def test_hearsay_left_out_lowers_the_values_and_leaves_n():
    # Hand-worked: without hearsay ICF of MED is 4/5 and CRAFT falls to one report, so that its ICF is undefined; N stays 8.
    found = document(parse_rules({"basis": ["own"]}))
    assert found["totals"]["N"] == 8
    assert found["categories"]["MED"]["ICF"] == pytest.approx(4 / 5)
    assert found["categories"]["CRAFT"]["Nur"] == 1
    assert found["categories"]["CRAFT"]["ICF"] is None


def test_the_specific_use_as_unit():
    # Hand-worked: 29 reports; ICF of MED is 9/12.
    found = document(parse_rules({"basis": ["own", "hearsay"], "unit": "use"}))
    assert found["totals"]["UR"] == 29
    assert found["categories"]["MED"]["ICF"] == pytest.approx(3 / 4)


def test_n_of_those_reporting():
    # Hand-worked: Mentha has RFC 6/7 and CI 8/7 where N is the reporters.
    found = document(parse_rules({"basis": ["own", "hearsay"], "n": "reporting"}))["taxa"]["Mentha spicata"]
    assert found["RFC"] == pytest.approx(6 / 7)
    assert found["CI"] == pytest.approx(8 / 7)


def test_without_a_roster_the_silent_are_missing_and_it_says_so():
    table = read_report_table((REFERENCE / "reports.csv").read_bytes())
    found = result_document(reckon(count(table, RULES)))
    assert found["totals"]["N"] == 7
    assert "roster_from_reports" in {one["code"] for one in found["warnings"]}
