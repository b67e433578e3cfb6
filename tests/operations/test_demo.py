"""The demo study as the work needs it, and the numbers of its export against those of its screen."""

import csv
import io

import numpy as np
import pytest

from tender_ledger.core.indices.reckoning import reckon
from tender_ledger.core.rules import CountingRules, parse_rules
from tender_ledger.core.tally.counting import count
from tender_ledger.core.terms import Purpose, Scope
from tender_ledger.formats.report_table import read_report_table
from tender_ledger.formats.result_document import result_document
from tender_ledger.operations.export import export_study
from tender_ledger.operations.reckoning import reckon_study, reports_behind
from tender_ledger.storage.database import value
from tender_ledger.storage.queries import people, plants, reports


def test_it_is_as_large_and_as_uneven_as_a_study_should_be(scope: Scope):
    assert value("SELECT invented FROM study")
    told = [one for one in people.holders(scope) if one["reports"]]
    assert len(told) + 3 >= 36  # three more are counted and not shown
    assert {one["community_code"] for one in told} == {"ONS", "TAR", "KEL"}
    r = reckon_study(scope, CountingRules()).result
    assert r.told.sum() >= 45
    assert r.ur.sum() >= 900
    assert value("SELECT count(*) FROM use_report") >= 900
    assert len([one for one in plants.plants(scope) if not one["taxon"]]) >= 2
    assert {one["stance_code"] for one in reports.reports(scope)} > {"affirms"}
    assert "none" in {one["outcome_code"] for one in reports.reports(scope)}
    assert len(people.sources(scope)) == 2
    assert value("SELECT count(*) FROM consent WHERE withdrawn_on IS NOT NULL") == 1
    silent = [one for one in people.holders(scope) if one["encounters"] and not one["reports"]]
    assert len(silent) == 1


def test_a_few_everybody_names_and_a_long_tail(scope: Scope):
    r = reckon_study(scope, CountingRules()).result
    fc = np.sort(r.fc[r.told])[::-1]
    assert (fc >= 0.75 * r.n).sum() in range(3, 7)  # a few that nearly everybody names
    assert (fc < 5).sum() >= 6  # and a tail that few do
    assert np.median(fc) < r.n / 2


def test_categories_agree_from_not_at_all_to_nearly_all_and_one_carries_no_number(scope: Scope):
    r = reckon_study(scope, CountingRules()).result
    told = r.icf[r.nur > 0]
    assert np.isnan(told).sum() == 1
    assert np.nanmin(told) == 0
    assert ((told > 0.3) & (told < 0.7)).sum() >= 2
    assert (told > 0.85).sum() >= 4


def test_communities_differ_in_part(scope: Scope):
    """Every pair shares most of its plants, each has some of its own, and the first five are not the same."""
    r = reckon_study(scope, CountingRules()).result
    told = {code: set(np.flatnonzero(one.told)) for code, one in r.by_community.items()}
    first = {code: tuple(np.argsort(-one.ci)[:5]) for code, one in r.by_community.items()}
    assert len(set(first.values())) == 3
    for one, other in (("ONS", "TAR"), ("ONS", "KEL"), ("TAR", "KEL")):
        shared = len(told[one] & told[other])
        assert 0.6 < shared / len(told[one] | told[other]) < 0.95
        assert told[one] - told[other]
        assert told[other] - told[one]


@pytest.mark.parametrize(
    "rules",
    [
        {},
        {"unit": "use"},
        {"informant_kinds": ["holder", "source"]},
        {"basis": ["own", "taught", "hearsay"]},
        {"undetermined": "each_own"},
        {"qualified": "own_taxon"},
        {"qualified": "drop"},
        {"outcomes": ["helped", "none", "harmed", "unstated"]},
    ],
)
def test_the_indices_of_the_export_are_those_of_the_screen(scope: Scope, rules: dict):
    """Of the same reports: what may be published, counted from the database and from the exported files."""
    wanted = parse_rules(rules)
    screen = result_document(reckon_study(scope, wanted, purpose=Purpose.PUBLISHED_ROWS).result)
    files = export_study(scope)
    table = read_report_table(files["reports.csv"], files["informants.csv"])
    exported = result_document(reckon(count(table, wanted)))
    for part in ("totals", "taxa", "categories", "communities"):
        assert exported[part] == screen[part], part


def test_all_that_is_counted_may_be_published_gives_the_screens_own_numbers(scope: Scope):
    """Once everybody agrees to publication, the command line's numbers are those that members see."""
    from tender_ledger.storage.database import run

    every_term = "may_count = true, may_show = true, may_publish_aggregate = true, may_publish_rows = true"
    run(f"UPDATE consent SET {every_term} WHERE withdrawn_on IS NULL")
    files = export_study(scope)
    exported = result_document(reckon(count(read_report_table(files["reports.csv"], files["informants.csv"]), CountingRules())))
    screen = result_document(reckon_study(scope, CountingRules()).result)
    for part in ("totals", "taxa", "categories", "communities"):
        assert exported[part] == screen[part], part


def test_the_export_gives_words_only_where_they_may_be_quoted_and_never_a_profile(scope: Scope):
    files = export_study(scope)
    told = list(csv.DictReader(io.StringIO(files["reports.csv"].decode())))
    quoted = {one["informant"] for one in told if one["words"]}
    allowed = {one["code"] for one in people.holders(scope) if one["may_publish_verbatim"]} | {
        one["code"] for one in people.sources(scope)
    }
    assert quoted
    assert quoted <= allowed
    assert next(csv.DictReader(io.StringIO(files["informants.csv"].decode()))).keys() == {"informant", "community", "kind"}
    assert b"no advice" in files["notice.txt"]


def test_every_number_opens_to_reports_that_give_it(scope: Scope):
    """The distinct (informant, category) pairs of the reports behind a taxon are its UR; the hidden ones make up the rest."""
    rules = CountingRules()
    r = reckon_study(scope, rules).result
    for at in np.flatnonzero(r.told):
        behind = reports_behind(scope, rules, taxon=r.taxa[at])
        pairs = {(one["informant"], one["category_code"]) for one in behind.shown}
        assert len(pairs) <= r.ur[at] <= len(pairs) + behind.hidden
        if not behind.hidden:
            assert len({one["informant"] for one in behind.shown}) == r.fc[at]
