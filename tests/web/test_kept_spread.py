"""Pages of numbers that are kept as they were drawn."""

import re

import pytest

from tender_ledger.operations import computing
from tender_ledger.storage.database import rows, run, value
from tender_ledger.storage.queries import past_counts
from tender_ledger.web.reckoning import routes
from tests.conftest import OWNER, READER, SignedIn, Threads

PAGE = "/study/VELDRA/reckoning"


def body(text: str) -> str:
    """A page without the tokens of its request."""
    return re.sub(r'(?:X-CSRFToken": |name="csrf_token" value=)"[^"]*"', "", text)


@pytest.mark.parametrize("address", [PAGE, f"{PAGE}?show=ladder", f"{PAGE}/indices?margin=ud:spread:Salix%20caprea"])
def test_a_page_is_drawn_once_for_a_viewer_until_something_is_written(
    sign_in: SignedIn, monkeypatch: pytest.MonkeyPatch, address: str
):
    client = sign_in(OWNER)
    first = client.get(address).text
    with monkeypatch.context() as patched:
        patched.setattr(routes, "people", None)  # drawing it would ask for the communities
        patched.setattr("tender_ledger.web.reckoning.analysis_routes.people", None)
        assert body(client.get(address).text) == body(first)
        with pytest.raises(AttributeError):
            sign_in(READER).get(address)  # what one viewer was drawn is not shown to another
        run("UPDATE study SET revision = revision + 1")
        with pytest.raises(AttributeError):
            client.get(address)
    assert body(client.get(address).text) == body(first)


def test_what_holds_the_token_of_a_form_is_not_kept(sign_in: SignedIn):
    client = sign_in(OWNER)
    assert "csrf_token" in client.get(f"{PAGE}?margin=rules").text.partition('id="margin"')[2]
    assert value("SELECT count(*) FROM kept_answer WHERE digest LIKE 'page %%'") == 0
    client.get(PAGE)
    assert value("SELECT count(*) FROM kept_answer WHERE digest LIKE 'page %%'") == 1


def test_a_page_that_waits_for_a_computation_is_not_kept(sign_in: SignedIn, long_works: Threads, monkeypatch: pytest.MonkeyPatch):
    monkeypatch.setattr(computing, "SHORT", -1.0)
    client = sign_in(OWNER)
    client.get(f"{PAGE}?show=categories")
    assert rows("SELECT 1 FROM kept_answer WHERE digest LIKE 'page %%'") == []
    client.get(PAGE)  # its intervals are offered: it is kept for a minute, since anybody may begin them
    (kept,) = rows("SELECT may_change FROM kept_answer WHERE digest LIKE 'page %%'")
    assert kept["may_change"]
    long_works.join()


def test_a_page_of_a_large_study_says_of_when_its_numbers_are(sign_in: SignedIn, monkeypatch: pytest.MonkeyPatch):
    monkeypatch.setattr(past_counts, "LARGE", 100)
    client = sign_in(OWNER)
    number = re.compile(r"data-margin[^>]*>N = (\d+)")
    before = client.get(PAGE).text
    assert "Counted" not in before.partition("<h1>")[0]
    told = {
        "client_key": "f1b7e0c2-6f0a-4d5e-9d57-0d5b6d9b7a11",
        "informant": "ONS-01",
        "plant": "P-001",
        "category": "food",
        "purpose": "tea",
        "parts": "leaf",
    }
    assert client.post("/study/VELDRA/encounters/1/reports", data=told).status_code == 303
    after = client.get(PAGE).text
    assert re.search(r"Counted \d+ seconds? ago; what was recorded since is not in these numbers yet", after)
    assert number.findall(after) == number.findall(before)
    now = re.search(r'href="([^"]+)">Count now', after)
    assert now is not None
    counted = client.get(now[1]).text
    assert "Count now" not in counted
    assert body(counted) != body(after)
    assert "now=yes" not in counted  # it is asked for once, and not by what the page leads to
