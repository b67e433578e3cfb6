"""An agreement that ends takes its holder out of every page when the day is over where the study works, without any write."""

import re
from datetime import UTC, datetime

import pytest

from tender_ledger.operations import clock
from tender_ledger.storage.database import run, value
from tests.conftest import READER, SignedIn

PAGES = ("reckoning?margin=n", "people", "reports", "encounters", "reckoning/ladder.csv")


def n_of(page: str) -> int:
    found = re.search(r"N = (\d+)", page)
    assert found
    return int(found[1])


def test_a_day_that_passes_changes_the_numbers_with_no_write(sign_in: SignedIn, monkeypatch: pytest.MonkeyPatch):
    run("UPDATE consent SET expires_on = '2027-06-30' WHERE holder_id = (SELECT id FROM holder WHERE code = 'ONS-01')")
    run("UPDATE study SET zone = 'Pacific/Kiritimati'")  # where 30 June is over at 10 o'clock UTC
    reader, owner = sign_in(READER), sign_in()
    before = value("SELECT revision FROM study"), value("SELECT max(id) FROM change")
    moment = datetime(2027, 6, 30, 9, 59, tzinfo=UTC)
    monkeypatch.setattr(clock, "now", lambda: moment)
    page = reader.get("/study/VELDRA/reckoning?margin=n").text
    n = n_of(page)
    assert "ONS-01" in page
    published = owner.get("/study/VELDRA/reckoning/ladder.csv").text
    moment = datetime(2027, 6, 30, 10, 0, tzinfo=UTC)
    page = reader.get("/study/VELDRA/reckoning?margin=n").text
    assert n_of(page) == n - 1
    for address in PAGES[:4]:
        assert "ONS-01" not in reader.get(f"/study/VELDRA/{address}").text, address
    assert owner.get("/study/VELDRA/reckoning/ladder.csv").text != published
    assert "agreement ended 30 June 2027: recorded, not counted" in owner.get("/study/VELDRA/people").text
    assert (value("SELECT revision FROM study"), value("SELECT max(id) FROM change")) == before
