"""Consent as the reads see it: for what purpose, on whose behalf and on which day something is read."""

from dataclasses import dataclass
from datetime import date
from enum import StrEnum

from tender_ledger.core.rights import OWN_COMMUNITY, Right, Role, may, who_may


class Purpose(StrEnum):
    """The questions that are asked of every record; a read asks exactly one of all but the first.

    What may be published word for word is asked of each row that may leave, by a column of its own.
    """

    RECORDED = "record"
    COUNTED = "count"
    COUNTED_SHOWN = "count shown"  # what is counted and every member is shown; of it groups are made where few are hidden
    SHOWN = "show"
    PUBLISHED = "publish"  # in aggregate: counts, tables and figures
    PUBLISHED_ROWS = "publish rows"  # row by row, coded and without words


@dataclass(frozen=True)
class Member:
    """A signed-in person within one study."""

    person_id: int
    study_id: int
    roles: frozenset[Role]
    name: str = ""
    guards: frozenset[int] = frozenset()  # the communities that the person is guardian of
    zone: str = ""  # the time zone of the study, where it was read with the member
    lacks_factor: bool = False  # an owner without the second factor that the study asks its owners for

    def may(self, right: Right) -> bool:
        return may(self.roles, right)

    def everywhere(self, right: Right) -> bool:
        """Whether the member has the right for the whole study, not for a community alone."""
        return may(self.roles - {Role.GUARDIAN} if right in OWN_COMMUNITY else self.roles, right)

    def may_for(self, right: Right, community_id: int | None) -> bool:
        """Whether the member has the right over what belongs to a community, or, with None, to none."""
        return self.everywhere(right) or (self.may(right) and community_id in self.guards)

    def require_for(self, right: Right, community_id: int | None) -> None:
        """Raise NotAllowed unless the member has the right over what belongs to the community."""
        if not self.may_for(right, community_id):
            raise NotAllowed(right)

    def require(self, right: Right) -> None:
        """Raise NotAllowed unless a role of the member has the right."""
        if not self.may(right):
            raise NotAllowed(right)


class NotAllowed(PermissionError):
    """A member of the study without the right; says who has it."""

    def __init__(self, right: Right) -> None:
        roles = [str(role) for role in who_may(right) if role is not Role.GUARDIAN or right not in OWN_COMMUNITY]
        listed = roles[0] if len(roles) == 1 else f"{', '.join(roles[:-1])} or {roles[-1]}" if roles else ""
        article = "an" if listed[:1] in tuple("aeio") else "a"
        named = [f"{article} {listed} of this study"] if listed else []
        if right in OWN_COMMUNITY:
            named.append("a guardian of the community it is about")
        super().__init__(f"To {right}, you need to be {' or '.join(named)}. Ask one of the study’s owners.")
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
    rows: bool = False

    def sentence(self) -> str:
        """The terms as a reader meets them: “counted, shown to members and published in aggregate; not row by row”."""
        if not self.record:
            return "nothing may be recorded"
        asked = [("counted", self.count), ("shown to members", self.show)]
        asked += [("published in aggregate", True), ("row by row", self.rows)] if self.publish else [("published", False)]
        yes = _listed([word for word, given in asked if given], "and")
        no = _listed([word for word, given in asked if not given], "or")
        return "; ".join(part for part in (yes, f"not {no}" if no else "") if part)


def _listed(words: list[str], last: str) -> str:
    """“a, b and c”, with the word that stands before the last."""
    return f" {last} ".join(filter(None, (", ".join(words[:-1]), *words[-1:])))
