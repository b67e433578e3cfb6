"""What the documents say is there: every index, rule, column and command has its place, and every link leads somewhere."""

import re
from pathlib import Path

import pytest

from tender_ledger.cli.__main__ import ledger
from tender_ledger.core.importing.companion_tables import COLUMNS as COMPANION_TABLES
from tender_ledger.core.importing.companion_tables import TELLING
from tender_ledger.core.importing.row_reading import KNOWN_COLUMNS
from tender_ledger.core.indices.working import MISLEADS, SOURCES, SYMBOLS
from tender_ledger.core.rules import CountingRules

TOP = Path(__file__).parents[1]
METHODS = {page.name: page.read_text() for page in (TOP / "docs" / "methods").glob("*.md")}
DOCUMENTS = [TOP / "README.md", TOP / "CHANGELOG.md", *sorted((TOP / "docs").rglob("*.md"))]


@pytest.mark.parametrize("index", SYMBOLS)
def test_every_index_has_its_section_formula_source_and_when_it_misleads(index: str):
    symbol = SYMBOLS[index]
    heading = re.compile(rf"\*\*{re.escape(symbol)}\*\*|^\|? ?{re.escape(symbol)}[ ,|]", re.M)
    pages = [text for text in METHODS.values() if heading.search(text)]
    assert pages, f"{symbol} stands on no page of docs/methods"
    assert any("isleads" in text or "islead." in text for text in pages)
    assert any("**Source" in text for text in pages)
    assert MISLEADS[index]
    assert SOURCES[index]


def test_every_counting_rule_and_column_is_in_the_format():
    text = (TOP / "docs/formats/use-report-table.md").read_text()
    for rule in CountingRules.__dataclass_fields__:
        assert re.search(rf"^\| {rule} \|", text, re.M), rule
    for column in KNOWN_COLUMNS:
        assert f"`{column}`" in text, column
    for table, columns in COMPANION_TABLES.items():
        row = re.search(rf"^\| {table}\.csv \|.*", text, re.M)
        assert row, table
        assert all(f"`{column}`" in row[0] or column in TELLING for column in columns), row[0]


def test_every_command_is_told_of():
    text = "".join(document.read_text() for document in DOCUMENTS)
    for command in ledger.commands:
        assert f"./ledger {command}" in text, command


def test_every_page_of_a_folder_is_in_its_list():
    for folder in ("methods", "decisions"):
        listed = (TOP / "docs" / folder / "README.md").read_text()
        for page in (TOP / "docs" / folder).glob("*.md"):
            assert page.name == "README.md" or f"]({page.name})" in listed, page.name


def test_every_link_and_picture_leads_somewhere():
    for document in DOCUMENTS:
        for target in re.findall(r"\]\(([^)#]+)", document.read_text()):
            assert (document.parent / target).exists(), (document.name, target)
    readme = (TOP / "README.md").read_text()
    for picture in (TOP / "docs" / "screenshots").glob("*.png"):
        assert f"docs/screenshots/{picture.name}" in readme, picture.name


def test_the_security_table_names_tests_that_are_there_and_counts_itself():
    text = (TOP / "docs/security.md").read_text()
    named = set(re.findall(r"`(tests/[\w/.]+)`", text))
    assert len(named) > 20
    assert [one for one in sorted(named) if not (TOP / one).exists()] == []
    states = re.findall(r"^\| \d[^|]*\| (met|part|n/a|open) \|", text, re.M)
    met, part, none, still = (states.count(state) for state in ("met", "part", "n/a", "open"))
    assert f"{len(states)} sections: {met} met, {part} in part, {none} with nothing of the kind, {still} open." in text
