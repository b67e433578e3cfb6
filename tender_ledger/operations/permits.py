"""What allows a study to work, and how it came to its holders."""

from collections.abc import Mapping
from datetime import date
from typing import Any

from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Scope
from tender_ledger.core.text import clean
from tender_ledger.operations.errors import Refused, constraints_as_refusals, number_of, required
from tender_ledger.operations.saving import saving
from tender_ledger.storage.history import act
from tender_ledger.storage.models import ChoiceOfHolders, Permit, PublishingRule
from tender_ledger.storage.queries import studies


def record_permit(scope: Scope, values: Mapping[str, Any]) -> int:
    """Record an ethics approval, a research permit, or an agreement on access and benefits: kind, given_by, reference,
    granted_on and expires_on (its last day, or None), conditions. A study may have several of a kind."""
    scope.viewer.require(Right.ADMINISTER)
    with constraints_as_refusals(), act(scope.viewer, "record_permit") as writing:
        return writing.create(Permit, _permit(values))


def correct_permit(scope: Scope, permit_id: int, version: int, values: Mapping[str, Any]) -> None:
    """Correct a permit; one that was prolonged is corrected, one that followed another is recorded beside it."""
    scope.viewer.require(Right.ADMINISTER)
    with saving(scope, "correct_permit") as writing:
        writing.update(Permit, permit_id, version, _permit(values))


def _permit(values: Mapping[str, Any]) -> dict[str, Any]:
    if not isinstance(values.get("granted_on"), date):
        raise Refused({"granted_on": "Give the day it was given, such as 2026-05-12."})
    return {
        "kind": clean(values.get("kind")),
        "given_by": required(values.get("given_by"), "given_by", "Who gave it"),
        "reference": clean(values.get("reference")),
        "granted_on": values["granted_on"],
        "expires_on": values.get("expires_on"),
        "conditions": clean(values.get("conditions")),
    }


def set_minimum_holders(scope: Scope, version: int, minimum: int | str) -> None:
    """Set how many holders must stand behind a number before it leaves the study, or is split before members: 3 to 50.

    `version` is that of what stands, 0 where nothing does. Raises Conflict where somebody set it meanwhile.
    """
    scope.viewer.require(Right.ADMINISTER)
    values = {"minimum_holders": number_of(minimum, "minimum_holders", "Write a number of holders, 3 to 50.")}
    found = studies.publishing_rule(scope)
    with saving(scope, "set_minimum_holders") as writing:
        if found["id"]:
            writing.update(PublishingRule, found["id"], version, values)
        else:
            writing.create(PublishingRule, values)


def say_choice_of_holders(scope: Scope, version: int, *, way: str, words: str = "") -> None:
    """Say how the study came to its holders: random, snowball, purposive, all, or mixed, and in words. `version` is that of
    what stands, 0 where nothing does. Raises Conflict where somebody said it meanwhile."""
    scope.viewer.require(Right.ADMINISTER)
    values = {"way": clean(way), "words": clean(words)}
    found = studies.choice_of_holders(scope)
    with saving(scope, "say_choice_of_holders") as writing:
        if found is None:
            writing.create(ChoiceOfHolders, values)
        else:
            writing.update(ChoiceOfHolders, found["id"], version, values)
