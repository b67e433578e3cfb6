"""Pages of numbers that are kept as they were drawn."""

import re
import uuid

import pytest
from flask.testing import FlaskClient

from tender_ledger.operations import computing, long_work
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


def numbers(text: str) -> list[str]:
    """All numbers of the table of taxa."""
    return re.findall(r">\s*([0-9.]+)\s*<", text.partition("<h1>")[2])


def record_report(client: FlaskClient) -> None:
    told = {
        "client_key": str(uuid.uuid4()),
        "informant": "ONS-01",
        "plant": "P-001",
        "category": "food",
        "purpose": "tea",
        "parts": "leaf",
    }
    assert client.post("/study/VELDRA/encounters/1/reports", data=told).status_code == 303


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
    before = client.get(PAGE).text
    assert "Counted" not in before.partition("<h1>")[0]
    record_report(client)
    after = client.get(PAGE).text
    assert re.search(r"Counted \d+ seconds? ago; what was recorded since is not in these numbers yet", after)
    assert numbers(after) == numbers(before)
    now = re.search(r'href="([^"]+)">Count now', after)
    assert now is not None
    counted = client.get(now[1]).text
    assert "Count now" not in counted
    assert body(counted) != body(after)
    assert "now=yes" not in counted  # it is asked for once, and not by what the page leads to


@pytest.mark.parametrize("short", [computing.SHORT, -1.0])
def test_a_page_of_before_is_shown_while_a_worker_draws_it_anew(
    sign_in: SignedIn, long_works: Threads, monkeypatch: pytest.MonkeyPatch, short: float
):
    monkeypatch.setattr(past_counts, "LARGE", 100)
    client = sign_in(OWNER)
    before = client.get(PAGE).text
    record_report(client)
    long_works.join()
    monkeypatch.setattr(computing, "SHORT", short)  # a long computation is done by the same worker, not queued
    for due in (False, True):
        if due:
            run("UPDATE kept_answer SET kept_at = now() - interval '20 minutes' WHERE digest LIKE 'page %%'")
        shown = client.get(PAGE).text
        assert numbers(shown) == numbers(before)
        assert ("Counted 20 minutes ago" in shown) is due
        assert bool(long_works.under_way) is due
    long_works.join()
    drawn = client.get(PAGE).text
    assert "Counted" not in drawn.partition("<h1>")[0]
    assert numbers(drawn) != numbers(before)
    assert rows("SELECT 1 FROM computation") == []


def test_the_queue_is_told_no_address(sign_in: SignedIn, monkeypatch: pytest.MonkeyPatch):
    queued: list[object] = []
    monkeypatch.setattr(past_counts, "LARGE", 100)
    monkeypatch.setattr(long_work, "put", lambda said, **options: queued.append((said, options)))
    client, address = sign_in(OWNER), f"{PAGE}/indices?margin=ud:spread:Salix%20caprea"
    client.get(address)
    record_report(client)
    run("UPDATE kept_answer SET kept_at = now() - interval '20 minutes' WHERE digest LIKE 'page %%'")
    client.get(address)
    assert len(queued) == 1
    assert "Salix" not in repr(queued)


def test_a_worker_draws_for_a_member_what_that_member_may_see(
    sign_in: SignedIn, long_works: Threads, monkeypatch: pytest.MonkeyPatch
):
    monkeypatch.setattr(past_counts, "LARGE", 100)
    owner, reader = sign_in(OWNER), sign_in(READER)
    pages = {client: body(client.get(PAGE).text) for client in (owner, reader)}
    record_report(owner)
    run("UPDATE kept_answer SET kept_at = now() - interval '20 minutes' WHERE digest LIKE 'page %%'")
    for client in pages:
        client.get(PAGE)
    long_works.join()
    drawn = {client: body(client.get(PAGE).text) for client in pages}
    run("DELETE FROM kept_answer")
    for client, page in drawn.items():
        assert page != pages[client]
        assert page == body(client.get(PAGE).text)
