"""A study, its members, its counting rules."""

from dataclasses import dataclass
from zoneinfo import available_timezones

from tender_ledger.core.rights import Right, Role
from tender_ledger.core.rules import BASES, CountingRules, parse_rules
from tender_ledger.core.terms import Member, Scope
from tender_ledger.core.text import clean
from tender_ledger.operations.errors import NotFound, Refused, code_of, constraints_as_refusals, required
from tender_ledger.operations.saving import saving
from tender_ledger.storage.database import database
from tender_ledger.storage.history import act
from tender_ledger.storage.models import Membership, Rules, Study
from tender_ledger.storage.queries import accounts, studies

RULES_NAME = "The study's rules"


def create_study(person_id: int, *, code: str, title: str, question: str = "", zone: str = "UTC",
                 invented: bool = False) -> Member:  # fmt: skip
    """Set up a study; whoever sets it up owns it. Raises Refused for a taken code or an unknown time zone."""
    if zone not in available_timezones():
        raise Refused({"zone": f"No time zone is called “{zone}”. Write it as UTC or Etc/GMT+3."})
    with database.atomic(), constraints_as_refusals():
        study_id = Study.insert(
            code=code_of(code), title=required(title, "title", "The title"), question=clean(question), zone=zone,
            invented=invented,
        ).execute()  # fmt: skip
        Membership.insert(study_id=study_id, person_id=person_id, role=Role.OWNER).execute()
    member = accounts.member_of(person_id, code_of(code))
    if member is None:
        raise LookupError(f"study {code}")
    with constraints_as_refusals(), act(member, "create_study") as writing:
        writing.create(Rules, {"name": RULES_NAME, "body": CountingRules().to_json()})
    return member


def rules_in_force(scope: Scope) -> CountingRules:
    """The counting rules of the study; the defaults where none were set."""
    found = studies.rules_in_force(scope)
    return parse_rules(found["body"], own_bases=own_bases(scope)) if found else CountingRules()


@dataclass(frozen=True)
class SavedRules:
    """Rules that the study keeps by name."""

    number: int
    version: int
    name: str
    rules: CountingRules


def saved_rules(scope: Scope) -> list[SavedRules]:
    """The rules kept by name, beside those in force."""
    own = own_bases(scope)
    return [SavedRules(one["id"], one["version"], one["name"], parse_rules(one["body"], own_bases=(*own, *one["body"]["basis"])))
            for one in studies.saved_rules(scope)]  # fmt: skip


def save_rules(scope: Scope, name: str, rules: CountingRules) -> int:
    """Keep rules by a name, which no other rules of the study have; returns their number."""
    scope.viewer.require(Right.SET_RULES)
    said = required(name, "name", "The name of the rules")
    with saving(scope, "save_rules") as writing:
        return writing.create(Rules, {"name": said, "body": rules.to_json(), "in_force": False})


def remove_rules(scope: Scope, number: int, version: int) -> None:
    """Let rules that were kept by name go; those in force stay."""
    scope.viewer.require(Right.SET_RULES)
    if number not in {one.number for one in saved_rules(scope)}:
        raise NotFound(f"rules {number}")
    with saving(scope, "remove_rules") as writing:
        writing.remove(Rules, number, version)


def own_bases(scope: Scope) -> tuple[str, ...]:
    """The grounds that the study has beside those of the open table; they count where its rules list them."""
    return tuple(one["code"] for one in studies.terms(scope.study_id, "basis") if one["code"] not in BASES)


def set_rules(scope: Scope, rules: CountingRules) -> None:
    """Put counting rules in force; one act, undone like any other."""
    scope.viewer.require(Right.SET_RULES)
    found = studies.rules_in_force(scope)
    with act(scope.viewer, "set_rules") as writing:
        if found:
            writing.update(Rules, found["id"], None, {"body": rules.to_json()})
        else:
            writing.create(Rules, {"name": RULES_NAME, "body": rules.to_json()})
