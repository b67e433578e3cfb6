"""The table of all reports: every filter against a count by hand, orders, pages, terms; and many reports changed as one act."""

import json

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tender_ledger.core.ledger import COLUMNS, FILTERS, GROUPS, SORTS, USUAL, LedgerView, read_view
from tender_ledger.core.terms import NotAllowed, Scope
from tender_ledger.operations import bulk_edits
from tender_ledger.operations.errors import Refused
from tender_ledger.operations.history import undo_act
from tender_ledger.storage.database import rows, value
from tender_ledger.storage.queries import acts, ledger, reports, told
from tests.conftest import READER, RECORDER, scope_for


def found(scope: Scope, **asked: str) -> set[int]:
    return set(ledger.ledger_ids(scope, read_view(asked)))


def lines(scope: Scope) -> list[dict[str, object]]:
    """Every report that the viewer may see, one by one, the slow way."""
    every = [one["id"] for one in rows("SELECT id FROM use_report WHERE removed_at IS NULL")]
    made = []
    for one in reports.reports_by_id(scope, every):
        full = told.report_in_full(scope, one["id"])
        plant = rows(
            """SELECT coalesce(acc.name, x.name) AS taxon, coalesce(acc.family, x.family) AS family FROM plant p
               LEFT JOIN determination d ON d.plant_id = p.id AND d.is_current AND d.removed_at IS NULL
               LEFT JOIN taxon x ON x.id = d.taxon_id LEFT JOIN taxon acc ON acc.id = x.accepted_id WHERE p.id = %(id)s""",
            id=one["plant_id"],
        )[0]
        made.append({**one, **(full or {}), **plant})
    return made


BESIDE = ("season", "harvest", "dose", "phase", "frequency", "course", "attributed_to", "proportion", "steps", "ingredients",
          "teachings")  # fmt: skip
ADDRESS = (*FILTERS, "sort", "group", "back", "page", "cols", "odd")
# Of every filter a value that the demo has, and how a report is known that has it.
ASKED = [
    ("q", "sugar", lambda one: "sugar" in f"{one['words']} {one['note']} {one['caution']} {one['purpose']}".lower()),
    ("informant", "ons-01", lambda one: one["informant"] == "ONS-01"),
    ("community", "TAR", lambda one: one["community"] == "TAR"),
    ("kind", "source", lambda one: one["is_source"]),
    ("plant", "P-004", lambda one: one["field_number"] == "P-004"),
    ("taxon", "Plantago lanceolata", lambda one: one["taxon"] == "Plantago lanceolata"),
    ("taxon", "-", lambda one: one["taxon"] is None),
    ("family", "Salicaceae", lambda one: one["family"] == "Salicaceae"),
    ("category", "medicines", lambda one: one["category_code"] == "medicines"),
    ("category", "respiratory", lambda one: any(code["category"] == "respiratory" for code in one["codings"])),
    ("category", "-", lambda one: not one["codings"]),
    ("purpose", "cough", lambda one: one["purpose"] == "cough"),
    ("part", "leaf", lambda one: "leaf" in one["part_codes"]),
    ("part", "-", lambda one: not one["part_codes"]),
    ("method", "syrup", lambda one: "syrup" in one["method_codes"]),
    ("application", "drunk", lambda one: "drunk" in one["application_codes"]),
    ("basis", "taught", lambda one: one["basis_code"] == "taught"),
    ("stance", "untried", lambda one: one["stance_code"] == "untried"),
    ("stance", "denies", lambda one: one["stance_code"] == "denies"),
    ("outcome", "helped", lambda one: one["outcome_code"] == "helped"),
    ("currency", "current", lambda one: one["currency"] == "current"),
    ("stage", "leafing", lambda one: one["stage_code"] == "leafing"),
    ("taker", "child", lambda one: one["taker"] == "child"),
    ("mixture", "winter tea", lambda one: one["mixture"] == "winter tea"),
    ("encounter", "2", lambda one: one["encounter"] == 2),
    ("since", "2026-05-10", lambda one: one["day_to"] and str(one["day_to"]) >= "2026-05-10"),
    ("until", "2026-05-10", lambda one: one["day_from"] and str(one["day_from"]) <= "2026-05-10"),
    ("beside", "GRANDMOTHER", lambda one: "grandmother" in str([one[name] for name in BESIDE]).lower()),
    ("beside", "60 °C", lambda one: "60 °C" in str([one[name] for name in BESIDE])),
    ("beside", "crock", lambda one: "crock" in str([one[name] for name in BESIDE])),
    ("marked", "caution", lambda one: one["caution"]),
    ("marked", "own_note", lambda one: one["note"]),
    ("marked", "several", lambda one: len(one["components"]) > 1),
]  # fmt: skip


def test_every_filter_finds_what_a_reader_would_find_one_by_one(demo_db: str):
    """For the owner and for a recorder, who see different reports."""
    assert {name for name, _said, _has in ASKED} == set(FILTERS)
    for scope in (scope_for(), scope_for(RECORDER)):
        every = lines(scope)
        assert found(scope) == {one["id"] for one in every}
        for name, said, has in ASKED:
            wanted = {one["id"] for one in every if has(one)}
            assert found(scope, **{name: said}) == wanted, (name, said)
        assert sum(bool({one["id"] for one in every if has(one)}) for _name, _said, has in ASKED) >= len(ASKED) - 3


def test_disputed_reports_are_found_from_both_sides(scope: Scope):
    pair = rows("SELECT report_id, other_id FROM dispute")[0]
    assert found(scope, marked="disputed") == {pair["report_id"], pair["other_id"]}


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=25)
@given(st.sampled_from(SORTS), st.booleans(), st.sampled_from(("", *GROUPS)), st.integers(1, 3))
def test_pages_follow_one_another_without_loss_in_any_order(scope: Scope, sort: str, back: bool, group: str, page: int):
    view = LedgerView(sort=sort, backwards=back, group=group, page=page)
    ids = ledger.ledger_ids(scope, view)
    assert len(ids) == len(set(ids)) == len(found(scope))
    shown, total = ledger.ledger_page(scope, view)
    assert [one["id"] for one in shown] == ids[(page - 1) * ledger.PAGE : page * ledger.PAGE]
    assert total == len(ids)
    if group == "informant":
        told_by = [one["informant"] for one in ledger.lines_of(scope, ids)]
        assert told_by == sorted(told_by, reverse=back and sort == "informant")


@settings(max_examples=60)
@given(
    st.dictionaries(st.sampled_from((*FILTERS, "sort", "group", "back", "page", "cols", "odd")), st.text(max_size=12), max_size=6)
)
def test_any_address_is_a_view_whose_address_is_read_as_the_same_view(arguments: dict[str, str]):
    view = read_view(arguments)
    assert set(view.columns) <= set(COLUMNS)
    assert read_view({key: str(said) for key, said in view.arguments().items()}) == view


def test_an_address_that_asks_for_nothing_usual_is_short():
    assert LedgerView().arguments() == {}
    assert LedgerView({"part": "leaf"}, page=3).arguments(part=None) == {"page": 3}
    assert read_view({"cols": "words,plant,words"}).columns == ("words", "plant")
    assert read_view({"cols": "odd"}).columns == USUAL


def test_what_is_kept_of_a_view_holds_until_something_is_written_and_for_one_viewer(scope: Scope):
    view = read_view({"part": "leaf"})
    _lines, total = ledger.ledger_page(scope, view)
    first = ledger.ledger_ids(scope, view)[0]
    assert value("SELECT count(*) FROM kept_answer WHERE packed IS NOT NULL") == 1
    from tender_ledger.operations.reports import remove_report

    remove_report(scope, first, value("SELECT version FROM use_report WHERE id = %(id)s", id=first))
    assert ledger.ledger_page(scope, view)[1] == total - 1
    reader = scope_for(READER)
    assert ledger.ledger_page(reader, view)[1] == len(ledger.ledger_ids(reader, view)) < total


@pytest.mark.parametrize(
    ("field", "said", "column"),
    [("basis", "own practice", "basis"), ("stance", "denies", "stance"), ("outcome", "helped", "outcome"),
     ("stage", "flowering", "stage"), ("currency", "formerly", "currency"), ("category", "food", "category"),
     ("plant", "P-002", "field_number")],
)  # fmt: skip
def test_many_reports_are_looked_at_changed_and_put_back_as_one(scope: Scope, field: str, said: str, column: str):
    view = read_view({"informant": "ONS-01"})
    ids = ledger.ledger_ids(scope, view)
    before = rows("SELECT id, to_jsonb(r) - 'version' AS state FROM use_report r ORDER BY id")
    coded = rows("SELECT * FROM report_coding ORDER BY report_id, scheme, category_id")
    seen = bulk_edits.preview_edit(scope, view, field, said)
    assert rows("SELECT id, to_jsonb(r) - 'version' AS state FROM use_report r ORDER BY id") == before
    assert bulk_edits.edit_reports(scope, view, field, said) == seen.changed > 0
    shown = {json.dumps(one[column], default=str) for one in ledger.lines_of(scope, ids)}
    assert len(shown) == 1
    assert bulk_edits.preview_edit(scope, read_view({"informant": "ONS-01"}), field, said).changed == 0
    undo_act(scope, acts.acts(scope, limit=1)[0]["id"])
    assert rows("SELECT id, to_jsonb(r) - 'version' AS state FROM use_report r ORDER BY id") == before
    assert rows("SELECT * FROM report_coding ORDER BY report_id, scheme, category_id") == coded


@pytest.mark.parametrize(
    ("field", "said", "where"), [("words", "x", "field"), ("basis", "", "value"), ("basis", "rumoured", "value")]
)
def test_an_edit_to_nothing_is_refused(scope: Scope, field: str, said: str, where: str):
    with pytest.raises(Refused) as refused:
        bulk_edits.preview_edit(scope, read_view({}), field, said)
    assert list(refused.value.errors) == [where]


def test_a_recorder_changes_reports_one_by_one(demo_db: str):
    with pytest.raises(NotAllowed):
        bulk_edits.edit_reports(scope_for(RECORDER), read_view({}), "basis", "own practice")
