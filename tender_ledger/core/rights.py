"""Who may do what in a study: one table, asked by every operation and by every page that offers an act."""

from enum import StrEnum


class Role(StrEnum):
    """A person's part in a study; one person may hold several."""

    OWNER = "owner"
    RECORDER = "recorder"
    REVIEWER = "reviewer"
    READER = "reader"
    GUARDIAN = "guardian"


class Right(StrEnum):
    """An act, or a group of acts, that needs a role."""

    SEE = "see what members are shown"
    RECORD = "record and correct"
    UNDO_OTHERS = "undo what others did"
    REDETERMINE = "redetermine a plant"
    BULK_EDIT = "change many reports at once"
    SETTLE = "settle the worklist"
    SET_RULES = "set the counting rules"
    ADMINISTER = "change the study and its members"
    IMPORT = "import a table"
    CANCEL = "let a computation go"
    EXPORT = "export within the terms"
    AGREE = "record agreements and withdrawals"
    REVEAL = "see a holder's real name"
    RESTRICT = "hold back records of a community"


_HOLDERS: dict[Right, frozenset[Role]] = {
    Right.SEE: frozenset(Role),
    Right.RECORD: frozenset({Role.OWNER, Role.RECORDER, Role.REVIEWER}),
    Right.UNDO_OTHERS: frozenset({Role.OWNER, Role.REVIEWER}),
    Right.REDETERMINE: frozenset({Role.OWNER, Role.REVIEWER}),
    Right.BULK_EDIT: frozenset({Role.OWNER, Role.REVIEWER}),
    Right.SETTLE: frozenset({Role.OWNER, Role.REVIEWER}),
    Right.SET_RULES: frozenset({Role.OWNER, Role.REVIEWER}),
    Right.ADMINISTER: frozenset({Role.OWNER}),
    Right.IMPORT: frozenset({Role.OWNER}),
    Right.CANCEL: frozenset({Role.OWNER, Role.RECORDER, Role.REVIEWER}),
    Right.EXPORT: frozenset({Role.OWNER, Role.REVIEWER, Role.GUARDIAN}),
    Right.AGREE: frozenset({Role.OWNER, Role.RECORDER, Role.GUARDIAN}),
    Right.REVEAL: frozenset({Role.OWNER}),
    Right.RESTRICT: frozenset({Role.GUARDIAN}),
}


# What a guardian may do is done for one's own community alone.
OWN_COMMUNITY = frozenset({Right.EXPORT, Right.AGREE, Right.RESTRICT})


def may(roles: frozenset[Role], right: Right) -> bool:
    """Whether one of these roles has the right."""
    return bool(roles & _HOLDERS[right])


def who_may(right: Right) -> tuple[Role, ...]:
    """The roles that have the right, in the order of the table."""
    return tuple(role for role in Role if role in _HOLDERS[right])
