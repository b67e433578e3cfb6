"""Small studies made through the operations, for tests that need less than the demo or something beside it."""

import uuid
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date
from itertools import count
from types import MappingProxyType
from typing import Any

from tender_ledger.core.rights import Role
from tender_ledger.core.terms import Scope
from tender_ledger.operations import accounts, clock, encounters, members, people, plants, reports, studies
from tender_ledger.operations.typed_report import TypedReport
from tender_ledger.standins.names_service import ChecklistNames
from tender_ledger.storage.queries import accounts as account_queries
from tender_ledger.storage.queries import acts
from tender_ledger.storage.queries import people as people_queries

PASSWORD = "a long test password"
_numbers = count(1)
ALL = dict.fromkeys(
    ("may_record", "may_count", "may_show", "may_publish_aggregate", "may_publish_rows", "may_publish_verbatim"), True
)


def _consistent(terms: dict[str, bool]) -> dict[str, bool]:
    """Terms of which rows are not published where nothing is in aggregate."""
    return {**terms, "may_publish_rows": terms["may_publish_rows"] and terms["may_publish_aggregate"]}


def latest_act(scope: Scope) -> int:
    """The number of the scope's own latest act that was not undone."""
    found = acts.own_latest_act(scope)
    assert found is not None
    return int(found["id"])


@dataclass
class SmallStudy:
    """A study with an owner and one community; holders, encounters, plants and reports are added as a test needs them."""

    code: str = ""
    scope: Scope = field(init=False)
    community: int = field(init=False)

    def __post_init__(self) -> None:
        number = next(_numbers)
        self.code = self.code or f"SMALL-{number}"
        self.email = f"owner{number}@small.example"
        person = accounts.add_person(self.email, f"Owner {number}", PASSWORD)
        self.scope = clock.scope_of(studies.create_study(person, code=self.code, title=f"Small study {number}"))
        self.community = people.add_community(self.scope, code="X", name="Xanmere")

    def person(self, role: str) -> Scope:
        """A further member in a role; the scope of that person."""
        number = next(_numbers)
        email = f"{role}{number}@small.example"
        person_id = accounts.add_person(email, f"{role.title()} {number}", PASSWORD)
        members.add_member(self.scope, email, Role(role))
        member = account_queries.member_of(person_id, self.code)
        assert member is not None
        return clock.scope_of(member)

    def holder(self, code: str, *, agreed: bool = True, profile: Mapping[str, Any] = MappingProxyType({}), **terms: bool) -> int:
        """A holder's informant number; `terms` narrow an agreement to everything."""
        holder_id = people.add_holder(self.scope, {"code": code, "community_id": self.community, **profile})
        if agreed:
            self.agree(code, **terms)
        found = people_queries.holder(self.scope, code)
        assert found is not None
        assert found["id"] == holder_id
        return int(found["informant_id"])

    def agree(self, code: str, day: date = date(2026, 1, 2), **terms: bool) -> int:
        found = people_queries.holder(self.scope, code)
        assert found is not None
        return people.record_agreement(
            self.scope, agreed_on=day, form="oral", terms=_consistent({**ALL, **terms}), holder_id=found["id"]
        )

    def withdraw(self, code: str, day: date = date(2026, 2, 3)) -> None:
        found = people_queries.holder(self.scope, code)
        assert found is not None
        latest = people_queries.agreements(self.scope, holder_id=found["id"])[0]
        people.withdraw_agreement(self.scope, latest["id"], latest["version"], day)

    def encounter(self, *informants: int, title: str = "A talk", day: str = "3 May 2026", kind: str = "interview") -> int:
        values = {"kind": kind, "title": title, "day": day, "community_id": self.community}
        return encounters.open_encounter(self.scope, values, [(one, "teller") for one in informants])

    def plant(self, taxon: str = "", name: str = "") -> int:
        number = plants.add_plant(self.scope, name=name)
        if taxon:
            plants.determine_plant(
                self.scope, number, ChecklistNames(), taxon=taxon, qualifier="none", basis="specimen", confidence="sure"
            )
        return number

    def report(
        self,
        encounter: int,
        code: str,
        plant: int,
        category: str = "food",
        key: str = "",
        scope: Scope | None = None,
        **more: str,
    ) -> int:
        typed = TypedReport(informant=code, plant=f"P-{plant:03d}", category=category, **more)
        return reports.record_report(scope or self.scope, encounter, typed, key or str(uuid.uuid4()))

    def asking(self, encounter: int, code: str, plant: int) -> int:
        return reports.record_asking(
            self.scope, encounter, TypedReport(informant=code, plant=f"P-{plant:03d}"), str(uuid.uuid4())
        )


def session_of(email: str, password: str, key: bytes, address: str = "10.0.0.1", device: str = "") -> str:
    """The token of a new session of somebody who signs in with a password alone."""
    admitted = accounts.admit(email, password, address, key, device)
    assert not admitted.needs_code
    return accounts.begin_session(admitted.person_id, admitted.device, "a browser")
