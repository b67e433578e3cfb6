"""Erasing: nothing of the holder is left in any row, file or earlier copy, and nothing of anybody else is touched."""

import hashlib
import json
import uuid
from pathlib import Path

import pytest

from tender_ledger.core.rules import CountingRules
from tender_ledger.core.terms import NotAllowed
from tender_ledger.formats.result_document import result_document
from tender_ledger.launch.backup import BackupRefused, back_up, restore
from tender_ledger.launch.cluster import Cluster
from tender_ledger.launch.erasures import LIST, write_list
from tender_ledger.operations import importing, people
from tender_ledger.operations.drafts import keep_draft
from tender_ledger.operations.errors import CannotUndo, NotFound, Refused
from tender_ledger.operations.history import undo_act
from tender_ledger.operations.import_uploads import bring_table
from tender_ledger.operations.reckoning import reckon_study
from tender_ledger.operations.reports import correct_report, record_report
from tender_ledger.operations.typed_report import TypedReport
from tender_ledger.standins.names_service import ChecklistNames
from tender_ledger.storage.database import configure, connected, disconnect, rows, value
from tender_ledger.storage.queries import people as queries
from tender_ledger.storage.queries import reports as report_queries
from tests.conftest import KEY, Databases
from tests.factories import SmallStudy

CODE = "ZQX-77"
TABLE = (b"informant,community,event,date,taxon,category,use,part,local_name,words\n"
         b"zqx-77,X,sheet 1,2026-05-03,Plantago major,food,zqxvysheetuse,leaf,zqxvysheetname,zqxvysheetwords\n"
         b"H-2,X,sheet 1,2026-05-03,Plantago major,food,soup,leaf,melna,said by another\n")  # fmt: skip
MARKS = ("zqx-77", "zqxvy", hashlib.sha256(TABLE).hexdigest())


@pytest.fixture
def small(empty_db: str) -> SmallStudy:
    return SmallStudy()


def tell(small: SmallStudy, talk: int, code: str, plant: str, purpose: str, words: str = "", note: str = "") -> int:
    typed = TypedReport(informant=code, plant=plant, category="medicines", purpose=purpose, parts="leaf", words=words, note=note)
    return record_report(small.scope, talk, typed, str(uuid.uuid4()))


def told(small: SmallStudy, *, with_erased: bool = True) -> None:
    """Two holders in one talk and one sheet; the first told as well of a plant, a purpose and a name that nobody else did."""
    other = small.holder("H-2")
    first = small.holder(CODE) if with_erased else None
    talk = small.encounter(*([first, other] if first else [other]))
    small.plant("Salix caprea", name="vitte")
    if first:
        tell(small, talk, CODE, "P-001", "zqxvypurpose", "zqxvywords")
        tell(small, talk, CODE, "P-001", "fever", "zqxvyshared")
        tell(small, talk, CODE, "+ zqxvyname", "zqxvyonly")
        alone = small.encounter(first, title=f"Talk with {CODE}")
        corrected = tell(small, alone, CODE, "P-001", "zqxvybefore", "zqxvyearlier")
        found = report_queries.report(small.scope, corrected)
        assert found is not None
        correct_report(small.scope, corrected, found["version"], TypedReport(
            informant=CODE, plant="P-001", category="food", purpose="zqxvyafter", words="zqxvylater"))  # fmt: skip
        small.asking(alone, CODE, 1)
        holder = queries.holder(small.scope, CODE)
        assert holder is not None
        people.set_real_name(small.scope, holder["id"], "zqxvy real", KEY)
        people.reveal_real_name(small.scope, CODE, "zqxvyreason", KEY)
        keep_draft(small.scope, "encounter 1", {"informant": "zqx-77", "words": "zqxvydraft"})
    tell(small, talk, "H-2", "P-001", "fever", "said by another", note=f"as {CODE} does" if first else "as an erased holder does")
    table = TABLE if with_erased else b"\n".join(line for line in TABLE.split(b"\n") if not line.startswith(b"zqx-"))
    importing.import_table(small.scope, table, None, ChecklistNames(), terms=("record", "count", "show"), new_codes=False)
    if first:
        bring_table(small.scope, TABLE, None, terms=("record",), new_codes=False)


def held_in(folder: Path) -> list[tuple[str, str]]:
    """(file, mark) of every file under a folder that holds one of the marks, in any case."""
    found = []
    for file in folder.rglob("*"):
        if file.is_file():
            data = file.read_bytes().lower()
            found += [(str(file), mark) for mark in MARKS if mark.encode() in data]
    return found


def numbers(small: SmallStudy) -> dict:
    return result_document(reckon_study(small.scope, CountingRules()).result)


def test_no_row_no_dump_and_no_file_of_the_server_holds_anything_of_an_erased_holder(
    small: SmallStudy, empty_db: str, cluster: Cluster, tmp_path: Path
):
    told(small)
    back_up(empty_db, tmp_path / "before")
    assert held_in(tmp_path / "before")  # the search finds what is there
    assert held_in(cluster.data)
    records = people.erase_holder(small.scope, CODE, " zqx-77 ")
    assert records >= 8
    back_up(empty_db, tmp_path / "after")
    assert held_in(tmp_path / "after") == []
    assert held_in(cluster.data) == []
    assert held_in(cluster.folder) == []
    (left,) = queries.erased_holders(small.scope)
    assert (left["person"], left["records"]) == (small.scope.viewer.name, records)
    act = rows("SELECT operation, records FROM act ORDER BY id DESC LIMIT 1")
    assert act == [{"operation": "erase_holder", "records": records}]


def test_what_others_told_and_every_number_is_as_if_the_holder_had_never_been_there(small: SmallStudy):
    told(small)
    people.erase_holder(small.scope, CODE, CODE)
    never = SmallStudy()
    told(never, with_erased=False)
    assert numbers(small) == numbers(never)
    mine, theirs = (
        [(one["informant"], one["purpose"], one["words"], one["note"]) for one in report_queries.reports(study.scope)]
        for study in (small, never)
    )
    assert sorted(mine) == sorted(theirs)
    names = "SELECT n.name FROM local_name n WHERE n.study_id = %(s)s AND n.removed_at IS NULL ORDER BY 1"
    assert rows(names, s=small.scope.study_id) == rows(names, s=never.scope.study_id)
    purposes = "SELECT label FROM purpose WHERE study_id = %(s)s ORDER BY 1"
    assert rows(purposes, s=small.scope.study_id) == rows(purposes, s=never.scope.study_id)
    assert value("SELECT count(*) FROM encounter WHERE study_id = %(s)s", s=small.scope.study_id) == 2


def test_what_others_did_can_still_be_undone_and_the_erasing_cannot(small: SmallStudy):
    told(small)
    imported = int(value("SELECT max(id) FROM act WHERE operation = 'import_table'"))
    recorded = int(value("SELECT min(id) FROM act WHERE operation = 'record_report'"))
    small.encounter(_informant(small, "H-2"), title="More")
    people.erase_holder(small.scope, CODE, CODE)
    erased = int(value("SELECT max(id) FROM act"))
    for act in (erased, recorded):
        with pytest.raises(CannotUndo, match="does not come back"):
            undo_act(small.scope, act)
    undo_act(small.scope, imported)
    undo_act(small.scope, int(value("SELECT max(id) FROM act")))
    assert numbers(small)["totals"]["N"] == 1
    with pytest.raises(NotFound):
        people.erase_holder(small.scope, CODE, CODE)


def _informant(small: SmallStudy, code: str) -> int:
    found = queries.holder(small.scope, code)
    assert found is not None
    return int(found["informant_id"])


def test_the_code_must_be_typed_and_only_those_who_keep_the_terms_erase(small: SmallStudy):
    small.holder(CODE)
    for wrong in ("", "ZQX", "H-2"):
        with pytest.raises(Refused, match="Type the holder"):
            people.erase_holder(small.scope, CODE, wrong)
    for role in ("reviewer", "reader"):
        with pytest.raises(NotAllowed):
            people.erase_holder(small.person(role), CODE, CODE)
    assert queries.holder(small.scope, CODE) is not None


def test_a_word_that_is_also_a_code_stays_a_word(small: SmallStudy):
    talk = small.encounter(small.holder("MINT"), small.holder("H-2"))
    small.plant("Mentha aquatica")
    tell(small, talk, "H-2", "P-001", "mint tea", "mint, and MINTY; MINT said so")
    people.erase_holder(small.scope, "MINT", "MINT")
    (left,) = report_queries.reports(small.scope)
    assert (left["purpose"], left["words"]) == ("mint tea", "mint, and MINTY; an erased holder said so")


def test_a_list_that_cannot_be_read_stops_a_restore_before_it_begins(databases: Databases, empty_db: str, tmp_path: Path):
    back_up(empty_db, tmp_path / "early")
    (tmp_path / "early" / LIST).write_text("{")
    disconnect()
    other = databases.fresh("template1")
    configure(other)
    try:
        with connected():
            with pytest.raises(BackupRefused, match=r"erasures.json is no list of erasures"):
                restore(other, tmp_path / "early")
            assert rows("SELECT tablename FROM pg_tables WHERE schemaname = 'public'") == []
    finally:
        databases.drop(other)
        configure(empty_db)


@pytest.mark.parametrize("where", ["state folder", "a later backup beside", "nowhere", "another installation"])
def test_a_backup_from_before_does_not_bring_them_back(
    small: SmallStudy, empty_db: str, databases: Databases, tmp_path: Path, where: str
):
    told(small)
    back_up(empty_db, tmp_path / "backups" / "early")
    people.erase_holder(small.scope, CODE, CODE)
    wanted = numbers(small)
    state = tmp_path / "state"
    state.mkdir()
    if where == "state folder":
        write_list(state)
    if where == "a later backup beside":
        back_up(empty_db, tmp_path / "backups" / "late")
    if where == "another installation":
        kept = json.loads(write_list(state).read_text())
        (state / LIST).write_text(json.dumps(kept | {"installation": str(uuid.uuid4())}))
    disconnect()
    other = databases.fresh("template1")
    configure(other)
    try:
        with connected():
            restore(other, tmp_path / "backups" / "early", state=state)
            back_up(other, tmp_path / "again")
            brought_back = where in ("nowhere", "another installation")
            assert bool(held_in(tmp_path / "again")) == brought_back
            assert (numbers(small) == wanted) != brought_back
            assert len(queries.erased_holders(small.scope)) == (0 if brought_back else 1)
    finally:
        databases.drop(other)
        configure(empty_db)
