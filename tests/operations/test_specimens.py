"""Specimens by collector and number: recorded, corrected, taken back, hidden with their plant."""

import pytest

from tender_ledger.operations import specimens
from tender_ledger.operations.errors import Conflict, NotFound, Refused
from tender_ledger.operations.history import undo_act
from tender_ledger.storage.queries import acts
from tender_ledger.storage.queries import specimens as queries
from tests.factories import SmallStudy

KEPT = {"collector": "I. Tarn", "number": "12", "day": "May 2026", "place": "hedge", "herbarium": "The hall", "duplicates": ""}


@pytest.fixture
def small(empty_db: str) -> SmallStudy:
    made = SmallStudy()
    made.plant("Salix caprea")
    return made


def test_a_specimen_is_recorded_corrected_and_taken_back(small: SmallStudy):
    made = specimens.add_specimen(small.scope, 1, KEPT)
    found = queries.specimen(small.scope, made)
    assert found is not None
    assert (found["collector"], found["number"], found["day_from"].isoformat(), found["day_to"].isoformat(), found["plant"]) == (
        "I. Tarn", "12", "2026-05-01", "2026-05-31", 1,
    )  # fmt: skip
    assert specimens.correct_specimen(small.scope, made, 1, {**KEPT, "day": "", "herbarium": "Another hall"}) == 1
    with pytest.raises(Conflict):
        specimens.correct_specimen(small.scope, made, 1, KEPT)
    (found,) = queries.specimens_of(small.scope, found["id"] and 1)
    assert (found["day_from"], found["herbarium"]) == (None, "Another hall")
    specimens.remove_specimen(small.scope, made, 2)
    assert queries.specimen(small.scope, made) is None
    undo_act(small.scope, acts.acts(small.scope, limit=1)[0]["id"])
    assert queries.specimen(small.scope, made) is not None


@pytest.mark.parametrize(
    ("wrong", "field"),
    [
        ({"collector": " "}, "collector"),
        ({"number": ""}, "number"),
        ({"day": "whenever"}, "day"),
        ({"stage_id": "1"}, "stage_id"),
    ],
)
def test_what_is_missing_or_wrong_is_refused_at_its_field(small: SmallStudy, wrong: dict[str, str], field: str):
    with pytest.raises(Refused) as refused:
        specimens.add_specimen(small.scope, 1, {**KEPT, **wrong})
    assert list(refused.value.errors) == [field]


def test_a_collectors_number_is_given_once(small: SmallStudy):
    specimens.add_specimen(small.scope, 1, KEPT)
    with pytest.raises(Refused, match="under this number already"):
        specimens.add_specimen(small.scope, 1, KEPT)
    specimens.add_specimen(small.scope, 1, {**KEPT, "collector": "L. Venn"})
    with pytest.raises(NotFound):
        specimens.add_specimen(small.scope, 9, KEPT)
    with pytest.raises(NotFound):
        specimens.remove_specimen(SmallStudy().scope, 1, 1)
