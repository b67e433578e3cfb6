"""Reckoning a study, and the working of one number down to its reports."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from tender_ledger.core.indices.reckoning import Reckoning, reckon
from tender_ledger.core.indices.selection import Selected, Selection, select
from tender_ledger.core.rules import CountingRules
from tender_ledger.core.tally.counting import count
from tender_ledger.core.tally.table import Plants
from tender_ledger.core.tally.taxa import counted_taxa
from tender_ledger.core.terms import Purpose, Scope
from tender_ledger.storage.database import snapshot
from tender_ledger.storage.queries import plants, reports, studies
from tender_ledger.storage.queries.tally import PLANT_COLUMNS, assemble, read_columns, read_labels, read_table

ALL = Selection()


@dataclass(frozen=True)
class StudyReckoning:
    """The computed values with the revision of the study they were computed at, and what of them a filter shows."""

    result: Reckoning
    revision: int
    selected: Selected | None = None


def reckon_study(scope: Scope, rules: CountingRules, *, purpose: Purpose = Purpose.COUNTED, selection: Selection = ALL,
                 group: Sequence[str] = ()) -> StudyReckoning:  # fmt: skip
    """Compute every index from one snapshot. The same for every member: it asks what may be counted, not what is shown.

    A selection, among the communities of `group` where there are some, says what is shown; it changes no value.
    """
    scope = scope.for_purpose(purpose)
    with snapshot():
        revision = studies.study(scope)["revision"]
        tally = count(read_table(scope, rules, with_ids=bool(selection.part)), rules)
        with_part = reports.reports_with_part(scope, selection.part) if selection.part else None
    if not selection:
        return StudyReckoning(reckon(tally), revision)
    people = tally.table.informants
    among = np.array([people.communities[code] in group if code >= 0 else False for code in people.community], dtype=bool)
    chosen = select(tally, selection, with_part=with_part, among=among if group else None)
    return StudyReckoning(reckon(tally), revision, chosen)


def parts_told(scope: Scope) -> list[dict[str, Any]]:
    """The parts that reports which may be counted tell of, by label."""
    return reports.parts_in_use(scope.for_purpose(Purpose.COUNTED))


@dataclass(frozen=True)
class Behind:
    """The reports behind a count: those the viewer may see, and how many more were counted but are not shown."""

    counted: int
    shown: list[dict[str, Any]]

    @property
    def hidden(self) -> int:
        return self.counted - len(self.shown)


def reports_behind(scope: Scope, rules: CountingRules, *, taxon: str = "", category: str = "", community: str = "") -> Behind:
    """The reports that count for a taxon, a category or a community, or any of them together, under the rules."""
    with snapshot():
        counted = scope.for_purpose(Purpose.COUNTED)
        labels = read_labels(counted, rules)
        wanted = None if rules.mixtures == "own_taxon" else _plants_of(labels, rules, taxon)
        tally = count(assemble(read_columns(counted, rules, plant_ids=wanted, with_ids=True), labels), rules)
        table = tally.table
        keep = tally.kept.copy()
        if taxon:
            at = tally.taxa.names.index(taxon) if taxon in tally.taxa.names else -2
            keep &= tally.taxa.of_plant[table.plant] == at
        if category:
            keep &= table.category == (table.categories.index(category) if category in table.categories else -9)
        if community:
            names = table.informants.communities
            keep &= table.informants.community[table.informant] == (names.index(community) if community in names else -9)
        rows = table.row if table.row is not None else np.empty(0, dtype=np.int64)
        ids = sorted({int(one) for one in rows[keep]})
        return Behind(len(ids), reports.reports_by_id(scope, ids))


def _plants_of(labels: dict[str, Any], rules: CountingRules, taxon: str) -> list[int] | None:
    if not taxon:
        return None
    plants = Plants(*(tuple(one[key] for one in labels["plants"]) for key in PLANT_COLUMNS))
    taxa = counted_taxa(plants, rules)
    at = taxa.names.index(taxon) if taxon in taxa.names else -2
    return [labels["plants"][place]["id"] for place in np.flatnonzero(taxa.of_plant == at)]


def taxon_facts(scope: Scope) -> dict[str, dict[str, str]]:
    """What a table says of a counted taxon beside its numbers: authorship, and the local name told most often for its plants."""
    facts: dict[str, dict[str, str]] = {}
    most: dict[str, int] = {}
    for plant in plants.plants(scope):
        taxon = plant["accepted"] or plant["taxon"]
        if not taxon:
            continue
        fact = facts.setdefault(taxon, {"authorship": plant["accepted_authorship"] or plant["authorship"] or "", "name": ""})
        if plant["names"] and plant["names"][0]["attested"] >= most.get(taxon, 0):
            most[taxon] = plant["names"][0]["attested"]
            fact["name"] = plant["names"][0]["name"]
    return facts
