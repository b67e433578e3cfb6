"""One row of an imported table, read column by column against the study; nothing is guessed."""

import re
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from tender_ledger.core.days import PartialDay, parse_day
from tender_ledger.core.importing.known import KnownEncounter, KnownPlant, NewEncounter, NewPlant, NewTerm, Reference, TermKey
from tender_ledger.core.importing.landing import Landing
from tender_ledger.core.importing.rows import TableRow
from tender_ledger.core.messages import RowProblem
from tender_ledger.core.names import TaxonName
from tender_ledger.core.text import fold, whole_number
from tender_ledger.core.times import AmbiguousTime, read_time

if TYPE_CHECKING:
    from tender_ledger.core.importing.plan import Planner

KNOWN_COLUMNS = frozenset(
    {"informant", "community", "informant_kind", "event", "date", "taxon", "plant", "rank", "family", "category", "scheme",
     "subcategory", "use", "part", "preparation", "application", "component", "basis", "stance", "outcome", "currency",
     "attributed_to", "mixture", "role", "local_name", "language", "words", "start", "end", "note", "stage", "caution_told",
     "report", "actor", "qualifier", "season", "harvest", "harvest_effect", "dose", "for_whom", "phase", "frequency", "course",
     "proportion", "words_language", "cited"}
)  # fmt: skip
_FIELD_NUMBER = re.compile(r"P-0*([1-9]\d{0,5})$")
EVENT_NUMBER = re.compile(r"E0*([1-9]\d{0,5})$")
_RANK = re.compile(r"[a-z][a-z_]*$")
TOLD_BESIDE = ("season", "harvest", "dose", "phase", "frequency", "course", "proportion")  # as words, each in its slot
_MANY = (("part", "part"), ("preparation", "method"), ("application", "application"))  # column, vocabulary


class RowReading:
    """One row, read column by column; problems gather, and new things wait until there are none."""

    def __init__(self, planner: "Planner", row: TableRow) -> None:
        self.planner, self.row, self.full = planner, row, row.full
        self.plan, self.known = planner.plan, planner.known
        self.problems: list[RowProblem] = []
        self.new_terms: dict[TermKey, NewTerm] = {}
        self.new_plant: tuple[str, NewPlant] | None = None
        self.new_languages: list[str] = []
        self.day: PartialDay | None = None

    def wrong(self, column: str, what: str, *, found: str = "", expected: str = "", remedy: str = "") -> None:
        self.problems.append(RowProblem(self.row.line, column, what, found, expected, remedy))

    def landing(self, key: bytes, mended: bytes | None) -> Landing:
        """The row as it would be recorded; of no use where there are problems."""
        full = self.full
        code, event = self.who_and_where()
        plant = self._plant()
        asking = full["category"] == "none_named"
        coding = None if asking else self.coding()
        many = {} if asking else {column: self._several(column, vocabulary) for column, vocabulary in _MANY}
        values = self._asking_values() if asking else self._values()
        landing = Landing(self.row.line, self.row.cells, key, mended, code, event, plant, asking, values, many, coding,
                          1 if asking else self._component(), self._name())  # fmt: skip
        if asking and values["extra"] and (event, code, plant) in self.planner.asked:
            self.wrong("category", "That this informant was asked about this plant here and named no use stands twice.",
                       remedy="Take the row out, or move what it says beside to the other.")  # fmt: skip
        return landing

    def as_component(self, landing: Landing) -> Landing:
        """The row as a further component of the report whose label it carries, or as it is; all else must be the same."""
        before = self.planner.reports.get((landing.informant, self.row.cells.get("report", "")), [])
        if not before or landing.asking:
            return landing
        first = before[0]
        same = {"plant": "plant", "event": "event", "coding": "category", "values": "", "name": "local_name"}
        for attribute, column in same.items():
            if getattr(first, attribute) != getattr(landing, attribute):
                self.wrong(
                    column or "report",
                    "Rows of one report differ in more than their component.",
                    found=f"line {self.row.line}",
                    expected=f"the same as line {first.line}",
                )
        if landing.component in [one.component for one in before]:
            self.wrong("component", "A component of this report stands twice.", found=str(landing.component))
        return replace(landing, part_of=first)

    def who_and_where(self) -> tuple[str, Reference]:
        """The code of who told the row, and the encounter in which it was told."""
        code = self.planner.people.take(self.row, self.problems)
        return code, self._event(code)

    def plant_named(self, label: str) -> Reference | None:
        """The plant of the study, or of the rows before, that bears a label; None where there is none."""
        number = _FIELD_NUMBER.match(label)
        came = f"P-{int(number[1]):03}" if number else label
        if met := self._known_plant(label, came, None):
            return met.id
        return came if came in self.plan.plants else None

    def enter_plant(self, about: dict[str, Any], determination: dict[str, Any]) -> None:
        """Take the plant of a row that tells of nothing but it into the plan, with what is said of it."""
        self._plant()
        assert self.new_plant is not None
        came, plant = self.new_plant
        self.plan.plants[came] = replace(plant, about=about, determination=determination)

    def enter_telling(self, code: str, event: Reference) -> None:
        """Take who told the row, and where, into the plan."""
        self.planner.people.enter(code)
        if isinstance(event, str):
            self._enter_event(event, code)
        self.plan.tellers[event, code] = None

    def enter_languages(self) -> None:
        """Take the languages that the row brings into the plan."""
        self.plan.languages |= {code: code for code in self.new_languages}

    def enter(self, landing: Landing) -> None:
        """Put the row, and everything new that it needs, into the plan."""
        plan, code = self.plan, landing.informant
        self.enter_telling(code, landing.event)
        if self.new_plant:
            plan.plants.setdefault(*self.new_plant)
        self.enter_languages()
        if landing.values.get("cited"):
            self.planner.people.enter(landing.values["cited"])
        self.planner.terms.enter(self.new_terms)
        if landing.asking:
            self.planner.asked.add((landing.event, code, landing.plant))
        if label := self.row.cells.get("report", ""):
            self.planner.reports.setdefault((code, label), []).append(landing)
        plan.landing.append(landing)

    def _enter_event(self, label: str, code: str) -> None:
        event = self.plan.encounters.get(label)
        if event is None:
            who = self.planner.people.of(code)
            event = self.plan.encounters[label] = NewEncounter(title_of(label, code), who.community, who.is_source)
        if self.day:
            event.first = min(event.first or self.day.first, self.day.first)
            event.last = max(event.last or self.day.last, self.day.last)
            event.approximate |= self.day.approximate

    def _event(self, code: str) -> Reference:
        label = self.row.cells.get("event", "") or f"(of {code})"
        self.day = parse_day(self.full["date"]) if self.full["date"] else None
        met = self.known.events.get(label)
        number = EVENT_NUMBER.match(label)
        if met is None and number:
            met = self.known.told.get((int(number[1]), code))
            if met is None and int(number[1]) in self.planner.met:
                note = f"{label} is also the number of an encounter here, in which {code} told nothing: the rows get their own."
                self.planner.said[note] = None
        if met is None:
            return label
        self._check_day(met)
        return met.id

    def _check_day(self, met: KnownEncounter) -> None:
        if self.day is None or (met.first and met.last and met.first <= self.day.first and self.day.last <= met.last):
            return
        expected = str(PartialDay(met.first, met.last)) if met.first and met.last else "no day: the encounter has none here"
        self.wrong("date", "The encounter has another day in the study.", found=str(self.day), expected=expected,
                   remedy="Correct one of them.")  # fmt: skip

    def _plant(self) -> Reference:
        label, taxon = self.full["plant"], self.full["taxon"]
        name = self._determined_as(taxon) if taxon else None
        came = label or taxon or (f"name: {self.full['local_name']}" if self.full["local_name"] else self._nameless())
        number = _FIELD_NUMBER.match(label)
        came = f"P-{int(number[1]):03}" if number else came
        if met := self._known_plant(label, came, name):
            if name:
                self._check_taxon(met.taxon, _accepted(name), "in the study")
            return met.id
        if planned := self.plan.plants.get(came):
            self._check_taxon(_accepted(planned.taxon), _accepted(name), "in the rows before")
            return came
        wanted = int(number[1]) if number and int(number[1]) not in self.known.numbers else None
        self.new_plant = (came, NewPlant(name, wanted, self.full["qualifier"] or "none"))
        return came

    def _nameless(self) -> str:
        """What stands for a plant of which the row says nothing: nobody knows whether it is that of another row."""
        return f"(no name) {self.planner.table.sha256[:8]}, line {self.row.line}"

    def _known_plant(self, label: str, came: str, name: TaxonName | None) -> KnownPlant | None:
        """A plant of the study: what an import called so, for a taxon only while it still is that taxon; else by its number."""
        fitting = [one for one in self.known.plants_came.get(came, ()) if label or one.taxon == _accepted(name)]
        if fitting:
            return fitting[0]
        number = _FIELD_NUMBER.match(came)
        return self.known.plants.get(int(number[1])) if number else None

    def _check_taxon(self, stands: str, named: str, where: str) -> None:
        """A row that names a taxon, or none, says the same of its plant as what stands already."""
        if named != stands:
            self.wrong("taxon", f"The plant is determined otherwise {where}.", found=named or "no taxon",
                       expected=stands or "no taxon: it is undetermined",
                       remedy="Correct the row, or redetermine the plant.")  # fmt: skip

    def _determined_as(self, taxon: str) -> TaxonName:
        said = (taxon, self.full["rank"], self.full["family"])
        if said not in self.planner.determined:
            before = len(self.problems)
            name = self._determination(*said)
            if len(self.problems) > before:
                return name
            self.planner.determined[said] = name
        return self.planner.determined[said]

    def _determination(self, taxon: str, rank: str, family: str) -> TaxonName:
        listed = self.planner.taxon(taxon)
        if listed is None:
            if not _RANK.match(rank):
                self.wrong("rank", "This is no rank.", found=rank, expected="species, genus, subspecies, variety …")
            return TaxonName(taxon, "", rank, family)
        if listed.accepted:
            self.planner.said[f"{listed.name} is a synonym in the checklist; it is counted as {listed.accepted}."] = None
        elif family and fold(family) != fold(listed.family):
            note = f"The table puts {listed.name} into {family}, the checklist into {listed.family}, which stands."
            self.planner.said[note] = None
        return listed

    def _values(self) -> dict[str, Any]:
        full = self.full
        values: dict[str, Any] = {
            "basis": self._one("basis", "basis"), "stance": full["stance"], "outcome": full["outcome"],
            "stage": self._one("stage", "stage") if full["stage"] else None,
            "currency": full["currency"], "role": full["role"], "actor": full["actor"], "attributed_to": full["attributed_to"],
            "mixture": full["mixture"], "words": full["words"], "note": full["note"],
            "caution": full["caution_told"], "start_s": self.time("start"), "end_s": self.time("end"),
            "harvest_effect": full["harvest_effect"], "taker": full["for_whom"],
            "language": self.language("words_language"), "cited": self._cited(),
            **{column: full[column] for column in TOLD_BESIDE}, "extra": self._extra(),
        }  # fmt: skip
        if None not in (values["start_s"], values["end_s"]) and values["end_s"] < values["start_s"]:
            self.wrong("end", "The passage ends before it begins.", found=full["end"], expected=f"{full['start']} or later")
        return values

    def _asking_values(self) -> dict[str, Any]:
        kept = ("words", "note", "part", "preparation", "application", "use", "start", "end", "stage", "caution_told")
        said = {column: self.row.cells[column] for column in kept if column in self.row.cells}
        return {"extra": self._extra() | said}

    def _extra(self) -> dict[str, str]:
        """What the table carries along: unknown columns, and codes that stand where nothing can hold them yet."""
        cells = self.row.cells
        extra = {column: text for column, text in cells.items() if column not in KNOWN_COLUMNS}
        if "category" not in cells:
            extra |= {column: cells[column] for column in ("subcategory", "use", "scheme") if column in cells}
        if "language" in cells and "local_name" not in cells:
            extra["language"] = cells["language"]
        return extra

    def coding(self) -> dict[str, Any] | None:
        category, scheme = self.full["category"], self.full["scheme"] or self.known.scheme
        if not category:
            return None
        parent = self.term("category", "category", category, scheme=scheme)
        subcategory = self.full["subcategory"]
        within = parent if isinstance(parent, int) else parent[3]
        coding: dict[str, Any] = {"scheme": scheme, "category": parent, "subcategory": None,
                                  "purpose": self.row.cells.get("use", "")}  # fmt: skip
        if subcategory:
            coding["subcategory"] = self.term("subcategory", "subcategory", subcategory, scheme=scheme, parent=within)
        return coding

    def _one(self, column: str, vocabulary: str) -> Reference | TermKey:
        return self.term(column, vocabulary, self.full[column])

    def _several(self, column: str, vocabulary: str) -> tuple[Reference | TermKey, ...]:
        whole = self.full[column]
        if not whole:
            return ()
        if ";" not in whole:
            return (self.term(column, vocabulary, whole),)
        texts = [text.strip() for text in whole.split(";")]
        return tuple(dict.fromkeys(self.term(column, vocabulary, text) for text in texts if text))

    def term(self, column: str, vocabulary: str, text: str, *, scheme: str = "", parent: Reference = "") -> Reference | TermKey:
        found = self.planner.terms.find(vocabulary, scheme, parent, text)
        if found is not None:
            return found
        key, made = self.planner.terms.new(vocabulary, scheme, parent, text)
        twin = self.planner.terms.twin(key, text) if made is None and self.planner.new_codes else ""
        if twin:
            self.wrong(column, f"It is nearly “{twin}”, which is a code already.", found=text, expected=twin,
                       remedy="Write that, or say that it is a code of its own.")  # fmt: skip
        elif made is None:
            within = f" in {self.full['category']}" if vocabulary == "subcategory" else ""
            self.wrong(column, f"The study has no such {vocabulary.replace('method', 'preparation')}{within}.", found=text,
                       expected=self.planner.terms.some(vocabulary, scheme, parent, text),
                       remedy="Correct it, or import with new codes, which adds it to the study's own.")  # fmt: skip
        else:
            self.new_terms[key] = made
        return key

    def time(self, column: str) -> float | None:
        """The place in the recording that a column names, in seconds; None where it is empty."""
        if not self.full[column]:
            return None
        try:
            return read_time(self.full[column])
        except AmbiguousTime as error:
            self.wrong(column, str(error), found=self.full[column], expected="12:41, 761, or 1.27 s")
        except ValueError:
            self.wrong(column, "This is no time in a recording.", found=self.full[column], expected="seconds, 761, or 12:41")
        return None

    def _component(self) -> int:
        text = self.full["component"] or "1"
        if whole_number(text, 999):
            return int(text)
        self.wrong("component", "A component of a remedy has a number.", found=text, expected="1, 2, 3 …")
        return 1

    def _name(self) -> tuple[str, str] | None:
        name = self.full["local_name"]
        return (name, self.language()) if name else None

    def _cited(self) -> str:
        """The code of the written source that the row cites, "" for none; one that nobody has yet comes with the row."""
        return self.planner.people.cited(self.row, self.problems)

    def language(self, column: str = "language") -> str:
        """The code of the language that the row names, "" where it names none."""
        language = self.full[column]
        code = self.known.languages.get(fold(language)) if language else ""
        if code is None:
            code = language.lower()
            may = self.planner.new_codes or ("language", fold(language)) in self.planner.terms.approved
            if not (may and re.fullmatch(r"[a-z]{3}", code)):
                some = ", ".join(sorted(set(self.known.languages.values()))) or "a language of the study"
                self.wrong(column, "The study has no such language.", found=language, expected=some,
                           remedy="Add it, or import a three-letter code with new codes.")  # fmt: skip
            self.new_languages.append(code)
        return code


def _accepted(name: TaxonName | None) -> str:
    return (name.accepted or name.name) if name else ""


def title_of(label: str, code: str) -> str:
    return f"Told by {code}, no encounter named" if label == f"(of {code})" else f"{label}, from an imported table"
