"""One database where a forbidden record exists and one where it never did: every answer to every viewer is the same.

The second database is a copy of the first in which the records were added that the viewer may not see; tokens, keys of forms
and the study's revision are masked, all else is compared byte for byte. Which people, plants, encounters and tellings there
are is drawn at random.
"""

import random
import re
import tempfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from datetime import timedelta
from pathlib import Path
from urllib.parse import urlencode

import pytest
from click.testing import CliRunner
from flask import Flask
from flask.testing import FlaskClient
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from tender_ledger.cli.__main__ import ledger
from tender_ledger.core.rights import Role, may
from tender_ledger.core.terms import Scope
from tender_ledger.operations import (
    accounts,
    beside_uses,
    encounters,
    freelists,
    full_reports,
    guarding,
    members,
    people,
    pictures,
    plants,
    reports,
)
from tender_ledger.operations.typed_report import TypedReport
from tender_ledger.storage.database import configure, connected, disconnect, value
from tender_ledger.storage.queries import accounts as account_queries
from tender_ledger.storage.queries import people as people_queries
from tender_ledger.storage.queries import reports as report_queries
from tender_ledger.storage.queries import studies as study_queries
from tender_ledger.web.app import create_app
from tender_ledger.web.reckoning.views import VIEWS
from tests.conftest import Databases
from tests.conftest import settings as web_settings
from tests.factories import ALL, PASSWORD, SmallStudy
from tests.pictures import with_position
from tests.web.test_routes import NEEDS

TAXA = ("Salix caprea", "Plantago lanceolata", "Juniperus communis", "Betula pendula", "")
CATEGORIES = ("food", "medicines", "materials", "social_uses")
TOLD = (
    "holder",
    "encounter",
    "plant",
    "local_name",
    "use_report",
    "community_restriction",
    "free_list",
    "picture",
)  # whose histories are read
VIEWERS = ("reviewer", "guardian", "recorder", "reader")
MASKS = (
    (re.compile(r"[0-9a-f]{8}-[0-9a-f]{4}-4[0-9a-f]{3}-[0-9a-f]{4}-[0-9a-f]{12}"), "a form’s key"),
    (re.compile(r"(csrf.token|X-CSRFToken)[^>]{0,200}", re.I), r"\1"),
    (re.compile(r'(name="version"[^>]{0,40}value=")\d+', re.I), r"\1"),
    (re.compile(r'("revision": |revision (?:<b>)?|choices\?at=)\d+', re.I), r"\1"),
)
# What the last viewer of all, the owner, still sees of whom the study must keep the terms of.
OWNERS_OWN = {"people.list_people", "people.holder", "study.history", "study.cover"}


@dataclass
class Base:
    """A study drawn at random, with somebody in each role."""

    small: SmallStudy
    emails: dict[str, str]
    informants: dict[str, int]
    talks: dict[str, int]
    plants: list[int]


def build(chance: random.Random) -> Base:
    small = SmallStudy()
    emails = {"owner": small.email}
    for role in VIEWERS:
        if role == "guardian":
            emails[role] = f"guardian-of-{small.code.lower()}@small.example"
            accounts.add_person(emails[role], "G. Uardian", PASSWORD)
            members.add_member(small.scope, emails[role], Role.GUARDIAN, small.community)
        else:
            person = small.person(role)
            emails[role] = str(value("SELECT email FROM person WHERE id = %(id)s", id=person.viewer.person_id))
    known = [small.plant(chance.choice(TAXA), name=chance.choice(("", f"name {at}"))) for at in range(chance.randint(2, 4))]
    informants, talks = {}, {}
    for code in [f"H-{at}" for at in range(1, chance.randint(3, 5))]:
        informants[code] = small.holder(code)
        talks[code] = small.encounter(informants[code], title=f"Talk with {code}")
        for _ in range(chance.randint(1, 4)):
            small.report(
                talks[code], code, chance.choice(known), chance.choice(CATEGORIES), purpose=f"use {chance.randint(1, 3)}"
            )
    return Base(small, emails, informants, talks, known)


def tell(base: Base, chance: random.Random, code: str, talk: int, *, category: str = "", plant: int = 0) -> list[int]:
    """Tellings of somebody, of old and new plants; the numbers of the reports."""
    made = []
    for at in range(chance.randint(1, 3)):
        known = f"P-{plant or chance.choice(base.plants):03d}"
        told = (
            known if category or plant else chance.choice((f"+ secretname{at}", known))
        )  # a limit leaves other names as they are
        typed = TypedReport(informant=code, plant=told,
                            category=category or chance.choice(CATEGORIES), purpose=f"secret purpose {at}", words="secret words",
                            note="secret note", parts=chance.choice(("leaf", "root")))  # fmt: skip
        made.append(
            reports.record_report(base.small.scope, talk, typed, f"00000000-0000-4000-8000-{chance.getrandbits(40):012x}")
        )
    if not category and chance.random() < 0.6:
        base.small.asking(talk, code, plant or chance.choice(base.plants))
    if chance.random() < 0.5 and not category and not plant:
        number = chance.choice([one for one in (value("SELECT max(number) FROM plant"),) if one])
        found = people_queries.holder(base.small.scope, code)
        assert found is not None
        attested = [(found["informant_id"], value("SELECT max(id) FROM encounter"), found["id"])]
        plants.name_plant(
            base.small.scope, number, name="secretly called", gloss="secret gloss", language_id=None, attested=attested
        )
    return made


def hidden_holder(base: Base, chance: random.Random, **terms: bool) -> None:
    """A holder of whom the other database knows nothing, with an encounter of their own, who also came to somebody else's."""
    informant = base.small.holder("SECRET-9", agreed=True, **terms)
    talk = base.small.encounter(informant, title="Secret talk")
    tell(base, chance, "SECRET-9", talk)
    named = "secretname list\nsecretname other\nsecretname list"
    freelists.keep_list(base.small.scope, talk, informant="SECRET-9", text=named, chosen={1: freelists.NEW})
    pictures.keep_picture(base.small.scope, value("SELECT max(number) FROM plant"), with_position("JPEG", (40, 30)))
    beside(base, talk)
    values = {"kind": "interview", "title": "Talk with H-1", "day": "3 May 2026", "community_id": base.small.community}
    there = [(base.informants["H-1"], "teller"), (informant, "present")]
    encounters.correct_encounter(base.small.scope, base.talks["H-1"], 1, values, there)


def beside(base: Base, talk: int) -> None:
    """What the hidden holder told beside uses, of a plant of both databases, and a contradiction of what H-1 told of it."""
    said = {"encounter": str(talk), "informant": "SECRET-9", "property": "secret property", "kind": "host", "words": "secret"}
    beside_uses.claim_property(base.small.scope, base.plants[0], said)
    beside_uses.link_plants(base.small.scope, base.plants[0], {**said, "other": f"P-{base.plants[1]:03d}"})
    theirs = base.small.report(talk, "SECRET-9", base.plants[0])
    ours = value("""SELECT min(r.id) FROM use_report r JOIN plant p ON p.id = r.plant_id JOIN informant i ON i.id = r.informant_id
        JOIN holder h ON h.id = i.holder_id WHERE p.number = %(n)s AND h.code <> 'SECRET-9'""", n=base.plants[0])  # fmt: skip
    if ours and report_queries.report(base.small.scope, theirs):  # nobody can point at what they do not see
        full_reports.dispute_report(base.small.scope, ours, theirs, "secret note")


def sealed(base: Base, chance: random.Random) -> None:
    hidden_holder(base, chance)
    base.small.withdraw("SECRET-9")


def not_shown(base: Base, chance: random.Random) -> None:
    hidden_holder(base, chance, may_show=False, may_publish_verbatim=False)


def neither_counted_nor_shown(base: Base, chance: random.Random) -> None:
    hidden_holder(base, chance, may_count=False, may_show=False, may_publish_aggregate=False, may_publish_verbatim=False)


def none_on_file(base: Base, chance: random.Random) -> None:
    informant = base.small.holder("SECRET-9", agreed=False)
    tell(base, chance, "SECRET-9", base.small.encounter(informant, title="Secret talk"))


def expired_yesterday(base: Base, chance: random.Random) -> None:
    informant = base.small.holder("SECRET-9", agreed=False)
    found = people_queries.holder(base.small.scope, "SECRET-9")
    assert found is not None
    day = base.small.scope.day
    people.record_agreement(base.small.scope, agreed_on=day - timedelta(9), form="oral", terms=ALL, holder_id=found["id"],
                            expires_on=day - timedelta(1))  # fmt: skip
    tell(base, chance, "SECRET-9", base.small.encounter(informant, title="Secret talk"))


def ends_today(base: Base, chance: random.Random) -> None:
    """What H-1 agreed to without a last day is agreed to again until the end of today."""
    found = people_queries.holder(base.small.scope, "H-1")
    assert found is not None
    day = base.small.scope.day
    people.record_agreement(base.small.scope, agreed_on=day, form="oral", terms=ALL, holder_id=found["id"], expires_on=day)


def erased(base: Base, chance: random.Random) -> None:
    hidden_holder(base, chance)
    people.erase_holder(base.small.scope, "SECRET-9", "SECRET-9")


def not_counted(base: Base, chance: random.Random) -> None:
    hidden_holder(base, chance, may_count=False)


def narrowed(base: Base, limits: list[dict[str, str]]) -> None:
    """In both databases H-1 leaves something out."""
    found = people_queries.holder(base.small.scope, "H-1")
    assert found is not None
    people.record_agreement(
        base.small.scope, agreed_on=base.small.scope.day, form="oral", terms=ALL, holder_id=found["id"], limits=limits
    )


def limit_by_category(base: Base, chance: random.Random) -> None:
    tell(base, chance, "H-1", base.talks["H-1"], category="fuels")


def limit_by_plant(base: Base, chance: random.Random) -> None:
    tell(base, chance, "H-1", base.talks["H-1"], plant=base.plants[0])


def guardian_of(base: Base) -> Scope:
    person = account_queries.person_by_email(base.emails["guardian"])
    assert person is not None
    member = account_queries.member_of(person["id"], base.small.code)
    assert member is not None
    return Scope(member, base.small.scope.purpose, base.small.scope.day)


def something_held_back(base: Base) -> None:
    """In both databases something is kept out of the counts, which the reckoning says."""
    found = next(str(one["id"]) for one in study_queries.use_codes(base.small.scope) if one["code"] == "gene_sources")
    guarding.restrict_records(guardian_of(base), base.small.community, refuses="count", reason="kept", category=found)


def held_back(base: Base, chance: random.Random) -> None:
    """A guardian holds one new report back after the other."""
    for report in tell(base, chance, "H-1", base.talks["H-1"], category="fuels"):
        for refuses in ("show", "count"):
            guarding.restrict_records(
                guardian_of(base), base.small.community, refuses=refuses, reason="secret reason", report=str(report)
            )


def fuels() -> str:
    return str(
        value("SELECT id FROM vocabulary_term WHERE code = 'fuels' AND vocabulary = 'category' AND scheme = 'economic_botany'")
    )


def nothing(_base: Base) -> None:
    """Both databases are as they were drawn."""


@dataclass(frozen=True)
class Case:
    """What is added to the second database, what stands in both, and which answers may differ, to whom."""

    forbid: Callable[[Base, random.Random], None]
    both: Callable[[Base], None] = nothing
    aggregates_differ: bool = False
    also_owner: bool = False
    guardian_sees: frozenset[str] = frozenset()
    tombstone: frozenset[str] = frozenset()  # pages that say that somebody was erased, and nothing of whom
    says_so: frozenset[str] = frozenset()  # pages that say what was agreed to, and may be seen
    numbers_alone: bool = False  # the records are shown; only what is computed must be as without them


CASES = {
    "sealed": Case(sealed, also_owner=True),
    "neither counted nor shown": Case(neither_counted_nor_shown),
    "counted, not shown": Case(not_shown, aggregates_differ=True),
    "ends today": Case(
        ends_today, says_so=frozenset({"people.holder", "study.history", "study.cover", "study.record_history"}), also_owner=True
    ),
    "erased": Case(erased, tombstone=frozenset({"people.list_people", "study.history", "study.cover"})),
    "shown, not counted": Case(not_counted, numbers_alone=True),
    "none on file": Case(none_on_file),
    "expired yesterday": Case(expired_yesterday),
    "limit by category": Case(
        limit_by_category, lambda base: narrowed(base, [{"refuses": what, "category": fuels()} for what in ("show", "count")])
    ),
    "limit by plant": Case(
        limit_by_plant,
        lambda base: narrowed(base, [{"refuses": what, "plant": f"P-{base.plants[0]:03d}"} for what in ("show", "count")]),
    ),
    "held back by the guardian": Case(
        held_back,
        something_held_back,
        guardian_sees=frozenset({"people.community", "study.history", "study.cover", "study.record_history"}),
    ),
}


def numbers() -> dict[str, list[object]]:
    """Of each kind of record one that both databases have, and the first that only the second one can have."""
    last = {table: value(f"SELECT coalesce(max({column}), 0) FROM {table}")
            for table, column in (("encounter", "number"), ("plant", "number"), ("use_report", "id"))}  # fmt: skip
    return {
        "encounters": [1, last["encounter"] + 1],
        "plants": [1, last["plant"] + 1],
        "reports": [1, last["use_report"] + 1],
        "holders": ["H-1", "SECRET-9"],
        "communities": ["X"],
        "permits": [1],
        "sources": ["x"],
        "pictures": [1],
        "specimens": [1],
        "lists": [1],
        "frozen": [1],
        "questionnaires": [1],
        "reckoning": [*VIEWS],
        "history": [(entity, number) for entity in TOLD for number in first_and_next(entity)],
    }


# Of every view of the reckoning a part that is given out as a file.
BLOCKS = {"indices": "importance", "heard": "taxa", "groups": "groups", "holders": "tests", "matrix": "matrix",
          "lists": "salience", "parts": "parts-category", "compare": "plants", "overuse": "families"}  # fmt: skip


BY_VIEWER = {"holders", "matrix", "lists", "compare"}  # views that show rows of what the viewer may see


def first_and_next(entity: str) -> tuple[int, int]:
    """The number of the first record of a kind, and the one that the next gets."""
    return value(f"SELECT coalesce(min(id), 0) FROM {entity}"), value(f"SELECT coalesce(max(id), 0) + 1 FROM {entity}")


def addresses(app: Flask, code: str, several: dict[str, list[object]]) -> Iterator[tuple[str, str]]:
    """(endpoint, address) of everything that can be read of the study."""
    for rule in app.url_map.iter_rules():
        if "GET" not in (rule.methods or ()) or "/study/" not in rule.rule or "import" in rule.rule:
            continue
        step = next((name for name in several if f"/{name}/<" in rule.rule), "")
        for one in several.get(step, ["x"]):
            values = {name: one for name in rule.arguments if name != "study"} | {"study": code}
            values |= {"block": BLOCKS[str(one)]} if "block" in rule.arguments else {}
            values |= {"size": "small"} if "size" in rule.arguments else {}
            if isinstance(one, tuple):
                values |= {"entity": one[0], "record": one[1]}
            values |= {"kind": "csv"} if "kind" in rule.arguments else {}
            values |= {"name": "reports.csv"} if "name" in rule.arguments else {}
            with app.test_request_context():
                yield rule.endpoint, app.url_map.bind("localhost").build(rule.endpoint, values)
    for margin in ("ci:Salix%20caprea", "icf:food", "icf:fuels"):
        yield "reckoning.show", f"/study/{code}/reckoning?margin={margin}"
    for name in ("secretname list", "secretly called", "secretname lisst"):
        yield "plants.name_check", f"/study/{code}/plants/name-check?{urlencode({'name': name})}"
    yield "plants.names", f"/study/{code}/plants/names?all=yes"
    for query in ("category=fuels", "part=root"):
        yield "reckoning.show", f"/study/{code}/reckoning?{query}"


def answers(url: str, emails: dict[str, str], code: str, several: dict[str, list[object]]) -> dict[tuple[str, str, str], str]:
    """Every answer to everybody: (role, endpoint, address) -> status and masked text."""
    app = create_app(web_settings(url))
    app.config.update(TESTING=True, WTF_CSRF_ENABLED=False)
    found = {}
    for role, email in emails.items():
        client: FlaskClient = app.test_client()
        assert client.post("/sign-in", data={"email": email, "password": PASSWORD}).status_code == 303
        for endpoint, address in addresses(app, code, several):
            needed = NEEDS.get(endpoint)
            if needed and not may(frozenset({Role(role)}), needed):
                continue  # refused whatever is there: tests/web/test_routes.py
            if endpoint == "reckoning.analysis" and role != "reader" and address.rsplit("/", 1)[1] not in BY_VIEWER:
                continue  # computed for the study once, for every member alike
            if endpoint == "reckoning.analysis_file" and role not in ("reviewer", "guardian"):
                continue  # of what may be published, the owner's are the reviewer's
            answer = client.get(address)
            text = answer.get_data().decode(errors="backslashreplace")
            for pattern, put in MASKS:
                text = pattern.sub(put, text)
            found[role, endpoint, address] = f"{answer.status_code} {text}"
    disconnect()
    for role, email in emails.items():
        found |= {(role, "command", command): said for command, said in commands(url, email, code).items()}
    return found


def commands(url: str, email: str, code: str) -> dict[str, str]:
    """What the command line gives somebody: the export, file by file, and the indices of what was exported."""
    with tempfile.TemporaryDirectory() as folder:
        run = CliRunner(env={"DATABASE_URL": url}).invoke(ledger, ["export", "--study", code, "--as", email, "--to", folder])
        found = {"export": f"200 {run.output} {run.exception!r}".replace(folder, "")}
        files = {path.name: path for path in sorted(Path(folder).iterdir())}
        found |= {name: f"200 {path.read_text()}" for name, path in files.items()}
        if files:
            asked = ["indices", str(files["reports.csv"]), "--informants", str(files["informants.csv"]), "--json"]
            counted = CliRunner().invoke(ledger, asked)
            found["indices"] = f"200 {counted.output} {counted.exception!r}".replace(folder, "")
    disconnect()
    return found


Answers = dict[tuple[str, str, str], str]
Without = tuple[str, Base, dict[str, list[object]], Answers]


def without_it(databases: Databases, template: str, seed: int, both: Callable[[Base], None]) -> Without:
    """The database where it never was, its study, and every answer; made and read once for all cases that start from it."""
    if (seed, both) not in _WITHOUT:
        url = databases.fresh(template)
        configure(url)
        with connected():
            base = build(random.Random(seed))
            both(base)
            several = numbers()
        disconnect()
        _WITHOUT[seed, both] = (url, base, several, answers(url, base.emails, base.small.code, several))
        disconnect()
    return _WITHOUT[seed, both]


_WITHOUT: dict[
    tuple[int, Callable[[Base], None]], tuple[str, Base, dict[str, list[object]], dict[tuple[str, str, str], str]]
] = {}


@pytest.mark.parametrize("name", CASES)
@settings(
    max_examples=1,
    deadline=None,
    derandomize=True,
    phases=[Phase.generate],
    suppress_health_check=[HealthCheck.function_scoped_fixture],
)
@given(seed=st.integers(0, 10_000))
def test_what_may_not_be_seen_leaves_no_trace(databases: Databases, empty_template: str, name: str, seed: int):
    case = CASES[name]
    without, base, several, first = without_it(databases, empty_template, seed, case.both)
    with_it = databases.fresh(without.rsplit("/", 1)[1])
    configure(with_it)
    with connected():
        base.small.scope = replace(base.small.scope)
        case.forbid(base, random.Random(seed + 1))
    roles = {role: email for role, email in base.emails.items() if role != "owner" or case.also_owner}
    second = answers(with_it, roles, base.small.code, several)
    disconnect()
    first = {key: answer for key, answer in first.items() if key[0] in roles}
    assert first.keys() == second.keys()
    assert sum(answer.startswith("200") for answer in first.values()) > 40
    differing = []
    for (role, endpoint, address), text in first.items():
        if role == "owner" and endpoint in OWNERS_OWN:
            continue
        if role == "guardian" and endpoint in case.guardian_sees:
            continue
        if case.numbers_alone:
            if endpoint == "reckoning.show" and numbers_of(text) != numbers_of(second[role, endpoint, address]):
                differing.append((role, address, first_difference(text, second[role, endpoint, address])))
            continue
        if endpoint in case.says_so:
            continue
        if endpoint in case.tombstone:
            assert "secret" not in second[role, endpoint, address].lower(), (role, address)
            continue
        assert case.aggregates_differ or "secret" not in second[role, endpoint, address].lower() or endpoint == "people.holder"
        if case.aggregates_differ and endpoint in ("reckoning.show", "reckoning.analysis", "study.cover"):
            assert "secret" not in second[role, endpoint, address].lower(), (role, address)
            continue
        if text != second[role, endpoint, address]:
            differing.append((role, address, first_difference(text, second[role, endpoint, address])))
    databases.drop(with_it)
    assert differing == []


def numbers_of(page: str) -> str:
    """The page of a reckoning without the thread, and without local names, which come from what is shown."""
    _, main, shown = page.partition("<main")
    assert main, page[:200]
    return re.sub(r"(?s)<(td|span) class=.local.*?</\1>|<[^>]+>", "", shown)


def first_difference(one: str, other: str) -> str:
    at = next((at for at, (a, b) in enumerate(zip(one, other, strict=False)) if a != b), min(len(one), len(other)))
    return f"{one[max(0, at - 80) : at + 80]!r} | {other[max(0, at - 80) : at + 80]!r}"


def test_the_comparison_sees_a_difference(databases: Databases, empty_template: str):
    """A shown holder more is a difference on the pages that list holders, to everybody."""
    without = databases.fresh(empty_template)
    configure(without)
    with connected():
        base = build(random.Random(7))
        several = numbers()
    disconnect()
    with_it = databases.fresh(without.rsplit("/", 1)[1])
    configure(with_it)
    with connected():
        hidden_holder(base, random.Random(8))
    roles = {role: base.emails[role] for role in ("owner", "guardian")}
    first, second = (answers(url, roles, base.small.code, several) for url in (without, with_it))
    disconnect()
    for role in roles:
        for page in ("people", "encounters", "plants", "reports", "reckoning", "history"):
            key = next(key for key in first if key[0] == role and key[2] == f"/study/{base.small.code}/{page}")
            assert first[key] != second[key], key
    databases.drop(without)
    databases.drop(with_it)
