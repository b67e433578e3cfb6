"""What would leave the study if a file were taken out now: told before it is."""

from dataclasses import dataclass
from datetime import date

from tender_ledger.core.disclosure import CHANGED, COMPLEMENTARY, SMALL
from tender_ledger.core.terms import Scope
from tender_ledger.operations.disclosure.publishing import publication_of
from tender_ledger.operations.disclosure.splits import minimum_of
from tender_ledger.operations.studies import rules_in_force
from tender_ledger.storage.queries import releases
from tender_ledger.storage.queries.kept import kept_body


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
    """The cells that a file of today would show and hold back; nothing is remembered of it as having left."""
    left = releases.releases(scope)
    counts = kept_body(scope, f"what would leave beside {len(left)}", lambda: _counts(scope))
    return LeavingSummary(minimum_of(scope), days=tuple(dict.fromkeys(one["day"] for one in left)), **counts)


def _counts(scope: Scope) -> dict[str, int]:
    publication = publication_of(scope, rules_in_force(scope))
    hidden = publication.hidden()
    return {
        "shown": len(publication.uses.shown) + len(publication.holders.shown),
        "small": hidden[SMALL],
        "complementary": hidden[COMPLEMENTARY],
        "changed": hidden[CHANGED],
    }
