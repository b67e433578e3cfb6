"""What is worth knowing of a local name while it is typed: another plant has it, a genus is called so, one is spelt nearly so."""

from dataclasses import dataclass
from typing import Any

from tender_ledger.core.terms import Scope
from tender_ledger.core.text import clean, fold
from tender_ledger.storage.queries import plants


@dataclass(frozen=True)
class NameCheck:
    """Plants that bear the name already, plants whose scientific genus it is, and names of other plants that are spelt nearly so.

    All of it may well be right: people do call two plants by one name. Nothing is refused.
    """

    same: tuple[dict[str, Any], ...] = ()
    genus: tuple[dict[str, Any], ...] = ()
    near: tuple[dict[str, Any], ...] = ()


def check_name(scope: Scope, name: str, number: int = 0) -> NameCheck:
    """Check a name for the plant of a number, 0 for a new one, against the plants that the viewer may know of."""
    wanted = fold(name)
    if len(wanted) < 2:
        return NameCheck()
    others = [plant for plant in plants.plants(scope) if plant["number"] != number]
    same = tuple(plant for plant in others if any(fold(one["name"]) == wanted for one in plant["names"]))
    genus = tuple(plant for plant in others if fold((plant["accepted"] or plant["taxon"] or " ").split(" ")[0]) == wanted)
    near = plants.near_names(scope, clean(name), 6)
    of_others = tuple(one for one in near if one["number"] not in {number, *(plant["number"] for plant in same)})
    return NameCheck(same, genus, of_others[:3])
