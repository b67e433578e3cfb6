"""How numbers, names and rules are written on the pages."""

import math
import re
from typing import Any

import pytest

from tender_ledger.core.rules import BASES, CountingRules
from tender_ledger.operations.glossary import field_terms, index_terms
from tender_ledger.web.shared.rules_sentence import BASIS_NAMES, rules_sentence
from tender_ledger.web.shared.templating import count, decimal, recording_time, sci
from tender_ledger.web.shared.words import gettext, ngettext
from tests.conftest import SignedIn

COUNTING = "Counting one report a holder, plant and"
DEFAULT = "on any ground but hearsay, reading and published studies."


@pytest.mark.parametrize(
    ("rules", "expected"),
    [
        (
            {},
            f"{COUNTING} category, told by holders only, {DEFAULT}",
        ),
        (
            {"unit": "use"},
            f"{COUNTING} specific use, told by holders only, {DEFAULT}",
        ),
        ({"basis": list(BASES)}, f"{COUNTING} category, told by holders only, on any ground."),
        (
            {"basis": ["own"], "informant_kinds": ["holder", "source"]},
            f"{COUNTING} category, told by holders and sources, on own practice.",
        ),
        (
            {"basis": [one for one in BASES if one != "laboratory"]},
            f"{COUNTING} category, told by holders only, on any ground but laboratory study.",
        ),
    ],
)
def test_the_rules_as_a_sentence(rules: dict[str, Any], expected: str):
    assert rules_sentence(CountingRules().with_(**rules)) == expected


def test_every_ground_has_a_name():
    assert set(BASIS_NAMES) == set(BASES)


def test_numbers_are_written_with_a_thin_space_and_a_dash_where_undefined():
    assert (count(1234567), count(12)) == ("1\u2009234\u2009567", "12")
    assert (decimal(1.0), decimal(1234.567, 1), decimal(math.nan), decimal(None)) == ("1.00", "1\u2009234.6", "–", "–")
    assert (recording_time(761), recording_time(3761), recording_time(None), recording_time(0)) == (
        "12:41",
        "1:02:41",
        "",
        "0:00",
    )


def test_a_scientific_name_is_safe_and_italic_where_it_is_latin():
    assert sci("Rubus idaeus", "L.", "cf") == '<i>Rubus</i> cf. <i>idaeus</i> <span class="auth">L.</span>'
    assert sci("<script>", "") == "<i>&lt;script&gt;</i>"


def test_sentences_pass_through_gettext_with_their_values():
    assert gettext("told by %(code)s", code="ONS-01") == "told by ONS-01"
    assert [ngettext("%(num)s report", "%(num)s reports", number) for number in (1, 2, 0)] == [
        "1 report",
        "2 reports",
        "0 reports",
    ]


def test_the_glossary_explains_every_term_with_its_source_and_labels_lead_to_it(sign_in: SignedIn):
    client = sign_in()
    page = client.get("/study/VELDRA/glossary").text
    anchors = re.findall(r'<div id="([a-z_0-9]+)">', page)
    assert len(anchors) == len(set(anchors)) > 60
    assert all(f'id="{key}"' in page for key in ("use_report", "basis", "ci", "icf", "uvt", "cv"))
    assert page.count("<math") > 30
    for address in ("/study/VELDRA/reports/1", "/study/VELDRA/plants/1", "/study/VELDRA/encounters/1"):
        linked = re.findall(r"/study/VELDRA/glossary#([a-z_]+)", client.get(address).text)
        assert {"basis", "part", "use"} <= set(linked)
        assert set(linked) <= set(anchors)
    assert all(one.source for one in (*field_terms(), *index_terms()))
