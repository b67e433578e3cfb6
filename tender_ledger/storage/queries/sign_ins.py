"""Failed sign-ins as they are counted, and the devices on which somebody has signed in."""

from datetime import datetime
from typing import NamedTuple

from tender_ledger.storage.database import row, run, value

AFTER = "1 hour"  # without a failure, earlier ones are forgotten


class Counted(NamedTuple):
    """The failures of a bucket with the one just counted, whether it was still closed before, and until when it was."""

    failures: int
    refused: bool
    open_at: datetime


def count_failure(bucket: bytes) -> Counted:
    """Count one more failure of a bucket; its row stays locked to the end of the transaction, so that none is missed."""
    found = row(
        f"""INSERT INTO sign_in_failures AS f (bucket, failures) VALUES (%(bucket)s, 1)
           ON CONFLICT (bucket) DO UPDATE SET last_at = now(), refused = f.open_at > now(),
               failures = CASE WHEN f.last_at < now() - interval '{AFTER}' THEN 1 ELSE f.failures + 1 END
           RETURNING failures, refused, open_at""",
        bucket=bucket,
    )
    assert found is not None
    return Counted(found["failures"], found["refused"], found["open_at"])


def close_for(bucket: bytes, seconds: int) -> None:
    run(
        "UPDATE sign_in_failures SET open_at = now() + make_interval(secs => %(seconds)s) WHERE bucket = %(bucket)s",
        bucket=bucket,
        seconds=seconds,
    )


def take_back_failure(bucket: bytes) -> None:
    """The attempt counted last did not fail: it is as if it had not been counted."""
    run(
        "UPDATE sign_in_failures SET failures = failures - 1, open_at = now() WHERE bucket = %(bucket)s AND failures > 0",
        bucket=bucket,
    )


def forget_failures(bucket: bytes) -> None:
    run("DELETE FROM sign_in_failures WHERE bucket = %(bucket)s", bucket=bucket)


def knows_device(person_id: int, token_sha256: bytes) -> bool:
    """Whether the person has signed in on this device, and its cookie is not a year old unused."""
    found = value(
        """SELECT 1 FROM known_device WHERE person_id = %(person)s AND token_sha256 = %(token)s
             AND seen_at > now() - interval '1 year'""",
        person=person_id,
        token=token_sha256,
    )
    return found is not None


def keep_device(person_id: int, token_sha256: bytes) -> None:
    run(
        """INSERT INTO known_device (token_sha256, person_id) VALUES (%(token)s, %(person)s)
           ON CONFLICT (token_sha256, person_id) DO UPDATE SET seen_at = now()""",
        person=person_id,
        token=token_sha256,
    )


def forget_devices(person_id: int) -> None:
    run("DELETE FROM known_device WHERE person_id = %(person)s", person=person_id)


def failed_since_last_session(person_id: int, account_digest: bytes) -> int:
    """Failed attempts on an account since its last sign-in, of the last 90 days at most."""
    found: int = value(
        """SELECT count(*) FROM attempt WHERE account_digest = %(account)s AND at > greatest(now() - interval '90 days',
             (SELECT max(created_at) FROM person_session WHERE person_id = %(person)s))""",
        account=account_digest,
        person=person_id,
    )
    return found
