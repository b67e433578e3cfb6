"""What the rules and the terms leave out of the counts is said to each viewer, as far as they are shown it."""

import pytest

from tender_ledger.core.rules import CountingRules
from tender_ledger.operations import studies
from tender_ledger.operations.exclusions import ALL_REASONS, count_exclusions, excluded_reports
from tender_ledger.operations.reckoning import reports_behind
from tender_ledger.storage.queries import reports
from tests.conftest import OWNER, READER, scope_for
from tests.factories import SmallStudy


@pytest.mark.parametrize("email", [OWNER, READER])
@pytest.mark.parametrize("community", ["", "KEL"])
def test_what_is_shown_counts_or_is_left_out_and_every_number_opens_to_so_many(demo_db: str, email: str, community: str):
    scope = scope_for(email)
    rules = studies.rules_in_force(scope)
    said = count_exclusions(scope, rules, community=community)
    shown = {one["id"] for one in reports.reports(scope) if community in ("", one["community"])}
    assert said.shown == len(shown)
    assert set(said.numbers) >= ({"basis", "stance"} if community else {"basis", "stance", "plant"})
    opened = {reason: set(excluded_reports(scope, rules, reason, community=community)) for reason in ALL_REASONS}
    assert said.numbers == {reason: len(numbers) for reason, numbers in opened.items() if numbers}
    left_out = set().union(*opened.values())
    assert sum(said.numbers.values()) == len(left_out)
    counted = {one["id"] for one in reports_behind(scope, rules, community=community).shown}
    assert counted == shown - left_out


def test_what_was_told_under_terms_that_let_nothing_be_counted_is_said_to_who_is_shown_it(empty_db: str):
    small = SmallStudy()
    willow = small.plant("Salix caprea")
    for code, terms in (
        ("X-01", {}),
        ("X-02", {"may_count": False}),
        ("X-03", {"may_show": False, "may_publish_verbatim": False}),
    ):
        small.report(small.encounter(small.holder(code, **terms)), code, willow)
    said = count_exclusions(small.scope, CountingRules())
    assert (said.numbers, said.shown) == ({"terms": 1}, 2)
