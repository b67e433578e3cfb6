"""Encounters and who was there."""

from typing import ClassVar

from peewee import BigIntegerField, BooleanField, CompositeKey, DateField, IntegerField, TextField, UUIDField

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
    came_as = TextField(default="")
    recorded_by = BigIntegerField()
    client_key = UUIDField(null=True)
