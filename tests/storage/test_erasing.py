"""Erasing: nothing of the holder is left in any row, file or earlier copy, and nothing of anybody else is touched."""

import hashlib
import json
import threading
import time
import uuid
from pathlib import Path

import pytest

from tender_ledger.core.rules import CountingRules
from tender_ledger.core.terms import NotAllowed
from tender_ledger.formats.archive import Tables
from tender_ledger.formats.result_document import result_document
from tender_ledger.launch.backup import BackupRefused, back_up, restore
from tender_ledger.launch.cluster import Cluster
from tender_ledger.launch.erasures import LIST, erase_again, read_list, write_list
from tender_ledger.operations import freezing, full_reports, importing, people, worklist
from tender_ledger.operations.drafts import keep_draft
from tender_ledger.operations.errors import CannotUndo, NotFound, Refused
from tender_ledger.operations.export import export_study
from tender_ledger.operations.history import undo_act
from tender_ledger.operations.import_uploads import bring_table
from tender_ledger.operations.reckoning import reckon_study
from tender_ledger.operations.reports import correct_report, record_report
from tender_ledger.operations.typed_report import TypedReport
from tender_ledger.standins.names_service import ChecklistNames
from tender_ledger.storage.database import configure, connected, database, disconnect, rows, run, value
from tender_ledger.storage.queries import erasures, results
from tender_ledger.storage.queries import people as queries
from tender_ledger.storage.queries import reports as report_queries
from tender_ledger.storage.queries import told as told_queries
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
    importing.import_tables(small.scope, Tables(table), ChecklistNames(), terms=("record", "count", "show"), new_codes=False)
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
                restore(tmp_path / "early", owner_url=databases.owner_url(other))
            assert rows("SELECT tablename FROM pg_tables WHERE schemaname = 'public'") == []
    finally:
        databases.drop(other)
        configure(empty_db)


@pytest.mark.parametrize("where", ["state folder", "a later backup beside", "nowhere", "another installation"])
def test_a_backup_from_before_does_not_bring_them_back(
    small: SmallStudy, empty_db: str, databases: Databases, tmp_path: Path, where: str
):
    """Where no list reaches beyond the backup the restore says so, and nobody is served by it."""
    told(small)
    back_up(empty_db, tmp_path / "backups" / "early")
    wait_a_second()
    people.erase_holder(small.scope, CODE, CODE)
    wanted = numbers(small)
    state = tmp_path / "state"
    state.mkdir()
    if where == "state folder":
        write_list(state, serves=True)
    if where == "a later backup beside":
        back_up(empty_db, tmp_path / "backups" / "late")
    if where == "another installation":
        kept = json.loads(write_list(state).read_text())
        stranger, (covered,) = str(uuid.uuid4()), kept["covers"].values()
        others = [{**one, "installation": stranger, "holder_uid": str(uuid.uuid4())} for one in kept["erasures"]]
        (state / LIST).write_text(json.dumps({"covers": {stranger: covered}, "served": [stranger], "erasures": others}))
    disconnect()
    other = databases.fresh("template1")
    configure(other)
    try:
        with connected():
            restored = restore(tmp_path / "backups" / "early", owner_url=databases.owner_url(other), state=state)
            back_up(other, tmp_path / "again")
            unknown = where in ("nowhere", "another installation")
            assert bool(held_in(tmp_path / "again")) == unknown
            assert (numbers(small) == wanted) != unknown
            assert len(queries.erased_holders(small.scope)) == (0 if unknown else 1)
            assert (restored.waits, restored.known, restored.erased_again) == ((True, 0, 0) if unknown else (False, 1, 1))
            assert erasures.waits() == unknown
    finally:
        databases.drop(other)
        configure(empty_db)


def wait_a_second() -> None:
    """The manifest of a backup tells its moment by the second."""
    time.sleep(1.1)


def test_the_list_only_grows_and_is_merged_by_installation(small: SmallStudy, tmp_path: Path):
    small.holder("H-1")
    people.erase_holder(small.scope, "H-1", "H-1")
    stranger = {
        "installation": str(uuid.uuid4()),
        "study_id": 1,
        "holder_id": 1,
        "holder_uid": str(uuid.uuid4()),
        "person_id": 1,
        "records": 4,
        "at": "2026-01-02 03:04:05+00:00",
    }
    kept = {"covers": {stranger["installation"]: "2026-01-03T00:00:00+00:00"}, "served": [], "erasures": [stranger]}
    (tmp_path / LIST).write_text(json.dumps(kept))
    for _twice in range(2):
        write_list(tmp_path)
        found = read_list(tmp_path / LIST)
        assert len(found.erasures) == 2
        assert stranger in [dict(one) for one in found.erasures]
        assert set(found.covers) == {stranger["installation"], erasures.installation_id()}
    run("DELETE FROM known_erasure")  # a database of an earlier time, say
    write_list(tmp_path)
    assert len(read_list(tmp_path / LIST).erasures) == 2
    (tmp_path / LIST).write_text("{}")
    with pytest.raises(ValueError, match="no list of erasures"):
        write_list(tmp_path)
    assert (tmp_path / LIST).read_text() == "{}"


def test_a_list_of_the_former_form_is_read_and_erases(small: SmallStudy, tmp_path: Path):
    told(small)
    found = queries.holder(small.scope, CODE)
    assert found is not None
    gone = {"study_id": small.scope.study_id, "holder_id": found["id"], "person_id": small.scope.viewer.person_id, "records": 9}
    file = tmp_path / LIST
    for at, again in (("2020-01-01 00:00:00+00", 0), ("2030-01-01 00:00:00+00", 1)):  # one from before the holder was recorded
        file.write_text(json.dumps({"installation": erasures.installation_id(), "erasures": [{**gone, "at": at}]}))
        assert erase_again([read_list(file)]) == again
        run("DELETE FROM known_erasure")
    assert queries.holder(small.scope, CODE) is None


def test_two_copies_that_both_go_on_do_not_erase_each_others_people(
    small: SmallStudy, empty_db: str, databases: Databases, tmp_path: Path
):
    """Both give the next number to somebody new; one of them is erased, and the list comes to the other copy."""
    back_up(empty_db, tmp_path / "common")
    small.holder("H-1")
    people.erase_holder(small.scope, "H-1", "H-1")
    write_list(tmp_path)
    disconnect()
    other = databases.fresh("template1")
    configure(other)
    try:
        with connected():
            restore(tmp_path / "common", owner_url=databases.owner_url(other))
            small.holder("H-9")
            number = value("SELECT id FROM holder WHERE code = 'H-9'")
            assert number == read_list(tmp_path / LIST).erasures[0]["holder_id"]
            assert erase_again([read_list(tmp_path / LIST)]) == 0
            assert value("SELECT count(*) FROM holder WHERE code = 'H-9'") == 1
    finally:
        databases.drop(other)
        configure(empty_db)


AGES = 5


def test_backups_of_five_ages_restored_in_any_order_bring_nobody_back(
    small: SmallStudy, empty_db: str, databases: Databases, tmp_path: Path
):
    """A holder is erased after each backup. Each backup stands in a folder of its own, as copies on other disks do; what one
    restore learnt the state folder tells the next. Where nothing reaches beyond a backup, the database serves nobody.

    Orders: forward, backward, and from the middle; every erasure that is known is done again, whatever came first.
    """
    codes = [f"ZQX-{at}" for at in range(AGES)]
    for code in codes:
        tell(small, small.encounter(small.holder(code)), code, f"P-{small.plant('Salix caprea'):03d}", f"purpose of {code}")
    for at, code in enumerate(codes):
        back_up(empty_db, tmp_path / f"disk {at}" / "backup")
        wait_a_second()
        people.erase_holder(small.scope, code, code)
    disconnect()
    served = 0
    for number, order in enumerate(((0, 1, 2, 3, 4), (4, 3, 2, 1, 0), (2, 4, 0, 3, 1))):
        state = tmp_path / f"state {number}"
        state.mkdir()
        known = 0  # erasures that the youngest backup so far knows of
        for age in order:
            other = databases.fresh("template1")
            configure(other)
            with connected():
                restored = restore(tmp_path / f"disk {age}" / "backup", owner_url=databases.owner_url(other), state=state)
                known = max(known, age)
                here = {one["code"] for one in rows("SELECT code FROM holder")}
                assert here == set(codes[known:]), (order, age)
                assert restored.known == known
                assert restored.waits == (age == known)  # nothing that was found reaches beyond this backup
                if not restored.waits:
                    served += 1
            databases.drop(other)
        whole = tmp_path / f"whole {number}"
        whole.mkdir()
        configure(empty_db)
        with connected():
            write_list(whole)  # the list of the installation itself, which went on
        for age in order[:2]:
            other = databases.fresh("template1")
            configure(other)
            with connected():
                assert not restore(tmp_path / f"disk {age}" / "backup", owner_url=databases.owner_url(other), state=whole).waits
                assert rows("SELECT code FROM holder") == []
            databases.drop(other)
    assert served > 0
    configure(empty_db)


def test_texts_of_others_about_an_erased_holder_are_masked_with_their_history(small: SmallStudy):
    mine, theirs = (small.encounter(small.holder(code)) for code in (CODE, "H-2"))
    small.plant("Salix caprea")
    ours = tell(small, theirs, "H-2", "P-001", "fever")
    gone = tell(small, mine, CODE, "P-001", "zqxvy cures cancer")
    twice = tell(small, mine, CODE, "P-001", "zqxvy cures cancer")
    full_reports.dispute_report(small.scope, ours, gone, "zqxvy said the opposite")
    for item in [item for one in worklist.read_worklist(small.scope) for item in one.items]:
        if {str(gone), str(twice)} & set(item.about.split()) or CODE in item.about:
            worklist.set_item_aside(small.scope, item.rule, item.about, "zqxvy is known to boast")
    assert value("SELECT count(*) FROM worklist_mark WHERE reason LIKE 'zqxvy%%'") > 0
    people.erase_holder(small.scope, CODE, CODE)
    assert [one["note"] for one in told_queries.disputes_of(small.scope, ours)] == ["an erased holder"]
    everything = " ".join(
        one["t"] for name in ("dispute", "worklist_mark", "change") for one in rows(f"SELECT x::text AS t FROM {name} x")
    )
    assert "zqxvy" not in everything
    assert CODE.lower() not in everything.lower()


def test_of_what_left_before_stays_how_many_were_erased_and_not_who(small: SmallStudy):
    talks = {code: small.encounter(small.holder(code)) for code in (CODE, "H-2", "H-3")}
    small.plant("Salix caprea")
    for code, talk in talks.items():
        tell(small, talk, code, "P-001", "fever")
    tell(small, talks[CODE], CODE, f"P-{small.plant('Betula pendula'):03d}", "zqxvy alone")
    export_study(small.scope)
    informant = queries.holder(small.scope, CODE)["informant_id"]
    assert value("SELECT count(*) FROM release_cell WHERE %(i)s = ANY(holders)", i=informant) > 4
    people.erase_holder(small.scope, CODE, CODE)
    assert value("SELECT count(*) FROM release_cell WHERE %(i)s = ANY(holders)", i=informant) == 0
    assert value("SELECT count(*) FROM release_cell WHERE cell LIKE '%%Betula%%'") == 0
    kept = rows("SELECT holders, amounts, erased FROM release_cell WHERE cell = 'use	Salix caprea		'")
    assert [(len(one["holders"]), len(one["amounts"]), one["erased"]) for one in kept] == [(2, 2, 1)]


def test_a_result_computed_while_somebody_is_erased_is_not_kept(small: SmallStudy, empty_db: str):
    """The computation read the study before; it ends while the erasing holds it, or after."""
    told(small)
    rules = CountingRules()
    revision = value("SELECT revision FROM study WHERE id = %(s)s", s=small.scope.study_id)
    reckoned = threading.Event()

    def end_late() -> None:
        with connected():
            reckoned.wait(5)
            results.keep_results(small.scope, revision, {"a" * 64: b"of the erased"})

    late = threading.Thread(target=end_late)
    late.start()
    with database.atomic():
        people.erase_holder_rows(small.scope.study_id, queries.holder(small.scope, CODE)["id"])
        reckoned.set()
        late.join(1)
        assert late.is_alive()  # it waits for whoever erases
        run("UPDATE study SET revision = revision + 1 WHERE id = %(s)s", s=small.scope.study_id)
    late.join(5)
    assert value("SELECT count(*) FROM kept_result") == 0
    assert reckon_study(small.scope, rules).result.n > 0
    assert value("SELECT count(*) FROM kept_result") > 0  # and what is computed afterwards is kept


def test_a_reckoning_is_not_frozen_of_what_was_erased_meanwhile(small: SmallStudy, monkeypatch: pytest.MonkeyPatch):
    told(small)
    values, erased = freezing._frozen_values, []

    def slowly(*asked):
        found = values(*asked)
        if not erased:
            erased.append(people.erase_holder(small.scope, CODE, CODE))
        return found

    monkeypatch.setattr(freezing, "_frozen_values", slowly)
    number = freezing.freeze_reckoning(small.scope, CountingRules(), "Meanwhile")
    informants = value("SELECT informants FROM frozen_reckoning WHERE id = %(n)s", n=number)
    assert len(informants) == 1
