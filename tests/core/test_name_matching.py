"""Scientific names matched exactly, by a synonym, or only told as near."""

import pytest

from tender_ledger.core.names import TaxonName, find_name
from tender_ledger.core.names.matching import match_name, what_differs
from tender_ledger.standins.names_service import ChecklistNames

NAMES = ChecklistNames([
    TaxonName("Salix caprea", "L.", "species", "Salicaceae"), TaxonName("Salix alba", "L.", "species", "Salicaceae"),
    TaxonName("Betula pendula", "Roth", "species", "Betulaceae"),
    TaxonName("Betula verrucosa", "Ehrh.", "species", "Betulaceae", accepted="Betula pendula"),
])  # fmt: skip


def test_exactly_and_by_a_synonym():
    found = match_name(NAMES, "salix CAPREA")
    assert (found.name and found.name.name, found.synonym, found.near) == ("Salix caprea", False, ())
    found = match_name(NAMES, "Betula verrucosa")
    assert (found.name and found.name.accepted, found.synonym) == ("Betula pendula", True)


@pytest.mark.parametrize(
    ("typed", "near", "differs"),
    [("Salix capraea", "Salix caprea", "without a"), ("Salix caprae", "Salix caprea", "added e, without e"),
     ("Betula pendulla", "Betula pendula", "without l")],
)  # fmt: skip
def test_what_is_near_is_told_with_its_difference_and_not_taken(typed: str, near: str, differs: str):
    found = match_name(NAMES, typed)
    assert found.name is None
    assert found.near[0][0].name == near
    assert found.near[0][1] == what_differs(typed, near)
    assert sorted(found.near[0][1].split(", ")) == sorted(differs.split(", "))


def test_a_genus_is_a_genus_and_never_a_species():
    found = match_name(NAMES, "Salix")
    assert (found.name and (found.name.rank, found.name.family)) == ("genus", "Salicaceae")
    assert (match_name(NAMES, "Salicaceae").name or find_name(NAMES, "Salix caprea")).rank == "family"  # type: ignore[union-attr]
    assert all(len(one.name.split()) == 1 for one, _how in match_name(NAMES, "Salx").near)
    assert match_name(NAMES, "Quercus robur") == match_name(NAMES, "").__class__(None)
