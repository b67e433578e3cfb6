"""What would leave the study if a file were taken out now: told before it is."""

from dataclasses import dataclass
from datetime import date

from tender_ledger.core.disclosure import CHANGED, COMPLEMENTARY, SMALL
from tender_ledger.core.terms import Purpose, Scope
from tender_ledger.operations import effort
from tender_ledger.operations.computing import Computed, computed
from tender_ledger.operations.disclosure.publishing import publication_of
from tender_ledger.operations.disclosure.splits import minimum_of
from tender_ledger.operations.studies import rules_in_force
from tender_ledger.storage.queries import releases, results


@dataclass(frozen=True)
class LeavingSummary:
    """How many cells would be shown and held back, by reason, and the days on which files left before."""

    minimum: int
    shown: int
    small: int
    complementary: int
    changed: int
    days: tuple[date, ...]


def what_would_leave(scope: Scope, *, again: bool = False) -> LeavingSummary | Computed:
    """The cells that a file of today would show and hold back, or how far counting them is, where that takes long; nothing is
    remembered of it as having left."""
    left = releases.releases(scope)
    found = computed(
        scope.for_purpose(Purpose.PUBLISHED),
        "leaving",
        rules_in_force(scope),
        {"files": len(left)},
        lambda _progress: _counts(scope),
        seconds=lambda: effort.of_leaving(results.number_of_reports(scope)),
        again=again,
    )
    if found.body is None:
        return found
    days = tuple(dict.fromkeys(one["day"] for one in left))
    return LeavingSummary(minimum_of(scope), days=days, **found.body)


def _counts(scope: Scope) -> dict[str, int]:
    publication = publication_of(scope, rules_in_force(scope))
    hidden = publication.hidden()
    return {
        "shown": len(publication.uses.shown) + len(publication.holders.shown),
        "small": hidden[SMALL],
        "complementary": hidden[COMPLEMENTARY],
        "changed": hidden[CHANGED],
    }
