"""Guessing of passwords is slowed down, never an account locked: delays that grow, by whom they concern.

An attempt is counted before its password is looked at, and taken back where it was right, so that attempts at the same moment
all count. Whoever comes with the cookie of a device on which they signed in before waits for nobody's guesses but those made on
that device, and with the right password for none.
"""

from collections.abc import Mapping
from datetime import UTC, datetime

from tender_ledger.core.delays import Limit
from tender_ledger.storage.database import database
from tender_ledger.storage.queries import sign_ins

AT_ADDRESS = Limit(5, 900)  # one account from one address
OF_ADDRESS = Limit(40, 300)  # all accounts from one address: a household, a station
OF_ACCOUNT = Limit(60, 60)  # one account from everywhere: strangers cost its owner a minute on a new device, never the account
OF_DEVICE = Limit(8, 300)  # one account on a device that it knows


class TooManyAttempts(Exception):
    """Signing in failed too often here; `seconds` to wait until it may be tried again."""

    def __init__(self, seconds: int) -> None:
        super().__init__(f"wait {seconds} s")
        self.seconds = seconds


def count_attempt(buckets: Mapping[bytes, Limit]) -> int:
    """Count an attempt in every bucket as failed, all at once; returns the seconds to wait where one was closed, else 0."""
    wait = 0
    with database.atomic():
        for bucket, limit in sorted(buckets.items()):  # in one order, so that no two attempts wait for one another
            counted = sign_ins.count_failure(bucket)
            if counted.refused:
                wait = max(wait, round((counted.open_at - datetime.now(UTC)).total_seconds()) or 1)
            elif delay := limit.delay(counted.failures):
                sign_ins.close_for(bucket, delay)
    return wait


def attempt_was_right(buckets: Mapping[bytes, Limit], own: bytes) -> None:
    """The attempt counted last had the right password: it counts nowhere, and in its own bucket nothing does any more."""
    with database.atomic():
        for bucket in sorted(buckets):
            if bucket == own:
                sign_ins.forget_failures(bucket)
            else:
                sign_ins.take_back_failure(bucket)
