"""The reports that the counting rules, or the terms they were told under, leave out of the counts: said, and opened."""

from dataclasses import dataclass

import numpy as np

from tender_ledger.core.rules import CountingRules
from tender_ledger.core.tally.counting import count
from tender_ledger.core.tally.exclusions import REASONS, excluded_rows
from tender_ledger.core.terms import Scope
from tender_ledger.operations.computing import digest_of
from tender_ledger.operations.disclosure.splits import counting_scope
from tender_ledger.storage.database import snapshot
from tender_ledger.storage.queries import reports
from tender_ledger.storage.queries.kept import kept_body
from tender_ledger.storage.queries.tally import read_table

TERMS = "terms"  # told under terms that let it be shown and not counted
ALL_REASONS = (*REASONS, TERMS)


@dataclass(frozen=True)
class Exclusions:
    """How many reports that the viewer is shown are left out, by reason in the order of ALL_REASONS, and of how many."""

    numbers: dict[str, int]
    shown: int


def count_exclusions(scope: Scope, rules: CountingRules, *, community: str = "") -> Exclusions:
    """The reports left out of the study, or of a community; only those that the viewer is shown are counted and told."""

    def compute() -> dict[str, dict[str, int]]:
        found: dict[str, dict[str, int]] = {}
        of, places = _places(scope)
        for code in {"", *places}:
            among = {number for number, where in of.items() if code in ("", where)}
            found[code] = {"shown": len(among)}
        for reason, numbers in _excluded(scope, rules, of).items():
            for number in numbers:
                for code in {"", of[number]}:
                    found[code][reason] = found[code].get(reason, 0) + 1
        return found

    counted = kept_body(scope, f"left out {digest_of(scope, 'left out', rules, {})}", compute).get(community, {"shown": 0})
    return Exclusions({reason: counted[reason] for reason in ALL_REASONS if reason in counted}, counted["shown"])


def excluded_reports(scope: Scope, rules: CountingRules, reason: str, *, community: str = "") -> list[int]:
    """The numbers of the reports that are left out for a reason, in order; none for one that leaves nothing out."""
    of, _codes = _places(scope)
    return sorted(number for number in _excluded(scope, rules, of).get(reason, ()) if community in ("", of[number]))


def _places(scope: Scope) -> tuple[dict[int, str], set[str]]:
    """Of every report that the viewer is shown its community, "" for none; and the communities."""
    of = reports.communities_of_reports(scope)
    return of, set(of.values())


def _excluded(scope: Scope, rules: CountingRules, shown: dict[int, str]) -> dict[str, list[int]]:
    """The shown reports that are left out, by reason; a report that counts by one of its codes is not among them."""
    with snapshot():
        tally = count(read_table(counting_scope(scope), rules, with_ids=True), rules)
    row = tally.table.row if tally.table.row is not None else np.empty(0, dtype=np.int64)
    counted = set(row[tally.kept].tolist())
    found: dict[str, list[int]] = {}
    for reason, rows in excluded_rows(tally).items():
        for number in dict.fromkeys(row[rows].tolist()):
            if number in shown and number not in counted:
                counted.add(number)  # said once, for the first of its reasons
                found.setdefault(reason, []).append(number)
    by_terms = set(shown) - set(row.tolist())
    return {**found, **({TERMS: sorted(by_terms)} if by_terms else {})}
