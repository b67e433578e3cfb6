"""Importing a use-report table: what lands, what fails and why, what is known again, and one undo for all of it."""

import csv
import io
import json
from dataclasses import replace
from datetime import date
from pathlib import Path

import pytest

from tender_ledger.core.indices.reckoning import reckon
from tender_ledger.core.messages import InputRefused
from tender_ledger.core.rules import CountingRules, parse_rules
from tender_ledger.core.tally.counting import count
from tender_ledger.core.terms import NotAllowed
from tender_ledger.formats.archive import Tables
from tender_ledger.formats.report_table import read_report_table
from tender_ledger.formats.result_document import result_document
from tender_ledger.operations import full_reports, importing, people, plants
from tender_ledger.operations.errors import CannotUndo, Refused
from tender_ledger.operations.export import export_study
from tender_ledger.operations.history import undo_act
from tender_ledger.operations.reckoning import reckon_study
from tender_ledger.operations.reports import correct_report, remove_report
from tender_ledger.operations.told_in_full import ToldInFull
from tender_ledger.operations.typed_report import as_typed
from tender_ledger.standins.names_service import ChecklistNames
from tender_ledger.storage.database import rows, value
from tender_ledger.storage.queries import people as people_queries
from tender_ledger.storage.queries import plants as plant_queries
from tender_ledger.storage.queries import reports as report_queries
from tests.factories import SmallStudy

REFERENCE = Path(__file__).parents[1] / "reference"
REPORTS, ROSTER = (REFERENCE / "reports.csv").read_bytes(), (REFERENCE / "informants.csv").read_bytes()
TERMS = ("record", "count", "show")
HEAD = "informant,community,event,taxon,category,use,part,basis\n"
LEAF = "H-1,X,t1,Plantago lanceolata,food,soup,leaf,own\n"


@pytest.fixture
def small(empty_db: str) -> SmallStudy:
    return SmallStudy()


def bring(small: SmallStudy, reports: bytes | str, roster: bytes | None = None, *, new_codes: bool = False,
          terms: tuple[str, ...] = TERMS) -> importing.ImportOutcome:  # fmt: skip
    data = reports.encode() if isinstance(reports, str) else reports
    return importing.import_tables(small.scope, Tables(data, roster), ChecklistNames(), terms=terms, new_codes=new_codes)


def landed() -> int:
    return value("SELECT count(*) FROM use_report WHERE removed_at IS NULL")


def last_act() -> int:
    return value("SELECT max(id) FROM act")


def problems(out: importing.ImportOutcome) -> list[tuple[int, str, str]]:
    return [(one.line, one.column, one.found) for row in out.plan.failing for one in row.problems]


def test_the_worked_example_gives_in_the_study_the_numbers_that_it_gives_as_files(small: SmallStudy):
    """Every value of the reckoning, N = 8 with the one who named nothing among them; the numbers are checked in core."""
    rules = parse_rules({"basis": ["own", "hearsay"]})
    out = bring(small, REPORTS, ROSTER, new_codes=True)
    assert out.plan.failing == []
    screen = result_document(reckon_study(small.scope, rules).result)
    files = result_document(reckon(count(read_report_table(REPORTS, ROSTER), rules)))
    assert screen["totals"]["N"] == 8
    for part in ("totals", "taxa", "categories", "communities"):  # a category's code is small letters in a study
        assert json.loads(json.dumps(screen[part]).lower()) == json.loads(json.dumps(files[part]).lower()), part


def test_rows_that_fail_are_told_with_line_column_found_and_expected_and_the_rest_lands(small: SmallStudy):
    table = HEAD + LEAF + (
        "H-1,X,t1,Plantago major,food,soup,floret,own\n"
        "H-1,X,t1,Plantago major,foood,soup,leaf,rumour\n"
        "h 2,X,t1,Plantago major,food,soup,leaf,own\n"
        ",X,t1,Plantago major,food,soup,leaf,own\n"
        "H-1,Y,t1,Plantago major,food,soup,leaf,own\n"
        "H-1,X,t1,Plantago major,food\n"
    )  # fmt: skip
    out = bring(small, table)
    assert landed() == 1
    assert problems(out) == [(3, "part", "floret"), (4, "category", "foood"), (4, "basis", "rumour"), (5, "informant", "h 2"),
                             (6, "informant", ""), (7, "community", "Y"), (8, "", "5")]  # fmt: skip
    part = out.plan.failing[0].problems[0]
    assert "flower" in part.expected  # the likest of those there are
    assert "new codes" in part.remedy
    assert str(part.of("reports")).startswith("reports, line 3, column part: ")


def test_failing_rows_come_as_a_table_that_is_mended_and_imported_once(small: SmallStudy):
    failed = bring(small, HEAD + LEAF + LEAF.replace("leaf", "floret")).failing.decode()
    line = next(csv.DictReader(io.StringIO(failed)))
    assert line["import_problem"].startswith("reports, line 3, column part")
    assert line["part"] == "floret"
    mended = failed.replace(",floret,", ",leaf,")  # now equal to the row that landed, and still a row of its own
    assert len(bring(small, mended).plan.landing) == 1
    assert landed() == 2
    again = bring(small, mended.replace(",leaf,", ",root,"))
    assert (len(again.plan.landing), again.plan.known) == (0, 1)
    assert bring(small, HEAD + LEAF + LEAF).plan.known == 2  # the whole table, mended by hand, holds nothing new


def test_repeated_rows_stay_repeated_and_a_second_import_adds_nothing(small: SmallStudy):
    table = HEAD + LEAF * 3 + LEAF.replace("t1", "t2")
    assert len(bring(small, table).plan.landing) == 4
    assert landed() == 4
    before = value("SELECT revision FROM study")
    turned = "\n".join(",".join(reversed(line.split(","))) for line in table.splitlines()) + "\n"
    for again in (table, turned, table.replace("\n", "\r\n"), "\ufeff" + table.replace(",", ";")):
        out = bring(small, again)
        assert (out.plan.known, out.plan.landing, out.batch_id) == (4, [], None)
    assert value("SELECT revision FROM study") == before
    assert len(bring(small, table + LEAF).plan.landing) == 1  # a fourth equal row is a fourth report


def test_a_landed_report_that_was_corrected_or_taken_back_is_known_again(small: SmallStudy):
    table = HEAD + LEAF + LEAF.replace("soup", "salad")
    bring(small, table)
    first, second = report_queries.reports(small.scope)
    plant = plant_queries.plants(small.scope)[0]
    typed = replace(as_typed(first, plant), purpose="tea", parts="root")
    correct_report(small.scope, first["id"], first["version"], typed)
    remove_report(small.scope, second["id"], second["version"])
    assert bring(small, table).plan.known == 2
    assert landed() == 1


def test_an_import_is_one_act_with_one_undo_after_which_its_rows_may_come_in_again(small: SmallStudy):
    tables = ("community", "holder", "encounter", "plant", "determination", "use_report", "asking", "consent", "vocabulary_term",
              "import_batch")  # fmt: skip
    live = {table: value(f"SELECT count(*) FROM {table} WHERE removed_at IS NULL") for table in tables}
    acts = value("SELECT count(*) FROM act")
    bring(small, REPORTS, ROSTER, new_codes=True)
    first = last_act()
    assert value("SELECT count(*) FROM act") == acts + 1
    undo_act(small.scope, first)
    assert {table: value(f"SELECT count(*) FROM {table} WHERE removed_at IS NULL") for table in tables} == live
    assert reckon_study(small.scope, CountingRules()).result.n == 0
    again = bring(small, REPORTS, ROSTER, new_codes=True)
    assert again.plan.known == 0
    assert again.plan.failing == []
    r = reckon_study(small.scope, parse_rules({"basis": ["own", "hearsay"]})).result
    assert r.n == 8
    with pytest.raises(CannotUndo, match="came in again"):
        undo_act(small.scope, value("SELECT id FROM act WHERE undoes_act_id = %(a)s", a=first))


def test_an_undone_import_can_be_done_again_by_undoing_the_undo(small: SmallStudy):
    bring(small, REPORTS, ROSTER, new_codes=True)
    before = result_document(reckon_study(small.scope, CountingRules()).result)
    undo_act(small.scope, last_act())
    undo_act(small.scope, last_act())
    assert result_document(reckon_study(small.scope, CountingRules()).result) == before
    assert bring(small, REPORTS, ROSTER, new_codes=True).plan.known == len(REPORTS.splitlines()) - 1


def test_what_was_changed_and_put_back_since_is_undone_with_the_rest(small: SmallStudy):
    bring(small, HEAD + LEAF + LEAF.replace("soup", "salad"))
    act = last_act()
    one = report_queries.reports(small.scope)[0]
    remove_report(small.scope, one["id"], one["version"])
    undo_act(small.scope, last_act())
    undo_act(small.scope, act)
    assert landed() == 0
    assert value("SELECT count(*) FROM change WHERE act_id = (SELECT max(id) FROM act) AND before IS NULL") == 0
    hidden = "SELECT count(*) FROM change WHERE act_id = (SELECT max(id) FROM act) AND entity = 'use_report' AND after IS NULL"
    assert value(hidden) == 2
    undo_act(small.scope, last_act())
    assert landed() == 2


def test_a_correction_since_stops_the_undo_and_is_named(small: SmallStudy):
    bring(small, HEAD + LEAF)
    act = last_act()
    one = report_queries.reports(small.scope)[0]
    remove_report(small.scope, one["id"], one["version"])
    with pytest.raises(CannotUndo, match=rf"use report {one['id']}, by Owner"):
        undo_act(small.scope, act)
    assert value("SELECT count(*) FROM plant WHERE removed_at IS NULL") == 1


def test_a_plant_is_the_field_number_else_one_a_taxon(small: SmallStudy):
    known = small.plant("Plantago major")
    head = "informant,community,taxon,plant,local_name,category\n"
    out = bring(
        small,
        head
        + f"H-1,X,Plantago major,P-{known:03d},,food\n"  # the study's own, by its number
        + "H-1,X,Plantago major,P-040,,food\n"  # a plant with a number of its own
        + "H-1,X,Plantago major,,,food\nH-2,X,Plantago major,,,food\n"  # one plant for the taxon
        + "H-1,X,,,melna,food\nH-2,X,,,melna,food\n"  # one for a name without a taxon
        + "H-1,X,Plantago lanceolata,P-040,,food\n",  # contradicts line 3
    )
    assert problems(out) == [(8, "taxon", "Plantago lanceolata")]
    numbers = {one["field_number"]: one["reports"] for one in plant_queries.plants(small.scope)}
    assert numbers == {"P-001": 1, "P-040": 1, "P-041": 2, "P-042": 2}
    more = bring(small, head + "H-3,X,Plantago major,,,food\nH-3,X,,,melna,food\n")
    assert more.plan.plants == {}
    assert {one["reports"] for one in plant_queries.plants(small.scope)} == {1, 3}


def test_a_taxon_that_was_redetermined_since_gets_a_plant_of_its_own(small: SmallStudy):
    bring(small, HEAD + LEAF)
    plants.determine_plant(small.scope, 1, ChecklistNames(), taxon="Plantago major", qualifier="none", basis="photo",
                           confidence="sure")  # fmt: skip
    bring(small, HEAD + LEAF.replace("H-1", "H-2"))
    assert [one["accepted"] or one["taxon"] for one in plant_queries.plants(small.scope)] == [
        "Plantago major",
        "Plantago lanceolata",
    ]


def test_a_synonym_is_counted_as_its_accepted_name_and_that_is_said(small: SmallStudy):
    known = next(one for one in ChecklistNames().suggest("a", 999) if one.accepted)
    out = bring(small, f"informant,community,taxon,category\nH-1,X,{known.name},food\n")
    assert any(known.name in note and str(known.accepted) in note for note in out.plan.notes)
    assert reckon_study(small.scope, CountingRules()).result.taxa == (known.accepted,)


def test_a_code_that_the_study_lacks_fails_unless_new_codes_are_taken(small: SmallStudy):
    row = "H-1,X,t1,Plantago major,weaving songs,a song,floret,dreamt\n"
    out = bring(small, HEAD + row)
    assert [column for _, column, _ in problems(out)] == ["category", "part", "basis"]
    assert landed() == 0
    assert bring(small, HEAD + row, new_codes=True).plan.failing == []
    made = {one["code"]: one["vocabulary"] for one in rows("SELECT code, vocabulary FROM vocabulary_term WHERE study_id > 0")}
    assert made == {"weaving_songs": "category", "floret": "part", "dreamt": "basis"}
    assert reckon_study(small.scope, CountingRules()).result.ur.sum() == 0  # a ground of the study's own counts when it is chosen
    rules = parse_rules({"basis": ["own", "dreamt"]}, own_bases=("dreamt",))
    r = reckon_study(small.scope, rules).result
    assert (r.ur.sum(), r.categories[int(r.nur.argmax())]) == (1, "weaving_songs")
    assert bring(small, HEAD + row.replace("H-1", "H-2")).plan.failing == []  # the code is the study's now


def test_stances_and_outcomes_are_of_the_format_and_never_new(small: SmallStudy):
    table = "informant,community,taxon,category,stance,outcome\nH-1,X,Plantago major,food,maybe,cured\n"
    out = bring(small, table, new_codes=True)
    assert {column for _, column, _ in problems(out)} == {"stance", "outcome"}


def test_terms_stated_become_agreements_only_of_those_who_gave_none(small: SmallStudy):
    small.holder("H-2", may_show=False, may_publish_aggregate=False, may_publish_verbatim=False)
    bring(small, HEAD + LEAF + LEAF.replace("H-1", "H-2"))
    terms = {one["code"]: one for one in people_queries.holders(small.scope)}
    stated = people_queries.agreements(small.scope, holder_id=terms["H-1"]["id"])
    assert [(one["form"], one["may_show"], one["may_publish_aggregate"]) for one in stated] == [("stated_at_import", True, False)]
    agreed = value("SELECT count(*) FROM consent c JOIN holder h ON h.id = c.holder_id WHERE h.code = 'H-2'")
    assert agreed == 1
    small.agree("H-2")
    assert reckon_study(small.scope, CountingRules()).result.n == 2


def test_nothing_is_imported_of_a_holder_whose_terms_forbid_recording(small: SmallStudy):
    small.holder("H-2")
    small.withdraw("H-2")
    out = bring(small, HEAD + LEAF + LEAF.replace("H-1", "H-2"))
    assert problems(out) == [(3, "informant", "H-2")]
    assert "terms of today" in out.plan.failing[0].problems[0].what


@pytest.mark.parametrize("words", [(), ("count", "show"), ("record", "sell")])
def test_terms_that_allow_no_recording_or_are_unknown_refuse_the_whole(small: SmallStudy, words: tuple[str, ...]):
    with pytest.raises(Refused):
        bring(small, HEAD + LEAF, terms=words)
    assert landed() == 0


def test_a_roster_says_who_was_interviewed_and_any_fault_in_it_refuses_the_whole(small: SmallStudy):
    roster = b"informant,community,kind,gender,birth_year\nH-1,X,holder,woman,1951\nH-9,X,holder,,\n"
    bring(small, HEAD + LEAF, roster)
    assert reckon_study(small.scope, CountingRules()).result.n == 2  # H-9 was asked and told nothing
    found = {one["code"]: (one["gender"], one["birth_year"]) for one in people_queries.holders(small.scope)}
    assert found == {"H-1": ("woman", 1951), "H-9": ("unstated", None)}
    out = bring(small, HEAD + LEAF.replace("H-1", "H-3"), roster)
    assert problems(out) == [(2, "informant", "H-3")]
    for wrong in (b"H-1,Y,holder,,", b"H 4,X,holder,,", b"H-4,X,holder,x,", b"H-4,X,holder,,951", b"H-1,X,source,,"):
        with pytest.raises(InputRefused):
            bring(small, HEAD + LEAF.replace("t1", "t8"), roster + wrong + b"\n")
    assert landed() == 1


def test_an_encounter_is_the_one_of_the_study_where_the_informant_told_in_it(small: SmallStudy):
    one = small.holder("H-1")
    number = small.encounter(one)
    head = "informant,community,event,date,taxon,category\n"
    out = bring(
        small,
        head
        + f"H-1,X,E{number},2026-05-03,Plantago major,food\n"
        + f"H-1,X,E{number},2026-06-01,Plantago major,food\n"  # another day than the study has
        + f"H-2,X,E{number},2026-05-03,Plantago major,food\n"  # told nothing there: an encounter of the table's own
        + "H-2,X,talk 9,May 2026,Plantago major,food\nH-2,X,talk 9,2026-05-09,Plantago lanceolata,food\n",
    )
    assert problems(out) == [(3, "date", "1 June 2026")]
    assert any("also the number of an encounter" in note for note in out.plan.notes)
    found = rows("SELECT number, came_as, day_from::text AS a, day_to::text AS b FROM encounter ORDER BY number")
    assert [tuple(row.values()) for row in found] == [
        (number, "", "2026-05-03", "2026-05-03"),
        (number + 1, f"E{number}", "2026-05-03", "2026-05-03"),
        (number + 2, "talk 9", "2026-05-01", "2026-05-31"),
    ]
    before = value("SELECT count(*) FROM encounter")
    bring(small, head + "H-3,X,talk 9,May 2026,Plantago major,food\n")
    assert value("SELECT count(*) FROM encounter") == before


def test_all_that_a_row_says_is_kept_and_leaves_with_the_export(small: SmallStudy):
    said = {
        "informant": "H-1", "community": "X", "event": "t1", "date": "2026-05-03", "taxon": "Plantago major", "plant": "P-007",
        "category": "food", "use": "soup", "part": "leaf;root", "preparation": "cooked;dried", "component": "2",
        "basis": "taught", "stance": "affirms", "outcome": "helped", "currency": "former",
        "attributed_to": "people of the lower ford",
        "mixture": "m1", "role": "carrier", "local_name": "melna", "language": "qaa", "words": "Boil it “twice”.",
        "start": "61.5", "end": "70", "note": "by the door", "stage": "flowering", "caution_told": "not for the young",
        "weather": "rain", "gender": "woman", "qualifier": "cf", "season": "after the first frost",
        "harvest": "side branches only", "harvest_effect": "light", "dose": "a handful", "for_whom": "child",
        "phase": "when it begins",
        "frequency": "twice a day", "course": "three days", "proportion": "two parts of three",
    }  # fmt: skip
    out = bring(small, ",".join(said) + "\n" + ",".join(said.values()) + "\n", new_codes=True,
                terms=importing.TERM_WORDS)  # fmt: skip
    assert out.plan.failing == []
    line = next(csv.DictReader(io.StringIO(export_study(small.scope)["reports.csv"].decode())))
    assert {key: line[key] for key in said if key not in ("event", "gender")} == {
        key: text for key, text in said.items() if key not in ("event", "gender")
    }
    beside = rows("SELECT season, dose, taker, harvest_effect, course FROM use_report")[0]
    assert tuple(beside.values()) == ("after the first frost", "a handful", "child", "light", "three days")
    assert value("SELECT qualifier FROM determination") == "cf"
    assert "gender" not in line  # what an imported table says of a person stays with the team
    assert value("SELECT extra ->> 'gender' FROM use_report") == "woman"


def test_a_dry_run_says_what_would_happen_and_writes_nothing(small: SmallStudy):
    before = value("SELECT count(*) FROM act")
    out = importing.preview_import(small.scope, Tables(REPORTS, ROSTER), ChecklistNames(), new_codes=True)
    assert out.batch_id is None
    assert len(out.plan.landing) == len(REPORTS.splitlines()) - 1
    assert (value("SELECT count(*) FROM act"), landed(), value("SELECT count(*) FROM purpose")) == (before, 0, 0)


def test_only_an_owner_imports(small: SmallStudy):
    for role in ("recorder", "reviewer", "reader"):
        other = small.person(role)
        with pytest.raises(NotAllowed):
            importing.import_tables(other, Tables(HEAD.encode()), ChecklistNames(), terms=TERMS, new_codes=False)


@pytest.mark.parametrize(
    ("data", "told"),
    [
        (b"\xff\xfe", "not UTF-8"),
        (b"", "no header"),
        (b"informant,category,category\n", "stands twice"),
        (b"informant,community\n", "required column"),
        (b'informant,category\n"a,food\n', "quoting"),
    ],
)
def test_a_table_that_cannot_be_read_at_all_is_refused_with_the_place(small: SmallStudy, data: bytes, told: str):
    with pytest.raises(InputRefused, match=told):
        bring(small, data)


def test_terms_stated_do_not_stand_in_for_an_agreement_that_ended(small: SmallStudy):
    holder = people_queries.holder(small.scope, "H-1") if small.holder("H-1", agreed=False) else None
    assert holder is not None
    people.record_agreement(small.scope, agreed_on=date(2026, 1, 3), form="oral", terms=dict.fromkeys(people.TERM_COLUMNS, True),
                            holder_id=holder["id"], expires_on=date(2026, 2, 1))  # fmt: skip
    bring(small, HEAD + LEAF)
    assert value("SELECT count(*) FROM consent WHERE form = 'stated_at_import'") == 0
    assert reckon_study(small.scope, CountingRules()).result.n == 0


def test_rows_that_say_nothing_of_their_plant_get_a_plant_each_and_a_genus_its_rank(small: SmallStudy):
    bring(small, "informant,community,taxon,category\nH-1,X,,food\nH-1,X,,food\nH-1,X,Tilia sp.,food\nH-1,X,Ficaria,food\n")
    found = plant_queries.plants(small.scope)
    assert sorted(one["taxon"] or "" for one in found) == ["", "", "Ficaria", "Tilia"]
    assert {one["rank"] for one in found if one["taxon"]} == {"genus"}


def test_a_source_needs_no_row_among_those_interviewed_and_a_time_with_a_point_is_asked_back(small: SmallStudy):
    head = "informant,community,informant_kind,taxon,category,start\n"
    rows_of = "H-1,X,holder,Tilia cordata,food,1:27\nHB-1,X,source,Tilia cordata,food,\nH-1,X,holder,Tilia cordata,fuels,1.27\n"
    out = bring(small, head + rows_of, b"informant,community\nH-1,X\nH-2,X\n")
    assert problems(out) == [(4, "start", "1.27")]
    assert "1 min 27 s" in out.plan.failing[0].problems[0].what
    assert reckon_study(small.scope, CountingRules()).result.n == 2


def told_in_rows(small: SmallStudy) -> list[dict[str, str]]:
    """The exported rows without what numbers them in their study."""
    table = csv.DictReader(io.StringIO(export_study(small.scope)["reports.csv"].decode()))
    return [{name: text for name, text in row.items() if name not in ("event", "plant", "report")} for row in table]


def test_components_of_a_remedy_leave_as_rows_of_one_report_and_come_in_as_one(small: SmallStudy):
    talk, plant = small.encounter(small.holder("H-1")), small.plant("Plantago major")
    made = small.report(talk, "H-1", plant, category="medicines", purpose="cough")
    components = [{"parts": "leaf", "methods": "infusion", "applications": "drunk"}, {"parts": "root, seed", "methods": "powder"}]
    codings = [{"scheme": "economic_botany", "category": "medicines", "purpose": "cough"}]
    beside = {"dose": "three drops", "season": "spring"}
    full_reports.complete_report(small.scope, made, 1, ToldInFull(beside, {"components": components, "codings": codings}))
    first = told_in_rows(small)
    assert [(row["component"], row["part"], row["preparation"]) for row in first] == [
        ("1", "leaf", "infusion"),
        ("2", "root;seed", "powder"),
    ]
    other = SmallStudy()
    out = bring(other, export_study(small.scope)["reports.csv"], new_codes=True, terms=importing.TERM_WORDS)
    assert (out.plan.failing, len(out.plan.landing)) == ([], 2)
    assert told_in_rows(other) == first
    assert len(report_queries.reports(other.scope)) == 1
    assert bring(other, export_study(small.scope)["reports.csv"], terms=importing.TERM_WORDS).plan.known == 2


def test_rows_of_one_report_that_differ_in_more_than_their_component_fail(small: SmallStudy):
    head = "informant,community,taxon,category,report,component,part,basis\n"
    out = bring(
        small,
        head + "H-1,X,Plantago major,food,a,1,leaf,own\nH-1,X,Plantago major,food,a,2,root,taught\n"
        "H-1,X,Plantago major,food,a,1,seed,own\nH-2,X,Plantago major,food,a,2,root,own\n",
    )
    assert problems(out) == [(3, "report", "line 3"), (4, "component", "1")]
    assert [one["informant"] for one in report_queries.reports(small.scope)].count("H-1") == 1
