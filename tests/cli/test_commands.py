"""The command line, driven as a process or through its own runner."""

import json
from pathlib import Path

import pytest
from click.testing import CliRunner, Result

from tender_ledger.cli.__main__ import ledger, main
from tender_ledger.core.importing.companion_tables import COLUMNS
from tender_ledger.core.indices.reckoning import reckon
from tender_ledger.core.tally.counting import count
from tender_ledger.formats.report_table import read_report_table
from tender_ledger.formats.result_document import result_document
from tender_ledger.operations.reckoning import reckon_study
from tender_ledger.operations.studies import rules_in_force
from tender_ledger.storage.database import value
from tests.conftest import READER, REFERENCE, scope_for

REPORTS, INFORMANTS = str(REFERENCE / "reports.csv"), str(REFERENCE / "informants.csv")


def call(*arguments: str) -> Result:
    return CliRunner().invoke(ledger, arguments, standalone_mode=False)


def rules_file(folder: Path, text: str) -> str:
    file = folder / "rules.json"
    file.write_text(text)
    return str(file)


def test_every_command_has_help():
    for path in (
        [],
        ["indices"],
        ["consensus"],
        ["import"],
        ["backup"],
        ["restore"],
        ["erasures"],
        ["export"],
        ["bench"],
        ["bench-people"],
        ["user"],
        ["user", "add"],
        ["user", "join"],
        ["key"],
        ["key", "rotate"],
    ):
        result = CliRunner().invoke(ledger, [*path, "--help"])
        assert result.exit_code == 0
        assert len(result.output.splitlines()) > 4
    named = {*ledger.commands}
    assert named == {
        "indices",
        "consensus",
        "import",
        "backup",
        "restore",
        "erasures",
        "export",
        "user",
        "key",
        "bench",
        "bench-people",
    }


def test_indices_as_the_result_document(tmp_path: Path):
    result = call(
        "indices", REPORTS, "--informants", INFORMANTS, "--rules", rules_file(tmp_path, '{"basis": ["own", "hearsay"]}'), "--json"
    )
    document, expected = json.loads(result.output), json.loads((REFERENCE / "expected.json").read_text())
    assert document["totals"]["N"] == 8
    for taxon, values in document["taxa"].items():
        for key, found in values.items():
            assert (
                found == pytest.approx(expected["taxa"][taxon][key])
                if not isinstance(found, str | dict)
                else found == expected["taxa"][taxon][key]
            )
    assert document["conventions"]["basis"] == ["own", "hearsay"]


def test_indices_as_tables_show_a_dash_and_the_reason(tmp_path: Path):
    result = call(
        "indices", REPORTS, "--informants", INFORMANTS, "--rules", rules_file(tmp_path, '{"basis": ["own", "hearsay"]}')
    )
    lines = result.output.splitlines()
    assert lines[0] == "N = 8, NC = 5"
    assert next(line for line in lines if line.startswith("Mentha")).split()[2:] == [
        "8",
        "6",
        "2",
        "0.750",
        "1.000",
        "1.125",
        "–",
    ]
    assert next(line for line in lines if line.startswith("RITUAL")).split()[1:] == ["1", "1", "–"]
    assert any("0/0" in line for line in lines)


@pytest.mark.parametrize(
    ("rules", "told"),
    [
        ('{"unit": "part"}', "rules.unit: The rule has no such value. Found: part. Expected: category, use, use_part"),
        ('{"units": "use"}', "rules.units: This counting rule does not exist."),
        ("{", "This is no JSON"),
    ],
)
def test_rules_that_cannot_be_counted_by_end_with_a_sentence(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str], rules: str, told: str
):
    monkeypatch.setattr("sys.argv", ["ledger", "indices", REPORTS, "--rules", rules_file(tmp_path, rules)])
    assert main() == 1
    output = capsys.readouterr()
    assert told in output.err
    assert output.out == ""


def test_a_broken_table_names_every_place(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]):
    table = tmp_path / "reports.csv"
    table.write_text("informant,category,basis\nA,food,rumour\nB,food,gossip\n")
    monkeypatch.setattr("sys.argv", ["ledger", "indices", str(table)])
    assert main() == 1
    assert len(capsys.readouterr().err.strip().splitlines()) == 2


def test_export_and_its_indices_are_those_of_the_screen(demo_db: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch):
    monkeypatch.setenv("DATABASE_URL", demo_db)
    assert call("export", "--study", "VELDRA", "--to", str(tmp_path / "out")).exception is None
    names = sorted(path.name for path in (tmp_path / "out").iterdir())
    assert {path.stat().st_mode & 0o777 for path in (tmp_path / "out").iterdir()} == {0o600}
    assert names == sorted(["counts.csv", "informants.csv", "notice.txt", "reports.csv", *(f"{name}.csv" for name in COLUMNS)])
    table = read_report_table((tmp_path / "out/reports.csv").read_bytes(), (tmp_path / "out/informants.csv").read_bytes())
    scope = scope_for()
    from tender_ledger.core.terms import Purpose

    rules = rules_in_force(scope)
    files, screen = reckon(count(table, rules)), reckon_study(scope, rules, purpose=Purpose.PUBLISHED_ROWS).result
    assert result_document(files)["taxa"] == result_document(screen)["taxa"]


@pytest.mark.parametrize(
    ("arguments", "told"),
    [
        (["export", "--study", "VELDRA", "--as", READER], "owner or reviewer"),
        (["export", "--study", "NOWHERE"], "There is no study NOWHERE here"),
        (["export", "--study", "VELDRA", "--as", "nobody@x.example"], "nobody@x.example is no member"),
        (["user", "join", "nobody@x.example", "--study", "VELDRA", "--role", "reader"], "Nobody signs in with this address"),
        (["user", "join", READER, "--study", "VELDRA", "--role", "king"], "There are the roles"),
    ],
)
def test_a_command_acts_as_a_person_with_that_persons_rights(
    demo_db: str,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    capsys: pytest.CaptureFixture[str],
    arguments: list[str],
    told: str,
):
    monkeypatch.setenv("DATABASE_URL", demo_db)
    monkeypatch.chdir(tmp_path)
    monkeypatch.setattr("sys.argv", ["ledger", *arguments])
    assert main() == 1
    assert told in capsys.readouterr().err
    assert list(tmp_path.iterdir()) == []


def test_adding_a_person_and_letting_them_join(demo_db: str, monkeypatch: pytest.MonkeyPatch):
    monkeypatch.setenv("DATABASE_URL", demo_db)
    assert "may sign in with the password" in call("user", "add", "new@veldra.example", "--name", "N. Ew").output
    assert "is recorder of VELDRA" in call("user", "join", "new@veldra.example", "--study", "VELDRA", "--role", "recorder").output
    joined = value(
        "SELECT m.role FROM membership m JOIN person p ON p.id = m.person_id WHERE p.email_fold = 'new@veldra.example'"
    )
    assert joined == "recorder"


def test_the_bench_agrees_with_pandas_on_a_small_study(capsys: pytest.CaptureFixture[str]):
    pytest.importorskip("pandas")
    result = call(
        "bench", "--reports", "3000", "--informants", "60", "--taxa", "40", "--imported", "400", "--listed", "300", "--no-demo"
    )
    assert result.exception is None, result.output
    assert "the values are equal" in result.output
    assert "of reading" in result.output
    assert "import of 400 rows" in result.output
    assert "one waited" in result.output
    lines = [line.strip() for line in result.output.splitlines() if line.startswith("  ")]
    first = lines.index(next(one for one in lines if one.startswith("first page")))
    views, pages = lines[first : first + 4], lines[first + 4 :]
    assert [one.split()[:2] for one in views] == [["first", "page"], ["last", "page"], ["a", "text"], ["by", "taxon"]]
    assert [one.split()[0] for one in pages[:2]] == ["people", "people/holders/H-2"]
    assert not [one for one in pages if "status" in one]
    assert f"of {len(pages)} pages over 200 ms in all or 200 ms of the database" in result.output
