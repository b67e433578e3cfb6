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


class UseReport(StudyRecord):
    ENTITY: ClassVar[str] = "use_report"
    CHILDREN: ClassVar[tuple[Child, ...]] = (
        Child("codings", ReportCoding, "report_id",
              ("scheme", "category_id", "subcategory_id", "purpose_id", "is_primary"), "category_id"),
        Child("parts", ReportPart, "report_id", ("component", "part_id", "position"), "position"),
        Child("methods", ReportMethod, "report_id", ("component", "method_id", "position"), "position"),
        Child("applications", ReportApplication, "report_id", ("component", "application_id", "position"), "position"),
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
