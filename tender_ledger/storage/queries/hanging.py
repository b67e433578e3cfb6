"""What hangs on a record that somebody would take back as a mistake, whoever may see it."""

from collections.abc import Mapping

from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import value

_TOLD = ("use_report", "asking", "property_claim")
# By entity the tables whose live rows hang on it, and the columns that point at it.
HANGS_ON: Mapping[str, tuple[tuple[str, str], ...]] = {
    "plant": (*((table, "plant_id") for table in (*_TOLD, "plant_link", "specimen", "picture", "feature")),
              ("plant_link", "other_id")),
    "local_name": (("attestation", "local_name_id"),),
    "encounter": tuple((table, "encounter_id") for table in (*_TOLD, "plant_link", "attestation", "free_list")),
    "holder": (),
}  # fmt: skip
# What hangs on something in more than one step: that a name of a plant was told, that a holder was met, or named as a teacher.
_FURTHER = {
    "plant": """EXISTS (SELECT FROM attestation a JOIN local_name n ON n.id = a.local_name_id
        WHERE n.plant_id = %(id)s AND n.removed_at IS NULL AND a.removed_at IS NULL)
        OR EXISTS (SELECT FROM free_list_item i JOIN free_list f ON f.id = i.free_list_id
        WHERE i.plant_id = %(id)s AND f.removed_at IS NULL)""",
    "holder": """EXISTS (SELECT FROM informant i WHERE i.holder_id = %(id)s AND (
        EXISTS (SELECT FROM encounter_informant x JOIN encounter e ON e.id = x.encounter_id
            WHERE x.informant_id = i.id AND e.removed_at IS NULL)
        OR EXISTS (SELECT FROM report_teaching t JOIN use_report r ON r.id = t.report_id
            WHERE t.teacher_id = i.id AND r.removed_at IS NULL)
        OR EXISTS (SELECT FROM questionnaire_answer q WHERE q.informant_id = i.id AND q.removed_at IS NULL)))""",
}


def something_hangs(scope: Scope, entity: str, record_id: int) -> bool:
    """Whether anything live of the study points at a record of HANGS_ON."""
    conditions = [
        f"EXISTS (SELECT FROM {table} x WHERE x.study_id = %(study)s AND x.{column} = %(id)s AND x.removed_at IS NULL)"
        for table, column in HANGS_ON[entity]
    ]
    further = [_FURTHER[entity]] if entity in _FURTHER else []
    return bool(value(f"SELECT {' OR '.join([*conditions, *further])}", study=scope.study_id, id=record_id))
