"""Taxon lists under the terms of Darwin Core."""

import pytest

from tender_ledger.core.messages import InputRefused
from tender_ledger.formats.darwin_core import read_taxa


def test_terms_are_known_by_their_names_with_or_without_their_address():
    data = (
        "http://rs.tdwg.org/dwc/terms/taxonID\tdwc:scientificName\tscientificNameAuthorship\tnomenclaturalCode\ttaxonrank\n"
        '1\tSalix caprea L.\tL.\tICN\tspecies\n\n2\t"Salix alba"\t\tICN\tspecies\n3\tSalix "x" mollis\t\tICN\t\n'
    )
    rows, problems = read_taxa(data.encode())
    assert problems == []
    assert [(row.line, row.taxon_id, row.scientific_name, row.authorship, row.rank) for row in rows] == [
        (2, "1", "Salix caprea L.", "L.", "species"), (4, "2", "Salix alba", "", "species"),
        (5, "3", 'Salix "x" mollis', "", ""),
    ]  # fmt: skip


def test_commas_part_cells_too_and_a_row_of_wrong_length_is_told():
    rows, problems = read_taxa(b'scientificName,family\n"Salix caprea, L.",Salicaceae\nSalix alba\n')
    assert [(row.scientific_name, row.family) for row in rows] == [("Salix caprea, L.", "Salicaceae")]
    assert [one.line for one in problems] == [3]


@pytest.mark.parametrize(
    ("data", "said"),
    [(b"name,family\nSalix,Salicaceae\n", "scientificName"), (b"scientificName,dwc:scientificName\na,b\n", "stands twice"),
     (b"PK\x03\x04rest", "Unpack the archive"), (b"", "line 1"), (b"scientificName\n\xff\n", "UTF-8")],
)  # fmt: skip
def test_what_is_no_taxon_file_is_refused_with_what_to_do(data: bytes, said: str):
    with pytest.raises(InputRefused, match=said):
        read_taxa(data)
