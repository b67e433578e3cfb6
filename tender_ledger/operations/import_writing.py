"""Writing a planned import: the new things first, then the rows in runs, each with its history."""

from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from math import inf
from typing import Any

from tender_ledger.core.importing.known import Reference, TermKey
from tender_ledger.core.importing.landing import ImportPlan, Landing, Telling
from tender_ledger.core.importing.row_reading import EVENT_NUMBER
from tender_ledger.core.names import NamesService, TaxonName, find_name
from tender_ledger.core.terms import Scope
from tender_ledger.core.text import fold
from tender_ledger.formats.languages import language_of
from tender_ledger.operations.encounters import reserve_numbers
from tender_ledger.operations.errors import Refused
from tender_ledger.operations.plants import keep_own_taxa, keep_taxon
from tender_ledger.storage.bulk import references_checked_together
from tender_ledger.storage.database import copy_rows, database, look_up_by_index, refresh_statistics, rows
from tender_ledger.storage.history import ActWriter
from tender_ledger.storage.models import (
    Asking,
    Attestation,
    Community,
    Consent,
    Determination,
    Dialect,
    Encounter,
    EncounterInformant,
    Feature,
    Holder,
    ImportBatch,
    Informant,
    Language,
    LocalName,
    Plant,
    PlantLink,
    PropertyClaim,
    Purpose,
    Source,
    UseReport,
    VocabularyTerm,
)
from tender_ledger.storage.queries import imports, studies

_RUN = 4000  # so many rows are written at once
_GROWN = ("use_report", "report_coding", "report_part", "report_method", "report_application", "asking", "plant", "determination",
          "local_name", "attestation", "encounter", "encounter_informant", "informant", "holder", "consent",
          "change (study_id, act_id, entity, record_id, holder_id)",  # what was before and after is looked up by nobody
          "import_row")  # fmt: skip
# Where the runs of rows go, and the column whose numbers grow: rows beyond the last number of before are the import's own.
_OF_RUNS = {"use_report": "id", **{child.model._meta.table_name: child.parent for child in UseReport.CHILDREN}, "asking": "id",
            "import_row": "batch_id", "change": "id"}  # fmt: skip
_REFERRED_TO = ("use_report", "asking", "plant", "encounter", "encounter_informant", "informant", "holder", "local_name")
_PLANT_UNSAID = {"growth_form": "", "habitat": "", "remarks": "", "origin": "unknown", "management": "unknown", "stage": None}
_LISTED = 20  # so many lines are named where an agreement refuses them
_MANY = {"part": ("parts", "part_id"), "preparation": ("methods", "method_id"), "application": ("applications", "application_id")}


@dataclass
class _Run:
    """So many rows on their way: reports and askings, and the records and children that the reports become."""

    reports: list[Landing]
    askings: list[Landing]
    records: list[dict[str, Any]] = field(default_factory=list)
    children: dict[str, list[list[dict[str, Any]]]] = field(
        default_factory=lambda: {child.name: [] for child in UseReport.CHILDREN}
    )


def _made_ahead(make: Callable[[list[Landing]], _Run], runs: list[list[Landing]]) -> Iterator[_Run]:
    """What is made of each run, in order; the next is made on another thread while the database is busy with this one."""
    with ThreadPoolExecutor(1) as pool:
        ahead: Future[_Run] | None = None
        for run in runs:
            coming = pool.submit(make, run)
            if ahead:
                yield ahead.result()
            ahead = coming
        if ahead:
            yield ahead.result()


def _codings(landing: Landing) -> list[dict[str, Any]]:
    """All codes of a report: that of its own row, then those of the table of codings."""
    return [*([landing.coding] if landing.coding else []), *landing.beside.get("codings", ())]


def _by_number(encounter: tuple[str, object]) -> float:
    """Encounters that bear a number of another study come in its order, before those of other labels."""
    number = EVENT_NUMBER.match(encounter[0])
    return int(number[1]) if number else inf


class ImportWriter:
    """Turns the references of a plan into numbers and writes it. Call `prepare` before the act and `write` within it."""

    def __init__(self, scope: Scope, plan: ImportPlan, names: NamesService, agreed: Mapping[str, bool],
                 progress: Callable[[int, int], None]) -> None:  # fmt: skip
        self.scope, self.plan, self.names, self.agreed, self.progress = scope, plan, names, agreed, progress
        self.person = scope.viewer.person_id
        self.terms: dict[TermKey, int] = {}
        self.taxa: dict[str, int] = {}
        self.purposes: dict[tuple[int, str], int] = {}

    def prepare(self) -> None:
        """Take numbers, and keep names and purposes that belong to nobody, in transactions of their own: whoever records
        meanwhile must not wait for the import to end. What is left of it when the import fails is seen nowhere."""
        wanted = [one.number for one in self.plan.plants.values()]
        self.numbers = {
            "encounter": iter(reserve_numbers(self.scope, "encounter", len(self.plan.encounters))),
            "plant": iter(reserve_numbers(self.scope, "plant", wanted.count(None), above=max(filter(None, wanted), default=0))),
        }
        with database.atomic():
            self._keep_taxa({plant.taxon.name: plant.taxon for plant in self.plan.plants.values() if plant.taxon})
        self._keep_purposes(lambda category: isinstance(category, int))

    def write(self, writing: ActWriter, sha256: str, terms: list[str]) -> int:
        """Write everything; returns the number of the batch."""
        self.writing = writing
        look_up_by_index()
        self._communities()
        self._languages()
        self._terms()
        self._keep_purposes(lambda category: not isinstance(category, int))
        self._informants()
        self._agreements()
        self._encounters()
        self._plants()
        self._names()
        self._features()
        self._beside_uses()
        batch = writing.create(ImportBatch, {"recorded_by": self.person, "file_sha256": sha256, "terms": {"stated": terms},
                                             "rows": len(self.plan.landing), "failed": len(self.plan.failing)})  # fmt: skip
        refresh_statistics(*_REFERRED_TO)
        with references_checked_together(_OF_RUNS):
            self._rows(batch)
        self._require_recordable(batch)
        refresh_statistics(*_GROWN)
        return batch

    def _require_recordable(self, batch: int) -> None:
        refused = imports.lines_refused(self.scope, batch)
        if not refused:
            return
        listed = ", ".join(map(str, refused[:_LISTED])) + (f" and {len(refused) - _LISTED} more" if refused[_LISTED:] else "")
        what = f"Their tellers’ agreements leave out of what may be recorded what these lines tell: {listed}."
        raise Refused({"reports": f"{what} Take them out of the table and import it again; nothing was imported."})

    def _keep_taxa(self, named: Mapping[str, TaxonName]) -> None:
        """Keep the names as the checklist has them; those it has not, in a list of the study's own."""
        listed = {name: found for name in named if (found := find_name(self.names, name))}
        self.taxa = {name: keep_taxon(self.names, found) for name, found in listed.items()}
        own = [one for name, one in named.items() if name not in listed]
        if not own:
            return
        self.taxa |= keep_own_taxa(self.scope, own)

    def _keep_purposes(self, wanted: Callable[[Reference | TermKey], bool]) -> None:
        codings = (coding for landing in self.plan.landing for coding in _codings(landing))
        labels = {
            (self._term(coding["category"]), fold(coding["purpose"])): coding["purpose"]
            for coding in codings
            if coding["purpose"] and wanted(coding["category"])
        }
        if not labels:
            return
        study = self.scope.study_id
        with database.atomic():
            # In one order everywhere, so that two that bring the same purposes cannot lock each other out.
            for (category, folded), label in sorted(labels.items()):
                values = {"study_id": study, "category_id": category, "label": label, "label_fold": folded}
                Purpose.insert(**values).on_conflict_ignore().execute()
        found = Purpose.select().where(Purpose.study_id == study)
        self.purposes = {(one.category_id, one.label_fold): one.id for one in found}

    def _term(self, reference: Reference | TermKey) -> int:
        return reference if isinstance(reference, int) else self.terms[reference]  # type: ignore[index]

    def _communities(self) -> None:
        new = [{"code": code, "name": name} for code, name in self.plan.communities.items()]
        self.writing.create_many(Community, new, children={"languages": [[] for _ in new]})
        self.communities = {one["code"]: one["id"] for one in imports.communities(self.scope)}

    def _languages(self) -> None:
        new = [(code, language_of(code), name) for code, name in self.plan.languages.items()]
        self.writing.create_many(Language, [{"code": code, "name": known.name if known else name} for code, known, name in new])
        self.languages = {one["code"]: one["id"] for one in studies.languages(self.scope)}

    def _terms(self) -> None:
        """Categories before their subcategories: a parent may be as new as its child."""
        for key, term in sorted(self.plan.terms.items(), key=lambda one: one[0][2] != ""):
            vocabulary, scheme, parent, code = key
            within = self.terms[("category", scheme, "", parent)] if isinstance(parent, str) and parent else parent or None
            values = {"vocabulary": vocabulary, "scheme": scheme or None, "code": code, "parent_id": within,
                      "abbreviation": term.abbreviation or None, "position": 1000 + len(self.terms)}  # fmt: skip
            self.terms[key] = self.writing.create(
                VocabularyTerm, values, children={"labels": [{"language": "en", "label": term.label}]}
            )

    def _informants(self) -> None:
        new = {code: one for code, one in self.plan.informants.items() if not one.is_source}
        ids = self.writing.create_many(
            Holder,
            [
                {"code": code, "community_id": self.communities[one.community], "gender": one.gender,
                 "birth_year": one.birth_year, "chosen": one.chosen, "recorded_by": self.person}
                for code, one in new.items()
            ],
        )  # fmt: skip
        study = self.scope.study_id
        copy_rows("informant", ("study_id", "holder_id"), ((study, number) for number in ids))
        for code, one in self.plan.informants.items():
            if one.is_source:
                csl = {"type": "document", "title": code, "author": [], "issued": {}}
                values = {"code": code, "kind": "unstated", "csl": csl, "community_id": self.communities.get(one.community)}
                Informant.insert(study_id=study, source_id=self.writing.create(Source, values)).execute()
        self.people = {one["code"]: one for one in imports.informants(self.scope)}

    def _agreements(self) -> None:
        """Stated at import, for holders who have none on file; what somebody agreed to before stands."""
        named = dict.fromkeys([*self.plan.informants, *(landing.informant for landing in self.plan.landing)])
        without = [self.people[code] for code in named if not self.people[code]["on_file"]]
        values = {"agreed_on": self.scope.day, "form": "stated_at_import", **self.agreed}
        holders = [one["holder_id"] for one in without]
        self.writing.create_many(Consent, [{**values, "holder_id": one} for one in holders], holder_ids=holders)

    def _encounters(self) -> None:
        tellers: dict[Reference, list[int]] = {}
        for event, code in self.plan.tellers:
            tellers.setdefault(event, []).append(self.people[code]["id"])
        new = dict(sorted(self.plan.encounters.items(), key=_by_number))
        there = [sorted(tellers.get(label, [])) for label in new]
        ids = self.writing.create_many(
            Encounter,
            [
                {"number": next(self.numbers["encounter"]), "kind": "reading" if one.is_reading else "interview",
                 "title": one.title, "day_from": one.first, "day_to": one.last, "approximate": one.approximate, "came_as": label,
                 "community_id": self.communities.get(one.community), "recorded_by": self.person}
                for label, one in new.items()
            ],
            children={"informants": [[{"informant_id": one, "part": "teller"} for one in each] for each in there]},
        )  # fmt: skip
        self.events: dict[Reference, int] = dict(zip(new, ids, strict=True))
        for event, told in tellers.items():
            if isinstance(event, int):
                self._join(event, told)

    def _join(self, encounter_id: int, told: list[int]) -> None:
        """Add those who told to an encounter that is there already."""
        found = EncounterInformant.select().where(EncounterInformant.encounter_id == encounter_id)
        parts = {one.informant_id: one.part for one in found}
        if all(parts.get(one) == "teller" for one in told):
            return
        parts |= dict.fromkeys(told, "teller")
        there = [{"informant_id": one, "part": part} for one, part in sorted(parts.items())]
        self.writing.update(Encounter, encounter_id, None, {}, children={"informants": there})

    def _plants(self) -> None:
        new = self.plan.plants
        records = [
            {"number": one.number or next(self.numbers["plant"]), "came_as": came, "told": True, **_PLANT_UNSAID, **one.about}
            for came, one in new.items()
        ]
        for record in records:
            record["stage_id"] = self._term_or_none(record.pop("stage"))
        ids = self.writing.create_many(Plant, records)
        self.plants: dict[Reference, int] = dict(zip(new, ids, strict=True))
        unsaid = {"basis": "unstated", "confidence": "unstated", "determiner": "the imported table", "verbatim": "",
                  "determined_on": self.scope.day, "remarks": ""}  # fmt: skip
        self.writing.create_many(
            Determination,
            [
                {"plant_id": self.plants[came], "taxon_id": self.taxa[one.taxon.name] if one.taxon else None,
                 "qualifier": one.qualifier, "is_current": True, **unsaid, **one.determination}
                for came, one in new.items() if one.taxon or one.determination
            ],
        )  # fmt: skip

    def _features(self) -> None:
        """What was measured of plants."""
        records = [{"plant_id": self._plant(plant), **values} for plant, values in self.plan.features]
        self.writing.create_many(Feature, records)

    def _beside_uses(self) -> None:
        """Properties that were told of plants, and what plants were told to be to one another."""
        claims = [
            {**self._told(one), "property": one.values["property"], "part_id": self._term_or_none(one.values["part"]),
             "basis_id": self._term(one.values["basis"])}
            for one in self.plan.claims
        ]  # fmt: skip
        links = [
            {**self._told(one), "kind": one.values["kind"], "other_id": self._plant(one.values["other"])}
            for one in self.plan.links
        ]
        made = ((PropertyClaim, self.plan.claims, claims), (PlantLink, self.plan.links, links))
        for model, tellings, records in made:
            holders = [self.people[one.informant]["holder_id"] for one in tellings]
            self.writing.create_many(model, records, holder_ids=holders)

    def _told(self, telling: Telling) -> dict[str, Any]:
        return {
            "encounter_id": self._event(telling.event),
            "informant_id": self.people[telling.informant]["id"],
            "plant_id": self._plant(telling.plant),
            "words": telling.values["words"],
            "start_s": telling.values["start_s"],
            "recorded_by": self.person,
        }

    def _term_or_none(self, reference: Reference | TermKey | None) -> int | None:
        return None if reference is None else self._term(reference)

    def _names(self) -> None:
        """Local names of plants with who used them; a name that a plant has already is attested once more."""
        told: dict[tuple[int, str, int | None], dict[tuple[int, int, int | None], None]] = {}
        more: dict[tuple[int, str, int | None], dict[str, Any]] = {}
        for one in self.plan.names:
            key = (self._plant(one.plant), one.name, self.languages.get(one.language))
            said = {"gloss": one.gloss, "dialect_id": self._dialect(key[2], one.dialect)}
            more[key] = {column: value or more.get(key, {}).get(column) for column, value in said.items()}
            used = told.setdefault(key, {})
            if one.informant:
                person = self.people[one.informant]
                used[person["id"], self._event(one.event), person["holder_id"]] = None
        for landing in self.plan.landing:
            if landing.name:
                name, language = landing.name
                person = self.people[landing.informant]
                key = (self._plant(landing.plant), name, self.languages.get(language))
                told.setdefault(key, {})[person["id"], self._event(landing.event), person["holder_id"]] = None
        ids = self._names_written(told, more)
        known = {(one["local_name_id"], one["informant_id"], one["encounter_id"]) for one in rows(
            """SELECT local_name_id, informant_id, encounter_id FROM attestation
               WHERE local_name_id = ANY(%(names)s) AND removed_at IS NULL""", names=[ids[key] for key in told])}  # fmt: skip
        attested = [(ids[key], *who) for key, whoever in told.items() for who in whoever if (ids[key], *who[:2]) not in known]
        self.writing.create_many(
            Attestation,
            [{"local_name_id": name, "informant_id": who, "encounter_id": event} for name, who, event, _ in attested],
            holder_ids=[holder for _, _, _, holder in attested],
        )

    def _names_written(
        self,
        told: Mapping[tuple[int, str, int | None], Collection[Any]],
        more: Mapping[tuple[int, str, int | None], Mapping[str, Any]],
    ) -> dict[tuple[int, str, int | None], int]:
        """The numbers of names by plant, name and language, with the new ones; one that nobody used came with no telling."""
        plants = sorted({plant for plant, _, _ in told})
        ids = {(one["plant_id"], one["name"], one["language_id"]): one["id"] for one in rows(
            """SELECT id, plant_id, name, language_id FROM local_name
               WHERE plant_id = ANY(%(plants)s) AND removed_at IS NULL""", plants=plants)}  # fmt: skip
        new = [key for key in told if key not in ids]
        made = self.writing.create_many(
            LocalName,
            [
                {"plant_id": key[0], "name": key[1], "name_fold": fold(key[1]), "language_id": key[2], "told": bool(told[key]),
                 "gloss": more.get(key, {}).get("gloss") or "", "dialect_id": more.get(key, {}).get("dialect_id")}
                for key in new
            ],
        )  # fmt: skip
        return ids | dict(zip(new, made, strict=True))

    def _dialect(self, language_id: int | None, name: str) -> int | None:
        """The dialect of a language by its name, made where the language has none of it."""
        if language_id is None or not name:
            return None
        known = Dialect.get_or_none((Dialect.language_id == language_id) & (Dialect.name == name) & Dialect.removed_at.is_null())
        return int(known.id) if known else self.writing.create(Dialect, {"language_id": language_id, "name": name})

    def _event(self, event: Reference) -> int:
        return event if isinstance(event, int) else self.events[event]

    def _plant(self, plant: Reference) -> int:
        return plant if isinstance(plant, int) else self.plants[plant]

    def _rows(self, batch: int) -> None:
        landing, done = self.plan.landing, 0
        mended = [one.mended_key for one in landing if one.mended_key]
        imports.forget_undone(self.scope, [one.key for one in landing], mended)
        self.fixed = {
            (vocabulary, one["code"]): one["id"]
            for vocabulary in ("stance", "outcome")
            for one in studies.terms(self.scope.study_id, vocabulary)
        }
        self.asked = {
            (one["encounter_id"], one["informant_id"], one["plant_id"]): one["id"] for one in imports.askings(self.scope)
        }
        self.components: dict[int, list[Landing]] = {}  # the further rows of a report, by the line of its first
        for one in landing:
            if one.part_of:
                self.components.setdefault(one.part_of.line, []).append(one)
        first = [one for one in landing if one.part_of is None]
        runs = [first[at : at + _RUN] for at in range(0, len(first), _RUN)]
        for run in _made_ahead(self._made_ready, runs):
            self._write_reports(batch, run)
            self._write_askings(batch, run.askings)
            done += len(run.reports) + len(run.askings) + sum(len(self._further(one)) for one in run.reports)
            self.progress(done, len(landing))

    def _record(self, landing: Landing) -> dict[str, Any]:
        return {
            "encounter_id": self._event(landing.event),
            "informant_id": self.people[landing.informant]["id"],
            "plant_id": self._plant(landing.plant),
            "recorded_by": self.person,
        }

    def _made_ready(self, rows: list[Landing]) -> _Run:
        """Rows as the records they become; asks the database for nothing."""
        run = _Run([one for one in rows if not one.asking], [one for one in rows if one.asking])
        for one in run.reports:
            values = dict(one.values)
            for vocabulary in ("basis", "stage"):
                reference = values.pop(vocabulary)
                values[f"{vocabulary}_id"] = None if reference is None else self._term(reference)
            for vocabulary in ("stance", "outcome"):
                values[f"{vocabulary}_id"] = self.fixed[vocabulary, values.pop(vocabulary)]
            values["language_id"] = self.languages.get(values.pop("language"))
            cited = values.pop("cited")
            values["cited_id"] = self.people[cited]["source_id"] if cited else None
            run.records.append({**self._record(one), **values})
            run.children["codings"].append([self._coding(coding) for coding in _codings(one)])
            run.children["steps"].append(
                [
                    {**{name: value for name, value in step.items() if name != "method"},
                     "method_id": self._term_or_none(step["method"])}
                    for step in one.beside.get("steps", ())
                ]
            )  # fmt: skip
            run.children["ingredients"].append(one.beside.get("ingredients", []))
            run.children["teachings"].append([self._teaching(teaching) for teaching in one.beside.get("teachings", ())])
            for column, (kind, name) in _MANY.items():
                run.children[kind].append(
                    [
                        {"component": part.component, name: self._term(reference), "position": at}
                        for part in (one, *self._further(one))
                        for at, reference in enumerate(part.many[column], 1)
                    ]
                )
        return run

    def _write_reports(self, batch: int, run: _Run) -> None:
        holders = [self.people[one.informant]["holder_id"] for one in run.reports]
        ids = self.writing.create_many(UseReport, run.records, holder_ids=holders, children=run.children)
        told = [(row, number) for one, number in zip(run.reports, ids, strict=True) for row in (one, *self._further(one))]
        self._keep_rows(batch, ((row, number, None) for row, number in told))

    def _further(self, first: Landing) -> list[Landing]:
        """The rows that are further components of the report of a row."""
        return self.components.get(first.line, [])

    def _coding(self, coding: Mapping[str, Any]) -> dict[str, Any]:
        category = self._term(coding["category"])
        return {"scheme": coding["scheme"], "category_id": category, "is_primary": coding.get("is_primary", True),
                "subcategory_id": self._term_or_none(coding["subcategory"]),
                "purpose_id": self.purposes[category, fold(coding["purpose"])] if coding["purpose"] else None}  # fmt: skip

    def _teaching(self, teaching: Mapping[str, Any]) -> dict[str, Any]:
        said = dict(teaching)
        teacher = said.pop("teacher")
        return {**said, "teacher_id": self.people[teacher]["id"] if teacher else None}

    def _write_askings(self, batch: int, run: list[Landing]) -> None:
        """Askings are kept once: a row that repeats one, or one on record, points at that."""
        new: dict[tuple[int, int, int], tuple[dict[str, Any], int | None]] = {}
        places = []
        for one in run:
            record = self._record(one)
            place = (record["encounter_id"], record["informant_id"], record["plant_id"])
            places.append(place)
            if place not in self.asked and place not in new:
                new[place] = ({**record, **one.values}, self.people[one.informant]["holder_id"])
        made = self.writing.create_many(Asking, [record for record, _ in new.values()],
                                        holder_ids=[holder for _, holder in new.values()])  # fmt: skip
        self.asked |= dict(zip(new, made, strict=True))
        self._keep_rows(batch, zip(run, [None] * len(run), (self.asked[place] for place in places), strict=True))

    def _keep_rows(self, batch: int, landed: Iterable[tuple[Landing, int | None, int | None]]) -> None:
        copy_rows(
            "import_row",
            ("study_id", "batch_id", "line", "row_key", "mended_key", "report_id", "asking_id"),
            ((self.scope.study_id, batch, one.line, one.key, one.mended_key, report, asking) for one, report, asking in landed),
        )
