"""`./ledger import`, `backup` and `restore` as somebody at a prompt meets them."""

import json
from pathlib import Path

import pytest

from tender_ledger.cli.__main__ import main
from tender_ledger.core.rules import parse_rules
from tender_ledger.formats.result_document import result_document
from tender_ledger.operations.reckoning import reckon_study
from tender_ledger.storage.database import configure, disconnect, run, value
from tests import sheets
from tests.conftest import READER, REFERENCE, Databases
from tests.factories import SmallStudy

HEAD = "informant,community,event,taxon,category,use,part\n"
LEAF = "H-1,X,t1,Plantago major,food,soup,leaf\n"


class Prompt:
    """Calls the command line; gives its exit status, and what it said on both outputs."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]) -> None:
        self.monkeypatch, self.capsys = monkeypatch, capsys

    def __call__(self, *arguments: str) -> tuple[int, str, str]:
        self.monkeypatch.setattr("sys.argv", ["ledger", *arguments])
        status = main()
        said = self.capsys.readouterr()
        return status, said.out, said.err


@pytest.fixture
def prompt(monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]) -> Prompt:
    return Prompt(monkeypatch, capsys)


@pytest.fixture
def small(empty_db: str, monkeypatch: pytest.MonkeyPatch) -> SmallStudy:
    monkeypatch.setenv("DATABASE_URL", empty_db)
    return SmallStudy()


def landed() -> int:
    return int(value("SELECT count(*) FROM use_report WHERE removed_at IS NULL"))


def test_the_worked_example_imported_counts_as_indices_counts_its_files(small: SmallStudy, prompt: Prompt, tmp_path: Path):
    tables = (str(REFERENCE / "reports.csv"), "--informants", str(REFERENCE / "informants.csv"))
    asked = ("--study", small.code, "--terms", "record,count,show", "--new-codes")
    status, out, err = prompt("import", *tables, *asked)
    rows = len((REFERENCE / "reports.csv").read_text().splitlines()) - 1
    assert (status, err) == (0, "")
    assert out.startswith(f"{rows} rows: {rows} landed, 0 on record already, 0 failing.")
    assert "new holders: 8" in out
    rules = tmp_path / "rules.json"
    rules.write_text('{"basis": ["own", "hearsay"]}')
    status, out, _ = prompt("indices", *tables, "--rules", str(rules), "--json")
    document = json.loads(out.lower())
    screen = result_document(reckon_study(small.scope, parse_rules({"basis": ["own", "hearsay"]})).result)
    assert document["totals"]["n"] == screen["totals"]["N"] == 8
    for taxon, values in json.loads(json.dumps(screen["taxa"]).lower()).items():
        assert {key: document["taxa"][taxon][key] for key in values} == values
    assert prompt("import", *tables, *asked)[1].startswith(f"{rows} rows: 0 landed, {rows} on record already")


def test_failing_rows_are_listed_and_written_beside_the_table(small: SmallStudy, prompt: Prompt, tmp_path: Path):
    table = tmp_path / "reports.csv"
    table.write_text(HEAD + LEAF + LEAF.replace("leaf", "floret"))
    asked = ("--study", small.code, "--terms", "record,count", "--as", small.email)
    status, out, err = prompt("import", str(table), *asked, "--dry-run")
    assert (status, landed(), [file.name for file in tmp_path.iterdir()]) == (1, 0, ["reports.csv"])
    assert "1 would land" in out
    status, out, err = prompt("import", str(table), *asked)
    assert (status, landed()) == (1, 1)
    assert "reports, line 3, column part: The study has no such part. Found: floret. Expected: " in err
    failing = tmp_path / "reports-failing.csv"
    assert str(failing) in err
    failing.write_text(failing.read_text().replace(",floret", ",leaf"))
    assert prompt("import", str(failing), *asked)[0] == 0
    assert landed() == 2


def test_a_sheet_lists_what_has_to_be_said_of_it_and_comes_in_once_that_is_known(
    small: SmallStudy, prompt: Prompt, tmp_path: Path
):
    sheet = tmp_path / "season.csv"
    sheet.write_bytes(sheets.of_135_rows())
    asked = ("--study", small.code, "--terms", "record,count", "--as", small.email)
    status, _, err = prompt("import", str(sheet), *asked)
    assert (status, landed()) == (1, 0)
    assert "column category: The value is no code of the study. Found: medicine. Expected: medicines." in err
    spelled = {"medicine": ["means", "medicines"], "fodder for goats": ["new", ""]}
    parts = {"leaves": ["means", "leaf"], "flowers": ["means", "flower"]}
    heads = {"respondent no": ["", "informant", False, False, "H"], "village": ["", "community", False, False, ""],
             "date of interview": ["", "date", False, False, ""], "scientific name": ["", "taxon", False, False, ""],
             "part used": ["", "part", False, False, ""], "use category": ["", "category", False, False, ""],
             "source of knowledge": ["", "basis", False, False, ""], "dosage": ["", "dose", False, False, ""],
             "collection season": ["", "season", False, False, ""], "remarks": ["", "note", False, False, ""]}  # fmt: skip
    run("INSERT INTO sheet_matching VALUES ((SELECT id FROM study), %(h)s, %(a)s, NULL)",
        h=json.dumps(heads), a=json.dumps({"category": spelled, "part": parts}))  # fmt: skip
    status, out, _ = prompt("import", str(sheet), *asked)
    assert (status, landed()) == (0, 135)
    assert "in no number under today’s rules: 82 rows, by basis (hearsay 82)" in out


def test_a_folder_of_tables_comes_in_whole(small: SmallStudy, prompt: Prompt, tmp_path: Path):
    (tmp_path / "reports.csv").write_text("informant,community,taxon,category,report\nH-1,X,Plantago major,food,a\n")
    (tmp_path / "steps.csv").write_text("report,step,words\na,1,boil it\n")
    status, out, err = prompt("import", str(tmp_path), "--study", small.code, "--terms", "record,count")
    assert (status, err) == (0, "")
    assert "new steps: 1" in out
    assert value("SELECT words FROM report_step") == "boil it"


@pytest.mark.parametrize(
    ("more", "told"),
    [
        (("--terms", "count"), "record is one"),
        (("--terms", "record,sell"), "Terms know no “sell”"),
        (("--terms", "count", "--dry-run"), "record is one"),
        (("--terms", "record", "--as", READER), "no member"),
        (("--terms", "record", "--study", "NOWHERE"), "There is no study NOWHERE here"),
    ],
)
def test_what_cannot_be_imported_at_all_is_said_and_writes_nothing(
    small: SmallStudy, prompt: Prompt, tmp_path: Path, more: tuple[str, ...], told: str
):
    table = tmp_path / "reports.csv"
    table.write_text(HEAD + LEAF)
    status, out, err = prompt("import", str(table), "--study", small.code, *more)
    assert status == 1
    assert told in err
    assert out == ""
    assert (landed(), [file.name for file in tmp_path.iterdir()]) == (0, ["reports.csv"])


def test_a_backup_at_the_prompt_is_restored_into_an_empty_database(
    demo_db: str, databases: Databases, prompt: Prompt, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
):
    monkeypatch.setenv("TENDER_KEY", "eHh4eHh4eHh4eHh4eHh4eHh4eHh4eHh4eHh4eHh4eHg=")
    monkeypatch.setenv("DATABASE_URL", demo_db)
    reports = landed()
    status, out, err = prompt("backup", str(tmp_path / "b"))
    assert status == 0, err
    assert "Real names in it need the key" in out
    status, _, err = prompt("restore", str(tmp_path / "b"))
    assert status == 1
    assert "not empty" in err
    disconnect()
    empty = databases.fresh("template1")
    monkeypatch.setenv("DATABASE_URL", empty)
    monkeypatch.setenv("MIGRATIONS_URL", databases.owner_url(empty))
    status, out, err = prompt("restore", str(tmp_path / "b"))
    assert status == 0, err
    assert "are back" in out
    assert "Set TENDER_KEY to show them" in out
    assert "Erasures known of in this database: 0." in out
    assert "No list of erasures was found that reaches beyond this backup" in out
    status, out, _ = prompt("erasures")
    assert "Nobody is served until that is settled" in out
    status, out, _ = prompt("erasures", "--confirm")
    assert (status, "People are served." in out) == (0, True)
    configure(empty)
    assert landed() == reports
    databases.drop(empty)
    configure(demo_db)
