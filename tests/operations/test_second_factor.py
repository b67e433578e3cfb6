"""Codes of the second factor: those of RFC 6238, each once, few guesses, recovery codes, and what a study asks of its owners."""

import base64
from datetime import UTC, datetime
from urllib.parse import parse_qs, urlsplit

import pyotp
import pytest

from tender_ledger.core.rights import Role
from tender_ledger.operations import accounts, clock, second_factor
from tender_ledger.operations import sign_in_delays as delays
from tender_ledger.operations.errors import Refused
from tender_ledger.storage.database import rows, run, value
from tender_ledger.storage.queries import accounts as account_queries
from tender_ledger.storage.queries import second_factors as queries
from tests.factories import PASSWORD, SmallStudy

KEY = b"only for tests"
# RFC 6238, appendix B, SHA-1, the last six of the eight digits: seconds since 1970 and the code; the secret is 1234567890 twice.
VECTORS = {59: "287082", 1111111109: "081804", 1111111111: "050471", 1234567890: "005924", 2000000000: "279037",
           20000000000: "353130"}  # fmt: skip
SECRET = base64.b32encode(b"12345678901234567890").decode()


@pytest.fixture
def small(empty_db: str) -> SmallStudy:
    return SmallStudy()


@pytest.fixture
def person(small: SmallStudy) -> int:
    return int(small.scope.viewer.person_id)


def at(monkeypatch: pytest.MonkeyPatch, seconds: int) -> None:
    monkeypatch.setattr(clock, "now", lambda: datetime.fromtimestamp(seconds, UTC))


def enrol(person: int, monkeypatch: pytest.MonkeyPatch, seconds: int = 1_000_000) -> tuple[str, list[str]]:
    at(monkeypatch, seconds)
    secret = second_factor.begin(person, "a@b.example", KEY).secret
    return secret, second_factor.confirm(person, pyotp.TOTP(secret).at(seconds), KEY)


@pytest.mark.parametrize("seconds", VECTORS)
def test_the_codes_are_those_of_the_standard(person: int, monkeypatch: pytest.MonkeyPatch, seconds: int):
    monkeypatch.setattr(pyotp, "random_base32", lambda: SECRET)
    second_factor.begin(person, "a@b.example", KEY)
    at(monkeypatch, seconds)
    assert len(second_factor.confirm(person, VECTORS[seconds], KEY)) == second_factor.RECOVERY_CODES


def test_the_address_for_a_code_generator_says_whose_it_is(person: int):
    enrolment = second_factor.begin(person, "a@b.example", KEY)
    parts = urlsplit(enrolment.address)
    assert (parts.scheme, parts.netloc, parts.path) == ("otpauth", "totp", "/Tender%20Ledger:a%40b.example")
    assert parse_qs(parts.query)["secret"] == [enrolment.secret]


def test_a_code_works_for_its_half_minute_and_those_beside_it_and_once(person: int, monkeypatch: pytest.MonkeyPatch):
    secret, _codes = enrol(person, monkeypatch)
    code = pyotp.TOTP(secret).at
    at(monkeypatch, 2_000_000)
    for wrong in (code(2_000_000 - 90), code(2_000_000 + 90), "", "abc", "²²²²²²"):
        with pytest.raises(Refused, match="not the code of now"):
            second_factor.check(person, wrong, KEY)
    second_factor.check(person, code(2_000_000 - 30), KEY)
    second_factor.check(person, f" {code(2_000_000)[:3]} {code(2_000_000)[3:]} ", KEY)
    with pytest.raises(Refused):
        second_factor.check(person, code(2_000_000), KEY)
    with pytest.raises(Refused):
        second_factor.check(person, code(2_000_000 - 30), KEY)


def test_each_recovery_code_opens_once(person: int, monkeypatch: pytest.MonkeyPatch):
    _secret, codes = enrol(person, monkeypatch)
    assert len(set(codes)) == second_factor.RECOVERY_CODES
    second_factor.check(person, codes[0].upper(), KEY)
    with pytest.raises(Refused):
        second_factor.check(person, codes[0], KEY)
    found = queries.second_factor(person)
    assert found is not None
    assert found["codes_left"] == second_factor.RECOVERY_CODES - 1


def test_after_a_few_wrong_codes_not_even_the_right_one_is_looked_at(person: int, monkeypatch: pytest.MonkeyPatch):
    _secret, codes = enrol(person, monkeypatch)
    for _guess in range(second_factor.OF_CODES.free + 1):
        with pytest.raises(Refused):
            second_factor.check(person, "000000", KEY)
    with pytest.raises(delays.TooManyAttempts):
        second_factor.check(person, codes[0], KEY)
    run("UPDATE sign_in_failures SET open_at = now()")
    second_factor.check(person, codes[0], KEY)


def test_the_database_alone_gives_no_codes(person: int, monkeypatch: pytest.MonkeyPatch):
    secret, codes = enrol(person, monkeypatch)
    sealed = rows("SELECT encode(sealed, 'escape') AS s FROM second_factor")
    text = str([*sealed, *rows("SELECT encode(code_sha256, 'escape') AS s FROM recovery_code")])
    assert secret not in text
    assert not any(code in text for code in codes)
    with pytest.raises(Refused):  # sealed with another installation's secret: the code is right and opens nothing
        second_factor.check(person, pyotp.TOTP(secret).at(1_000_000), b"another secret")
    second_factor.check(person, codes[0], b"another secret")


def test_a_secret_in_use_is_not_made_anew_and_one_begun_is(person: int, monkeypatch: pytest.MonkeyPatch):
    first = second_factor.begin(person, "a@b.example", KEY).secret
    assert second_factor.begin(person, "a@b.example", KEY).secret != first
    assert not queries.is_confirmed(person)
    secret, _codes = enrol(person, monkeypatch)
    with pytest.raises(Refused, match="in use already"):
        second_factor.begin(person, "a@b.example", KEY)
    at(monkeypatch, 3_000_000)
    second_factor.take_away(person, pyotp.TOTP(secret).at(3_000_000), KEY)
    assert value("SELECT count(*) FROM recovery_code") == 0


def test_a_right_password_is_half_of_the_way_in(small: SmallStudy, person: int, monkeypatch: pytest.MonkeyPatch):
    assert not accounts.admit(small.email, PASSWORD, "10.0.0.1", KEY).needs_code
    enrol(person, monkeypatch)
    assert accounts.admit(small.email, PASSWORD, "10.0.0.1", KEY).needs_code


def test_only_an_owner_with_a_second_factor_asks_owners_for_one(small: SmallStudy, person: int, monkeypatch: pytest.MonkeyPatch):
    code = str(value("SELECT code FROM study"))

    def lacks(person_id: int) -> bool:
        member = account_queries.member_of(person_id, code)
        assert member is not None
        return member.lacks_factor

    with pytest.raises(Refused, match="of your own first"):
        second_factor.ask_owners(small.scope, 0, needed=True)
    enrol(person, monkeypatch)
    second_factor.ask_owners(small.scope, 0, needed=True)
    rule = queries.sign_in_rule(small.scope)
    assert rule["owners_need_second_factor"]
    assert not lacks(person)
    other = accounts.add_person("second@small.example", "S. Econd", PASSWORD)
    run(
        "INSERT INTO membership (study_id, person_id, role) VALUES (%(s)s, %(p)s, %(r)s)",
        s=small.scope.study_id,
        p=other,
        r=Role.RECORDER,
    )
    assert not lacks(other)
    run(
        "INSERT INTO membership (study_id, person_id, role) VALUES (%(s)s, %(p)s, %(r)s)",
        s=small.scope.study_id,
        p=other,
        r=Role.OWNER,
    )
    assert lacks(other)
    second_factor.ask_owners(small.scope, rule["version"], needed=False)
    assert not lacks(other)
