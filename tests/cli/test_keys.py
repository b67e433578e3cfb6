"""A new key for real names: every name stays readable, under the new key alone."""

import json
from pathlib import Path

import pytest
from click.testing import CliRunner

from tender_ledger.cli.__main__ import ledger
from tender_ledger.launch.state import StateFolder
from tender_ledger.operations import people
from tender_ledger.operations.errors import Refused
from tender_ledger.operations.names_key import NamesKey
from tender_ledger.storage.database import run, value
from tests.conftest import KEY, KEY_TEXT, scope_for

NEXT_TEXT = "bmV4dG5leHRuZXh0bmV4dG5leHRuZXh0bmV4dG5leHQ="


def rotate(monkeypatch: pytest.MonkeyPatch, url: str, state: Path, **more: str) -> str:
    for name, text in {"DATABASE_URL": url, "TENDER_STATE": str(state), **more}.items():
        monkeypatch.setenv(name, text)
    done = CliRunner().invoke(ledger, ["key", "rotate"])
    if done.exception:
        raise done.exception
    return done.output


def test_a_key_of_the_state_folder_is_replaced_there(demo_db: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch):
    folder, scope = StateFolder(tmp_path), scope_for()
    folder.write_private("secrets.json", json.dumps({"names": KEY_TEXT, "session": "s"}))
    before = people.reveal_real_name(scope, "ONS-01", "to ask again", KEY)
    kept = value("SELECT count(*) FROM holder_identity")
    assert f"{kept} names are kept under the key" in rotate(monkeypatch, demo_db, tmp_path)
    secrets = json.loads((tmp_path / "secrets.json").read_text())
    assert set(secrets) == {"names", "session"}
    assert secrets["names"] != KEY_TEXT
    new = NamesKey.from_environment({"TENDER_KEY": secrets["names"]})
    assert people.reveal_real_name(scope, "ONS-01", "to ask again", new) == before
    with pytest.raises(Refused, match="under another key"):
        people.reveal_real_name(scope, "ONS-01", "to ask again", KEY)


def test_what_was_cut_short_is_finished_by_rotating_again(demo_db: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch):
    """Killed after the database and before the state folder: the next key waits there, and is taken."""
    folder = StateFolder(tmp_path)
    folder.write_private("secrets.json", json.dumps({"names": KEY_TEXT}))
    new = NamesKey.from_environment({"TENDER_KEY": folder.secret("names_next")})
    assert new is not None
    people.change_names_key(KEY, new)
    rotate(monkeypatch, demo_db, tmp_path)
    assert NamesKey.from_environment({"TENDER_KEY": folder.secret("names")}).key_id == new.key_id  # type: ignore[union-attr]
    assert people.reveal_real_name(scope_for(), "ONS-01", "to ask again", new)


def test_a_key_of_the_environment_is_replaced_by_the_next(demo_db: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch):
    with pytest.raises(Refused, match="TENDER_NEXT_KEY"):
        rotate(monkeypatch, demo_db, tmp_path, TENDER_KEY=KEY_TEXT)
    with pytest.raises(Refused, match="no key"):
        rotate(monkeypatch, demo_db, tmp_path, TENDER_KEY=KEY_TEXT, TENDER_NEXT_KEY="short")
    rotate(monkeypatch, demo_db, tmp_path, TENDER_KEY=KEY_TEXT, TENDER_NEXT_KEY=NEXT_TEXT)
    assert people.reveal_real_name(scope_for(), "ONS-01", "to ask again", NamesKey.from_environment({"TENDER_KEY": NEXT_TEXT}))


def test_a_name_under_a_third_key_stops_it_before_anything_changes(demo_db: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch):
    run("UPDATE holder_identity SET key_id = 'elsewhere' WHERE holder_id = (SELECT max(holder_id) FROM holder_identity)")
    with pytest.raises(Refused, match="elsewhere"):
        rotate(monkeypatch, demo_db, tmp_path, TENDER_KEY=KEY_TEXT, TENDER_NEXT_KEY=NEXT_TEXT)
    assert value("SELECT count(*) FROM holder_identity WHERE key_id = %(id)s", id=KEY.key_id) > 0
    assert people.reveal_real_name(scope_for(), "ONS-01", "to ask again", KEY)


def test_while_the_application_runs_nothing_is_rotated(demo_db: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch):
    with StateFolder(tmp_path).lock(), pytest.raises(Refused, match="Stop it first"):
        rotate(monkeypatch, demo_db, tmp_path)
