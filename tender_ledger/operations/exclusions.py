"""The reports that the counting rules, or the terms they were told under, leave out of the counts: said, and opened."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from tender_ledger.core.rules import CountingRules
from tender_ledger.core.tally.counting import Tally, count
from tender_ledger.core.tally.exclusions import REASONS, excluded_rows
from tender_ledger.core.tally.table import Bools, Ints
from tender_ledger.core.terms import Scope
from tender_ledger.operations.computing import digest_of
from tender_ledger.operations.disclosure.splits import counting_scope
from tender_ledger.operations.reckoning import StudyReckoning
from tender_ledger.storage.database import snapshot
from tender_ledger.storage.queries import reports, studies
from tender_ledger.storage.queries.kept import kept_body
from tender_ledger.storage.queries.tally import read_table

TERMS = "terms"  # told under terms that let it be shown and not counted
ALL_REASONS = (*REASONS, TERMS)


@dataclass(frozen=True)
class Exclusions:
    """How many reports that the viewer is shown are left out, by reason in the order of ALL_REASONS, and of how many."""

    numbers: dict[str, int]
    shown: int


def count_exclusions(
    scope: Scope, rules: CountingRules, *, community: str = "", counted: StudyReckoning | None = None
) -> Exclusions:
    """The reports left out of the study, or of a community; only those that the viewer is shown are counted and told.

    `counted` is a reckoning by the same rules: where it was computed for this request, its tally is not read again.
    """

    def compute() -> dict[str, dict[str, int]]:
        stands = counted is not None and counted.revision == studies.study(scope)["revision"]
        shown = _Shown.of(scope)
        found: dict[str, dict[str, int]] = {"": {"shown": len(shown.ids)}}
        found |= {code: {"shown": int(times)} for code, times in shown.by_community(slice(None)) if code}
        for reason, chosen in _excluded(scope, rules, shown, counted.tally if counted and stands else None).items():
            found[""][reason] = int(chosen.sum())
            for code, times in shown.by_community(chosen):
                if code and times:
                    found[code][reason] = int(times)
        return found

    numbers = kept_body(scope, f"left out {digest_of(scope, 'left out', rules, {})}", compute).get(community, {"shown": 0})
    return Exclusions({reason: numbers[reason] for reason in ALL_REASONS if reason in numbers}, numbers["shown"])


def excluded_reports(scope: Scope, rules: CountingRules, reason: str, *, community: str = "") -> list[int]:
    """The numbers of the reports that are left out for a reason, in order; none for one that leaves nothing out."""
    shown = _Shown.of(scope)
    chosen = _excluded(scope, rules, shown).get(reason, np.zeros(len(shown.ids), dtype=bool))
    if community:
        chosen = chosen & (np.array(shown.codes, dtype=object)[shown.community] == community)
    return [int(number) for number in shown.ids[chosen]]


@dataclass(frozen=True)
class _Shown:
    """The reports that the viewer is shown (reports,): their ids in order, and the place of each one's community in `codes`; a
    source has the code ""."""

    ids: Ints
    community: Ints
    codes: tuple[str, ...]

    @classmethod
    def of(cls, scope: Scope) -> "_Shown":
        by_code = reports.reports_by_community(scope)
        ids = np.array([number for numbers in by_code.values() for number in numbers], dtype=np.int64)
        community = np.repeat(np.arange(len(by_code)), [len(numbers) for numbers in by_code.values()])
        order = np.argsort(ids)
        return cls(ids[order], community[order], tuple(by_code))

    def by_community(self, chosen: Bools | slice) -> Iterator[tuple[str, int]]:
        """How many of the chosen reports are of each community."""
        yield from zip(self.codes, np.bincount(self.community[chosen], minlength=len(self.codes)), strict=True)

    def among(self, ids: Ints) -> Bools:
        """Which of the reports (reports,) are among some ids."""
        found = np.zeros(len(self.ids), dtype=bool)
        if len(self.ids):
            at = np.minimum(np.searchsorted(self.ids, ids), len(self.ids) - 1)
            found[at[self.ids[at] == ids]] = True
        return found


def _excluded(scope: Scope, rules: CountingRules, shown: _Shown, tally: Tally | None = None) -> dict[str, Bools]:
    """Which of the shown reports are left out, by reason; a report that counts by one of its codes is not among them."""
    if tally is None:
        with snapshot():
            tally = count(read_table(counting_scope(scope), rules, with_ids=True), rules)
    row = tally.table.row if tally.table.row is not None else np.empty(0, dtype=np.int64)
    said = shown.among(row[tally.kept])
    found: dict[str, Bools] = {}
    for reason, rows in excluded_rows(tally).items():
        chosen = shown.among(row[rows]) & ~said
        said |= chosen  # each is said once, for the first of its reasons
        if chosen.any():
            found[reason] = chosen
    by_terms = ~shown.among(row)
    return {**found, **({TERMS: by_terms} if by_terms.any() else {})}
