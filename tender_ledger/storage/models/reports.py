"""Use reports with their codings, parts and methods; and plants asked about without a use named."""

from typing import ClassVar

from peewee import (
    BigIntegerField,
    BooleanField,
    CompositeKey,
    DoubleField,
    IdentityField,
    SmallIntegerField,
    TextField,
    UUIDField,
)
from playhouse.postgres_ext import BinaryJSONField

from tender_ledger.storage.models.base import Child, Record, StudyRecord


class Purpose(Record):
    id = IdentityField(generate_always=True)
    study_id = BigIntegerField()
    category_id = BigIntegerField()
    label = TextField()
    label_fold = TextField()


class ReportCoding(Record):
    study_id = BigIntegerField()
    report_id = BigIntegerField()
    scheme = TextField()
    category_id = BigIntegerField()
    subcategory_id = BigIntegerField(null=True)
    purpose_id = BigIntegerField(null=True)
    is_primary = BooleanField(default=True)

    class Meta:
        primary_key = CompositeKey("report_id", "scheme", "category_id")


class ReportPart(Record):
    study_id = BigIntegerField()
    report_id = BigIntegerField()
    component = SmallIntegerField(default=1)
    part_id = BigIntegerField()
    position = SmallIntegerField(default=1)

    class Meta:
        primary_key = CompositeKey("report_id", "component", "part_id")


class ReportMethod(Record):
    study_id = BigIntegerField()
    report_id = BigIntegerField()
    component = SmallIntegerField(default=1)
    method_id = BigIntegerField()
    position = SmallIntegerField(default=1)

    class Meta:
        primary_key = CompositeKey("report_id", "component", "method_id")


class ReportApplication(Record):
    study_id = BigIntegerField()
    report_id = BigIntegerField()
    component = SmallIntegerField(default=1)
    application_id = BigIntegerField()
    position = SmallIntegerField(default=1)

    class Meta:
        primary_key = CompositeKey("report_id", "component", "application_id")


class ReportStep(Record):
    """One step of a preparation; how long, how hot and how strong stand in the words that told it."""

    study_id = BigIntegerField()
    report_id = BigIntegerField()
    position = SmallIntegerField()
    method_id = BigIntegerField(null=True)
    words = TextField(default="")
    lasts = TextField(default="")
    heat = TextField(default="")
    strength = TextField(default="")

    class Meta:
        primary_key = CompositeKey("report_id", "position")


class ReportIngredient(Record):
    """What else goes into a remedy, without a report of its own."""

    study_id = BigIntegerField()
    report_id = BigIntegerField()
    position = SmallIntegerField()
    words = TextField()
    role = TextField(default="companion")
    amount = TextField(default="")

    class Meta:
        primary_key = CompositeKey("report_id", "position")


class ReportTeaching(Record):
    """Who taught it: an informant of the study, or somebody in words; the teller's own teacher first."""

    study_id = BigIntegerField()
    report_id = BigIntegerField()
    position = SmallIntegerField()
    teacher_id = BigIntegerField(null=True)
    words = TextField(default="")
    told_when = TextField(default="")

    class Meta:
        primary_key = CompositeKey("report_id", "position")


class UseReport(StudyRecord):
    ENTITY: ClassVar[str] = "use_report"
    CHILDREN: ClassVar[tuple[Child, ...]] = (
        Child("codings", ReportCoding, "report_id",
              ("scheme", "category_id", "subcategory_id", "purpose_id", "is_primary"), "category_id"),
        Child("parts", ReportPart, "report_id", ("component", "part_id", "position"), "position"),
        Child("methods", ReportMethod, "report_id", ("component", "method_id", "position"), "position"),
        Child("applications", ReportApplication, "report_id", ("component", "application_id", "position"), "position"),
        Child("steps", ReportStep, "report_id", ("position", "method_id", "words", "lasts", "heat", "strength"), "position"),
        Child("ingredients", ReportIngredient, "report_id", ("position", "words", "role", "amount"), "position"),
        Child("teachings", ReportTeaching, "report_id", ("position", "teacher_id", "words", "told_when"), "position"),
    )  # fmt: skip
    encounter_id = BigIntegerField()
    informant_id = BigIntegerField()
    plant_id = BigIntegerField()
    basis_id = BigIntegerField()
    stance_id = BigIntegerField()
    outcome_id = BigIntegerField()
    stage_id = BigIntegerField(null=True)
    words = TextField(default="")
    start_s = DoubleField(null=True)
    end_s = DoubleField(null=True)
    caution = TextField(default="")
    note = TextField(default="")
    currency = TextField(default="unstated")
    attributed_to = TextField(default="")
    mixture = TextField(default="")
    role = TextField(default="main")
    season = TextField(default="")
    harvest = TextField(default="")
    harvest_effect = TextField(default="unstated")
    dose = TextField(default="")
    actor = TextField(default="people")
    taker = TextField(default="unstated")
    phase = TextField(default="")
    frequency = TextField(default="")
    course = TextField(default="")
    proportion = TextField(default="")
    language_id = BigIntegerField(null=True)
    cited_id = BigIntegerField(null=True)
    extra = BinaryJSONField(default=dict, index=False)
    recorded_by = BigIntegerField()
    client_key = UUIDField()


class Asking(StudyRecord):
    ENTITY: ClassVar[str] = "asking"
    encounter_id = BigIntegerField()
    informant_id = BigIntegerField()
    plant_id = BigIntegerField()
    extra = BinaryJSONField(default=dict, index=False)
    recorded_by = BigIntegerField()
    client_key = UUIDField()


class Dispute(StudyRecord):
    """Two reports that contradict one another; `other_id` is empty where that teller was erased."""

    ENTITY: ClassVar[str] = "dispute"
    report_id = BigIntegerField()
    other_id = BigIntegerField(null=True)
    note = TextField(default="")


class PropertyClaim(StudyRecord):
    """What somebody told of a plant's property or constituent; never a use."""

    ENTITY: ClassVar[str] = "property_claim"
    encounter_id = BigIntegerField()
    informant_id = BigIntegerField()
    plant_id = BigIntegerField()
    part_id = BigIntegerField(null=True)
    property = TextField()
    basis_id = BigIntegerField()
    words = TextField(default="")
    start_s = DoubleField(null=True)
    recorded_by = BigIntegerField()
    client_key = UUIDField(null=True)


class PlantLink(StudyRecord):
    """What somebody told that a plant is to another one."""

    ENTITY: ClassVar[str] = "plant_link"
    encounter_id = BigIntegerField()
    informant_id = BigIntegerField()
    plant_id = BigIntegerField()
    other_id = BigIntegerField()
    kind = TextField()
    words = TextField(default="")
    start_s = DoubleField(null=True)
    recorded_by = BigIntegerField()
    client_key = UUIDField(null=True)
