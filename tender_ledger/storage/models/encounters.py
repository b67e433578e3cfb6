"""Encounters and who was there."""

from typing import ClassVar

from peewee import (
    BigIntegerField,
    BooleanField,
    CompositeKey,
    DateField,
    DoubleField,
    IntegerField,
    SmallIntegerField,
    TextField,
    UUIDField,
)

from tender_ledger.storage.models.base import Child, Record, StudyRecord


class EncounterInformant(Record):
    study_id = BigIntegerField()
    encounter_id = BigIntegerField()
    informant_id = BigIntegerField()
    part = TextField(default="teller")

    class Meta:
        primary_key = CompositeKey("encounter_id", "informant_id")


class Encounter(StudyRecord):
    ENTITY: ClassVar[str] = "encounter"
    CHILDREN: ClassVar[tuple[Child, ...]] = (
        Child("informants", EncounterInformant, "encounter_id", ("informant_id", "part"), "informant_id"),
    )
    number = IntegerField()
    kind = TextField()
    title = TextField()
    day_from = DateField(null=True)
    day_to = DateField(null=True)
    approximate = BooleanField(default=False)
    community_id = BigIntegerField(null=True)
    language_id = BigIntegerField(null=True)
    interpreter = TextField(default="")
    place = TextField(default="")
    latitude = DoubleField(null=True)
    longitude = DoubleField(null=True)
    came_as = TextField(default="")
    recorded_by = BigIntegerField()
    client_key = UUIDField(null=True)


class FreeListItem(Record):
    study_id = BigIntegerField()
    free_list_id = BigIntegerField()
    position = SmallIntegerField()
    name = TextField()
    plant_id = BigIntegerField(null=True)

    class Meta:
        primary_key = CompositeKey("free_list_id", "position")


class FreeList(StudyRecord):
    """What somebody named, in its order."""

    ENTITY: ClassVar[str] = "free_list"
    CHILDREN: ClassVar[tuple[Child, ...]] = (
        Child("items", FreeListItem, "free_list_id", ("position", "name", "plant_id"), "position"),
    )
    encounter_id = BigIntegerField()
    informant_id = BigIntegerField()
    client_key = UUIDField(null=True)
