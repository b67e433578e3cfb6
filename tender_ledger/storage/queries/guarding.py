"""What guardians hold back of their communities' records."""

from typing import Any

from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import row, rows, value
from tender_ledger.storage.queries.terms import TERMS, allowed, parameters


def restrictions(scope: Scope, community_id: int) -> list[dict[str, Any]]:
    """What is held back of a community, the latest first, for its guardians alone: what it is about, what is not to be done."""
    if community_id not in scope.viewer.guards:
        return []
    return rows(
        """SELECT c.id, c.refuses, c.reason, c.set_on, c.version, p.name AS person, c.report_id, t.label AS category,
                  'P-' || lpad(coalesce(own.number, told.number)::text, 3, '0') AS plant
           FROM community_restriction c JOIN person p ON p.id = c.set_by
           LEFT JOIN term_label t ON t.term_id = c.category_id AND t.language = 'en'
           LEFT JOIN plant own ON own.id = c.plant_id
           LEFT JOIN use_report r ON r.id = c.report_id LEFT JOIN plant told ON told.id = r.plant_id
           WHERE c.study_id = %(study)s AND c.community_id = %(community)s AND c.removed_at IS NULL ORDER BY c.id DESC""",
        study=scope.study_id,
        community=community_id,
    )


def restriction(scope: Scope, restriction_id: int) -> dict[str, Any] | None:
    return row(
        "SELECT * FROM community_restriction WHERE study_id = %(study)s AND id = %(id)s AND removed_at IS NULL",
        study=scope.study_id,
        id=restriction_id,
    )


def may_hold_back(scope: Scope, community_id: int, report_id: int) -> bool:
    """Whether a report is of the community, and its teller's own terms show it to the viewer."""
    return bool(
        value(
            f"""SELECT EXISTS (SELECT FROM use_report r {TERMS} r.informant_id
                WHERE r.study_id = %(study)s AND r.id = %(report)s AND r.removed_at IS NULL
                  AND t.community_id = %(community)s AND t.holder_id IS NOT NULL AND {allowed(scope)})""",
            **parameters(scope, report=report_id, community=community_id),
        )
    )
