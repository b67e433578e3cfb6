"""The shipped vocabularies and checklist: CSV to values."""

from dataclasses import dataclass

from tender_ledger.core.names import TaxonName
from tender_ledger.formats.sheet import read_sheet


@dataclass(frozen=True)
class ShippedTerm:
    """One term of a vocabulary, in the order of its file."""

    vocabulary: str
    scheme: str
    code: str
    abbreviation: str
    parent: str
    label: str


def read_vocabulary(vocabulary: str, data: bytes) -> list[ShippedTerm]:
    """The terms of one vocabulary file. Raises InputRefused for a file of another form."""
    sheet = read_sheet(data, ("scheme", "code", "abbreviation", "parent", "label"), vocabulary)
    return [ShippedTerm(vocabulary, **row) for row in sheet.rows]


def read_checklist(data: bytes) -> list[TaxonName]:
    """The names of a checklist file. Raises InputRefused for a file of another form."""
    sheet = read_sheet(data, ("name", "authorship", "rank", "family", "accepted"), "checklist")
    return [TaxonName(row["name"], row["authorship"], row["rank"], row["family"], row["accepted"]) for row in sheet.rows]
