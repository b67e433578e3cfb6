"""The further indices in a resample against a reckoning of that resample, written out as a table of its own."""

import csv
import io
import math
from statistics import NormalDist
from typing import Any

import numpy as np
import pytest
from scipy import stats

from tender_ledger.core.indices.families import family_values
from tender_ledger.core.indices.fidelity import popularity_threshold
from tender_ledger.core.indices.reckoning import Reckoning, reckon
from tender_ledger.core.resampling.drawing import draw, every_resample
from tender_ledger.core.resampling.further import further_values
from tender_ledger.core.resampling.intervals import further_ends
from tender_ledger.core.rules import parse_rules
from tender_ledger.core.tally.counting import Tally, count
from tender_ledger.formats.report_table import read_report_table
from tender_ledger.formats.sheet import write_sheet
from tests.conftest import REFERENCE

RULES: list[dict[str, Any]] = [{}, {"unit": "use"}, {"unit": "use_part"}, {"repeat": "each_event"}, {"nc": 9},
                               {"unit": "use", "repeat": "each_event"}, {"mixtures": "share"},
                               {"mixtures": "own_taxon"}]  # fmt: skip


def rows_of(name: str) -> list[dict[str, str]]:
    return list(csv.DictReader(io.StringIO((REFERENCE / name).read_text())))


def tally_of(reports: list[dict[str, str]], people: list[dict[str, str]], rules: dict[str, Any]) -> Tally:
    mixed = [{**row, "mixture": "M" if row["use"] == "cold" else ""} for row in reports]
    table = read_report_table(write_sheet(list(mixed[0]), mixed), write_sheet(list(people[0]), people))
    return count(table, parse_rules({"basis": ["own", "hearsay"], **rules}))


def written_out(weights: list[int], codes: tuple[str, ...]) -> tuple[list[dict[str, str]], list[dict[str, str]]]:
    """Everybody as often as they were drawn, each drawing a person of its own with encounters of its own."""
    times = dict(zip(codes, weights, strict=True))

    def copies(rows: list[dict[str, str]]) -> list[dict[str, str]]:
        own = ("informant", "event")
        return [{key: f"{value}#{at}" if key in own and value else value for key, value in row.items()}
                for row in rows for at in range(times[row["informant"]])]  # fmt: skip

    return copies(rows_of("reports.csv")), copies(rows_of("informants.csv"))


def reckoned(r: Reckoning, taxon: str) -> dict[str, float]:
    if taxon not in r.taxa or not r.fc[r.taxa.index(taxon)]:
        return dict.fromkeys(("fl", "rop", "ud", "ue", "id", "ie", "uvt"), math.nan) | {"cv": 0.0, "rpl": 0.0, "uc": -1.0}
    at = r.taxa.index(taxon)
    rop = float(r.rop[at]) if r.popularity.threshold else math.nan
    return {"cf": r.fc[at] / r.fc.max(), "cv": r.cv[at],
            "ri": r.ri[at], "rip": r.ri_properties[at], "fl": r.fl[at], "rpl": r.popularity.rpl[at], "rop": rop,
            "ud": r.ud[at], "ue": r.ud[at] / r.counts.nu_category[at], "id": r.id[at], "ie": r.id[at] / r.fc[at], "uc": r.uc[at],
            "uvt": r.uv_told[at], "uva": r.uv_asked[at]}  # fmt: skip


@pytest.mark.parametrize("rules", RULES, ids=str)
def test_every_index_in_a_resample_is_that_of_the_resample(rules: dict[str, Any]):
    tally = tally_of(rows_of("reports.csv"), rows_of("informants.csv"), rules)
    codes = tally.table.informants.codes
    drawn = draw(np.zeros(len(codes), dtype=np.int64), 25, seed=4)
    found = further_values(tally, drawn, tally.counted, np.arange(len(codes)))
    seen = 0
    for row, weights in enumerate(drawn.weights.astype(int).tolist()):
        r = reckon(tally_of(*written_out(weights, codes), rules), communities=False)
        for at, taxon in enumerate(tally.taxa.names):
            for name, value in reckoned(r, taxon).items():
                if name == "rpl" and not r.popularity.threshold:
                    value = math.nan
                assert found.taxa[name][row, at] == pytest.approx(value, rel=1e-5, nan_ok=True), (name, taxon, weights)
                seen += not math.isnan(value)
        for at, category in enumerate(tally.table.categories):
            told = category in r.categories and r.nt[r.categories.index(category)] > 0
            sd = r.sd[r.categories.index(category)] if told else math.nan
            assert found.categories["sd"][row, at] == pytest.approx(sd, nan_ok=True)
            assert found.categories["se"][row, at] == pytest.approx(
                sd / r.nt[r.categories.index(category)] if told else sd, nan_ok=True
            )
        families = family_values(r)
        for at, name in enumerate(found.names):
            for key, column in (("fuv", families.fuv_all), ("fuva", families.fuv_asked)):
                value = column[families.names.index(name)] if name in families.names else math.nan
                assert found.families[key][row, at] == pytest.approx(value, rel=1e-5, nan_ok=True)
    assert seen > 1000


def test_the_ends_are_those_of_the_study_without_each_informant():
    """Each study of seven written out as a table of its own, and the scales as docs/methods/uncertainty.md gives them."""
    tally = tally_of(rows_of("reports.csv"), rows_of("informants.csv"), {})
    codes, at = tally.table.informants.codes, tally.taxa.names.index("Mentha spicata")
    tellers = np.full(len(tally.taxa.names), 6)
    found = further_ends(tally, draw(np.zeros(8, dtype=np.int64), 40, 1), tally.counted, np.arange(8), tellers, "all")
    whole = reckoned(reckon(tally), "Mentha spicata")
    left = [reckoned(reckon(tally_of(*written_out([int(other != one) for other in range(8)], codes), {}), communities=False),
                     "Mentha spicata") for one in range(8)]  # fmt: skip

    def error(values: list[float]) -> float:
        return math.sqrt(7 / 8 * sum((one - sum(values) / 8) ** 2 for one in values))

    z, students = NormalDist().inv_cdf(0.975), float(stats.t.ppf(0.975, 5))
    for name in ("id", "uc"):
        reach = z * error([one[name] for one in left])
        expected = (whole[name] - reach, whole[name] + reach)
        assert (found.taxa[name][0][at], found.taxa[name][1][at]) == pytest.approx(expected, rel=1e-5), name
    reach = students * error([math.asin(math.sqrt(one["ue"])) for one in left])
    angle = math.asin(math.sqrt(whole["ue"]))
    expected = (math.sin(max(angle - reach, 0)) ** 2, math.sin(min(angle + reach, math.pi / 2)) ** 2)
    assert (found.taxa["ue"][0][at], found.taxa["ue"][1][at]) == pytest.approx(expected, rel=1e-4)
    reach = students * error([math.log(one["uvt"]) for one in left])
    expected = (whole["uvt"] * math.exp(-reach), whole["uvt"] * math.exp(reach))
    assert (found.taxa["uvt"][0][at], found.taxa["uvt"][1][at]) == pytest.approx(expected, rel=1e-4)


def test_a_threshold_that_is_given_holds_in_every_resample():
    tally = tally_of(rows_of("reports.csv"), rows_of("informants.csv"), {})
    drawn, at = every_resample(8), tally.taxa.names.index("Mentha spicata")
    own = np.zeros(8)
    own[tally.citations.informant[tally.citations.taxon == at]] = 1
    values = further_values(tally, drawn, tally.counted, np.arange(8), threshold=4).taxa
    np.testing.assert_allclose(values["rpl"][:, at], np.minimum(drawn.weights @ own / 4, 1), rtol=1e-5)
    np.testing.assert_allclose(values["rop"], values["fl"] * values["rpl"])


def test_what_would_take_too_long_has_no_interval():
    tally = tally_of(rows_of("reports.csv"), rows_of("informants.csv"), {})
    drawn = draw(np.zeros(8, dtype=np.int64), 10, seed=1)
    nobody = np.zeros(8, dtype=bool)
    assert not further_values(tally, drawn, nobody, np.full(8, -1)).taxa


def test_the_threshold_is_that_of_the_least_squares():
    # numpy's own least squares at every T, on random tables.
    rng = np.random.default_rng(5)
    for _round in range(60):
        fc, uses = rng.integers(0, 9, 12), rng.integers(1, 7, 12)
        x, y = fc[fc > 0], uses[fc > 0]
        squares = {}
        for t in np.unique(x)[1:]:
            design = np.stack([np.ones(len(x)), np.minimum(x, t)], axis=1)
            squares[int(t)] = round(float(((y - design @ np.linalg.lstsq(design, y, rcond=None)[0]) ** 2).sum()), 9)
        expected = min(squares, key=lambda t: (squares[t], t)) if squares else 0
        assert popularity_threshold(uses, fc) == expected
