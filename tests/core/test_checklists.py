"""Scientific names parted from their authors, and taxon lists made into checklists."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tender_ledger.core.names.checklist import ReadChecklist, TaxonRow, build_checklist
from tender_ledger.core.names.scientific import part_name, rank_of

# Names as they are published, written as lists write them; the parting by the rules of the Shenzhen Code (2018), Art. 23, 24 and
# H.1 to H.3: authors stand behind the epithet they gave and are no part of the name.
PARTED = [
    ("Plantago lanceolata L.", "", "Plantago lanceolata", "L."),
    ("Plantago major subsp. intermedia (Gilib.) Lange", "", "Plantago major subsp. intermedia", "(Gilib.) Lange"),
    ("Plantago major ssp. intermedia", "subspecies", "Plantago major subsp. intermedia", ""),
    ("Plantago major intermedia", "subspecies", "Plantago major subsp. intermedia", ""),
    ("Plantago major L. var. sinuata (Lam.) Decne.", "variety", "Plantago major var. sinuata", "(Lam.) Decne."),
    ("Galium mollugo L.", "species", "Galium mollugo", "L."),
    ("Mentha × piperita L.", "", "Mentha × piperita", "L."),
    ("Mentha x piperita L.", "species", "Mentha × piperita", "L."),
    ("× Sorbaronia fallax (C.K.Schneid.) C.K.Schneid.", "", "× Sorbaronia fallax", "(C.K.Schneid.) C.K.Schneid."),
    ("Ficus elastica Roxb. ex Hornem.", "species", "Ficus elastica", "Roxb. ex Hornem."),
    ("Salvia de Vriese", "genus", "Salvia", "de Vriese"),
    ("Artemisia L.", "genus", "Artemisia", "L."),
    ("Lamiaceae Martinov", "family", "Lamiaceae", "Martinov"),
    ("Hypericum perforatum", "", "Hypericum perforatum", ""),
    ("Arctium nemorosum Lej.", "species", "Arctium nemorosum", "Lej."),
    ("Capsella bursa-pastoris (L.) Medik.", "species", "Capsella bursa-pastoris", "(L.) Medik."),
    ("Salix alba L. f. argentea Wimm.", "form", "Salix alba f. argentea", "Wimm."),
    ("Ulmus procera Salisb. f.", "species", "Ulmus procera", "Salisb. f."),
    ("", "", "", ""),
]


@pytest.mark.parametrize(("written", "rank", "name", "authors"), PARTED)
def test_a_name_is_parted_from_its_authors(written: str, rank: str, name: str, authors: str):
    assert part_name(written, rank) == (name, authors)


@pytest.mark.parametrize(
    ("told", "words", "rank"),
    [("Species", "", "species"), ("varietas", "", "variety"), ("forma", "", "form"), ("", "Salix", "genus"),
     ("", "Salicaceae", "family"), ("", "Salix alba", "species"), ("", "Salix alba var. vitellina", "variety"),
     ("", "Mentha × piperita", "species"), ("Subspecies", "", "subspecies")],
)  # fmt: skip
def test_a_rank_is_kept_in_one_way_of_writing(told: str, words: str, rank: str):
    assert rank_of(told, words) == rank


def listed(*rows: dict[str, str]) -> ReadChecklist:
    return build_checklist(TaxonRow(line, **row) for line, row in enumerate(rows, 2))


def names_of(found: ReadChecklist) -> dict[str, tuple[str, str, str]]:
    return {one.name.name: (one.name.rank, one.name.family, one.name.accepted) for one in found.names}


def test_synonyms_lead_to_accepted_names_and_names_to_families():
    found = listed(
        {"taxon_id": "1", "scientific_name": "Lamiaceae Martinov", "rank": "family"},
        {"taxon_id": "2", "scientific_name": "Salvia L.", "rank": "genus", "parent_id": "1"},
        {"taxon_id": "3", "scientific_name": "Salvia rosmarinus Spenn.", "rank": "species", "parent_id": "2"},
        {
            "taxon_id": "4",
            "scientific_name": "Rosmarinus officinalis L.",
            "rank": "species",
            "status": "synonym",
            "accepted_id": "3",
        },
        {"taxon_id": "5", "scientific_name": "Rosmarinus angustifolius Mill.", "rank": "species", "accepted_id": "4"},
    )
    assert found.left_out == ()
    assert names_of(found) == {
        "Lamiaceae": ("family", "Lamiaceae", ""), "Salvia": ("genus", "Lamiaceae", ""),
        "Salvia rosmarinus": ("species", "Lamiaceae", ""),
        "Rosmarinus officinalis": ("species", "Lamiaceae", "Salvia rosmarinus"),
        "Rosmarinus angustifolius": ("species", "Lamiaceae", "Salvia rosmarinus"),
    }  # fmt: skip
    assert {found.names[one.accepted_at].name.name for one in found.names if one.accepted_at is not None} == {"Salvia rosmarinus"}
    assert (found.synonyms, found.families) == (2, 1)


def test_accepted_names_written_out_and_families_beside_are_enough():
    found = listed(
        {"scientific_name": "Salix caprea", "authorship": "L.", "family": "Salicaceae"},
        {"scientific_name": "Salix hybrida", "authorship": "Vill.", "accepted_name": "Salix caprea L."},
    )
    assert names_of(found)["Salix hybrida"] == ("species", "Salicaceae", "Salix caprea")
    assert names_of(found)["Salix"] == ("genus", "Salicaceae", "")
    assert names_of(found)["Salicaceae"] == ("family", "Salicaceae", "")


@pytest.mark.parametrize(
    ("rows", "line", "said"),
    [
        ([{"scientific_name": " "}], 3, "The name is missing."),
        ([{"scientific_name": "Salix alba L.", "status": "synonym"}], 3, "The accepted name is not told."),
        ([{"scientific_name": "Salix alba L.", "accepted_id": "99"}], 3, "No one row of the list has the accepted name."),
        ([{"scientific_name": "Salix alba Mill.", "accepted_id": "1", "status": "misapplied"}], 3, "misapplied"),
        ([{"taxon_id": "1", "scientific_name": "Salix alba L."}], 3, "The taxonID stands twice."),
        ([{"scientific_name": "Salix caprea L."}], 3, "The name stands twice."),
        ([{"scientific_name": "Salix caprea L.", "accepted_id": "2"}, {"taxon_id": "2", "scientific_name": "Salix alba L."}], 3,
         "an accepted name as well"),
        ([{"taxon_id": "2", "scientific_name": "Salix alba L.", "accepted_id": "3"},
          {"taxon_id": "3", "scientific_name": "Salix rubra Huds.", "accepted_id": "2"}], 3, "in a circle"),
        ([{"taxon_id": "2", "scientific_name": "Salix alba L."},
          {"scientific_name": "Salix rubra Huds.", "accepted_id": "1"},
          {"scientific_name": "Salix rubra Huds.", "accepted_id": "2"}],
         4, "several accepted names (Salix alba, Salix caprea)"),
    ],
)  # fmt: skip
def test_what_leads_nowhere_is_left_out_and_told_with_its_line(rows: list[dict[str, str]], line: int, said: str):
    found = listed({"taxon_id": "1", "scientific_name": "Salix caprea L.", "family": "Salicaceae"}, *rows)
    assert said in found.left_out[0].what
    assert found.left_out[0].line == line
    assert names_of(found)["Salix caprea"] == ("species", "Salicaceae", "")


@given(st.lists(st.tuples(st.integers(0, 6), st.integers(0, 6)), max_size=8))
def test_every_row_is_listed_or_told_and_every_synonym_ends_at_an_accepted_name(pairs: list[tuple[int, int]]):
    epithets = ("alba", "caprea", "cinerea", "aurita", "repens", "viminalis", "purpurea")
    rows = [
        TaxonRow(line, str(one), f"Salix {epithets[one]}", "L.", accepted_id=str(to)) for line, (one, to) in enumerate(pairs, 2)
    ]
    found = build_checklist(rows)
    species = [one for one in found.names if one.name.rank == "species"]
    told = {one.line for one in found.left_out}
    kept = {row.scientific_name for row in rows if row.line not in told}
    assert {one.name.name for one in species} == kept
    for one in species:
        end = one if one.accepted_at is None else found.names[one.accepted_at]
        assert end.accepted_at is None
        assert one.name.accepted in ("", end.name.name)
