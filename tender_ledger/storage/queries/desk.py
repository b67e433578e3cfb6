"""What somebody finds on the desk of the day: what they had not finished, and what ends soon."""

from datetime import date
from typing import Any

from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import rows
from tender_ledger.storage.queries.reports import NOT_OF_SEALED
from tender_ledger.storage.queries.terms import TERMS, allowed, parameters


def drafts(scope: Scope) -> list[dict[str, Any]]:
    """What the viewer had typed and not yet recorded, the latest first: `place`, `body`; not what a sealed holder told."""
    return rows(
        f"""SELECT d.place, d.body FROM draft d WHERE d.study_id = %(study)s AND d.person_id = %(person)s
              AND {NOT_OF_SEALED} ORDER BY d.updated_at DESC""",
        **parameters(scope),
    )


def last_recorded_in(scope: Scope) -> int | None:
    """The number of the encounter in which the viewer recorded a report last; None who recorded none."""
    found = rows(
        """SELECT e.number FROM use_report r JOIN encounter e ON e.id = r.encounter_id AND e.removed_at IS NULL
           WHERE r.study_id = %(study)s AND r.recorded_by = %(person)s AND r.removed_at IS NULL ORDER BY r.id DESC LIMIT 1""",
        **parameters(scope),
    )
    return int(found[0]["number"]) if found else None


def agreements_ending(scope: Scope, until: date) -> list[dict[str, Any]]:
    """Agreements that stand and end from today until a day, the first first: `holder` or `community` (codes), `expires_on`.

    Of holders those whom the viewer may see; one that a later agreement follows is not in it.
    """
    return rows(
        f"""SELECT h.code::text AS holder, NULL::text AS community, c.expires_on FROM consent c
              JOIN holder h ON h.id = c.holder_id JOIN informant i ON i.holder_id = h.id {TERMS} i.id
            WHERE c.study_id = %(study)s AND c.removed_at IS NULL AND c.withdrawn_on IS NULL
              AND c.expires_on BETWEEN %(day)s AND %(until)s AND {allowed(scope, written_by="h.recorded_by")}
              AND NOT EXISTS (SELECT FROM consent later WHERE later.holder_id = c.holder_id AND later.removed_at IS NULL
                AND (later.agreed_on, later.id) > (c.agreed_on, c.id))
            UNION ALL SELECT NULL, m.code::text, c.expires_on FROM consent c JOIN community m ON m.id = c.community_id
            WHERE c.study_id = %(study)s AND c.removed_at IS NULL AND c.withdrawn_on IS NULL
              AND c.expires_on BETWEEN %(day)s AND %(until)s
              AND NOT EXISTS (SELECT FROM consent later WHERE later.community_id = c.community_id
                AND later.removed_at IS NULL AND (later.agreed_on, later.id) > (c.agreed_on, c.id))
            ORDER BY expires_on, holder, community""",
        **parameters(scope, until=until),
    )
