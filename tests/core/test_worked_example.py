"""The hand-worked example: every value of the result document against results computed apart from this code.

Formulas as published, each with its source in the function that computes it. The worked numbers are in tests/reference:
expected-exact.json holds rationals, worked by hand and by exact enumeration of all resamples and relabellings.
"""

import json
import math
from collections.abc import Iterator
from fractions import Fraction
from functools import cache
from typing import Any

import numpy as np
import pytest

from tender_ledger.core.analysis import Parts, parts_of
from tender_ledger.core.consensus.model import consensus
from tender_ledger.core.groups.permanova import permanova
from tender_ledger.core.indices.agreement import without_each
from tender_ledger.core.indices.reckoning import Reckoning, reckon
from tender_ledger.core.indices.working import working_of_category
from tender_ledger.core.resampling.bootstrap import bootstrap, resampled_agreement
from tender_ledger.core.resampling.drawing import draw, every_resample
from tender_ledger.core.resampling.further import further_values
from tender_ledger.core.rules import CountingRules, parse_rules
from tender_ledger.core.tally.counting import Tally, count
from tender_ledger.formats.reckoning_files import read_answers, read_flora, read_free_lists
from tender_ledger.formats.report_table import read_report_table
from tender_ledger.formats.result_document import result_document
from tender_ledger.formats.result_parts import consensus_document
from tests.conftest import REFERENCE

RULES = parse_rules({"basis": ["own", "hearsay"]})
EXPECTED = json.loads((REFERENCE / "expected-exact.json").read_text())
FROM_FLOATS = json.loads((REFERENCE / "expected.json").read_text())


def read(name: str) -> bytes:
    return (REFERENCE / name).read_bytes()


@cache
def tally_of(rules: CountingRules = RULES) -> Tally:
    return count(read_report_table(read("reports.csv"), read("informants.csv")), rules)


@cache
def computed() -> tuple[Reckoning, Parts]:
    tally = tally_of()
    lists = read_free_lists(read("freelists.csv"), tally.table.informants.codes)
    r = reckon(tally)
    return r, parts_of(tally, r, lists=lists, flora=read_flora(read("flora.csv")), replicates="exact")


@cache
def document(rules: CountingRules | None = None) -> dict[str, Any]:
    return result_document(*computed()) if rules is None else result_document(reckon(tally_of(rules)))


def leaves(value: Any, path: tuple[str, ...] = ()) -> Iterator[tuple[tuple[str, ...], Any]]:
    if isinstance(value, dict):
        for key, one in value.items():
            yield from leaves(one, (*path, key))
    elif isinstance(value, list):
        for at, one in enumerate(value):
            yield from leaves(one, (*path, str(at)))
    else:
        yield path, value


def at(found: Any, path: tuple[str, ...]) -> Any:
    for key in path:
        found = found[int(key)] if isinstance(found, list) else found[key]
    return found


def exact(value: Any) -> Any:
    return float(Fraction(value)) if (isinstance(value, str) and value[:1].isdigit()) or str(value)[:1] == "-" else value


@pytest.mark.parametrize("part", sorted(set(EXPECTED) - {"conventions"}))
@pytest.mark.parametrize("expected", [EXPECTED, FROM_FLOATS], ids=["rationals", "decimals"])
def test_every_value_of_the_example(part: str, expected: dict[str, Any]):
    found, compared = document()[part], 0
    for path, value in leaves(expected[part]):
        value, ours, compared = exact(value), at(found, path), compared + 1
        if isinstance(value, float | int) and not isinstance(value, bool):
            assert ours == pytest.approx(value, rel=1e-12, abs=1e-12), (part, *path)
        else:
            assert ours == value, (part, *path)
    assert compared > 10  # totals are the smallest part


def test_the_documents_name_the_same_things():
    for part in ("taxa", "categories", "informants", "families"):
        assert sorted(document()[part]) == sorted(EXPECTED[part])


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


@pytest.mark.parametrize(("unit", "repeat", "reports", "icf"), [
    ("category", "once", 27, 8 / 11), ("use", "once", 29, 3 / 4), ("use_part", "once", 30, 10 / 13),
    ("category", "each_event", 29, 3 / 4), ("use", "each_event", 31, 10 / 13),
])  # fmt: skip
def test_the_units_of_a_report(unit: str, repeat: str, reports: int, icf: float):
    # Hand-worked: 27, 29 and 30 reports, 29 and 31 by event; ICF of MED 8/11 and 3/4. With part MED has 14 keys of 4 taxa.
    found = document(parse_rules({"basis": ["own", "hearsay"], "unit": unit, "repeat": repeat}))
    assert found["totals"]["UR"] == reports
    assert found["categories"]["MED"]["ICF"] == pytest.approx(icf)


def test_n_of_those_reporting():
    # Hand-worked: Mentha has RFC 6/7 and CI 8/7 where N is the reporters.
    found = document(parse_rules({"basis": ["own", "hearsay"], "n": "reporting"}))["taxa"]["Mentha spicata"]
    assert found["RFC"] == pytest.approx(6 / 7)
    assert found["CI"] == pytest.approx(8 / 7)


def test_without_a_roster_the_silent_are_missing_and_it_says_so():
    found = result_document(reckon(count(read_report_table(read("reports.csv")), RULES)))
    assert found["totals"]["N"] == 7
    assert "roster_from_reports" in {one["code"] for one in found["warnings"]}


def test_drawn_resamples_meet_the_enumerated_ones():
    # Ends within one step of 1/N; for ICF the share of resamples at or below the exact end within 0.01 of the exact share.
    drawn = bootstrap(tally_of(), replicates=10_000, seed=7, exact_means=False)
    r = reckon(tally_of())
    for name, key in (("rfc", "RFC"), ("ci", "CI"), ("uv", "UV_simple_use")):
        for place, taxon in enumerate(r.taxa):
            low, high = FROM_FLOATS["uncertainty"]["taxa"][taxon][key]["percentile95"]
            assert abs(drawn.taxa[name].low[place] - low) <= 1 / 8 + 1e-9
            assert abs(drawn.taxa[name].high[place] - high) <= 1 / 8 + 1e-9
    enumerated = bootstrap(tally_of(), exact=True)
    for place, category in enumerate(r.categories):
        interval = FROM_FLOATS["uncertainty"]["categories"][category]["percentile95"]
        assert np.isnan(drawn.categories.low[place]) == (interval is None)
        assert drawn.categories.undefined[place] == pytest.approx(enumerated.categories.undefined[place], abs=0.01)
        if interval:
            assert drawn.categories.mean[place] == pytest.approx(enumerated.categories.mean[place], abs=0.01)


def test_shares_below_the_ends_of_agreement():
    # MED: exact 95 % are 4/7 to 13/15; of the drawn resamples as many lie at or below them as of all 8^8, to 0.01.
    tally = tally_of()
    shares = {}
    for exactly in (True, False):
        resamples = every_resample(8) if exactly else draw(np.zeros(8, dtype=int), 10_000, 3)
        icf = resampled_agreement(tally, tally.counted, np.arange(8), resamples)[:, list(tally.table.categories).index("MED")]
        weight = resamples.shares() * ~np.isnan(icf)
        shares[exactly] = [float(weight[icf <= end + 1e-12].sum() / weight.sum()) for end in (4 / 7, 13 / 15)]
    assert shares[True] == pytest.approx(shares[False], abs=0.01)


def test_drawn_relabellings_meet_the_counted_ones():
    tally = tally_of()
    told = np.zeros((8, 6), dtype=bool)
    told[tally.citations.informant, tally.citations.taxon] = True
    groups = np.repeat([0, 1], 4)
    counted = permanova(told, groups)
    assert (counted.exact, counted.relabellings, counted.left_out) == (True, 35, 1)
    drawn = permanova(told, groups, drawn=5_000, seed=3, most_exact=0)
    assert not drawn.exact
    assert drawn.p == pytest.approx(3 / 35, abs=0.02)
    assert drawn.f == pytest.approx(74173 / 24325, rel=1e-12)


def test_the_consensus_example():
    expected = json.loads((REFERENCE / "consensus-expected.json").read_text())
    found = consensus_document(consensus(read_answers(read("consensus-answers.csv"))))
    for informant, competence in expected["competence"].items():
        assert found["competence"][informant] == pytest.approx(competence, abs=1e-5)
    assert found["eigenvalue_ratio"] == pytest.approx(expected["eigenvalue_ratio"], rel=0.02)
    for path, value in leaves({key: one for key, one in expected.items() if key not in ("competence", "eigenvalues")}):
        ours = at(found, path)
        assert ours == (pytest.approx(value, abs=1e-4) if isinstance(value, float) else value), path
    assert len(found["answer_key"]) == 40


def test_further_indices_in_every_resample():
    # CV, RI, FL and UC against a count of each of the 6,435 different resamples from the definitions.
    tally = tally_of()
    drawn, number = every_resample(8), np.arange(8)
    found = further_values(tally, drawn, tally.counted, number)
    keys = tally.citations
    values: dict[str, list[float]] = {name: [] for name in ("cv", "ri", "fl", "uc")}
    taxon = tally.taxa.names.index("Mentha spicata")
    for weights in drawn.weights.astype(int):
        told = [(keys.taxon[at], keys.category[at], weights[keys.informant[at]], keys.informant[at]) for at in range(len(keys))]
        fc = {s: sum({i: w for t, _u, w, i in told if t == s}.values()) for s in range(6)}
        nu = {s: len({u for t, u, w, _i in told if t == s and w}) for s in range(6)}
        nc = len({u for _t, u, w, _i in told if w})
        ur = sum(w for t, _u, w, _i in told if t == taxon)
        by_use = [sum(w for t, u, w, _i in told if t == taxon and u == use) for use in range(5)]
        values["cv"].append(nu[taxon] / max(nc, 1) * fc[taxon] / 8 * ur / 8)
        values["ri"].append((fc[taxon] / max(fc.values()) + nu[taxon] / max(nu.values())) / 2 if max(fc.values()) else math.nan)
        values["fl"].append(100 * max(by_use) / fc[taxon] if fc[taxon] else math.nan)
        values["uc"].append(2 * fc[taxon] / 8 - 1)
    for name, column in values.items():
        np.testing.assert_allclose(found.taxa[name][:, taxon], column, rtol=1e-5)


def test_what_makes_and_breaks_an_agreement():
    # MED: Mentha 5, Sambucus 4, Salvia 2, Malva 1 of Nur 12, Nt 4: without Mentha (7 - 3) / 6, without Malva (11 - 3) / 10.
    r = computed()[0]
    without = without_each(r.counts.reports_by_category)[:, r.categories.index("MED")]
    told = dict(zip(r.taxa, without.tolist(), strict=True))
    assert (told["Mentha spicata"], told["Malva sylvestris"]) == pytest.approx((4 / 6, 8 / 10))
    assert math.isnan(told["Olea europaea"])
    working = working_of_category(r, "MED", "icf")
    assert working is not None
    assert (working.makes[0][0], working.breaks[0][0]) == ("Mentha spicata", "Malva sylvestris")
