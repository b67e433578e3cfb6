"""Giving out: the cells of the study as it stands are chosen beside what left before, and remembered once they leave."""

import hashlib
import json
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from tender_ledger.core.disclosure import Cells, Contributions, Key
from tender_ledger.core.freelists.salience import closed_up
from tender_ledger.core.publication import Publication, item_key, linked_cells, publication_as_shown, publish, study_contributions
from tender_ledger.core.rights import Right, Role
from tender_ledger.core.rules import CountingRules
from tender_ledger.core.tally.counting import count
from tender_ledger.core.terms import Purpose, Scope
from tender_ledger.operations.computing import Progress, computed
from tender_ledger.operations.disclosure.audience import Audience
from tender_ledger.operations.disclosure.releases import earlier_releases, remember
from tender_ledger.operations.disclosure.splits import minimum_of
from tender_ledger.operations.errors import Refused
from tender_ledger.operations.studies import rules_in_force
from tender_ledger.storage.database import database, snapshot
from tender_ledger.storage.queries import releases, studies
from tender_ledger.storage.queries.informants import lists_to_weigh
from tender_ledger.storage.queries.people import community_codes
from tender_ledger.storage.queries.tally import read_table


@dataclass(frozen=True)
class StudyCells:
    """What each holder contributes to each cell of a study, and the families of its taxa."""

    contributions: Mapping[Key, Contributions]
    families: Mapping[str, str]

    def to_json(self) -> dict[str, Any]:
        """JSON values; `from_json` gives the cells back."""
        return {
            "cells": {"\t".join(key): {str(one): number for one, number in of.items()} for key, of in self.contributions.items()},
            "families": dict(self.families),
        }

    @classmethod
    def from_json(cls, kept: Mapping[str, Any]) -> "StudyCells":
        cells = {tuple(key.split("\t")): {int(one): number for one, number in of.items()} for key, of in kept["cells"].items()}
        return cls(cells, kept["families"])


def of_the_study(scope: Scope) -> Scope:
    """What may be published of the whole study, whoever asks: the cells are chosen once for everybody who gives out."""
    everywhere = replace(scope.viewer, roles=frozenset({Role.REVIEWER}), guards=frozenset())
    return Scope(everywhere, Purpose.PUBLISHED, scope.day)


def read_cells(scope: Scope, rules: CountingRules) -> StudyCells:
    """The cells of what may be published of the study under the rules; call it inside `snapshot()` for one state."""
    whole = of_the_study(scope)
    tally = count(read_table(whole, rules, told=True), rules)
    families = dict(zip(tally.taxa.names, tally.taxa.family, strict=True))
    numbers = releases.numbers_of_holders(scope)
    found: dict[Key, Contributions] = {**study_contributions(tally, numbers), **_items_listed(whole, numbers)}
    return StudyCells(found, families)


def _items_listed(whole: Scope, numbers: Mapping[str, int]) -> dict[Key, dict[int, float]]:
    """How many lists of each holder hold an item."""
    found: dict[Key, dict[int, float]] = {}
    for one in lists_to_weigh(whole):
        for item in closed_up(one["items"] or []):
            cell = found.setdefault(item_key(item), {})
            if number := numbers.get(one["informant"]):
                cell[number] = cell.get(number, 0.0) + 1
    return found


def publication_of(scope: Scope, rules: CountingRules) -> Publication:
    """What may leave of the study as it stands, beside what left before; nothing is remembered.

    Refused for other rules than those in force: beside a file by those, one by others would tell of the reports between them.
    """
    if rules != rules_in_force(scope):
        raise Refused({"rules": STAYS_TRIED_OUT})
    return _chosen(scope, _kept_cells(scope, rules))


def give_out(scope: Scope, rules: CountingRules) -> Audience:
    """The audience of what leaves the study now, which is remembered from here on.

    A guardian gives out what is of the own community alone. Refused for rules that are not in force, and for whoever stands
    for several communities and has not said which.
    """
    scope.viewer.require(Right.EXPORT)
    own = whole_of(scope)
    if rules != rules_in_force(scope):
        raise Refused({"rules": STAYS_TRIED_OUT})
    cells = _kept_cells(scope, rules)
    return Audience(_given_out(scope, cells, int(studies.study(scope)["revision"])), own)


def give_out_frozen(scope: Scope, cells: StudyCells, revision: int) -> Audience:
    """The audience of what leaves the study of an earlier state."""
    scope.viewer.require(Right.EXPORT)
    return Audience(_given_out(scope, cells, revision), whole_of(scope))


STAYS_TRIED_OUT = (
    "Files are given out by the rules in force alone: beside those, one by other rules would tell of the few reports between "
    "them. Put these rules in force first, or go back to those in force."
)


def whole_of(scope: Scope) -> str:
    """The community that is all that the viewer gives out, "" for who gives out the whole study. Refused for several."""
    if scope.viewer.everywhere(Right.EXPORT):
        return ""
    own = community_codes(scope, sorted(scope.viewer.guards))
    if len(own) != 1:
        raise Refused({"group": "You stand for several communities. Files are given out for one at a time; ask an owner."})
    return own[0]


def _kept_cells(scope: Scope, rules: CountingRules) -> StudyCells:
    def work(_progress: Progress) -> dict[str, Any]:
        with snapshot():
            return read_cells(scope, rules).to_json()

    found = computed(of_the_study(scope), "cells", rules, {}, work, seconds=lambda: 0.0)
    assert found.body is not None
    return StudyCells.from_json(found.body)


def _given_out(scope: Scope, cells: StudyCells, revision: int) -> Publication:
    """What leaves of these cells, remembered; in a state in which files left before it is what left then."""
    protected, minimum = _protected(scope, cells), minimum_of(scope)
    state = _state_of(cells, protected, minimum)
    with database.atomic():
        releases.hold_releases(scope)
        shown = releases.shown_of_state(scope, state)
        if shown is not None:
            return publication_as_shown(Cells(cells.contributions), {tuple(key.split("\t")) for key in shown}, minimum)
        publication = _chosen(scope, cells)
        remember(scope, revision, state, publication)
    return publication


def _state_of(cells: StudyCells, protected: set[int], minimum: int) -> str:
    said = json.dumps([cells.to_json(), sorted(protected), minimum], sort_keys=True)
    return hashlib.sha256(said.encode()).hexdigest()


def _protected(scope: Scope, cells: StudyCells) -> set[int]:
    """Everybody in the cells who lets no rows leave."""
    return {holder for of in cells.contributions.values() for holder in of} - releases.holders_of_rows(scope)


def _chosen(scope: Scope, cells: StudyCells) -> Publication:
    """Chosen beside every release: what was shown stays shown, what was hidden stays hidden, while nothing changes."""
    return publish(
        linked_cells(cells.contributions, cells.families),
        protected=_protected(scope, cells),
        minimum=minimum_of(scope),
        releases=earlier_releases(scope),
    )
