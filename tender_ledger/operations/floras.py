"""Floras: their families with numbers of species, brought in, taken back, and set beside what was told."""

from collections.abc import Mapping
from typing import Any

from tender_ledger.core.flora.overuse import FamilyUse, family_use, species_of_a_flora, species_used, used_species
from tender_ledger.core.indices.reckoning import reckon
from tender_ledger.core.messages import InputRefused, Problem
from tender_ledger.core.rights import Right
from tender_ledger.core.rules import CountingRules
from tender_ledger.core.tally.counting import count
from tender_ledger.core.terms import Purpose, Scope
from tender_ledger.core.text import clean
from tender_ledger.formats.reckoning_files import read_flora
from tender_ledger.operations.disclosure.splits import counting_scope
from tender_ledger.operations.errors import Refused, required
from tender_ledger.operations.saving import saving
from tender_ledger.storage.database import snapshot
from tender_ledger.storage.models import Flora
from tender_ledger.storage.queries.tally import read_table

LARGEST_FILE = 2 * 1024 * 1024


def bring_flora(scope: Scope, data: bytes, *, name: str, cited: str = "") -> int:
    """Keep the families of a flora with their numbers of species; returns its number. Refused with every wrong line."""
    scope.viewer.require(Right.IMPORT)
    said = required(name, "name", "What the flora is called")
    try:
        families = read_flora(data)
    except InputRefused as refused:
        raise Refused({"file": " ".join(str(problem) for problem in refused.problems)}) from refused
    if not families:
        raise Refused({"file": "The table has no family. Each line holds a family and its number of species."})
    text = "\n".join(f"{family},{number}" for family, number in sorted(families.items()))
    with saving(scope, "bring_flora") as writing:
        return writing.create(Flora, {"name": said, "cited": clean(cited), "families": text})


def remove_flora(scope: Scope, number: int, version: int) -> None:
    scope.viewer.require(Right.IMPORT)
    with saving(scope, "remove_flora") as writing:
        writing.remove(Flora, number, version)


def families_of(flora: Mapping[str, Any]) -> dict[str, int]:
    """The numbers of species by family, as they were brought."""
    pairs = (line.rsplit(",", 1) for line in flora["families"].splitlines())
    return {family: int(number) for family, number in pairs}


def over_and_under_use(scope: Scope, rules: CountingRules, flora: Mapping[str, Any], *, category: str = "",
                       purpose: Purpose = Purpose.COUNTED) -> tuple[FamilyUse, dict[str, list[str]]]:  # fmt: skip
    """The families of a flora against the told species, of one category where it is named, and these species by family."""
    counted = counting_scope(scope, purpose)
    with snapshot():
        tally = count(read_table(counted, rules), rules)
    r = reckon(tally, communities=False)
    if category and category not in r.categories:
        raise InputRefused(Problem("No report counts in this category.", "category", category, ", ".join(r.categories)))
    enters = species_of_a_flora(tally)
    found = family_use(families_of(flora), used_species(r, enters, category))
    return found, species_used(r, enters, category)
