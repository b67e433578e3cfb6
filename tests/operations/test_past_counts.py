"""Counts of before the last reports: given where a page allows it, in a large study, while nothing else changed."""

import random
from collections.abc import Callable
from datetime import date

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tender_ledger.core.rules import CountingRules
from tender_ledger.operations import plants
from tender_ledger.operations.history import undo_act
from tender_ledger.operations.reckoning import reckon_study, taxon_facts
from tender_ledger.storage.database import rows, run
from tender_ledger.storage.queries import past_counts, results
from tender_ledger.storage.queries.kept import Ids, with_changed
from tender_ledger.storage.queries.past_counts import counts_noted
from tests.conftest import Threads
from tests.factories import SmallStudy, latest_act

RULES = CountingRules()


class Counted(SmallStudy):
    """Two holders, one talk, one plant, one report; counted."""

    def __post_init__(self) -> None:
        super().__post_init__()
        self.talk = self.encounter(self.holder("H-1"), self.holder("H-2"))
        self.willow = self.plant("Salix caprea", name="vesta")
        self.told("medicines")
        self.reports()

    def told(self, category: str) -> None:
        self.report(self.talk, "H-1", self.willow, category=category, purpose="tea")

    def reports(self, *, past_allowed: bool = False) -> tuple[int, bool]:
        """How many reports are counted, and whether that is said to be of before."""
        with counts_noted(past_allowed=past_allowed) as notes:
            counted = int(reckon_study(self.scope, RULES).result.counts.ur_by_category.sum())
        return counted, notes.oldest is not None


@pytest.fixture
def counted(empty_db: str, monkeypatch: pytest.MonkeyPatch) -> Counted:
    monkeypatch.setattr(past_counts, "LARGE", 1)
    return Counted()


def test_a_page_that_allows_it_gets_the_last_count_and_says_so(counted: Counted):
    counted.told("food")
    assert counted.reports(past_allowed=True) == (1, True)
    assert counted.reports() == (2, False)
    assert counted.reports(past_allowed=True) == (2, False)


def test_a_small_study_is_counted_anew(counted: Counted, monkeypatch: pytest.MonkeyPatch):
    monkeypatch.setattr(past_counts, "LARGE", 3)
    counted.told("food")
    assert counted.reports(past_allowed=True) == (2, False)


@pytest.mark.parametrize(
    "act",
    [
        lambda study: study.withdraw("H-2", date(2026, 2, 3)),
        lambda study: study.agree("H-2", date(2026, 1, 3), may_count=False),
        lambda study: study.holder("H-9"),
        # Written past the history, as an erasure is: nobody can say what it bears on.
        lambda _study: run("UPDATE study SET revision = revision + 1"),
    ],
)
def test_after_anything_that_may_bear_on_terms_it_is_counted_anew(counted: Counted, act: Callable[[Counted], object]):
    counted.told("food")
    act(counted)
    assert counted.reports(past_allowed=True) == (2, False)


def test_what_is_taken_back_is_out_of_the_next_count(counted: Counted):
    counted.told("food")
    assert counted.reports() == (2, False)
    undo_act(counted.scope, latest_act(counted.scope))
    assert counted.reports(past_allowed=True) == (2, True)
    assert counted.reports() == (1, False)


def test_an_old_count_is_given_once_more_and_a_worker_counts_anew(
    counted: Counted, long_works: Threads, monkeypatch: pytest.MonkeyPatch
):
    counted.told("food")
    assert counted.reports(past_allowed=True) == (1, True)
    assert rows("SELECT state FROM computation") == []
    monkeypatch.setattr(results, "RECOUNT_AFTER", 0)
    monkeypatch.setattr(results, "RECOUNT_SHARE", 0)
    assert counted.reports(past_allowed=True) == (1, True)
    long_works.join()
    assert rows("SELECT state FROM computation") == [{"state": "done"}]
    assert counted.reports(past_allowed=True) == (2, False)


def test_a_count_is_kept_though_reports_were_written_while_it_was_made(counted: Counted):
    """Else a study that is written in every second would never be counted."""
    revision = rows("SELECT revision FROM study")[0]["revision"]
    counted.told("food")
    digest = "d" * 64
    results.keep_results(counted.scope, revision, {digest: b"counted"})
    with counts_noted(past_allowed=True) as notes:
        assert results.kept_results(counted.scope, [digest]).bodies == {digest: b"counted"}
    assert notes.oldest is not None
    assert results.kept_results(counted.scope, [digest]).bodies == {}
    counted.withdraw("H-2")
    results.keep_results(counted.scope, revision, {digest: b"of before"})
    assert rows("SELECT body FROM kept_result WHERE digest = %(d)s AND revision > %(r)s", d=digest, r=revision) == []


def test_small_answers_of_before_are_given_for_a_minute(counted: Counted, monkeypatch: pytest.MonkeyPatch):
    def names(past_allowed: bool) -> list[str]:
        with counts_noted(past_allowed=past_allowed):
            return [fact["name"] for fact in taxon_facts(counted.scope).values()]

    assert names(past_allowed=False) == ["vesta"]
    counted.plant("Tilia cordata", name="lorim")
    assert names(past_allowed=True) == ["vesta"]
    run("UPDATE kept_answer SET kept_at = now() - interval '2 minutes'")
    assert sorted(names(past_allowed=True)) == ["lorim", "vesta"]


def test_where_only_others_may_be_late_ones_own_act_is_in_it_at_once(counted: Counted):
    recorder = counted.person("recorder")

    def names() -> list[str]:
        with counts_noted(past_allowed=True, by_others=True):
            return sorted(fact["name"] for fact in taxon_facts(counted.scope).values())

    assert names() == ["vesta"]
    plants.add_plant(recorder, name="tavel")
    assert names() == ["vesta"]
    counted.plant("Tilia cordata", name="lorim")
    assert "lorim" in names()


@given(st.integers(0, 60), st.integers(0, 8), st.integers(0, 999))
def test_changed_reports_are_put_where_ordering_all_anew_puts_them(total: int, changes: int, seed: int):
    """Places by chance, many of them alike; a changed report moves, goes, or comes."""
    chance = random.Random(seed)
    places = {number: (chance.randrange(6), number) for number in range(total)}

    def order(among: list[int] | None) -> Ids:
        wanted = places if among is None else [one for one in among if one in places]
        return np.array(sorted(wanted, key=places.__getitem__), dtype=np.int64)

    before = order(None)
    changed = {chance.randrange(total + 8) for _change in range(changes)}
    for number in changed:
        if chance.random() < 0.3:
            places.pop(number, None)
        else:
            places[number] = (chance.randrange(6), number)
    placed = with_changed(before, changed, order)
    assert placed is not None
    assert placed.tolist() == order(None).tolist()


def test_where_the_rest_of_a_list_is_not_as_it_was_it_is_ordered_anew():
    before = np.arange(20, dtype=np.int64)
    turned = with_changed(before, {3}, lambda among: np.array(sorted(among or [], reverse=True), dtype=np.int64))
    assert turned is None
