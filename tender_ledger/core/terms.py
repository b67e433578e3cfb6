"""Consent as the reads see it: for what purpose, on whose behalf and on which day something is read."""

from dataclasses import dataclass
from datetime import date
from enum import StrEnum

from tender_ledger.core.rights import Right, Role, may, who_may


class Purpose(StrEnum):
    """The four questions that are asked of every record; a read asks exactly one of the last three."""

    RECORDED = "record"
    COUNTED = "count"
    SHOWN = "show"
    PUBLISHED = "publish"


@dataclass(frozen=True)
class Member:
    """A signed-in person within one study."""

    person_id: int
    study_id: int
    roles: frozenset[Role]
    name: str = ""

    def may(self, right: Right) -> bool:
        return may(self.roles, right)

    def require(self, right: Right) -> None:
        """Raise NotAllowed unless a role of the member has the right."""
        if not self.may(right):
            raise NotAllowed(right)


class NotAllowed(PermissionError):
    """A member of the study without the right; says who has it."""

    def __init__(self, right: Right) -> None:
        roles = [str(role) for role in who_may(right)]
        listed = roles[0] if len(roles) == 1 else f"{', '.join(roles[:-1])} or {roles[-1]}"
        article = "an" if listed[0] in "aeio" else "a"
        super().__init__(f"To {right}, you need to be {article} {listed} of this study. Ask one of its owners.")
        self.right = right


@dataclass(frozen=True)
class Scope:
    """What every read that leaves storage is asked with; joined into its SQL."""

    viewer: Member
    purpose: Purpose
    day: date

    @property
    def study_id(self) -> int:
        return self.viewer.study_id

    def for_purpose(self, purpose: Purpose) -> "Scope":
        return Scope(self.viewer, purpose, self.day)


@dataclass(frozen=True)
class AgreementTerms:
    """What one agreement allows."""

    record: bool
    count: bool
    show: bool
    publish: bool

    def sentence(self) -> str:
        """The terms as a reader meets them: “counted and shown to members; not published”."""
        if not self.record:
            return "nothing may be recorded"
        asked = (("counted", self.count), ("shown to members", self.show), ("published", self.publish))
        yes = " and ".join(word for word, given in asked if given)
        no = " or ".join(word for word, given in asked if not given)
        return "; ".join(part for part in (yes, f"not {no}" if no else "") if part)
