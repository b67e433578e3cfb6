"""Reading the open tables: what is wrong is told with its place; what is right comes back unchanged."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tender_ledger.core.indices.reckoning import reckon
from tender_ledger.core.messages import InputRefused
from tender_ledger.core.rules import parse_rules
from tender_ledger.core.tally.counting import count
from tender_ledger.core.tally.table import NONE_NAMED, UNCODED
from tender_ledger.formats.report_table import read_report_table
from tender_ledger.formats.sheet import read_sheet, write_sheet
from tender_ledger.formats.vocabularies import read_checklist


def refused(reports: str, informants: str | None = None) -> list[str]:
    with pytest.raises(InputRefused) as error:
        read_report_table(reports.encode(), informants.encode() if informants is not None else None)
    return [str(problem) for problem in error.value.problems]


@pytest.mark.parametrize("separator", [",", ";", "\t"])
@pytest.mark.parametrize("mark", ["", "\ufeff"])
def test_separators_and_byte_order_mark(separator: str, mark: str):
    text = (
        mark
        + separator.join(("informant", "taxon", "category"))
        + "\r\n"
        + separator.join(("A", "Salix caprea", "food"))
        + "\r\n"
    )
    table = read_report_table(text.encode())
    assert (len(table), table.informants.codes, table.categories) == (1, ("A",), ("food",))


def test_text_is_brought_to_nfc():
    table = read_report_table("informant,taxon,category\nA,Salix capre\u0061\u0301,food\n".encode())
    assert table.plants.taxon == ("Salix capreá",)


def test_none_named_and_uncoded_are_told_apart():
    table = read_report_table(b"informant,taxon,category\nA,Salix caprea,none_named\nA,Salix caprea,\n")
    assert sorted(table.category.tolist()) == sorted([NONE_NAMED, UNCODED])


def test_defaults_of_event_basis_and_use():
    table = read_report_table(b"informant,taxon,category,basis\nA,Salix caprea,food,practised\nB,Salix caprea,food,\n")
    assert table.events == 2
    assert table.uses.labels == ("food",)
    assert table.basis.tolist() == [0, 13]  # own; unstated, the last of the format's list


@pytest.mark.parametrize(
    ("reports", "informants", "expected"),
    [
        (
            "taxon,category\nSalix,food\n",
            None,
            "reports, line 1: A required column is missing. Found: taxon, category. Expected: informant.",
        ),
        ("informant,category,category\nA,food,food\n", None, "A column stands twice"),
        (
            "informant,category\nA,food,x\n",
            None,
            "reports, line 2: The row has another number of cells than the header. Found: 3. Expected: 2.",
        ),
        (
            "informant,category,basis\nA,food,rumour\n",
            None,
            "reports, line 2, column basis: The code is not known. Found: rumour.",
        ),
        ("informant,category\n\nA,none_named\n", None, "reports, line 3, column category: “none_named” must say which plant"),
        ("informant,category,date\nA,food,2026-02-30\n", None, "reports, line 2, column date"),
        ("informant,category\n,food\n", None, "No informant is named"),
        ("informant,category\nB,food\n", "informant,community\nA,X\n", "not in informants.csv, which fixes N. Found: B."),
        ("informant,community,category\nA,X,food\nA,Y,food\n", None, "The informant A stands in two communities."),
        ("informant,category\nA,food\n", "informant,community,kind\nA,X,ghost\n", "informants, line 2, column kind"),
        ("", None, "There is no header row"),
        ('informant,category\n"A,food\n', None, "The quoting is broken"),
    ],
)
def test_what_is_wrong_is_told_with_its_place(reports: str, informants: str | None, expected: str):
    assert any(expected in problem for problem in refused(reports, informants)), refused(reports, informants)


def test_every_problem_is_told_not_only_the_first():
    assert len(refused("informant,category,basis,stance\nA,food,rumour,perhaps\nB,food,gossip,affirms\n")) == 3


def test_bytes_that_are_no_utf8_name_their_line():
    with pytest.raises(InputRefused, match=r"reports, line 2: The text is not UTF-8\. Found: byte 0xe9"):
        read_report_table(b"informant,category\nA\xe9,food\n")


CELLS = st.text(st.characters(exclude_categories=["Cs", "Cc"]), max_size=12).map(lambda text: read_text(text))


def read_text(text: str) -> str:
    import unicodedata

    return unicodedata.normalize("NFC", text).strip()


@given(st.lists(st.fixed_dictionaries({"a": CELLS, "b": CELLS}).filter(lambda row: any(row.values()))))
def test_writing_and_reading_a_sheet_is_the_identity(rows: list[dict[str, str]]):
    assert list(read_sheet(write_sheet(("a", "b"), rows), ("a", "b")).rows) == rows


def test_a_quoted_cell_may_hold_lines_and_the_next_problem_still_has_its_line():
    assert "reports, line 4, column basis" in refused('informant,category,note,basis\nA,food,"one\ntwo",own\nA,food,,rumour\n')[0]


def test_the_checklist_names_its_own_accepted_names():
    from string import ascii_lowercase

    from tender_ledger.core.names import find_name
    from tender_ledger.standins.names_service import ChecklistNames

    names = ChecklistNames()
    found = find_name(names, "rosmarinus OFFICINALIS")
    assert found is not None
    assert found.accepted == "Salvia rosmarinus"
    assert find_name(names, "Nonexistens nominis") is None
    assert [one.name for one in names.suggest("pl la")] == ["Plantago lanceolata"]
    assert all(find_name(names, one.accepted) for letter in ascii_lowercase for one in names.suggest(letter, 500) if one.accepted)
    assert read_checklist(b"name,authorship,rank,family,accepted\nSalix caprea,L.,species,Salicaceae,\n")[0].genus == "Salix"


def test_columns_are_parallel():
    table = read_report_table(b"informant,taxon,category\nA,Salix caprea,food\nB,Tilia cordata,\n")
    lengths = {len(column) for column in (table.informant, table.event, table.plant, table.category, table.use, table.basis)}
    assert lengths == {2}
    assert isinstance(table.informant, np.ndarray)


def test_rows_that_say_nothing_of_their_plant_are_no_one_plant():
    """Two of a name are one; those without taxon, plant and name are each their own."""
    told = "informant,local_name,category\nA,melna,food\nB,melna,food\nA,,food\nB,,food\n"
    table = read_report_table(told.encode())
    assert [len(set(table.plant[rows].tolist())) for rows in ([0, 1], [2, 3])] == [1, 2]
    r = reckon(count(table, parse_rules({"undetermined": "each_own"})))
    assert sorted(r.fc.tolist()) == [1, 1, 2]


def test_a_genus_alone_is_counted_as_a_genus():
    told = "informant,taxon,category\nA,Salix,food\nA,Salix sp.,food\nB,Salix caprea,food\n"
    table = read_report_table(told.encode())
    assert reckon(count(table, parse_rules({}))).taxa == ("Salix", "Salix caprea")
    assert reckon(count(table, parse_rules({"genus_level": "merge_if_single"}))).taxa == ("Salix caprea",)
    assert reckon(count(table, parse_rules({"genus_level": "drop"}))).taxa == ("Salix caprea",)


def test_what_doubts_a_taxon_stands_in_its_name_or_in_a_column_of_its_own():
    told = "informant,taxon,qualifier,category\nA,Salix cf. caprea,,food\nB,Salix caprea,cf.,food\nC,Salix caprea,,food\n"
    table = read_report_table(told.encode())
    assert reckon(count(table, parse_rules({}))).taxa == ("Salix caprea",)
    apart = reckon(count(table, parse_rules({"qualified": "own_taxon"})))
    assert dict(zip(apart.taxa, apart.fc.tolist(), strict=True)) == {"Salix caprea": 1, "Salix cf. caprea": 2}


def test_a_written_source_stands_in_no_list_of_who_was_interviewed():
    told = (
        b"informant,community,informant_kind,taxon,category\nA,X,holder,Salix caprea,food\nHB-1931,X,source,Salix caprea,fuels\n"
    )
    table = read_report_table(told, b"informant,community\nA,X\nB,X\n")
    assert reckon(count(table, parse_rules({}))).n == 2
    assert reckon(count(table, parse_rules({"informant_kinds": ["holder", "source"]}))).n == 3
    with pytest.raises(InputRefused, match="fixes N"):
        read_report_table(told.replace(b"source", b"holder"), b"informant,community\nA,X\nB,X\n")
