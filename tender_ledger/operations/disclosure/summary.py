"""What would leave the study if a file were taken out now: told before it is."""

from dataclasses import dataclass
from datetime import date

from tender_ledger.core.disclosure import CHANGED, COMPLEMENTARY, SMALL
from tender_ledger.core.terms import Scope
from tender_ledger.operations.disclosure.publishing import publication_of
from tender_ledger.operations.disclosure.splits import minimum_of
from tender_ledger.operations.studies import rules_in_force
from tender_ledger.storage.queries import releases


@dataclass(frozen=True)
class LeavingSummary:
    """How many cells would be shown and held back, by reason, and the days on which files left before."""

    minimum: int
    shown: int
    small: int
    complementary: int
    changed: int
    days: tuple[date, ...]


def what_would_leave(scope: Scope) -> LeavingSummary:
    """The cells that a file of today would show and hold back; nothing is remembered."""
    publication = publication_of(scope, rules_in_force(scope))
    hidden = publication.hidden()
    days = tuple(dict.fromkeys(one["day"] for one in releases.releases(scope)))
    shown = len(publication.uses.shown) + len(publication.holders.shown)
    return LeavingSummary(minimum_of(scope), shown, hidden[SMALL], hidden[COMPLEMENTARY], hidden[CHANGED], days)
