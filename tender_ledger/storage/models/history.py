"""Acts and the changes they made."""

from peewee import BigIntegerField, IdentityField, IntegerField, TextField
from playhouse.postgres_ext import BinaryJSONField

from tender_ledger.storage.models.base import Record


class Act(Record):
    id = IdentityField(generate_always=True)
    study_id = BigIntegerField()
    person_id = BigIntegerField()
    operation = TextField()
    revision = BigIntegerField(null=True)  # given with the last statement of the act
    records = IntegerField(default=0)
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
