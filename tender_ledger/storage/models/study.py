"""A study, its languages, communities, counting rules, vocabularies and drafts."""

from typing import ClassVar

from peewee import (
    BigIntegerField,
    BooleanField,
    CompositeKey,
    DateField,
    DoubleField,
    IdentityField,
    IntegerField,
    TextField,
)
from playhouse.postgres_ext import BinaryJSONField, DateTimeTZField

from tender_ledger.storage.models.base import Child, Record, StudyRecord


class Study(Record):
    id = IdentityField(generate_always=True)
    code = TextField()
    title = TextField()
    question = TextField(default="")
    zone = TextField()
    scheme = TextField(default="economic_botany")
    invented = BooleanField(default=False)
    revision = BigIntegerField(default=0)
    version = IntegerField(default=1)
    removed_at = DateTimeTZField(null=True)


class TermLabel(Record):
    term_id = BigIntegerField()
    language = TextField()
    label = TextField()

    class Meta:
        primary_key = CompositeKey("term_id", "language")


class VocabularyTerm(StudyRecord):
    """A term of a vocabulary: shipped, and then of no study, or a study's own."""

    ENTITY: ClassVar[str] = "vocabulary_term"
    CHILDREN: ClassVar[tuple[Child, ...]] = (
        Child("labels", TermLabel, "term_id", ("language", "label"), "language", of_study=False),
    )
    study_id = BigIntegerField(null=True)  # type: ignore[assignment]  # none for a shipped term
    vocabulary = TextField()
    scheme = TextField(null=True)
    code = TextField()
    abbreviation = TextField(null=True)
    parent_id = BigIntegerField(null=True)
    position = IntegerField()
    retired_at = DateTimeTZField(null=True)


class Language(StudyRecord):
    ENTITY: ClassVar[str] = "language"
    code = TextField()
    name = TextField()


class CommunityLanguage(Record):
    study_id = BigIntegerField()
    community_id = BigIntegerField()
    language_id = BigIntegerField()

    class Meta:
        primary_key = CompositeKey("community_id", "language_id")


class Dialect(StudyRecord):
    """A way of speaking a language."""

    ENTITY: ClassVar[str] = "dialect"
    language_id = BigIntegerField()
    name = TextField()


class CommunityDialect(Record):
    study_id = BigIntegerField()
    community_id = BigIntegerField()
    dialect_id = BigIntegerField()

    class Meta:
        primary_key = CompositeKey("community_id", "dialect_id")


class Community(StudyRecord):
    ENTITY: ClassVar[str] = "community"
    CHILDREN: ClassVar[tuple[Child, ...]] = (
        Child("languages", CommunityLanguage, "community_id", ("language_id",), "language_id"),
        Child("dialects", CommunityDialect, "community_id", ("dialect_id",), "dialect_id"),
    )
    code = TextField()
    name = TextField()
    place = TextField(default="")
    latitude = DoubleField(null=True)
    longitude = DoubleField(null=True)
    parent_id = BigIntegerField(null=True)
    protocol = TextField(default="")


class Rules(StudyRecord):
    ENTITY: ClassVar[str] = "rules"
    name = TextField()
    body = BinaryJSONField(index=False)
    in_force = BooleanField(default=True)


class Permit(StudyRecord):
    """What allows the study to work, and until when."""

    ENTITY: ClassVar[str] = "permit"
    kind = TextField()
    given_by = TextField()
    reference = TextField(default="")
    granted_on = DateField()
    expires_on = DateField(null=True)
    conditions = TextField(default="")


class ChoiceOfHolders(StudyRecord):
    """How the study came to its holders."""

    ENTITY: ClassVar[str] = "choice_of_holders"
    way = TextField()
    words = TextField(default="")


class PublishingRule(StudyRecord):
    """How many holders must stand behind a number before it leaves the study, or is split before members."""

    ENTITY: ClassVar[str] = "publishing_rule"
    minimum_holders = IntegerField()


class SignInRule(StudyRecord):
    """What a study asks of its owners when they sign in."""

    ENTITY: ClassVar[str] = "sign_in_rule"
    owners_need_second_factor = BooleanField()


class Draft(Record):
    study_id = BigIntegerField()
    person_id = BigIntegerField()
    place = TextField()
    body = BinaryJSONField(index=False)
    updated_at = DateTimeTZField()

    class Meta:
        primary_key = CompositeKey("study_id", "person_id", "place")
