"""People who sign in, their sessions, and failed attempts to."""

from typing import ClassVar

from peewee import BigIntegerField, BlobField, IdentityField, TextField
from playhouse.postgres_ext import DateTimeTZField

from tender_ledger.storage.models.base import Record, StudyRecord


class Person(Record):
    id = IdentityField(generate_always=True)
    email = TextField()
    email_fold = TextField()
    name = TextField()
    password_hash = TextField()
    disabled_at = DateTimeTZField(null=True)


class PersonSession(Record):
    token_sha256 = BlobField(primary_key=True)
    person_id = BigIntegerField()
    browser = TextField(default="")
    ended_at = DateTimeTZField(null=True)


class Attempt(Record):
    id = IdentityField(generate_always=True)
    account_digest = BlobField()
    address_digest = BlobField()


class Membership(StudyRecord):
    ENTITY: ClassVar[str] = "membership"
    person_id = BigIntegerField()
    role = TextField()
    community_id = BigIntegerField(null=True)  # of a guardian


class Invitation(Record):
    """A link that was shown once and lets its bearer join; only the digest of its token is kept."""

    id = IdentityField(generate_always=True)
    study_id = BigIntegerField()
    token_sha256 = BlobField()
    role = TextField()
    community_id = BigIntegerField(null=True)
    meant_for = TextField(default="")
    invited_by = BigIntegerField()
    expires_at = DateTimeTZField()
    taken_by = BigIntegerField(null=True)
    taken_at = DateTimeTZField(null=True)
    revoked_at = DateTimeTZField(null=True)
