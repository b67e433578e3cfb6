"""A study leaves in open tables and comes into an empty one as it was: everything recorded, within its terms."""

import csv
import io
import random
import uuid
import zipfile
from collections.abc import Mapping
from contextlib import suppress

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tender_ledger.core.messages import InputRefused
from tender_ledger.formats.archive import Tables, read_tables, write_archive
from tender_ledger.operations import beside_uses, full_reports, importing, people, plants, reports, tellings, told_in_full
from tender_ledger.operations.errors import Refused
from tender_ledger.operations.export import export_study
from tender_ledger.operations.told_in_full import ToldInFull
from tender_ledger.operations.typed_report import TypedReport
from tender_ledger.standins.names_service import ChecklistNames
from tender_ledger.storage.database import value
from tests.conftest import scope_for
from tests.factories import SmallStudy

TAXA = ("Plantago major", "Salix caprea", "Thymus serpyllum", "")
WORDS = ("in cold water", "a “rounded” spoon; twice", "=boil", "über Nacht", "two, or three", "'tis bitter", "3")
PURPOSES = {"medicines": ("cough", "fever"), "food": ("soup", "tea"), "materials": ("baskets",)}


class RandomStudy:
    """A study of a few holders, plants and reports in full, drawn from a seed."""

    def __init__(self, seed: int) -> None:
        self.draw = random.Random(seed)
        self.small = SmallStudy()
        self.scope = self.small.scope
        self.language = people.add_language(self.scope, code="qaa", name="Velish")
        self.holders = [f"H-{at}" for at in range(1, 4)]
        ids = [self.small.holder(code, may_publish_verbatim=at != 2) for at, code in enumerate(self.holders)]
        self.talks = [self.small.encounter(*ids, title=f"Talk {at}", day=f"{at + 2} May 2026") for at in range(2)]
        self.plants = [self._plant(taxon) for taxon in TAXA]
        for at in range(6):
            self._report(self.talks[at % 2])  # nothing leaves of an encounter in which nothing was told
        for _ in range(3):
            self._beside()

    def words(self) -> str:
        return self.draw.choice((*WORDS, ""))

    def _plant(self, taxon: str) -> int:
        met = {"growth_form": self.words(), "habitat": self.words(), "remarks": self.words(),
               "origin": self.draw.choice([*plants.ORIGINS]), "management": self.draw.choice([*plants.MANAGEMENT])}  # fmt: skip
        number = plants.add_plant(
            self.scope, name=self.draw.choice(("melna", "")), language_id=self.language, gloss="red one", **met
        )
        if taxon:
            plants.determine_plant(
                self.scope, number, ChecklistNames(), taxon=taxon, qualifier=self.draw.choice(("none", "cf", "aff")),
                basis=self.draw.choice([*plants.BASES]), confidence=self.draw.choice([*plants.CONFIDENCES]), remarks=self.words(),
            )  # fmt: skip
        for words in self.draw.sample(("4 to 6 mm", "about half a yard", "12 cm"), self.draw.randint(0, 2)):
            plants.measure_feature(self.scope, number, character="leaf length", words=words)
        return number

    def _report(self, talk: int) -> None:
        draw = self.draw
        category = draw.choice([*PURPOSES])
        teller = draw.choice(self.holders)
        made = reports.record_report(
            self.scope, talk,
            TypedReport(informant=teller, plant=f"P-{draw.choice(self.plants):03}", parts="leaf", category=category,
                        purpose=draw.choice(PURPOSES[category]), words=self.words(), note=self.words(), start="1:27",
                        basis=draw.choice(("own practice", "hearsay")),
                        name_language=""), str(random.Random(draw.random()).randbytes(16).hex()),
        )  # fmt: skip
        codings = [{"scheme": "economic_botany", "category": category, "purpose": draw.choice(PURPOSES[category])}]
        if draw.random() < 0.5:
            other = draw.choice([one for one in PURPOSES if one != category])
            codings.append({"scheme": "economic_botany", "category": other, "purpose": draw.choice((*PURPOSES[other], ""))})
        typed = {"dose": self.words(), "season": self.words(), "end": "2:05", "mixture": draw.choice(("", "m1")),
                 "harvest_effect": draw.choice([*told_in_full.HARVEST_EFFECTS]), "taker": draw.choice([*told_in_full.TAKERS]),
                 "currency": draw.choice([*told_in_full.CURRENCIES]),
                 "language_id": draw.choice(("", str(self.language)))}  # fmt: skip
        children = {
            "components": [{"parts": draw.choice(("leaf", "root, seed")), "methods": draw.choice(("infusion", "powder", ""))}
                           for _ in range(draw.randint(1, 3))],
            "codings": codings,
            "steps": [{"method": draw.choice(("decoction", "")), "words": self.words(), "lasts": "an hour", "heat": self.words()}
                      for _ in range(draw.randint(0, 3))],
            "ingredients": [{"words": draw.choice(WORDS), "role": draw.choice([*told_in_full.ROLES]), "amount": self.words()}
                            for _ in range(draw.randint(0, 2))],
            "teachings": [{"teacher": draw.choice((*self.holders, "")), "words": self.words(), "told_when": "as a child"}
                          for _ in range(draw.randint(0, 2))],
        }  # fmt: skip
        version = value("SELECT version FROM use_report WHERE id = %(id)s", id=made)
        full_reports.complete_report(self.scope, made, version, ToldInFull(typed, children))

    def _beside(self) -> None:
        draw = self.draw
        number = value("SELECT number FROM encounter WHERE id = %(id)s", id=draw.choice(self.talks))
        said = {"encounter": str(number), "informant": draw.choice(self.holders), "words": self.words()}
        beside_uses.claim_property(self.scope, draw.choice(self.plants), {**said, "property": draw.choice(("bitter", "warms"))})
        only = TypedReport(
            informant=draw.choice(self.holders), plant=f"P-{draw.choice(self.plants):03}", start="12:41", parts="leaf"
        )
        reports.record_beside(self.scope, number, only, str(uuid.UUID(int=draw.getrandbits(128))),
                              ToldInFull({"property": draw.choice(("sour", "draws"))}))  # fmt: skip
        one, other = draw.sample(self.plants, 2)
        with suppress(Refused):  # the same link, told by the same holder in the same encounter, is recorded once
            beside_uses.link_plants(self.scope, one, {**said, "other": f"P-{other:03}", "kind": draw.choice([*tellings.LINKS])})


def brought(small: SmallStudy, files: Mapping[str, bytes]) -> importing.ImportOutcome:
    """The tables of an export imported as the archive that they leave in."""
    tables = read_tables(write_archive(files))
    return importing.import_tables(small.scope, tables, ChecklistNames(), terms=importing.TERM_WORDS, new_codes=True)


def table(files: Mapping[str, bytes], name: str) -> list[dict[str, str]]:
    return list(csv.DictReader(io.StringIO(files[f"{name}.csv"].decode())))


@given(st.integers(0, 10**6))
@settings(max_examples=12, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_what_leaves_comes_in_and_leaves_again_byte_for_byte(empty_db: str, seed: int):
    study = RandomStudy(seed)
    first = export_study(study.scope)
    other = SmallStudy()
    outcome = brought(other, first)
    assert outcome.plan.failing == []
    second = export_study(other.scope)
    assert {name: text for name, text in second.items() if name != "counts.csv"} == {
        name: text for name, text in first.items() if name != "counts.csv"
    }
    third = SmallStudy()
    brought(third, second)
    assert export_study(third.scope) == second
    again = brought(third, second)
    assert (again.plan.landing, again.plan.features, again.plan.claims, again.plan.links) == ([], [], [], [])
    assert export_study(third.scope) == second


@pytest.mark.usefixtures("demo_db")
def test_the_invented_study_leaves_and_comes_in_twice():
    """All that its tellers let leave of some 1,300 reports: nothing fails, and from the second time on every byte is the same."""
    files = export_study(scope_for())
    other, third = SmallStudy(), SmallStudy()
    assert brought(other, files).plan.failing == []
    second = export_study(other.scope)
    kept = ("steps.csv", "ingredients.csv", "teachings.csv", "codings.csv", "plants.csv", "features.csv")
    assert {name: second[name] for name in kept} == {name: files[name] for name in kept}
    assert brought(third, second).plan.failing == []
    assert export_study(third.scope) == second


SAID = {"plant": "P-001", "informant": "H-1", "community": "X", "event": "t1"}
REPORT = "informant,community,event,plant,taxon,category,report\nH-1,X,t1,P-001,Plantago major,food,a\n"


def sheet(**cells: str) -> bytes:
    out = io.StringIO()
    writer = csv.DictWriter(out, list(cells))
    writer.writeheader()
    writer.writerow(cells)
    return out.getvalue().encode()


WRONG: list[tuple[str, dict[str, str], str]] = [
    ("steps", {"report": "a", "step": "0"}, "column step"),
    ("steps", {"report": "a", "step": "1", "preparation": "sung to"}, "column preparation"),
    ("ingredients", {"report": "a", "ingredient": "1", "words": "ash", "role": "friend"}, "column role"),
    ("ingredients", {"report": "a", "ingredient": "1", "words": ""}, "column words"),
    ("teachings", {"report": "a", "teaching": "1", "teacher": "H-9"}, "column teacher"),
    ("codings", {"report": "a", "category": "song"}, "column category"),
    ("codings", {"report": "a", "category": "food", "primary": "no"}, "column primary"),
    ("plants", {"plant": "P-004", "origin": "the moon"}, "column origin"),
    ("plants", {"plant": "P-004", "taxon": "Salix caprea", "determined_on": "May"}, "column determined_on"),
    ("features", {"plant": "P-009", "character": "height", "unit": "cm", "words": "2 cm"}, "column plant"),
    ("features", {"plant": "P-001", "character": "height", "low": "3", "high": "2", "unit": "cm", "words": "2"}, "column high"),
    ("features", {"plant": "P-001", "character": "height", "low": "tall", "unit": "cm", "words": "2 cm"}, "column low"),
    ("names", {**SAID, "name": "melna", "dialect": "upper"}, "column dialect"),
    ("properties", {**SAID, "property": "bitter", "informant_kind": "bird"}, "column informant_kind"),
    ("properties", {**SAID, "property": "bitter", "date": "someday"}, "column date"),
    ("links", {**SAID, "other": "P-001", "kind": "cousin"}, "column kind"),
    ("links", {**SAID, "other": "P-077", "kind": "host"}, "column other"),
    ("songs", {"plant": "P-001"}, "songs.csv"),
    ("plants", {"plant": "P-004", "colour": "red"}, "line 1"),
    ("plants", {"taxon": "Salix caprea"}, "line 1"),
]  # fmt: skip


@pytest.mark.parametrize(("name", "cells", "where"), WRONG)
def test_what_is_wrong_in_a_table_beside_is_named_and_nothing_is_imported(
    empty_db: str, name: str, cells: dict[str, str], where: str
):
    small = SmallStudy()
    with pytest.raises(InputRefused) as refused:
        importing.import_tables(small.scope, Tables(REPORT.encode(), None, {name: sheet(**cells)}), ChecklistNames(),
                                terms=importing.TERM_WORDS, new_codes=False)  # fmt: skip
    assert where in str(refused.value.problems[0])
    assert name in str(refused.value.problems[0])
    assert value("SELECT count(*) FROM use_report") == value("SELECT count(*) FROM plant") == 0


def test_rows_of_a_report_that_does_not_land_are_told_of_and_left(empty_db: str):
    small = SmallStudy()
    tables = Tables(REPORT.encode(), None, {"steps": sheet(report="b", step="1", words="boil")})
    outcome = importing.import_tables(small.scope, tables, ChecklistNames(), terms=importing.TERM_WORDS, new_codes=False)
    assert [note for note in outcome.plan.notes if "steps.csv" in note and ": b." in note]
    assert value("SELECT count(*) FROM report_step") == 0


def test_words_stay_where_the_terms_let_none_leave_and_so_does_all_of_an_unreviewed_strong_claim(empty_db: str):
    small = SmallStudy()
    talk = small.encounter(small.holder("H-1", may_publish_verbatim=False), small.holder("H-2"))
    plant = small.plant("Plantago major")
    rows_of = {"steps": [{"method": "infusion", "words": "secret"}], "ingredients": [{"words": "secret", "role": "main"}],
               "teachings": [{"teacher": "H-2", "words": "secret"}, {"words": "secret"}]}  # fmt: skip
    for code, purpose in (("H-1", "cough"), ("H-2", "cancer")):
        made = small.report(talk, code, plant, category="medicines", purpose=purpose)
        codings = [{"scheme": "economic_botany", "category": "medicines", "purpose": purpose}]
        full_reports.complete_report(small.scope, made, 1, ToldInFull({}, {**rows_of, "codings": codings}))
    said = {"encounter": "1", "property": "secret", "words": "secret"}
    beside_uses.claim_property(small.scope, plant, {**said, "informant": "H-1"})
    beside_uses.claim_property(small.scope, plant, {**said, "informant": "H-2", "property": "cures cancer"})
    files = export_study(small.scope)
    assert table(files, "steps") == [{"report": "R1", "step": "1", "preparation": "infusion", "lasts": "", "heat": "",
                                      "strength": "", "words": ""}]  # fmt: skip
    assert [(row["report"], row["teaching"], row["teacher"]) for row in table(files, "teachings")] == [("R1", "1", "H-2")]
    assert table(files, "ingredients") == table(files, "properties") == []
    assert not [name for name, data in files.items() if b"secret" in data]


def test_an_archive_that_is_broken_locked_or_without_reports_is_refused(empty_db: str):
    whole = write_archive({"reports.csv": REPORT.encode()})
    assert read_tables(whole) == Tables(REPORT.encode())
    twice = io.BytesIO()
    with zipfile.ZipFile(twice, "w") as archive:
        for folder in ("a", "b"):
            archive.writestr(f"{folder}/reports.csv", REPORT)
    for wrong in (whole[:-30], write_archive({"songs.csv": b""}), twice.getvalue()):
        with pytest.raises(InputRefused):
            read_tables(wrong)
