"""The tables beside reports.csv: what each holds, and what its rows become. A fault in one refuses the whole import."""

from collections.abc import Callable, Mapping, Sequence
from datetime import date
from math import isfinite
from typing import TYPE_CHECKING, Any

from tender_ledger.core.importing.known import Reference
from tender_ledger.core.importing.landing import Landing, NamedPlant, Telling
from tender_ledger.core.importing.row_reading import RowReading
from tender_ledger.core.importing.rows import TableRow
from tender_ledger.core.messages import InputRefused, Problem
from tender_ledger.core.text import fold, whole_number

if TYPE_CHECKING:
    from tender_ledger.core.importing.plan import Planner

TELLING = ("informant", "community", "informant_kind", "event", "date")
# The columns of each table in their order; the first are those that every row fills.
COLUMNS: Mapping[str, tuple[str, ...]] = {
    "plants": ("plant", "taxon", "rank", "family", "qualifier", "verbatim", "determined_from", "confidence", "determiner",
               "determined_on", "determination_remarks", "growth_form", "habitat", "origin", "management", "stage", "remarks"),
    "steps": ("report", "step", "preparation", "lasts", "heat", "strength", "words"),
    "ingredients": ("report", "ingredient", "words", "role", "amount"),
    "teachings": ("report", "teaching", "teacher", "words", "when"),
    "codings": ("report", "category", "scheme", "subcategory", "use", "primary"),
    "features": ("plant", "character", "low", "high", "unit", "approximate", "words"),
    "names": ("plant", "name", "language", "dialect", "gloss", *TELLING),
    "properties": ("informant", "plant", "property", "part", "basis", "words", "start", *TELLING[1:]),
    "links": ("informant", "plant", "other", "kind", "words", "start", *TELLING[1:]),
}  # fmt: skip
REQUIRED: Mapping[str, tuple[str, ...]] = {
    "plants": ("plant",),
    "steps": ("report", "step"),
    "ingredients": ("report", "ingredient", "words"),
    "teachings": ("report", "teaching"),
    "codings": ("report", "category"),
    "features": ("plant", "character", "unit", "words"),
    "names": ("plant", "name"),
    "properties": ("informant", "plant", "property"),
    "links": ("informant", "plant", "other", "kind"),
}
# Kinds of codes that are fixed, by the column of the table that holds them.
FIXED: Mapping[tuple[str, str], str] = {
    ("plants", "qualifier"): "qualifier",
    ("plants", "determined_from"): "determination basis",
    ("plants", "confidence"): "confidence",
    ("plants", "origin"): "origin",
    ("plants", "management"): "management",
    ("ingredients", "role"): "role",
    ("links", "kind"): "link",
}
_OF_REPORTS = ("steps", "ingredients", "teachings", "codings")
_NUMBERED = {"steps": "step", "ingredients": "ingredient", "teachings": "teaching"}
_MOST = 999  # steps, ingredients or teachers of one report

CompanionTables = Mapping[str, Sequence[TableRow]]


class CompanionTablesPlanner:
    """Plans the rows of the tables beside reports.csv: plants before its rows, all else after them."""

    def __init__(self, planner: "Planner", tables: CompanionTables) -> None:
        self.planner, self.plan, self.known, self.tables = planner, planner.plan, planner.known, tables
        self.problems: list[Problem] = []

    def plants(self) -> None:
        """Plan the plants of plants.csv, so that rows of reports.csv find them; what the study has stays as it is."""
        there = 0
        for row in self.tables.get("plants", ()):
            reading = self._reading("plants", row)
            if reading.plant_named(row.full["plant"]) is not None:
                there += 1
                continue
            about: dict[str, Any] = {name: row.full[name] for name in ("growth_form", "habitat", "remarks")}
            about |= {name: row.full[name] or "unknown" for name in ("origin", "management")}
            about["stage"] = reading.term("stage", "stage", row.full["stage"]) if row.full["stage"] else None
            determination = self._determination(reading, row)
            if self._in_order("plants", reading):
                reading.enter_plant(about, determination)
        if there:
            self.planner.said[f"plants.csv: {there} of its plants are in the study already, and stay as they are."] = None

    def _determination(self, reading: RowReading, row: TableRow) -> dict[str, Any]:
        """What is said of how the plant was determined; empty where nothing is."""
        full = row.full
        texts = {"verbatim": full["verbatim"], "determiner": full["determiner"], "remarks": full["determination_remarks"]}
        chosen = {"basis": full["determined_from"], "confidence": full["confidence"]}
        said: dict[str, Any] = {name: text for name, text in {**texts, **chosen}.items() if text}
        if full["determined_on"]:
            try:
                said["determined_on"] = date.fromisoformat(full["determined_on"])
            except ValueError:
                reading.wrong("determined_on", "This is no day.", found=full["determined_on"], expected="2026-05-12")
        return said

    def rest(self) -> None:
        """Plan all other tables; raises InputRefused with everything that is wrong in any of them."""
        landed: dict[str, list[Landing]] = {}
        for (_code, label), rows in self.planner.reports.items():
            landed.setdefault(label, []).append(rows[0])
        for kind in _OF_REPORTS:
            self._of_reports(kind, landed)
        by_kind: dict[str, Callable[[RowReading, TableRow], None]] = {
            "features": self._feature,
            "names": self._name,
            "properties": self._property,
            "links": self._link,
        }
        for kind, take in by_kind.items():
            for row in self.tables.get(kind, ()):
                reading = self._reading(kind, row)
                take(reading, row)
                self._in_order(kind, reading)
        if self.problems:
            raise InputRefused(*self.problems)

    def _reading(self, kind: str, row: TableRow) -> RowReading:
        """A reading of the row, with what is wrong already where a code that is fixed is none."""
        reading = RowReading(self.planner, row)
        for column in REQUIRED[kind]:
            if not row.cells.get(column):
                reading.wrong(column, "The cell is empty.", expected=f"the {column.replace('_', ' ')}")
        for (table, column), name in FIXED.items():
            allowed = self.known.fixed.get(name, ())
            if table == kind and row.full[column] and row.full[column] not in allowed:
                reading.wrong(column, "The code is not known.", found=row.full[column], expected=", ".join(allowed))
        return reading

    def _in_order(self, kind: str, reading: RowReading) -> bool:
        """Whether nothing is wrong with a row; new codes of one that is in order enter the plan."""
        self.problems += [one.of(kind) for one in reading.problems]
        if not reading.problems:
            self.planner.terms.enter(reading.new_terms)
        return not reading.problems

    def _of_reports(self, kind: str, landed: Mapping[str, Sequence[Landing]]) -> None:
        elsewhere: dict[str, None] = {}
        taken: set[tuple[str, str]] = set()
        for row in self.tables.get(kind, ()):
            reading, label = self._reading(kind, row), row.cells.get("report", "")
            of = landed.get(label, ())
            if label and not of:
                elsewhere[label] = None
                continue
            if len(of) > 1:
                reading.wrong("report", "Two informants told a report of this label.", found=label, expected="one report")
            place = (label, row.full[_NUMBERED[kind]] if kind in _NUMBERED else f"{row.full['scheme']}/{row.full['category']}")
            if place in taken:
                reading.wrong(_NUMBERED.get(kind, "category"), "It stands twice for this report.", found=place[1])
            taken.add(place)
            record = getattr(self, f"_{kind}")(reading, row)
            if self._in_order(kind, reading):
                of[0].beside.setdefault(kind, []).append(record)
        if elsewhere:
            some = ", ".join(list(elsewhere)[:6]) + (" and others" if len(elsewhere) > 6 else "")
            note = f"{kind}.csv tells of reports that do not land now (on record, failing, or not in reports.csv): {some}."
            self.planner.said[note] = None

    def _number(self, reading: RowReading, kind: str) -> int:
        column = _NUMBERED[kind]
        text = reading.full[column]
        if whole_number(text, _MOST):
            return int(text)
        reading.wrong(column, "It has a place among those of its report.", found=text, expected="1, 2, 3 …")
        return 1

    def _steps(self, reading: RowReading, row: TableRow) -> dict[str, Any]:
        full = row.full
        method = reading.term("preparation", "method", full["preparation"]) if full["preparation"] else None
        texts = {name: full[name] for name in ("words", "lasts", "heat", "strength")}
        return {"position": self._number(reading, "steps"), "method": method, **texts}

    def _ingredients(self, reading: RowReading, row: TableRow) -> dict[str, Any]:
        full = row.full
        role = row.cells.get("role", "companion")
        said = {"words": full["words"], "role": role, "amount": full["amount"]}
        return {"position": self._number(reading, "ingredients"), **said}

    def _teachings(self, reading: RowReading, row: TableRow) -> dict[str, Any]:
        full = row.full
        code = full["teacher"].upper()
        if code and code not in self.known.informants and code not in self.plan.informants:
            reading.wrong("teacher", "The teacher is neither in the study nor in these tables.", found=full["teacher"],
                          expected="a code of informants.csv; somebody else stands in words")  # fmt: skip
        said = {"teacher": code, "words": full["words"], "told_when": full["when"]}
        return {"position": self._number(reading, "teachings"), **said}

    def _codings(self, reading: RowReading, row: TableRow) -> dict[str, Any]:
        coding = reading.coding()
        if row.full["primary"] not in ("", "yes"):
            reading.wrong("primary", "The code is not known.", found=row.full["primary"], expected="yes, or nothing")
        return {**(coding or {}), "is_primary": row.full["primary"] == "yes"}

    def _plant(self, reading: RowReading, column: str) -> Reference:
        label = reading.full[column]
        found = reading.plant_named(label) if label else None
        if found is None and label:
            reading.wrong(column, "No such plant is in the study or in these tables.", found=label,
                          expected="a plant of plants.csv or reports.csv")  # fmt: skip
        return found or 0

    def _feature(self, reading: RowReading, row: TableRow) -> None:
        full, plant = row.full, self._plant(reading, "plant")
        low, high = (self._quantity(reading, column) for column in ("low", "high"))
        if low is not None and high is not None and low > high:
            reading.wrong("high", "The range ends below where it begins.", found=full["high"], expected=f"{full['low']} or more")
        if full["approximate"] not in ("", "yes"):
            reading.wrong("approximate", "The code is not known.", found=full["approximate"], expected="yes, or nothing")
        values = {"character": full["character"], "low": low, "high": high, "unit": full["unit"],
                  "approximate": full["approximate"] == "yes", "words": full["words"]}  # fmt: skip
        if not reading.problems and (plant, full["character"], full["words"]) not in self.known.features:
            self.plan.features.append((plant, values))

    def _quantity(self, reading: RowReading, column: str) -> float | None:
        text = reading.full[column]
        try:
            number = float(text) if text else None
        except ValueError:
            number = float("nan")
        if number is None or isfinite(number):
            return number
        reading.wrong(column, "This is no number.", found=text, expected="4.5")
        return None

    def _name(self, reading: RowReading, row: TableRow) -> None:
        full, plant = row.full, self._plant(reading, "plant")
        language = reading.language()
        if full["dialect"] and not language:
            reading.wrong("dialect", "A dialect is one of a language.", found=full["dialect"], expected="the language too")
        told = bool(row.cells.get("informant"))
        code, event = self._telling(reading) if told else ("", "")
        if not reading.problems:
            reading.enter_languages()
            self.plan.names.append(NamedPlant(plant, full["name"], language, full["dialect"], full["gloss"], code, event))

    def _property(self, reading: RowReading, row: TableRow) -> None:
        full, plant = row.full, self._plant(reading, "plant")
        values = {
            "part": reading.term("part", "part", full["part"]) if full["part"] else None,
            "basis": reading.term("basis", "basis", full["basis"] or "unstated"),
            "property": full["property"],
            "words": full["words"],
            "start_s": reading.time("start"),
        }
        self._keep_telling(reading, plant, values, self.plan.claims, known=("property", full["property"]))

    def _link(self, reading: RowReading, row: TableRow) -> None:
        full, plant, other = row.full, self._plant(reading, "plant"), self._plant(reading, "other")
        values = {"other": other, "kind": full["kind"], "words": full["words"], "start_s": reading.time("start")}
        self._keep_telling(reading, plant, values, self.plan.links, known=(full["kind"], other))

    def _telling(self, reading: RowReading) -> tuple[str, Reference]:
        code, event = reading.who_and_where()
        if not reading.problems:
            reading.enter_telling(code, event)
        return code, event

    def _keep_telling(self, reading: RowReading, plant: Reference, values: dict[str, Any], kept: list[Telling], *,
                      known: tuple[Any, ...]) -> None:  # fmt: skip
        code, event = self._telling(reading)
        met = self.known.informants.get(code)
        said = (event, met.id if met else 0, plant, *known, fold(values["words"]))
        if not reading.problems and said not in self.known.tellings:
            kept.append(Telling(code, event, plant, values))
