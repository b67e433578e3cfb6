"""Importing a use-report table: what lands, what fails and why, what is known again, and one undo for all of it."""

from pathlib import Path

import pytest

from tender_ledger.core.rules import parse_rules
from tender_ledger.operations import importing
from tender_ledger.operations.reckoning import reckon_study
from tender_ledger.standins.names_service import ChecklistNames
from tests.factories import SmallStudy

REFERENCE = Path(__file__).parents[1] / "reference"
REPORTS, ROSTER = (REFERENCE / "reports.csv").read_bytes(), (REFERENCE / "informants.csv").read_bytes()
TERMS = ("record", "count", "show")


@pytest.fixture
def small(empty_db: str) -> SmallStudy:
    return SmallStudy()


def bring(small: SmallStudy, reports: bytes | str, roster: bytes | None = None, *, new_codes: bool = True,
          terms: tuple[str, ...] = TERMS) -> importing.ImportOutcome:  # fmt: skip
    data = reports.encode() if isinstance(reports, str) else reports
    return importing.import_table(small.scope, data, roster, ChecklistNames(), terms=terms, new_codes=new_codes)


def test_the_worked_example_counts_in_the_study_as_it_does_from_the_table(small: SmallStudy):
    out = bring(small, REPORTS, ROSTER)
    assert out.plan.failing == []
    r = reckon_study(small.scope, parse_rules({"basis": ["own", "hearsay"]})).result
    assert r.n == 8
