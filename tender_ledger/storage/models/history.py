"""Acts and the changes they made."""

from peewee import BigIntegerField, IdentityField, TextField
from playhouse.postgres_ext import BinaryJSONField

from tender_ledger.storage.models.base import Record


class Act(Record):
    id = IdentityField(generate_always=True)
    study_id = BigIntegerField()
    person_id = BigIntegerField()
    operation = TextField()
    revision = BigIntegerField()
    undoes_act_id = BigIntegerField(null=True)


class Change(Record):
    id = IdentityField(generate_always=True)
    study_id = BigIntegerField()
    act_id = BigIntegerField()
    entity = TextField()
    record_id = BigIntegerField()
    holder_id = BigIntegerField(null=True)
    before = BinaryJSONField(null=True, index=False)
    after = BinaryJSONField(null=True, index=False)
