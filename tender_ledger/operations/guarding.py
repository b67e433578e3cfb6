"""A guardian holds back records of the own community, and releases what a guardian held back."""

from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Scope
from tender_ledger.core.text import clean
from tender_ledger.operations.errors import NotFound, Refused, number_of, required
from tender_ledger.operations.people import REFUSALS, left_out_thing
from tender_ledger.operations.saving import saving
from tender_ledger.storage.models import CommunityRestriction
from tender_ledger.storage.queries import guarding

HELD_BACK = tuple(one for one in REFUSALS if one != "record")


def restrict_records(scope: Scope, community_id: int, *, refuses: str, reason: str, category: str = "", plant: str = "",
                     report: str = "") -> int:  # fmt: skip
    """Hold back, from today on, one report of the community, all its uses of a category, or all it told of a plant.

    `refuses` is what is not to be done, of HELD_BACK. Of this, the holder's terms and the community's the strictest wins.
    """
    scope.viewer.require_for(Right.RESTRICT, community_id)
    if refuses not in HELD_BACK:
        raise Refused({"refuses": f"Say what is not to be done: {', '.join(HELD_BACK)}."})
    chosen = [clean(one) for one in (category, plant, report)]
    if sum(map(bool, chosen)) != 1:
        raise Refused({"category": "Choose one thing: a category, a plant, or one report."})
    report_id = number_of(report, "report", "Write the number of a report.") if chosen[2] else None
    if report_id and not guarding.may_hold_back(scope, community_id, report_id):
        raise Refused({"report": f"This community has no report {report_id} that you see."})
    thing = {} if report_id else left_out_thing(scope, chosen[0], chosen[1], "category" if chosen[0] else "plant")
    values = {"community_id": community_id, "refuses": refuses, "reason": required(reason, "reason", "The reason"), **thing,
              "report_id": report_id, "set_by": scope.viewer.person_id, "set_on": scope.day}  # fmt: skip
    with saving(scope, "restrict_records") as writing:
        return writing.create(CommunityRestriction, values)


def release_records(scope: Scope, restriction_id: int, version: int) -> None:
    """Release what a guardian of the community held back; the holders' own terms stand again."""
    scope.viewer.require(Right.RESTRICT)
    found = guarding.restriction(scope, restriction_id)
    if found is None or found["community_id"] not in scope.viewer.guards:
        raise NotFound(f"restriction {restriction_id}")
    with saving(scope, "release_records") as writing:
        writing.remove(CommunityRestriction, restriction_id, version)
