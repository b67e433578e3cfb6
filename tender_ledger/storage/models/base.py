"""What every model shares. References are plain numbers here: the database holds them, with their study."""

from typing import ClassVar

from peewee import BigIntegerField, IdentityField, IntegerField, Model
from playhouse.postgres_ext import DateTimeTZField

from tender_ledger.storage.database import database


class Record(Model):
    """A table of the application."""

    class Meta:
        database = database
        legacy_table_names = False


class StudyRecord(Record):
    """A versioned record of one study; `removed_at` hides a record whose creation was undone.

    `ENTITY` names it in the history; `NOT_KEPT` are columns that the history does not repeat.
    """

    ENTITY: ClassVar[str] = ""
    NOT_KEPT: ClassVar[frozenset[str]] = frozenset(
        {"id", "study_id", "version", "removed_at", "client_key", "recorded_at", "uid"}
    )
    CHILDREN: ClassVar[tuple["Child", ...]] = ()

    id = IdentityField(generate_always=True)
    study_id = BigIntegerField()
    version = IntegerField(default=1)
    removed_at = DateTimeTZField(null=True)


class Child:
    """Rows that belong to a record and are kept, changed and undone with it."""

    def __init__(self, name: str, model: type[Record], parent: str, columns: tuple[str, ...], order: str, *,
                 of_study: bool = True) -> None:  # fmt: skip
        self.name, self.model, self.parent, self.columns, self.order = name, model, parent, columns, order
        self.of_study = of_study  # whether the rows carry the study's number
