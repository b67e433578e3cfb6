"""Signing in and out, and the people who may."""

import hashlib
import hmac
import secrets
from dataclasses import dataclass
from typing import Any

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError

from tender_ledger.core.text import clean, fold
from tender_ledger.operations import sign_in_delays as delays
from tender_ledger.operations.errors import NotFound, Refused, constraints_as_refusals, required
from tender_ledger.operations.sign_in_delays import TooManyAttempts
from tender_ledger.storage.database import database
from tender_ledger.storage.models import Attempt, Person, PersonSession
from tender_ledger.storage.queries import accounts, second_factors, sign_ins

HASHER = PasswordHasher()
NOBODY = HASHER.hash(secrets.token_hex(16))  # verified against when there is no such account, so that both take as long
SHORTEST, LONGEST = 12, 128  # characters of a password


@dataclass(frozen=True)
class SignedIn:
    """Whoever holds a live session."""

    id: int
    name: str
    email: str


@dataclass(frozen=True)
class Admitted:
    """Somebody with the right password: the token of the device, how many attempts failed since the last sign-in, and whether
    a second factor is still to come before a session begins."""

    person_id: int
    device: str
    failed: int
    needs_code: bool


def admit(email: str, password: str, address: str, key: bytes, device: str = "") -> Admitted:
    """Check address and password; `device` is the token that the device was given at an earlier sign-in.

    Raises Refused for a wrong address or password, the same for both, and TooManyAttempts, of which a right password on a device
    that the account knows is free.
    """
    account, person = fold(email), accounts.person_by_email(fold(email))
    is_known = bool(person and device and sign_ins.knows_device(person["id"], _sha256(device)))
    own = _digest(key, f"device {account} {device}" if is_known else f"account {account} at {address}")
    buckets = {own: delays.OF_DEVICE} if is_known else {
        own: delays.AT_ADDRESS,
        _digest(key, f"address {address}"): delays.OF_ADDRESS,
        _digest(key, f"account {account}"): delays.OF_ACCOUNT,
    }  # fmt: skip
    wait = delays.count_attempt(buckets)
    if wait and not is_known:
        Attempt.insert(account_digest=_digest(key, account), address_digest=_digest(key, address)).execute()
        raise TooManyAttempts(wait)
    if not _matches(person["password_hash"] if person else NOBODY, password) or not person or person["disabled_at"]:
        Attempt.insert(account_digest=_digest(key, account), address_digest=_digest(key, address)).execute()
        if wait:
            raise TooManyAttempts(wait)
        raise Refused({"password": "Address and password do not belong together. Check both and try again."})
    delays.attempt_was_right(buckets, own)
    failed = sign_ins.failed_since_last_session(person["id"], _digest(key, account))
    needs_code = second_factors.is_confirmed(person["id"])
    return Admitted(person["id"], device or secrets.token_urlsafe(32), failed, needs_code)


def begin_session(person_id: int, device: str, browser: str) -> str:
    """A new session of somebody who was admitted, on a device that is known from now on; returns its token."""
    token = secrets.token_urlsafe(32)
    PersonSession.insert(token_sha256=_sha256(token), person_id=person_id, browser=browser[:200]).execute()
    sign_ins.keep_device(person_id, _sha256(device))
    return token


def signed_in(token: str) -> SignedIn | None:
    """Who holds the session of this token; None when it was ended or never was."""
    found = accounts.session_person(_sha256(token))
    return SignedIn(found["id"], found["name"], found["email"]) if found else None


def end_session(person_id: int, *, token: str = "", key: str = "") -> None:
    """End one of a person's own sessions, by its token or by the key that the account page shows."""
    try:
        digest = _sha256(token) if token else bytes.fromhex(key)
    except ValueError:
        raise NotFound from None
    database.execute_sql(
        "UPDATE person_session SET ended_at = now() WHERE token_sha256 = %s AND person_id = %s AND ended_at IS NULL",
        (digest, person_id),
    )


def change_password(person: SignedIn, current: str, new: str, *, token: str, key: bytes) -> None:
    """Give a person a new password, for the present one; ends every other session of theirs and forgets their devices.

    Raises Refused for a wrong present password or a new one that is too short or too long, TooManyAttempts after too many.
    """
    digest, own = _digest(key, fold(person.email)), _digest(key, f"password of {person.id}")
    if wait := delays.count_attempt({own: delays.OF_DEVICE}):
        raise TooManyAttempts(wait)
    kept = accounts.person_by_email(fold(person.email))
    if not kept or not _matches(kept["password_hash"], current):
        Attempt.insert(account_digest=digest, address_digest=b"").execute()
        raise Refused({"current": "This is not the present password."})
    delays.attempt_was_right({own: delays.OF_DEVICE}, own)
    _require_length(new, "new")
    with database.atomic():
        Person.update(password_hash=HASHER.hash(new)).where(Person.id == person.id).execute()
        database.execute_sql(
            "UPDATE person_session SET ended_at = now() WHERE person_id = %s AND token_sha256 <> %s AND ended_at IS NULL",
            (person.id, _sha256(token)),
        )
        sign_ins.forget_devices(person.id)


def attempts_on(person: SignedIn, key: bytes) -> dict[str, Any]:
    """How many attempts to sign in as a person failed lately, and when the last did."""
    return accounts.failed_lately(_digest(key, fold(person.email)))


def session_key(token: str) -> str:
    """The key under which the account page lists the session of this token."""
    return _sha256(token).hex()


def add_person(email: str, name: str, password: str) -> int:
    """Let somebody sign in. Raises Refused for a taken address or a password that is too short or too long."""
    email, name = required(email, "email", "The address"), required(name, "name", "The name")
    if "@" not in email:
        raise Refused({"email": "This is no e-mail address."})
    _require_length(password, "password")
    with constraints_as_refusals():
        values = {"email": clean(email), "email_fold": fold(email), "name": name, "password_hash": HASHER.hash(password)}
        return int(Person.insert(**values).execute())


def _require_length(password: str, field: str) -> None:
    if not SHORTEST <= len(password) <= LONGEST:
        raise Refused({field: f"A password has {SHORTEST} to {LONGEST} characters, any of them; a short sentence is a good one."})


def _matches(password_hash: str, password: str) -> bool:
    try:
        return HASHER.verify(password_hash, password)
    except (VerificationError, InvalidHashError):
        return False


def _sha256(token: str) -> bytes:
    return hashlib.sha256(token.encode()).digest()


def _digest(key: bytes, text: str) -> bytes:
    return hmac.new(key, text.encode(), hashlib.sha256).digest()
