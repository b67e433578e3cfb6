"""Taxon lists under the terms of Darwin Core (TDWG), as comma- or tab-separated text: bytes to the rows of a checklist."""

import re
from collections.abc import Sequence

from tender_ledger.core.messages import InputRefused, Problem, RowProblem
from tender_ledger.core.names.checklist import TaxonRow
from tender_ledger.formats.sheet import Row, scan_sheet

_TERMS = {
    "taxonID": "taxon_id", "scientificName": "scientific_name", "scientificNameAuthorship": "authorship", "taxonRank": "rank",
    "family": "family", "taxonomicStatus": "status", "acceptedNameUsageID": "accepted_id", "acceptedNameUsage": "accepted_name",
    "parentNameUsageID": "parent_id",
}  # fmt: skip
_AS_TERMS = {term.lower(): term for term in _TERMS}
_MARKS = b"PK\x03\x04"  # what a packed archive begins with


def read_taxa(data: bytes, name: str = "the taxon file") -> tuple[list[TaxonRow], list[RowProblem]]:
    """The rows of a Darwin Core taxon file, and those of a wrong length with their lines.

    A column is named by its term, with or without what stands before it (`dwc:family`, the term's whole address); columns
    of other terms are passed over. Raises InputRefused where there is no column scientificName, a term stands twice, the
    text is not UTF-8, or the file is a packed archive.
    """
    if data.startswith(_MARKS):
        remedy = "Unpack the archive and bring the file that its meta.xml names as the core."
        raise InputRefused(Problem("This is a packed archive.", name, "", "the taxon file itself, as text", remedy))
    sheet, misfits = scan_sheet(data, (), name, bare_tabs=True)
    columns = [(column, _AS_TERMS.get(re.split(r"[/:#]", column.strip('"'))[-1].lower(), "")) for column in sheet.columns]
    _check([term for _column, term in columns if term], sheet.columns, name)
    wanted = [(column, _TERMS[term]) for column, term in columns if term]
    return [_row(line, row, wanted) for line, row in zip(sheet.lines, sheet.rows, strict=True)], [one.problem for one in misfits]


def _check(terms: Sequence[str], columns: Sequence[str], name: str) -> None:
    where = f"{name}, line 1"
    twice = sorted({term for term in terms if terms.count(term) > 1})
    problems = [Problem("A term stands twice.", where, term, "each term once") for term in twice]
    if "scientificName" not in terms:
        problems.append(Problem("A required column is missing.", where, ", ".join(columns)[:120], "scientificName"))
    if problems:
        raise InputRefused(*problems)


def _row(line: int, row: Row, wanted: Sequence[tuple[str, str]]) -> TaxonRow:
    return TaxonRow(line, **{field: _bare(row[column]) for column, field in wanted})


def _bare(cell: str) -> str:
    """A cell without the quotation marks that enclose the whole of it."""
    return cell[1:-1].replace('""', '"').strip() if len(cell) > 1 and cell[0] == cell[-1] == '"' else cell
