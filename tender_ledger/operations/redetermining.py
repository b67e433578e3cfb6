"""What a determination would move, before it is recorded."""

from dataclasses import dataclass, replace
from typing import Any

from tender_ledger.core.indices.moving import Difference, difference, redetermined
from tender_ledger.core.indices.reckoning import reckon
from tender_ledger.core.names import NamesService, TaxonName, find_name
from tender_ledger.core.rules import CountingRules
from tender_ledger.core.tally.counting import count
from tender_ledger.core.terms import Scope
from tender_ledger.operations.disclosure.splits import counting_scope
from tender_ledger.operations.errors import NotFound
from tender_ledger.operations.plants import found_name
from tender_ledger.storage.database import snapshot
from tender_ledger.storage.queries import plants, reports
from tender_ledger.storage.queries.tally import read_table


@dataclass(frozen=True)
class Preview:
    """What a determination would change: the counted name before and after ("" is undetermined), the reports of the plant that
    the viewer may see, and every taxon and category whose values would differ, under the rules given."""

    before: str
    after: str
    shown: list[dict[str, Any]]
    moved: Difference


def preview_determination(scope: Scope, number: int, names: NamesService, rules: CountingRules, *, taxon: str) -> Preview:
    """Compute the study as it stands and as it would stand with the plant determined as `taxon` ("" is of none).

    Refused for a name that the names service does not have; nothing is written.
    """
    plant = plants.plant(scope, number)
    if plant is None:
        raise NotFound(f"plant {number}")
    name = found_name(names, taxon) if taxon.strip() else None
    accepted = name and _accepted(names, name)
    with snapshot():
        table = read_table(counting_scope(scope), rules)
        shown = reports.reports(scope, plant_id=plant["id"])
    label, new = plant["field_number"], (accepted.name, accepted.rank, accepted.family) if accepted else ("", "", "")
    before, after = (reckon(count(one, rules)) for one in (table, redetermined(table, label, *new)))
    return Preview(plant["accepted"] or plant["taxon"] or "", new[0], shown, difference(before, after))


def _accepted(names: NamesService, name: TaxonName) -> TaxonName:
    """The accepted name of a name; where authors gave it twice only its words are known, which is what is counted by."""
    return (find_name(names, name.accepted) or replace(name, name=name.accepted, accepted="")) if name.accepted else name
