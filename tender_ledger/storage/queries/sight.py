"""Who sees the same of a study: what is kept for one of them is given to all of them."""

import hashlib
from dataclasses import dataclass
from typing import Any

from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import ask_anew, row
from tender_ledger.storage.queries.past_counts import may_be_kept
from tender_ledger.storage.queries.terms import LEAVES, parameters

# Whether somebody is not shown since nothing of theirs is on file, which owners see all the same; and whether the person wrote
# down something of those who are not shown to everybody, or entered a plant that is known by what they or a restriction hide:
# each of these is shown to its writer in some cases, which are not told apart here. The codes of sealed holders come along: they
# are asked for in every request.
_SEEN = """WITH few AS MATERIALIZED (SELECT informant_id, holder_id, on_file, sealed
        FROM informant_terms(%(study)s, %(day)s) WHERE sealed OR NOT on_file OR NOT may_show),
      hiding AS (SELECT r.plant_id FROM few JOIN use_report r USING (informant_id)
        UNION SELECT a.plant_id FROM few JOIN asking a USING (informant_id)
        UNION SELECT n.plant_id FROM few JOIN attestation a USING (informant_id) JOIN local_name n ON n.id = a.local_name_id
        UNION SELECT b.plant_id FROM bars(%(study)s, %(day)s) b WHERE b.no_show)
    SELECT s.revision, EXISTS (SELECT FROM few WHERE NOT on_file) AS undocumented,
      ARRAY(SELECT h.code::text FROM few JOIN holder h ON h.id = few.holder_id WHERE few.sealed ORDER BY 1) AS sealed,
      CASE WHEN NOT EXISTS (SELECT FROM few) THEN false ELSE
        EXISTS (SELECT FROM few JOIN holder h ON h.id = few.holder_id WHERE h.recorded_by = %(person)s)
        OR EXISTS (SELECT FROM use_report r JOIN few USING (informant_id)
                   WHERE r.study_id = %(study)s AND r.recorded_by = %(person)s)
        OR EXISTS (SELECT FROM few JOIN asking a USING (informant_id) WHERE a.recorded_by = %(person)s)
        OR EXISTS (SELECT FROM few JOIN encounter_informant x USING (informant_id) JOIN encounter e ON e.id = x.encounter_id
                   WHERE e.recorded_by = %(person)s)
      END OR EXISTS (SELECT FROM change made JOIN act a ON a.id = made.act_id
                     WHERE made.study_id = %(study)s AND made.entity = 'plant' AND made.before IS NULL
                       AND a.person_id = %(person)s AND made.record_id IN (SELECT plant_id FROM hiding)) AS own
    FROM study s WHERE s.id = %(study)s"""


@dataclass(frozen=True)
class Standing:
    """A revision of a study, and the sight of a viewer at it."""

    revision: int
    sight: str


def sight_of(scope: Scope) -> str:
    """The name of what the viewer sees of the study, for the purpose: the same for everybody but for owners, where nothing is
    on file of somebody, for guardians in what leaves, and for whoever wrote down something that others may not see."""
    return _standing(scope).sight


def standing_of(scope: Scope) -> Standing:
    """Read anew and before anything is computed, so that what a write in between changes is kept under a revision that is
    past."""
    ask_anew()
    return _standing(scope)


def may_be_kept_of(scope: Scope, now: Standing) -> bool:
    """Whether what was computed at a standing may be kept for all of its sight, within the transaction of the caller."""
    return may_be_kept(scope, now.revision) and sight_of(scope) == now.sight


def sealed_codes(scope: Scope) -> list[str]:
    """The codes of holders who are sealed on the day; asked to keep them out of what others wrote, never to be shown."""
    return list(_seen(scope)["sealed"])


def with_roles(sight: str, scope: Scope) -> str:
    """A sight with what the viewer may do, which a page shows as well."""
    return f"{sight} as {_short(sorted(scope.viewer.roles), sorted(scope.viewer.guards))}"


def _seen(scope: Scope) -> dict[str, Any]:
    """Raises LookupError where there is no such study."""
    found = row(_SEEN, **parameters(scope))
    if found is None:
        raise LookupError(f"there is no study {scope.study_id}")
    return found


def _standing(scope: Scope) -> Standing:
    found, values = _seen(scope), parameters(scope)
    parts = [f"person {values['person']}" if found["own"] else "all"]
    if found["undocumented"] and values["owner"]:
        parts.append("owner")
    if scope.purpose in LEAVES and values["own"] is not None:
        parts.append(f"of {_short(values['own'])}")
    return Standing(int(found["revision"]), " ".join(parts))


def _short(*listed: object) -> str:
    """Lists of any length by a name that is always short."""
    return hashlib.sha256(repr(listed).encode()).hexdigest()
