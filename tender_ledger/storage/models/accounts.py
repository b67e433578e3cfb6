"""People who sign in, their sessions, and failed attempts to."""

from peewee import BigIntegerField, BlobField, CompositeKey, IdentityField, TextField
from playhouse.postgres_ext import DateTimeTZField

from tender_ledger.storage.models.base import Record


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


class Membership(Record):
    study_id = BigIntegerField()
    person_id = BigIntegerField()
    role = TextField()

    class Meta:
        primary_key = CompositeKey("study_id", "person_id", "role")
