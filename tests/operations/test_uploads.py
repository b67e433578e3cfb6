"""Tables that wait on the screen: their bringer's alone, read and imported beside the request, silent after a killed server."""

import pytest

from tender_ledger.operations import import_uploads as uploads
from tender_ledger.operations.errors import NotFound, Refused
from tender_ledger.storage.database import run, value
from tender_ledger.storage.queries import imports
from tests.factories import SmallStudy

TABLE = b"informant,community,taxon,category,part\nH-1,X,Plantago major,food,leaf\nH-1,X,Plantago major,food,floret\n"
TERMS = ("record", "count", "show")


@pytest.fixture
def small(empty_db: str) -> SmallStudy:
    return SmallStudy()


def brought(small: SmallStudy, table: bytes = TABLE) -> int:
    number = uploads.bring_table(small.scope, table, None, terms=TERMS, new_codes=False)
    uploads.read_upload(small.scope, number, new_codes=False)
    assert uploads.wait_for(small.scope, number, 20) != "reading"
    return number


def state(small: SmallStudy, number: int) -> dict:
    found = imports.upload(small.scope, number)
    assert found is not None
    return found


def test_what_was_read_is_imported_and_only_the_failing_rows_are_kept(small: SmallStudy):
    number = brought(small)
    read = state(small, number)
    assert (read["state"], read["outcome"]["landing"], read["outcome"]["failing"]) == ("read", 1, 1)
    assert value("SELECT count(*) FROM use_report") == 0
    uploads.import_upload(small.scope, number)
    assert uploads.wait_for(small.scope, number, 20) != "importing"
    done = state(small, number)
    assert (done["state"], bytes(done["reports"])) == ("imported", b"")
    assert b"floret" in bytes(done["failing"])
    assert value("SELECT count(*) FROM use_report") == 1
    with pytest.raises(Refused, match="already"):
        uploads.import_upload(small.scope, number)


def test_a_table_is_its_bringers_alone(small: SmallStudy):
    number, other = brought(small), small.person("owner")
    assert imports.upload(other, number) is None
    assert imports.uploads(other) == []
    for work in (uploads.import_upload, uploads.let_go):
        with pytest.raises(NotFound):
            work(other, number)
    uploads.let_go(small.scope, number)
    assert imports.upload(small.scope, number) is None


def test_what_cannot_be_read_is_kept_with_every_sentence(small: SmallStudy):
    one = state(small, brought(small, b"informant\n"))
    assert one["state"] == "refused"
    assert any("A required column is missing" in sentence for sentence in one["outcome"]["refused"])


def test_work_that_a_killed_server_left_is_silent_and_can_be_taken_up_again(small: SmallStudy):
    number = brought(small)
    run("UPDATE import_upload SET state = 'importing', beat_at = now() - interval '31 seconds'")
    assert state(small, number)["silent"]
    uploads.import_upload(small.scope, number)
    assert uploads.wait_for(small.scope, number, 20) != "importing"
    assert state(small, number)["state"] == "imported"


def test_a_table_that_nobody_took_up_is_forgotten_after_thirty_days(small: SmallStudy):
    old = brought(small)
    run("UPDATE import_upload SET brought_at = now() - interval '31 days'")
    brought(small)
    assert imports.upload(small.scope, old) is None


def test_terms_that_allow_no_recording_and_an_empty_file_are_refused_at_once(small: SmallStudy):
    for table, terms in ((TABLE, ("count",)), (b"", TERMS)):
        with pytest.raises(Refused):
            uploads.bring_table(small.scope, table, None, terms=terms, new_codes=False)
    assert value("SELECT count(*) FROM import_upload") == 0
