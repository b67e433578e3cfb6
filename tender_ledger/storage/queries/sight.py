"""Who sees the same of a study: what is kept for one of them is given to all of them."""

from dataclasses import dataclass

from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import ask_anew, row, value
from tender_ledger.storage.queries.terms import parameters

# Whether the person wrote down something of those who are not shown to everybody, or entered a plant that is known by what they
# or a restriction hide: each of these is shown to its writer in some cases, which are not told apart here.
_WROTE_FOR_FEW = """WITH few AS MATERIALIZED (
      SELECT informant_id, holder_id FROM informant_terms(%(study)s, %(day)s) WHERE sealed OR NOT on_file OR NOT may_show),
    hiding AS (SELECT r.plant_id FROM few JOIN use_report r USING (informant_id)
      UNION SELECT a.plant_id FROM few JOIN asking a USING (informant_id)
      UNION SELECT n.plant_id FROM few JOIN attestation a USING (informant_id) JOIN local_name n ON n.id = a.local_name_id
      UNION SELECT b.plant_id FROM bars(%(study)s, %(day)s) b WHERE b.no_show)
    SELECT EXISTS (SELECT FROM few JOIN holder h ON h.id = few.holder_id WHERE h.recorded_by = %(person)s)
      OR EXISTS (SELECT FROM few JOIN use_report r USING (informant_id) WHERE r.recorded_by = %(person)s)
      OR EXISTS (SELECT FROM few JOIN asking a USING (informant_id) WHERE a.recorded_by = %(person)s)
      OR EXISTS (SELECT FROM few JOIN encounter_informant x USING (informant_id) JOIN encounter e ON e.id = x.encounter_id
                 WHERE e.recorded_by = %(person)s)
      OR EXISTS (SELECT FROM hiding JOIN change made ON made.record_id = hiding.plant_id
                 JOIN act a ON a.id = made.act_id AND a.person_id = %(person)s
                 WHERE made.study_id = %(study)s AND made.entity = 'plant' AND made.before IS NULL)"""


@dataclass(frozen=True)
class Standing:
    """A revision of a study, and the sight of a viewer at it."""

    revision: int
    sight: str


def sight_of(scope: Scope) -> str:
    """The name of what the viewer sees of the study: the same for all who have the same roles and guard the same communities,
    but one's own for whoever wrote down something that others of these roles may not see."""
    return _named(scope, bool(value(_WROTE_FOR_FEW, **parameters(scope))))


def standing_of(scope: Scope) -> Standing:
    """Read anew and before anything is computed, so that what a write in between changes is kept under a revision that is
    past."""
    ask_anew()
    found = row(f"SELECT s.revision, ({_WROTE_FOR_FEW}) AS own FROM study s WHERE s.id = %(study)s", **parameters(scope))
    if found is None:
        raise LookupError(f"there is no study {scope.study_id}")
    return Standing(int(found["revision"]), _named(scope, found["own"]))


def _named(scope: Scope, own: bool) -> str:
    viewer = scope.viewer
    if own:
        return f"person {viewer.person_id}"
    roles, guards = ",".join(sorted(viewer.roles)), ",".join(map(str, sorted(viewer.guards)))
    return f"roles {roles} guards {guards}"
