"""Cautions on record, and what was decided of items of the worklist."""

from typing import ClassVar

from peewee import BigIntegerField, TextField

from tender_ledger.storage.models.base import StudyRecord


class Caution(StudyRecord):
    """A caution about a taxon or genus, and where said about a part, stage and preparation of it."""

    ENTITY: ClassVar[str] = "caution"
    taxon = TextField()
    part_id = BigIntegerField(null=True)
    stage_id = BigIntegerField(null=True)
    method_id = BigIntegerField(null=True)
    kind = TextField()
    harm = TextField()
    source = TextField()
    asks_id = BigIntegerField(null=True)


class WorklistMark(StudyRecord):
    """That an item of the worklist is settled, or set aside with a reason; `about` names the item."""

    ENTITY: ClassVar[str] = "worklist_mark"
    rule = TextField()
    about = TextField()
    way = TextField()
    reason = TextField(default="")
    marked_by = BigIntegerField()
