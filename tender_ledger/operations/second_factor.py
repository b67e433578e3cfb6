"""A second factor of signing in: a code of six digits that changes every 30 seconds (TOTP, RFC 6238), or a recovery code.

The secret is sealed with a key made from the secret of the installation, so that a copy of the database alone gives no codes.
"""

import hashlib
import secrets
from dataclasses import dataclass

import pyotp
from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF

from tender_ledger.core.delays import Limit
from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Scope
from tender_ledger.core.text import clean
from tender_ledger.operations import clock
from tender_ledger.operations import sign_in_delays as delays
from tender_ledger.operations.errors import Refused
from tender_ledger.operations.saving import saving
from tender_ledger.storage.database import database
from tender_ledger.storage.models import SignInRule
from tender_ledger.storage.queries import second_factors as queries

ISSUER = "Tender Ledger"
STEP = 30  # seconds
RECOVERY_CODES = 10
OF_CODES = Limit(5, 900)  # wrong codes of one person
_WRONG = "This is not the code of now. Codes change every half minute; each works once."


@dataclass(frozen=True)
class Enrolment:
    """A new secret, to be taken into a code generator by hand or by its address."""

    secret: str
    address: str


def begin(person_id: int, email: str, key: bytes) -> Enrolment:
    """Make a new secret for a person, in use only once a code of it was confirmed. Refused where one is in use."""
    secret = pyotp.random_base32()
    nonce = secrets.token_bytes(12)
    if not queries.keep_secret(person_id, nonce, _cipher(key).encrypt(nonce, secret.encode(), _bound(person_id))):
        raise Refused({"": "A second factor is in use already. Take it away first."})
    return Enrolment(secret, pyotp.TOTP(secret).provisioning_uri(name=email, issuer_name=ISSUER))


def confirm(person_id: int, code: str, key: bytes) -> list[str]:
    """Take the secret into use by a code of it; returns the recovery codes, which are kept nowhere. Refused for a wrong code."""
    found = queries.second_factor(person_id)
    if found is None or found["confirmed_at"]:
        raise Refused({"code": "There is no second factor to confirm. Begin anew."})
    _require_right(person_id, code, key, recovery=False)
    codes = [f"{secrets.token_hex(3)}-{secrets.token_hex(3)}" for _code in range(RECOVERY_CODES)]
    with database.atomic():
        queries.confirm(person_id, [_digest(one) for one in codes])
    return codes


def check(person_id: int, code: str, key: bytes) -> None:
    """Take a code of now or an unused recovery code. Refused for any other, TooManyAttempts after a few."""
    _require_right(person_id, code, key, recovery=True)


def take_away(person_id: int, code: str, key: bytes) -> None:
    """Sign in without a second factor from now on; it takes a code. Refused for a wrong one."""
    check(person_id, code, key)
    queries.remove(person_id)


def ask_owners(scope: Scope, version: int, *, needed: bool) -> None:
    """Say whether the owners of a study need a second factor. Who asks for it must have one. Conflict for a stale version."""
    scope.viewer.require(Right.ADMINISTER)
    if needed and not queries.is_confirmed(scope.viewer.person_id):
        raise Refused({"": "Set up a second factor of your own first, or you would lock yourself out."})
    found, values = queries.sign_in_rule(scope), {"owners_need_second_factor": needed}
    with saving(scope, "ask_second_factor") as writing:
        if found["id"]:
            writing.update(SignInRule, found["id"], version, values)
        else:
            writing.create(SignInRule, values)


def _require_right(person_id: int, code: str, key: bytes, *, recovery: bool) -> None:
    bucket = hashlib.sha256(key + f"second factor of {person_id}".encode()).digest()
    if wait := delays.count_attempt({bucket: OF_CODES}):
        raise delays.TooManyAttempts(wait)
    typed = clean(code).replace(" ", "").lower()
    right = _is_of_now(person_id, typed, key) or (recovery and queries.take_recovery_code(person_id, _digest(typed)))
    if not right:
        raise Refused({"code": _WRONG})
    delays.attempt_was_right({bucket: OF_CODES}, bucket)


def _is_of_now(person_id: int, typed: str, key: bytes) -> bool:
    """Whether it is the code of this half minute or of one beside it, not taken before."""
    found = queries.second_factor(person_id)
    if found is None or not (typed.isascii() and typed.isdigit()):
        return False
    try:
        secret = _cipher(key).decrypt(bytes(found["nonce"]), bytes(found["sealed"]), _bound(person_id)).decode()
    except InvalidTag:  # the installation's secret was changed since: recovery codes still open
        return False
    now = int(clock.now().timestamp()) // STEP
    generator = pyotp.TOTP(secret)
    steps = [step for step in (now, now - 1, now + 1) if pyotp.utils.strings_equal(generator.generate_otp(step), typed)]
    return any(queries.take_step(person_id, step) for step in steps)


def _cipher(key: bytes) -> AESGCM:
    return AESGCM(HKDF(algorithm=SHA256(), length=32, salt=None, info=b"tender-ledger second factor").derive(key))


def _bound(person_id: int) -> bytes:
    return f"person {person_id}".encode()


def _digest(code: str) -> bytes:
    """Recovery codes have 48 bits of chance, and guesses of them are slowed down: a plain digest keeps them."""
    return hashlib.sha256(f"recovery {code}".encode()).digest()
