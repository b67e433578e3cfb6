"""Knowledge-holders, sources, and what they agreed to."""

from typing import ClassVar

from peewee import BigIntegerField, BlobField, BooleanField, DateField, IdentityField, IntegerField, TextField, UUIDField
from playhouse.postgres_ext import BinaryJSONField

from tender_ledger.storage.models.base import Child, Record, StudyRecord


class Holder(StudyRecord):
    ENTITY: ClassVar[str] = "holder"
    code = TextField()
    community_id = BigIntegerField()
    gender = TextField(default="unstated")
    birth_year = IntegerField(null=True)
    birth_decade = IntegerField(null=True)
    chosen = TextField(default="unstated")
    credit = TextField(default="anonymous")
    pseudonym = TextField(default="")
    learned_from = TextField(default="")
    occupation = TextField(default="")
    years_in_place = IntegerField(null=True)
    recorded_by = BigIntegerField()
    client_key = UUIDField(null=True)
    uid = UUIDField()  # the database makes it


class HolderIdentity(Record):
    """The real name, encrypted; in no history and in no export."""

    holder_id = BigIntegerField(primary_key=True)
    study_id = BigIntegerField()
    ciphertext = BlobField()
    nonce = BlobField()
    key_id = TextField()


class Disclosure(Record):
    """That somebody looked at a real name, and why."""

    id = IdentityField(generate_always=True)
    study_id = BigIntegerField()
    person_id = BigIntegerField()
    holder_id = BigIntegerField()
    reason = TextField()


class Source(StudyRecord):
    ENTITY: ClassVar[str] = "source"
    code = TextField()
    kind = TextField()
    csl = BinaryJSONField(index=False)
    community_id = BigIntegerField(null=True)


class Informant(Record):
    id = IdentityField(generate_always=True)
    study_id = BigIntegerField()
    holder_id = BigIntegerField(null=True)
    source_id = BigIntegerField(null=True)


class ConsentLimit(Record):
    """Something that an agreement leaves out: uses of a category, or what was told of a plant."""

    study_id = BigIntegerField()
    consent_id = BigIntegerField()
    refuses = TextField()
    category_id = BigIntegerField(null=True)
    plant_id = BigIntegerField(null=True)

    class Meta:
        primary_key = False


class Consent(StudyRecord):
    ENTITY: ClassVar[str] = "consent"
    CHILDREN: ClassVar[tuple[Child, ...]] = (
        Child("limits", ConsentLimit, "consent_id", ("refuses", "category_id", "plant_id"), "refuses"),
    )
    holder_id = BigIntegerField(null=True)
    community_id = BigIntegerField(null=True)
    agreed_on = DateField()
    form = TextField()
    may_record = BooleanField()
    may_count = BooleanField()
    may_show = BooleanField()
    may_publish_aggregate = BooleanField()
    may_publish_verbatim = BooleanField()
    may_publish_rows = BooleanField(default=False)
    may_credit = BooleanField(default=False)
    expires_on = DateField(null=True)
    audience = TextField(default="")
    archive = TextField(default="")
    reuse = TextField(default="")
    after_death = TextField(default="")
    minors = TextField(default="")
    withdrawn_on = DateField(null=True)
    withdrawal = TextField(null=True)
    client_key = UUIDField(null=True)


class CommunityRestriction(StudyRecord):
    """What a guardian holds back of a community's records; removing it releases them."""

    ENTITY: ClassVar[str] = "community_restriction"
    community_id = BigIntegerField()
    refuses = TextField()
    category_id = BigIntegerField(null=True)
    plant_id = BigIntegerField(null=True)
    report_id = BigIntegerField(null=True)
    reason = TextField()
    set_by = BigIntegerField()
    set_on = DateField()
