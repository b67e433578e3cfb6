"""One database where a forbidden record exists and one where it never did: every answer to every viewer is the same.

The second database is a copy of the first in which the records were added that the viewer may not see; tokens, keys of forms
and the study's revision are masked, all else is compared byte for byte. Which people, plants, encounters and tellings there
are is drawn at random.
"""

import random
import re
from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import timedelta

import pytest
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from tender_ledger.core.rights import Role
from tender_ledger.core.rules import CountingRules
from tender_ledger.core.terms import Scope
from tender_ledger.operations import (
    accounts,
    beside_uses,
    encounters,
    freelists,
    freezing,
    full_reports,
    guarding,
    members,
    people,
    pictures,
    plants,
    questionnaires,
    reports,
)
from tender_ledger.operations.typed_report import TypedReport
from tender_ledger.storage.database import configure, connected, disconnect, value
from tender_ledger.storage.queries import accounts as account_queries
from tender_ledger.storage.queries import people as people_queries
from tender_ledger.storage.queries import reports as report_queries
from tender_ledger.storage.queries import studies as study_queries
from tests.conftest import Databases
from tests.factories import ALL, PASSWORD, SmallStudy
from tests.pictures import with_position
from tests.web.every_answer import answers, numbers

TAXA = ("Salix caprea", "Plantago lanceolata", "Juniperus communis", "Betula pendula", "")
CATEGORIES = ("food", "medicines", "materials", "social_uses")
AGGREGATES = (
    "reckoning.show",
    "reckoning.analysis",
    "reckoning.questionnaire",
    "reckoning.open_frozen",
    "study.cover",
)  # pages that count
KINDS, DAYS = ("interview", "walk"), ("3 May 2026", "4 June 2026", "5 July 2026")
VIEWERS = ("reviewer", "guardian", "recorder", "reader")
# What the last viewer of all, the owner, still sees of whom the study must keep the terms of.
OWNERS_OWN = {"people.list_people", "people.holder", "study.history", "reckoning.open_frozen", "study.cover"}


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
    elsewhere = people.add_community(small.scope, code="Y", name="Yanmere")
    known = [small.plant(chance.choice(TAXA), name=chance.choice(("", f"name {at}"))) for at in range(chance.randint(2, 4))]
    informants, talks = {}, {}
    for code in [f"H-{at}" for at in range(1, chance.randint(3, 5))]:
        profile = somebody(chance, small, elsewhere)
        if code == "H-1":  # the guardian speaks for the first community, and holds back what this holder told
            profile["community_id"] = small.community
        informants[code] = small.holder(code, profile=profile)
        talks[code] = small.encounter(
            informants[code], title=f"Talk with {code}", day=chance.choice(DAYS), kind=chance.choice(KINDS)
        )
        for _ in range(chance.randint(1, 4)):
            small.report(
                talks[code], code, chance.choice(known), chance.choice(CATEGORIES), purpose=f"use {chance.randint(1, 3)}"
            )
    questionnaires.make_questionnaire(
        small.scope, title="Shared", alternatives=2, questions="Is it dried?\nIs it sold?\nIs it sown?"
    )
    for code in informants:
        questionnaires.enter_answers(
            small.scope, number_of_questionnaire(small), code, ["yes", "no", chance.choice(("yes", "no"))]
        )
    freezing.freeze_reckoning(small.scope, CountingRules(), "Before anybody came")
    return Base(small, emails, informants, talks, known)


def somebody(chance: random.Random, small: SmallStudy, elsewhere: int) -> dict[str, object]:
    """Who a holder is: everything that holders can be set in groups by."""
    return {
        "community_id": chance.choice((small.community, elsewhere)), "gender": chance.choice(("woman", "man")),
        "birth": chance.choice(("1948", "1970s", "1999")), "occupation": chance.choice(("fisher", "weaver")),
        "years_in_place": chance.choice((3, 17, 40)),
    }  # fmt: skip


_ONE = {"gender": "woman", "birth": "1948", "occupation": "fisher", "years_in_place": 3}, "X", DAYS[0], KINDS[0]
_OTHER = {"gender": "man", "birth": "1999", "occupation": "weaver", "years_in_place": 40}, "Y", DAYS[2], KINDS[1]
APART = {"HIDDEN-1": _ONE, "HIDDEN-2": _ONE, "HIDDEN-3": _OTHER}  # in no group all three: profile, community, day, kind


def number_of_questionnaire(small: SmallStudy) -> int:
    return int(value("SELECT max(id) FROM questionnaire WHERE study_id = %(study)s", study=small.scope.study_id))


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


def hidden_holder(base: Base, chance: random.Random, code: str = "SECRET-9", **terms: bool) -> None:
    """A holder of whom the other database knows nothing, with an encounter of their own; the first also came to another's."""
    elsewhere = int(value("SELECT id FROM community WHERE study_id = %(s)s AND code = 'Y'", s=base.small.scope.study_id))
    profile, day, kind = somebody(chance, base.small, elsewhere), chance.choice(DAYS), chance.choice(KINDS)
    if code in APART:
        profile, community, day, kind = APART[code]
        profile = profile | {"community_id": elsewhere if community == "Y" else base.small.community}
    informant = base.small.holder(code, agreed=True, profile=profile, **terms)
    talk = base.small.encounter(informant, title="Secret talk", day=day, kind=kind)
    tell(base, chance, code, talk)
    named = "secretname list\nsecretname other\nsecretname list"
    freelists.keep_list(base.small.scope, talk, informant=code, text=named, chosen={1: freelists.NEW})
    if code != "SECRET-9":
        return
    pictures.keep_picture(base.small.scope, value("SELECT max(number) FROM plant"), with_position("JPEG", (40, 30)))
    beside(base, talk)
    questionnaires.enter_answers(base.small.scope, number_of_questionnaire(base.small), "SECRET-9", ["no", "no", "yes"])
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


def two_not_shown(base: Base, chance: random.Random) -> None:
    """One less than the study's minimum."""
    for code in ("SECRET-9", "SECRET-8"):
        hidden_holder(base, chance, code, may_show=False, may_publish_verbatim=False)


def enough_not_shown(base: Base, chance: random.Random) -> None:
    """As many as the study's minimum, who are counted in the whole study, and in no groups: all of them are in none together."""
    for code in APART:
        hidden_holder(base, chance, code, may_show=False, may_publish_verbatim=False)


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
    "two counted, not shown": Case(two_not_shown),
    "enough counted, not shown": Case(enough_not_shown, aggregates_differ=True),
    "ends today": Case(
        ends_today,
        says_so=frozenset({"people.holder", "study.history", "reckoning.open_frozen", "study.cover", "study.record_history"}),
        also_owner=True,
    ),
    "erased": Case(erased, tombstone=frozenset({"people.list_people", "study.history", "reckoning.open_frozen", "study.cover"})),
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
        guardian_sees=frozenset(
            {"people.community", "study.history", "reckoning.open_frozen", "study.cover", "study.record_history"}
        ),
    ),
}


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
        if case.aggregates_differ and is_split(endpoint, address):
            one, other = (without_whole(answer) for answer in (text, second[role, endpoint, address]))
            if one != other:
                differing.append((role, address, first_difference(one, other)))
            continue
        if case.aggregates_differ and endpoint in AGGREGATES:
            assert "secret" not in second[role, endpoint, address].lower(), (role, address)
            continue
        if text != second[role, endpoint, address]:
            differing.append((role, address, first_difference(text, second[role, endpoint, address])))
    databases.drop(with_it)
    assert differing == [], "\n".join(map(str, differing))


def is_split(endpoint: str, address: str) -> bool:
    """Whether a page sets those who are counted in groups, which the hidden one is to be in none of."""
    return endpoint in ("reckoning.show", "reckoning.analysis") and any(one in address for one in ("by=", "group=", "/holders"))


def without_whole(page: str) -> str:
    """A page without what is of the whole study, in which everybody counted is: its N, and what the filter offers.

    And without the word that somebody is hidden.
    """
    page = re.sub(r'(?s)<select name="(family|category|part)">.*?</select>', "", page)
    page = re.sub(r'the whole study <span class="faint">N \d+</span>', "", page)
    return re.sub(r"(<p[^>]*>)?[^<>.]*too few others are counted to be told apart\.(</p>)?\n?", "", page)


def numbers_of(page: str) -> str:
    """The page of a reckoning without the thread, and without what comes of what is shown: local names, what is left out."""
    _, main, shown = page.partition("<main")
    assert main, page[:200]
    shown = re.sub(r'(?s)\s*<p class="small left-out">.*?</p>', "", shown)
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
