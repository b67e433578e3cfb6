"""Guessing is slowed down, nobody is locked out: by account, address and device, and none of many guesses at once is missed."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress

import pytest

from tender_ledger.operations import accounts
from tender_ledger.operations import sign_in_delays as delays
from tender_ledger.operations.errors import Refused
from tender_ledger.storage.database import connected, rows, run, value
from tests.factories import PASSWORD, SmallStudy, session_of

KEY = b"only for tests"


@pytest.fixture
def small(empty_db: str) -> SmallStudy:
    return SmallStudy()


def enter(
    small: SmallStudy, password: str = PASSWORD, *, address: str = "10.0.0.1", email: str = "", device: str = ""
) -> accounts.Admitted:
    """Sign in with a password, and begin a session."""
    admitted = accounts.admit(email or small.email, password, address, KEY, device)
    accounts.begin_session(admitted.person_id, admitted.device, "a browser")
    return admitted


def guess(small: SmallStudy, times: int, address: Callable[[int], str] = lambda _one: "10.9.9.9", **more: str) -> None:
    """Wrong passwords, whether they are looked at or not."""
    for one in range(times):
        with suppress(Refused, delays.TooManyAttempts):
            enter(small, "wrong", address=address(one), **more)


def let_pass(seconds: int) -> None:
    """As if so much time had gone by."""
    run(
        "UPDATE sign_in_failures SET open_at = open_at - make_interval(secs => %(s)s), "
        "last_at = last_at - make_interval(secs => %(s)s)",
        s=seconds,
    )


def test_after_a_few_slips_one_waits_for_twice_as_long_each_time(small: SmallStudy):
    waits = []
    for _slip in range(10):
        with pytest.raises(Refused):
            enter(small, "wrong")
        waits.append(round(value("SELECT extract(epoch FROM max(open_at) - now()) FROM sign_in_failures")))
        if waits[-1] > 0:
            with pytest.raises(delays.TooManyAttempts):  # not even the right one, on a device that nobody knows
                enter(small)
            run("UPDATE sign_in_failures SET failures = failures - 1")
        let_pass(max(waits[-1], 0))
    assert [max(one, 0) for one in waits] == [0, 0, 0, 0, 0, 1, 2, 4, 8, 16]
    assert enter(small).failed == 15


def test_eight_guesses_of_strangers_keep_nobody_out(small: SmallStudy):
    guess(small, 8, lambda one: f"10.0.1.{one}")
    assert enter(small).failed == 8
    assert enter(small).failed == 0


def test_a_member_of_a_household_that_guesses_keeps_none_of_the_others_out(small: SmallStudy):
    other = SmallStudy()
    mine = enter(other, address="10.0.0.7").device
    guess(small, delays.OF_ADDRESS.free + 10, address=lambda _one: "10.0.0.7", email="nobody@small.example")
    assert enter(other, address="10.0.0.7", device=mine).person_id
    with pytest.raises(delays.TooManyAttempts) as told:
        enter(small, address="10.0.0.7")
    assert told.value.seconds <= delays.OF_ADDRESS.longest
    assert enter(small, address="10.0.0.8").person_id


def test_a_right_password_from_a_known_device_is_never_refused(small: SmallStudy):
    mine = enter(small).device
    guess(small, delays.OF_ACCOUNT.free + 20, lambda one: f"10.0.{one}.1")
    guess(small, 30)
    guess(small, 30, device=mine)
    entry = enter(small, address="10.9.9.9", device=mine)
    assert entry.device == mine
    assert entry.failed == delays.OF_ACCOUNT.free + 20 + 60


def test_what_somebody_else_is_known_by_opens_nothing(small: SmallStudy):
    other = SmallStudy()
    theirs = enter(other).device
    guess(small, 20)
    with pytest.raises(delays.TooManyAttempts):
        enter(small, address="10.9.9.9", device=theirs)
    run("UPDATE known_device SET seen_at = now() - interval '2 years'")
    guess(other, 20)
    with pytest.raises(delays.TooManyAttempts):
        enter(other, address="10.9.9.9", device=theirs)


def test_a_new_password_makes_every_device_a_stranger(small: SmallStudy):
    token = session_of(small.email, PASSWORD, KEY)
    person = accounts.signed_in(token)
    assert person is not None
    accounts.change_password(person, PASSWORD, "another long one", token=token, key=KEY)
    assert value("SELECT count(*) FROM known_device") == 0


def test_strangers_from_everywhere_cost_the_owner_a_minute_at_most_on_a_new_device(small: SmallStudy):
    guess(small, delays.OF_ACCOUNT.free + 40, lambda one: f"10.1.{one}.1")
    with pytest.raises(delays.TooManyAttempts) as told:
        enter(small, address="10.2.2.2")
    assert told.value.seconds <= delays.OF_ACCOUNT.longest


@pytest.mark.parametrize("email", ["", "nobody@small.example"])
def test_guesses_at_the_same_moment_all_count_for_an_account_that_is_there_and_one_that_is_not(small: SmallStudy, email: str):
    def one(_number: int) -> None:
        with connected():
            guess(small, 1, email=email)

    with ThreadPoolExecutor(12) as pool:
        list(pool.map(one, range(24)))
    counted = sorted(found["failures"] for found in rows("SELECT failures FROM sign_in_failures"))
    assert counted == [24, 24, 24]  # of the account at the address, of the address, of the account
    assert value("SELECT count(*) FROM attempt") == 24


def test_an_hour_without_a_slip_forgets_them(small: SmallStudy):
    guess(small, 5)
    run("UPDATE sign_in_failures SET last_at = now() - interval '61 minutes'")
    guess(small, 1)
    assert {found["failures"] for found in rows("SELECT failures FROM sign_in_failures")} == {1}


def test_no_row_names_an_account_an_address_or_a_device(small: SmallStudy):
    mine = enter(small).device
    guess(small, 3)
    buckets = "SELECT encode(bucket, 'escape') AS bucket FROM sign_in_failures"
    text = str(rows(f"{buckets} UNION ALL SELECT encode(token_sha256, 'escape') FROM known_device"))
    assert small.email not in text
    assert mine not in text
    assert "10.9.9.9" not in text
