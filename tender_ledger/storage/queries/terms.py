"""The one predicate by which the terms of consent enter a read."""

from typing import Any

from tender_ledger.core.rights import Right, Role
from tender_ledger.core.terms import Purpose, Scope
from tender_ledger.storage.database import value

# Joined to anything that has an informant: `{on}` is its column.
TERMS = "JOIN informant_terms(%(study)s, %(day)s) t ON t.informant_id = "

# The same for a statement that asks it of many rows: the terms are found once and then joined as `terms`.
WITH_TERMS = "WITH terms AS MATERIALIZED (SELECT * FROM informant_terms(%(study)s, %(day)s))"
THESE_TERMS = "JOIN terms t ON t.informant_id = "


def allowed(scope: Scope, *, written_by: str = "NULL") -> str:
    """The condition on a row `t` of informant_terms; `written_by` is the column of the person who wrote the record."""
    if scope.purpose is Purpose.COUNTED:
        return "t.may_count"
    if scope.purpose is Purpose.PUBLISHED:
        return "t.may_show AND t.may_publish_aggregate"
    if scope.purpose is Purpose.SHOWN:
        return f"(NOT t.sealed AND (t.may_show OR (NOT t.on_file AND (%(owner)s OR {written_by} = %(person)s))))"
    raise ValueError(f"nothing is read for the purpose {scope.purpose}")


def parameters(scope: Scope, **more: Any) -> dict[str, Any]:
    """The values that the terms need in a statement, with those of the statement itself."""
    return {
        "study": scope.study_id,
        "day": scope.day,
        "person": scope.viewer.person_id,
        "owner": Role.OWNER in scope.viewer.roles,
        **more,
    }


def may_record(scope: Scope, informant_id: int) -> bool:
    """Whether this informant's terms of the day allow recording; False also for nobody of this study."""
    return bool(
        value(
            "SELECT t.may_record FROM informant_terms(%(study)s, %(day)s) t WHERE t.informant_id = %(informant)s",
            **parameters(scope, informant=informant_id),
        )
    )


def sees_agreements(scope: Scope) -> bool:
    """Whether the viewer manages agreements, and so sees the codes of those who gave one."""
    return scope.viewer.may(Right.AGREE)
