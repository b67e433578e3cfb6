"""Plants as met, what they are called, and what they were determined as."""

from typing import ClassVar

from peewee import (
    BigIntegerField,
    BlobField,
    BooleanField,
    DateField,
    DoubleField,
    IdentityField,
    IntegerField,
    TextField,
    UUIDField,
)
from playhouse.postgres_ext import BinaryJSONField

from tender_ledger.storage.models.base import Record, StudyRecord


class Checklist(Record):
    id = IdentityField(generate_always=True)
    study_id = BigIntegerField(null=True)
    name = TextField()
    version = TextField()
    sha256 = TextField(default="")


class StudyChecklist(StudyRecord):
    """A checklist that a study brought into its names service; `left_out` are rows of its file that came to nothing."""

    ENTITY: ClassVar[str] = "checklist"
    NOT_KEPT = StudyRecord.NOT_KEPT | {"left_out"}
    checklist_id = BigIntegerField()
    title = TextField()
    edition = TextField()
    citation = TextField(default="")
    names = IntegerField()
    synonyms = IntegerField()
    families = IntegerField()
    left_out_count = IntegerField(default=0)
    left_out = BinaryJSONField(default=list, index=False)


class Taxon(Record):
    id = IdentityField(generate_always=True)
    checklist_id = BigIntegerField()
    name = TextField()
    authorship = TextField(default="")
    rank = TextField()
    genus = TextField()
    family = TextField(default="")
    name_fold = TextField()
    accepted_id = BigIntegerField(null=True)


class Plant(StudyRecord):
    ENTITY: ClassVar[str] = "plant"
    number = IntegerField()
    growth_form = TextField(default="")
    remarks = TextField(default="")
    came_as = TextField(default="")
    habitat = TextField(default="")
    origin = TextField(default="unknown")
    management = TextField(default="unknown")
    stage_id = BigIntegerField(null=True)
    told = BooleanField(default=False)
    client_key = UUIDField(null=True)


class Feature(StudyRecord):
    """Something measured of a plant: a range in the standard unit of its kind, and the words that told it."""

    ENTITY: ClassVar[str] = "feature"
    plant_id = BigIntegerField()
    character = TextField()
    low = DoubleField(null=True)
    high = DoubleField(null=True)
    unit = TextField()
    approximate = BooleanField(default=False)
    words = TextField()


class Picture(StudyRecord):
    """A picture of a plant, without its metadata; its bytes stand in PictureData and are in no history."""

    ENTITY: ClassVar[str] = "picture"
    plant_id = BigIntegerField()
    caption = TextField(default="")
    width = IntegerField()
    height = IntegerField()
    latitude = DoubleField(null=True)
    longitude = DoubleField(null=True)
    client_key = UUIDField(null=True)


class Specimen(StudyRecord):
    """A voucher: what was kept of a plant, by whom, under which number of theirs."""

    ENTITY: ClassVar[str] = "specimen"
    plant_id = BigIntegerField()
    collector = TextField()
    number = TextField()
    day_from = DateField(null=True)
    day_to = DateField(null=True)
    approximate = BooleanField(default=False)
    place = TextField(default="")
    stage_id = BigIntegerField(null=True)
    herbarium = TextField(default="")
    duplicates = TextField(default="")


class PictureData(Record):
    picture_id = BigIntegerField(primary_key=True)
    study_id = BigIntegerField()
    whole = BlobField()
    small = BlobField()


class Determination(StudyRecord):
    ENTITY: ClassVar[str] = "determination"
    plant_id = BigIntegerField()
    taxon_id = BigIntegerField(null=True)
    verbatim = TextField(default="")
    qualifier = TextField(default="none")
    basis = TextField()
    confidence = TextField()
    determiner = TextField()
    determined_on = DateField()
    remarks = TextField(default="")
    is_current = BooleanField(default=True)


class LocalName(StudyRecord):
    ENTITY: ClassVar[str] = "local_name"
    plant_id = BigIntegerField()
    language_id = BigIntegerField(null=True)
    dialect_id = BigIntegerField(null=True)
    name = TextField()
    name_fold = TextField()
    gloss = TextField(default="")
    told = BooleanField(default=False)


class Attestation(StudyRecord):
    ENTITY: ClassVar[str] = "attestation"
    local_name_id = BigIntegerField()
    informant_id = BigIntegerField()
    encounter_id = BigIntegerField()
