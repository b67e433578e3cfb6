"""Waiting after failed attempts: not at all after a few, then twice as long each time, never longer than said."""

from hypothesis import given
from hypothesis import strategies as st

from tender_ledger.core.delays import Limit


def test_the_first_few_are_free_and_then_the_wait_doubles():
    assert [Limit(3, 60).delay(failures) for failures in range(12)] == [0, 0, 0, 0, 1, 2, 4, 8, 16, 32, 60, 60]


@given(st.integers(0, 10**9), st.integers(0, 100), st.integers(1, 10_000))
def test_one_failure_more_never_shortens_the_wait(failures: int, free: int, longest: int):
    limit = Limit(free, longest)
    assert 0 <= limit.delay(failures) <= limit.delay(failures + 1) <= longest
