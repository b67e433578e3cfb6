"""What comes with a telling at the desk: a remedy of several plants, a property, a link, one more name; all of it or nothing."""

import uuid

import pytest

from tender_ledger.operations import reports
from tender_ledger.operations.errors import Refused
from tender_ledger.operations.history import undo_act
from tender_ledger.operations.people import add_language
from tender_ledger.operations.tellings import says_use
from tender_ledger.operations.told_in_full import ToldInFull
from tender_ledger.operations.typed_report import TypedReport
from tender_ledger.storage.database import rows, value
from tender_ledger.storage.queries import plants as plant_queries
from tender_ledger.storage.queries import told
from tests.factories import SmallStudy, latest_act

TEA = TypedReport(informant="H-1", plant="P-001", parts="leaf", methods="infusion", category="medicines", purpose="cough",
                  words="Pour it over", start="12:41")  # fmt: skip


@pytest.fixture
def small(empty_db: str) -> SmallStudy:
    made = SmallStudy()
    made.encounter(made.holder("H-1"), made.holder("H-2"))
    for taxon, name in (("Plantago major", "plata"), ("Salix caprea", "vesta"), ("Thymus serpyllum", "")):
        made.plant(taxon, name)
    return made


def told_now(small: SmallStudy, typed: TypedReport, more: ToldInFull, key: str = "") -> int:
    return reports.record_report(small.scope, 1, typed, key or str(uuid.uuid4()), more)


def remedy(small: SmallStudy) -> list[tuple[object, ...]]:
    found = rows("""SELECT p.number, v.code AS part, r.mixture, r.role, r.proportion FROM use_report r
        JOIN plant p ON p.id = r.plant_id LEFT JOIN report_part m ON m.report_id = r.id
        LEFT JOIN vocabulary_term v ON v.id = m.part_id WHERE r.removed_at IS NULL ORDER BY r.id""")
    return [tuple(row.values()) for row in found]


def test_a_remedy_of_several_plants_is_told_once_and_becomes_its_reports(small: SmallStudy):
    others = [{"plant": "vesta", "parts": "bark", "role": "corrective", "proportion": "one in five"}, {"plant": "+ orel"}]
    told_now(small, TEA, ToldInFull({"dose": "a cup"}, {"plants": others, "steps": [{"method": "dried"}]}))
    assert remedy(small) == [
        (1, "leaf", "plata + vesta + orel", "main", ""),
        (2, "bark", "plata + vesta + orel", "corrective", "one in five"),
        (4, None, "plata + vesta + orel", "companion", ""),
    ]
    same = rows("""SELECT DISTINCT r.dose, r.words, r.start_s, u.label FROM use_report r
        JOIN report_coding k ON k.report_id = r.id JOIN purpose u ON u.id = k.purpose_id""")
    assert [tuple(one.values()) for one in same] == [("a cup", "Pour it over", 761.0, "cough")]
    assert value("SELECT count(*) FROM report_step") == 3
    told_now(small, TEA, ToldInFull(rows={"plants": [{"plant": "vesta"}, {"plant": "orel"}]}))
    assert remedy(small)[3][2] == "plata + vesta + orel (2)"  # another remedy of the same plants
    undo_act(small.scope, latest_act(small.scope))
    assert len(remedy(small)) == 3


def test_what_is_wrong_in_a_row_is_named_by_it_and_nothing_is_recorded(small: SmallStudy):
    more = ToldInFull(
        {"taker": "a ghost", "link_kind": "cousin of", "link_other": "P-002"},
        {"plants": [{"plant": "vesta"}, {"plant": "nobody's", "parts": "fin"}], "teachings": [{"teacher": "H-9"}]},
    )
    with pytest.raises(Refused) as refused:
        told_now(small, TEA, more)
    assert set(refused.value.errors) == {"taker", "plants-1-plant", "plants-1-parts", "teachings-0-teacher"}
    with pytest.raises(Refused) as refused:
        told_now(small, TEA, ToldInFull({"link_kind": "cousin of", "link_other": "P-002"}))
    assert set(refused.value.errors) == {"link_kind"}
    with pytest.raises(Refused, match="Choose the plant"):
        told_now(small, TEA, ToldInFull({"link_kind": "host of"}))
    assert value("SELECT count(*) FROM use_report") == value("SELECT count(*) FROM plant_link") == 0
    assert value("SELECT count(*) FROM purpose") == 0


def test_a_property_a_link_and_a_name_come_from_the_line_with_teller_time_and_plant(small: SmallStudy):
    more = ToldInFull({"property": "bitter", "link_kind": "look-alike", "link_other": "vesta", "other_name": "zelna"})
    told_now(small, TEA, more)
    only = TypedReport(informant="H-2", plant="P-001", parts="root", basis="hearsay", words="They call it so", start="61")
    assert not says_use(only)
    key = str(uuid.uuid4())
    for _again in range(2):
        assert reports.record_beside(small.scope, 1, only, key, ToldInFull({"property": "sweet"})) == 1
    first = ("H-1", "bitter", "leaf", "unstated", "", 761.0)
    claims = [(one["informant"], one["property"], one["part"], one["basis"], one["words"], one["start_s"])
              for one in told.claims(small.scope)]  # fmt: skip
    assert claims == [first, ("H-2", "sweet", "root", "hearsay", "They call it so", 61.0)]
    links = [(one["informant"], one["kind"], one["other"], one["start_s"]) for one in told.links(small.scope)]
    assert links == [("H-1", "look_alike", 2, 761.0)]
    plant = plant_queries.plant(small.scope, 1)
    assert plant is not None
    assert {(name["name"], name["attested"]) for name in plant["names"]} == {("plata", 0), ("zelna", 1)}
    assert value("SELECT count(*) FROM use_report") == 1


def test_a_plant_that_nobody_named_has_no_name(small: SmallStudy):
    told_now(small, TypedReport(informant="H-1", plant="+?", category="food"), ToldInFull())
    plant = plant_queries.plant(small.scope, 4)
    assert plant is not None
    assert plant["names"] == []


def test_languages_and_sources_are_taken_by_name_or_number_and_codes_by_what_they_say(small: SmallStudy):
    language = add_language(small.scope, code="qaa", name="Velish")
    for said in ("Velish", "qaa", str(language)):
        made = told_now(small, TEA, ToldInFull({"language_id": said, "currency": "formerly", "harvest_effect": "whole"}))
        found = rows("SELECT language_id, currency, harvest_effect FROM use_report WHERE id = %(r)s", r=made)[0]
        assert tuple(found.values()) == (language, "former", "whole")


def test_further_components_and_codes_follow_those_of_the_line(small: SmallStudy):
    rows_of = {"components": [{"parts": "root", "methods": "powder"}], "codings": [{"category": "food"}]}
    told_now(small, TEA, ToldInFull(rows=rows_of))
    parts = rows("""SELECT m.component, v.code FROM report_part m JOIN vocabulary_term v ON v.id = m.part_id ORDER BY 1""")
    codes = rows(
        """SELECT v.code, k.is_primary FROM report_coding k JOIN vocabulary_term v ON v.id = k.category_id ORDER BY 2 DESC"""
    )
    assert [tuple(one.values()) for one in parts] == [(1, "leaf"), (2, "root")]
    assert [tuple(one.values()) for one in codes] == [("medicines", True), ("food", False)]
