"""Imported tables: what landed, by which it is known again, and what was brought to the screen and waits there."""

from typing import ClassVar

from peewee import BigIntegerField, BlobField, BooleanField, CompositeKey, IdentityField, IntegerField, TextField
from playhouse.postgres_ext import BinaryJSONField, DateTimeTZField

from tender_ledger.storage.models.base import Record, StudyRecord


class ImportBatch(StudyRecord):
    ENTITY: ClassVar[str] = "import_batch"
    recorded_by = BigIntegerField()
    file_sha256 = TextField()
    terms = BinaryJSONField(index=False)
    rows = IntegerField()
    failed = IntegerField()


class ImportRow(Record):
    study_id = BigIntegerField()
    batch_id = BigIntegerField()
    line = IntegerField()
    row_key = BlobField()
    mended_key = BlobField(null=True)
    report_id = BigIntegerField(null=True)
    asking_id = BigIntegerField(null=True)

    class Meta:
        primary_key = CompositeKey("study_id", "row_key")


class ImportUpload(Record):
    id = IdentityField(generate_always=True)
    study_id = BigIntegerField()
    person_id = BigIntegerField()
    brought_at = DateTimeTZField()
    reports = BlobField()
    informants = BlobField(null=True)
    terms = BinaryJSONField(index=False)
    new_codes = BooleanField()
    state = TextField(default="reading")
    done = IntegerField(default=0)
    total = IntegerField(default=0)
    beat_at = DateTimeTZField()
    outcome = BinaryJSONField(default=dict, index=False)
    failing = BlobField(null=True)
    matching = BinaryJSONField(default=dict, index=False)


class SheetMatching(Record):
    """What was said of sheets of a study and serves the next: fields by head, and codes by what was written for them."""

    study_id = BigIntegerField(primary_key=True)
    heads = BinaryJSONField(index=False)
    answers = BinaryJSONField(index=False)
    day_first = BooleanField(null=True)
