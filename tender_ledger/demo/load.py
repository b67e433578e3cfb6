"""Load the demo study into a database that holds no study yet."""

import json
import secrets
import uuid
from collections.abc import Callable
from datetime import date
from pathlib import Path
from typing import Any

from tender_ledger.core.presets import PRESETS
from tender_ledger.core.rights import Role
from tender_ledger.core.terms import Scope
from tender_ledger.formats.archive import Tables
from tender_ledger.formats.sheet import Row, read_sheet
from tender_ledger.operations import (
    accounts,
    beside_uses,
    checklists,
    clock,
    encounters,
    floras,
    freelists,
    freezing,
    full_reports,
    guarding,
    importing,
    members,
    people,
    permits,
    pictures,
    plants,
    questionnaires,
    reports,
    scores,
    sources,
    specimens,
    studies,
    worklist,
)
from tender_ledger.operations.names_key import NamesKey
from tender_ledger.operations.told_in_full import ToldInFull
from tender_ledger.operations.typed_report import TypedReport
from tender_ledger.standins.names_service import ChecklistNames
from tender_ledger.storage.queries import accounts as account_queries
from tender_ledger.storage.queries import encounters as encounter_queries
from tender_ledger.storage.queries import people as people_queries
from tender_ledger.storage.queries import studies as study_queries

_DATA = Path(__file__).parent / "data"
_FIELDS = {"parts": "part", "methods": "preparation", "applications": "application", "purpose": "use", "caution": "caution_told"}


def demo_roles() -> dict[str, str]:
    """The role of each person of the demo study, by address."""
    study = json.loads((_DATA / "study.json").read_text())
    return {one["email"]: one["role"] for one in study["members"]}


def load_demo(key: NamesKey | None, password: Callable[[], str] = lambda: secrets.token_urlsafe(9)) -> dict[str, str]:
    """Load the study with everything in it; returns the sign-ins made, address to password.

    Everything is written by the study's recorder or its owner, as their rights allow.
    """
    study = json.loads((_DATA / "study.json").read_text())
    sign_ins = {one["email"]: password() for one in study["members"]}
    persons = {one["email"]: accounts.add_person(one["email"], one["name"], sign_ins[one["email"]]) for one in study["members"]}
    owner_email = next(one["email"] for one in study["members"] if one["role"] == Role.OWNER)
    made = studies.create_study(
        persons[owner_email], **{name: study[name] for name in ("code", "title", "question", "zone", "invented")}
    )
    owner = clock.scope_of(made)
    for one in study["members"]:
        if one["role"] != Role.GUARDIAN:
            members.add_member(owner, one["email"], one["role"])
    recorder_email = next(one["email"] for one in study["members"] if one["role"] == Role.RECORDER)
    _Loader(_scope(persons[owner_email], study), _scope(persons[recorder_email], study), study, key).load()
    _guard(study, persons)
    return sign_ins


def _guard(study: dict[str, Any], persons: dict[str, int]) -> None:
    """One community's guardian holds something back."""
    one, held = next(one for one in study["members"] if one["role"] == Role.GUARDIAN), study["held_back"]
    guardian = _scope(persons[one["email"]], study)
    (community,) = guardian.viewer.guards
    category = next(code["id"] for code in study_queries.use_codes(guardian) if code["code"] == held["category"])
    guarding.restrict_records(guardian, community, refuses=held["refuses"], category=str(category), reason=held["reason"])


def _scope(person_id: int, study: dict[str, Any]) -> Scope:
    member = account_queries.member_of(person_id, study["code"])
    assert member is not None
    return clock.scope_of(member)


def _rows(name: str, *required: str) -> tuple[Row, ...]:
    return read_sheet((_DATA / name).read_bytes(), required, name).rows


class _Loader:
    """Loads file by file; keeps the numbers that later files refer to by code."""

    def __init__(self, owner: Scope, recorder: Scope, study: dict[str, Any], key: NamesKey | None) -> None:
        self.owner, self.recorder, self.study, self.key = owner, recorder, study, key
        self.names = ChecklistNames()
        self.holders: dict[str, int] = {}
        self.reports: dict[int, int] = {}

    def load(self) -> None:
        self.categories = {one["code"]: one["id"] for one in study_queries.use_codes(self.owner)}
        self._places()
        self._permits()
        self._holders()
        self._agreements(first=True)
        self._informants = {one["informant"]: one["id"] for one in self._all_informants()}
        self._encounters()
        self._plants()
        self._plants_in_full()
        self._reports()
        self._told()
        freezing.freeze_reckoning(self.owner, studies.rules_in_force(self.owner), "Before the sheets came in")
        self._sheets()
        self._agreements(first=False)
        self._set_aside()
        self._reckoned()
        checklists.bring_checklist(self.owner, (_DATA / "taxa.txt").read_bytes(), name="taxa.txt", **self.study["checklist"])

    def _places(self) -> None:
        self.languages, dialects = {}, {}
        for one in self.study["languages"]:
            language = self.languages[one["code"]] = people.add_language(self.owner, code=one["code"], name=one["name"])
            for name in one["dialects"]:
                dialects[name] = people.add_dialect(self.owner, language_id=language, name=name)
        self.communities: dict[str, int] = {}
        for one in self.study["communities"]:
            spoken = {"languages": [self.languages[code] for code in one["languages"]],
                      "dialects": [dialects[name] for name in one["dialects"]]}  # fmt: skip
            within = self.communities.get(one.get("within", ""))
            self.communities[one["code"]] = people.add_community(self.owner, **{**one, **spoken, "parent_id": within})
        for one in self.study["members"]:
            if one["role"] == Role.GUARDIAN:
                members.add_member(self.owner, one["email"], one["role"], self.communities[one["community"]])

    def _permits(self) -> None:
        for one in self.study["permits"]:
            days = {name: date.fromisoformat(one[name]) if one[name] else None for name in ("granted_on", "expires_on")}
            permits.record_permit(self.owner, {**one, **days})
        permits.say_choice_of_holders(self.owner, 0, **self.study["chosen"])

    def _holders(self) -> None:
        for row in _rows("holders.csv", "holder", "community"):
            values = {**row, "code": row["holder"], "community_id": self.communities[row["community"]]}
            self.holders[row["holder"]] = people.add_holder(self.recorder, values)
            if self.key is not None:
                people.set_real_name(self.owner, self.holders[row["holder"]], row["real_name"], self.key)
        for row in _rows("sources.csv", "source"):
            record: dict[str, Any] = {name: text for name, text in row.items() if name not in ("source", "kind")}
            sources.add_source(self.recorder, code=row["source"], kind=row["kind"], **record)

    def _agreements(self, *, first: bool) -> None:
        """First what everybody agreed to before they were met; at the end what they changed or withdrew since."""
        known: set[str] = set()
        for row in _rows("agreements.csv", "giver", "agreed_on"):
            holder_id, is_first = self.holders[row["giver"]], row["giver"] not in known
            known.add(row["giver"])
            if is_first is first:
                self._agree(row, holder_id)
            if row["withdrawn_on"] and not first:
                given = people_queries.agreements(self.owner, holder_id=holder_id)[0]
                day = date.fromisoformat(row["withdrawn_on"])
                people.withdraw_agreement(self.recorder, given["id"], given["version"], day)

    def _agree(self, row: Row, holder_id: int) -> None:
        told = ("record", "count", "show", "publish", "rows", "quote")
        terms = {column: row[name] == "yes" for column, name in zip(people.TERM_COLUMNS, told, strict=True)}
        day = date.fromisoformat(row["agreed_on"])
        limits = [{"refuses": row["except_refuses"], "category": str(self.categories[row["except_category"]])}] if row[
            "except_category"] else []  # fmt: skip
        people.record_agreement(self.recorder, agreed_on=day, form=row["form"], terms=terms, holder_id=holder_id, limits=limits)

    def _all_informants(self) -> list[dict[str, Any]]:
        found = [{"informant": one["code"], "id": one["informant_id"]} for one in people_queries.holders(self.owner)]
        return found + [{"informant": s["code"], "id": s["informant_id"]} for s in people_queries.sources(self.owner)]

    def _encounters(self) -> None:
        for row in _rows("encounters.csv", "encounter", "kind", "title", "date"):
            values = {**row, "day": row["date"], "community_id": self.communities[row["community"]],
                      "language_id": self.languages.get(row["language"])}  # fmt: skip
            there = [(self._informants[code], part) for part, listed in (("teller", row["tellers"]), ("present", row["present"]))
                     for code in listed.split()]  # fmt: skip
            encounters.open_encounter(self.recorder, values, there)

    def _plants(self) -> None:
        for row in _rows("plants.csv", "plant", "taxon"):
            number = plants.add_plant(self.recorder, growth_form=row["growth_form"], remarks=row["remarks"])
            if row["taxon"]:
                values = {name: row[name] for name in ("taxon", "qualifier", "basis", "confidence", "determiner")}
                plants.determine_plant(self.recorder, number, self.names, **values)  # type: ignore[arg-type] # all are texts
        ids = {one["number"]: one["id"] for one in encounter_queries.encounters(self.owner)}
        for row in _rows("names.csv", "plant", "name"):
            used = [pair.split(":") for pair in row["attested"].split()]
            attested = [(self._informants[code], ids[int(event[1:])], self.holders.get(code)) for code, event in used
                        if int(event[1:]) in ids]  # fmt: skip
            plants.name_plant(self.recorder, int(row["plant"][2:]), name=row["name"], gloss=row["gloss"],
                              language_id=self.languages[row["language"]], attested=attested)  # fmt: skip

    def _plants_in_full(self) -> None:
        for row in _rows("measures.csv", "plant", "character", "words"):
            plants.measure_feature(self.recorder, int(row["plant"][2:]), character=row["character"], words=row["words"])
        for row in _rows("pictures.csv", "plant", "file"):
            pictures.keep_picture(
                self.recorder, int(row["plant"][2:]), (_DATA / row["file"]).read_bytes(), caption=row["caption"]
            )
        for row in _rows("specimens.csv", "plant", "collector", "number"):
            specimens.add_specimen(self.recorder, int(row["plant"][2:]), row)
        for row in _rows("lists.csv", "encounter", "informant", "names"):
            freelists.keep_list(self.recorder, int(row["encounter"]), informant=row["informant"], text=row["names"])

    def _reports(self) -> None:
        for line, row in enumerate(_rows("reports.csv", "informant", "event", "plant", "category")):
            typed = TypedReport(**{name: row.get(_FIELDS.get(name, name), "") for name in TypedReport.names()})
            record = reports.record_asking if row["category"] == "none_named" else reports.record_report
            typed = TypedReport(**{**vars(typed), "parts": typed.parts.replace(";", ","),
                                           "methods": typed.methods.replace(";", ",")})  # fmt: skip
            key = str(uuid.uuid5(uuid.NAMESPACE_URL, f"veldra report {line}"))
            self.reports[line + 2] = record(self.recorder, int(row["event"][1:]), typed, key)

    def _told(self) -> None:
        """What was told beside the lines of reports; a report is known by its line of the file."""
        told = json.loads((_DATA / "told.json").read_text())
        for one in told["full"]:
            said = ToldInFull(one["values"], one["rows"])
            full_reports.complete_report(self.recorder, self.reports[one["line"]], 1, said)
        for one in told["disputes"]:
            first, second = (self.reports[line] for line in one["lines"])
            full_reports.dispute_report(self.recorder, first, second, one["note"])
        for one in told["claims"]:
            beside_uses.claim_property(self.recorder, one["plant"], one)
        for one in told["links"]:
            beside_uses.link_plants(self.recorder, one["plant"], one)
        for one in told["cautions"]:
            worklist.record_caution(self.recorder, one)

    def _set_aside(self) -> None:
        """One thing of the worklist is set aside, as it would be after somebody asked."""
        chosen = json.loads((_DATA / "told.json").read_text())["set_aside"]
        waiting = next(one for one in worklist.read_worklist(self.owner) if one.rule.code == chosen["rule"])
        worklist.set_item_aside(self.owner, chosen["rule"], waiting.items[0].about, chosen["reason"])

    def _reckoned(self) -> None:
        """What the reckoning takes beside reports: a flora, answers to questions, scores, rules kept by a name."""
        floras.bring_flora(self.owner, (_DATA / "flora.csv").read_bytes(), **self.study["flora"])
        answers = (_DATA / "answers.csv").read_bytes()
        questionnaires.bring_answers(self.owner, answers, title=self.study["questionnaire"], alternatives=2)
        for one in self.study["scores"]:
            scores.score_uses(self.owner, one["taxon"], {code: tuple(scores) for code, scores in one["scores"].items()})
        practised = next(one for one in PRESETS if one.code == "practised")
        studies.save_rules(self.owner, practised.name, practised.rules)
        freezing.freeze_reckoning(self.owner, studies.rules_in_force(self.owner), "First draft of the paper")

    def _sheets(self) -> None:
        """What assistants brought on sheets is imported by the owner, under agreements that are on file already."""
        sheets = (_DATA / "sheets.csv").read_bytes()
        outcome = importing.import_tables(
            self.owner, Tables(sheets), self.names, terms=("record", "count", "show"), new_codes=False
        )
        assert outcome.plan.failing == [], outcome.failing.decode()


def is_empty() -> bool:
    """Whether the database holds no study yet."""
    return study_queries.count_studies() == 0
