"""Today, in the zone of a study. The only place that asks the machine for the day."""

from datetime import UTC, date, datetime
from zoneinfo import ZoneInfo

from tender_ledger.core.terms import Member, Purpose, Scope
from tender_ledger.storage.queries.studies import zone_of


def now() -> datetime:
    return datetime.now(UTC)


def today(study_id: int) -> date:
    """The day it is where the study works."""
    return now().astimezone(ZoneInfo(zone_of(study_id))).date()


def scope_of(member: Member, purpose: Purpose = Purpose.SHOWN) -> Scope:
    """The member's scope for what is read today."""
    return Scope(member, purpose, now().astimezone(ZoneInfo(member.zone or zone_of(member.study_id))).date())
