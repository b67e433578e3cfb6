"""What a reckoning takes beside reports, and what is kept of one: floras, questionnaires, scores, frozen reckonings."""

from typing import ClassVar

from peewee import BigIntegerField, DateField, IntegerField, TextField
from playhouse.postgres_ext import ArrayField, BinaryJSONField

from tender_ledger.storage.models.base import StudyRecord


class Flora(StudyRecord):
    ENTITY: ClassVar[str] = "flora"
    name = TextField()
    cited = TextField(default="")
    families = TextField()


class Questionnaire(StudyRecord):
    ENTITY: ClassVar[str] = "questionnaire"
    title = TextField()
    alternatives = IntegerField()
    questions = TextField()


class QuestionnaireAnswer(StudyRecord):
    ENTITY: ClassVar[str] = "questionnaire_answer"
    questionnaire_id = BigIntegerField()
    informant_id = BigIntegerField()
    answers = TextField()


class UseScore(StudyRecord):
    """Three judgements of the use of a taxon, each 2 or 1."""

    ENTITY: ClassVar[str] = "use_score"
    taxon = TextField()
    category_id = BigIntegerField()
    management = IntegerField()
    preference = IntegerField()
    frequency = IntegerField()


class FrozenReckoning(StudyRecord):
    """A reckoning as it stood; the history keeps that it was frozen, and none of its values."""

    ENTITY: ClassVar[str] = "frozen_reckoning"
    NOT_KEPT: ClassVar[frozenset[str]] = StudyRecord.NOT_KEPT | {"body", "informants", "reports", "rules"}
    name = TextField()
    frozen_on = DateField()
    revision = BigIntegerField()
    rules = BinaryJSONField(index=False)
    seed = IntegerField()
    replicates = IntegerField()
    software = TextField()
    counted = IntegerField()
    fingerprint = TextField()
    informants = ArrayField(BigIntegerField, index=False)
    reports = ArrayField(BigIntegerField, index=False)
    body = BinaryJSONField(index=False, null=True)
