"""What a reckoning takes and leaves beside reports: rules by name, floras, questionnaires, scores, frozen reckonings, jobs."""

import json
import time
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest

from tender_ledger.core.indices.packing import pack, unpack
from tender_ledger.core.rules import CountingRules, parse_rules
from tender_ledger.core.terms import NotAllowed, Scope
from tender_ledger.operations import (
    analyses,
    computations,
    computing,
    floras,
    freezing,
    grouped,
    people,
    questionnaires,
    scores,
    studies,
)
from tender_ledger.operations.disclosure.summary import what_would_leave
from tender_ledger.operations.errors import Refused
from tender_ledger.operations.history import undo_act
from tender_ledger.operations.reckoning import reckon_study, rules_side_by_side
from tender_ledger.storage.database import rows, value
from tender_ledger.storage.queries import acts, results
from tender_ledger.storage.queries import reckoned as queries
from tests.conftest import READER, Threads, scope_for
from tests.factories import SmallStudy

RULES = CountingRules()


@pytest.fixture
def told(empty_db: str) -> SmallStudy:
    """Three holders, one silent: H-1 and H-2 tell of the willow, H-1 also of hearsay about the lime."""
    small = SmallStudy()
    one, two, silent = (small.holder(code) for code in ("H-1", "H-2", "H-3"))
    talk = small.encounter(one, two, silent)
    willow, lime = small.plant("Salix caprea"), small.plant("Tilia cordata")
    small.report(talk, "H-1", willow, category="medicines", purpose="fever")
    small.report(talk, "H-2", willow, category="medicines", purpose="fever")
    small.report(talk, "H-1", lime, category="food", purpose="tea", basis="hearsay")
    return small


def last_act(small: SmallStudy) -> int:
    return int(acts.acts(small.scope, limit=1)[0]["id"])


def test_rules_are_kept_by_a_name_and_one_undo_takes_them_back(told: SmallStudy):
    rules = parse_rules({"unit": "use_part", "mixtures": "share", "level": {"medicines": "subcategory"}})
    number = studies.save_rules(told.scope, "  By part ", rules)
    saving = last_act(told)
    (kept,) = studies.saved_rules(told.scope)
    assert (kept.number, kept.name, kept.rules) == (number, "By part", rules)
    assert studies.rules_in_force(told.scope) == RULES
    with pytest.raises(Refused, match="rules of this name"):
        studies.save_rules(told.scope, "By part", RULES)
    with pytest.raises(NotAllowed):
        studies.save_rules(told.person("recorder"), "Mine", RULES)
    undo_act(told.scope, saving)
    assert studies.saved_rules(told.scope) == []


def test_two_sets_of_rules_name_the_reports_that_only_one_counts(told: SmallStudy):
    wide = RULES.with_(basis=["own", "taught", "hearsay", "unstated"])
    found = rules_side_by_side(told.scope, RULES, wide, "ci")
    assert [key for key, _a, _b in found.compared.choices] == ["basis"]
    assert (len(found.compared.only_first), len(found.compared.only_second)) == (0, 1)
    assert [one["purpose"] for one in found.only_second.shown] == ["tea"]
    moved = {one.taxon: (one.first_rank, one.second_rank) for one in found.compared.taxa}
    assert moved == {"Salix caprea": (1, 1), "Tilia cordata": (0, 2)}


def test_a_reckoning_is_kept_until_something_is_written(told: SmallStudy):
    first = reckon_study(told.scope, RULES)
    again = reckon_study(told.scope, RULES)
    assert again.result.taxa == first.result.taxa
    np.testing.assert_array_equal(again.result.ci, first.result.ci)
    np.testing.assert_array_equal(again.result.by_community["X"].icf, first.result.by_community["X"].icf)
    assert unpack(pack(first.result), RULES).uses_told == first.result.uses_told
    told.report(1, "H-2", 2, category="food", purpose="tea")
    assert reckon_study(told.scope, RULES).result.ur.sum() == first.result.ur.sum() + 1
    told.withdraw("H-2")
    assert value("SELECT count(*) FROM kept_result") == 0
    assert reckon_study(told.scope, RULES).result.n == first.result.n - 1


def test_few_holders_are_resampled_in_every_way_there_is(told: SmallStudy):
    body = analyses.uncertainty(told.scope, RULES).body or {}
    assert (body["enumerated"], body["replicates"], body["seed"]) == (True, 10, None)  # C(5, 3) resamples of three holders
    low, high, *_errors, in_first, best, worst = body["taxa"]["Salix caprea"]["rfc"]
    assert (low, high, in_first, best, worst) == (None, None, 0.0, 0, 0)  # told by fewer than five: unranked, no interval
    within = analyses.uncertainty(told.scope, RULES.with_(resample="within_community")).body or {}
    assert (within["enumerated"], within["replicates"], within["seed"]) == (False, 1000, 1)


def test_a_flora_is_brought_and_taken_back(told: SmallStudy):
    table = b"family,flora\nSalicaceae,14\nPoaceae,80\n"
    number = floras.bring_flora(told.scope, table, name="Hills", cited="Invented")
    (flora,) = queries.floras(told.scope)
    assert floras.families_of(flora) == {"Salicaceae": 14, "Poaceae": 80}
    found, species = floras.over_and_under_use(told.scope, RULES, flora)
    assert species == {"Salicaceae": ["Salix caprea"]}
    assert dict(zip(found.families, found.used.tolist(), strict=True)) == {"Poaceae": 0, "Salicaceae": 1}
    hearsay = RULES.with_(basis=["own", "hearsay", "unstated"])
    assert floras.over_and_under_use(told.scope, hearsay, flora)[0].not_in_flora == {"Malvaceae": 1}
    with pytest.raises(Refused, match="line 2, column flora"):
        floras.bring_flora(told.scope, b"family,flora\nPoaceae,lots\n", name="Wrong")
    floras.remove_flora(told.scope, number, 1)
    assert queries.floras(told.scope) == []


def test_a_plant_grown_here_alone_and_a_genus_stay_out_of_the_families(told: SmallStudy):
    value("UPDATE plant SET origin = 'introduced', management = 'cultivated' WHERE number = 1 RETURNING id")
    flora = {"families": "Salicaceae,14\nPoaceae,80"}
    assert floras.over_and_under_use(told.scope, RULES, flora)[0].used.sum() == 0


QUESTIONS = "Is the bark taken in spring?\nIs it boiled?\nMay it be drunk cold?\nIs it for children?"
ANSWERS = {"H-1": ["yes", "yes", "no", "no"], "H-2": ["yes", "yes", "no", "no"], "H-3": ["yes", "no", "no", "no"]}


def test_answers_are_entered_analysed_and_go_with_their_holder(told: SmallStudy):
    number = questionnaires.make_questionnaire(told.scope, title="Willow bark", alternatives=2, questions=QUESTIONS)
    for code, given in ANSWERS.items():
        questionnaires.enter_answers(told.scope, number, code.lower(), given)
    found = questionnaires.analyse_questionnaire(told.scope, questionnaires.questionnaire(told.scope, number))
    assert found.found is not None
    assert found.informants == 3
    assert [one.majority for one in found.found.key or ()] in ([], ["yes", "yes", "no", "no"])
    questionnaires.enter_answers(told.scope, number, "H-3", ["yes", "yes", "no", "no"])  # a correction, not a second
    assert len(queries.answers(told.scope, number)) == 3
    with pytest.raises(Refused, match="Nobody of this code"):
        questionnaires.enter_answers(told.scope, number, "H-9", ["yes"] * 4)
    told.withdraw("H-2")
    assert [one["informant"] for one in queries.answers(told.scope, number)] == ["H-1", "H-3"]
    assert (
        "three informants"
        in questionnaires.analyse_questionnaire(told.scope, questionnaires.questionnaire(told.scope, number)).why
    )
    people.erase_holder(told.scope, "H-1", "H-1")
    assert value("SELECT count(*) FROM questionnaire_answer") == 2
    assert value("SELECT count(*) FROM change WHERE entity = 'questionnaire_answer' AND after::text LIKE '%%yes%%'") == 3


def test_a_table_of_answers_makes_a_questionnaire(told: SmallStudy):
    table = b"informant,q1,q2\nH-1,A,B\nH-2,A,B\nH-3,A,\n"
    number = questionnaires.bring_answers(told.scope, table, title="Brought", alternatives=2)
    assert [one["answers"] for one in queries.answers(told.scope, number)] == ["A\nB", "A\nB", "A\n"]
    with pytest.raises(Refused, match="H-8"):
        questionnaires.bring_answers(told.scope, b"informant,q\nH-8,A\n", title="Nobody", alternatives=2)


def test_a_plant_has_a_significance_once_all_its_uses_are_scored(told: SmallStudy):
    r = reckon_study(told.scope, RULES).result
    assert scores.cultural_significance(told.scope, r) == {}
    scores.score_uses(told.scope, "Salix caprea", {"medicines": (2, 2, 1)})
    # da Silva et al. 2006: (2 * 2 * 1) * 2 citations / 2 of the most cited
    assert scores.cultural_significance(told.scope, r) == {"Salix caprea": (4.0, [(2, 2, 1)])}
    scores.score_uses(told.scope, "Salix caprea", {"medicines": (1, 1, 1)})
    assert scores.cultural_significance(told.scope, r)["Salix caprea"][0] == 1.0
    with pytest.raises(Refused, match="2 or 1"):
        scores.score_uses(told.scope, "Salix caprea", {"medicines": (3, 1, 1)})
    with pytest.raises(Refused, match="at least one use category"):
        scores.score_uses(told.scope, "Salix caprea", {"no_category": (1, 1, 1)})


def test_a_frozen_reckoning_opens_unchanged_and_says_what_moved(told: SmallStudy):
    number = freezing.freeze_reckoning(told.scope, RULES, "As sent to press")
    opened = freezing.open_frozen(told.scope, number)
    assert opened.body is not None
    assert (opened.kept["counted"], opened.moved, opened.acts) == (3, (), {"freeze_reckoning": 1})
    again = freezing.freeze_reckoning(told.scope, RULES, "Once more")
    assert freezing.open_frozen(told.scope, again).kept["fingerprint"] == opened.kept["fingerprint"]
    told.report(1, "H-2", 2, category="food", purpose="tea")
    later = freezing.open_frozen(told.scope, number)
    assert later.body == opened.body
    assert [(one.taxon, one.before, one.after) for one in later.moved] == [("Tilia cordata", None, (1, pytest.approx(1 / 3)))]


def test_the_values_of_a_frozen_reckoning_are_withheld_with_the_terms(told: SmallStudy):
    number = freezing.freeze_reckoning(told.scope, RULES, "As sent to press")
    told.withdraw("H-3")  # she told nothing, and was one of the N
    opened = freezing.open_frozen(told.scope, number)
    assert (opened.body, opened.kept["withheld"], opened.kept["counted"]) == (None, 1, 3)
    told.agree("H-3", day=told.scope.day)
    assert freezing.open_frozen(told.scope, number).body is not None
    people.erase_holder(told.scope, "H-3", "H-3")
    emptied = freezing.open_frozen(told.scope, number)
    assert (emptied.body, emptied.kept["emptied"], emptied.kept["counted"]) == (None, True, 3)
    assert value("SELECT body FROM frozen_reckoning") is None


def test_long_work_is_done_beside_the_request_left_and_cancelled(
    told: SmallStudy, long_works: Threads, monkeypatch: pytest.MonkeyPatch
):
    steps: list[int] = []

    def work(progress: Any) -> dict[str, Any]:
        for at in range(400):
            progress(at, 400)
            steps.append(at)
            time.sleep(0.01)
        return {"done": True}

    def slow(scope: Scope, rules: CountingRules, **more: bool) -> computing.Computed:
        return computing.computed(scope, "slow", rules, {}, work, seconds=lambda: 60.0, **more)

    monkeypatch.setitem(computations.ASK, "slow", slow)
    begun = slow(told.scope, RULES)
    assert (begun.state, begun.body) == ("working", None)
    assert slow(told.scope, RULES).number == begun.number  # nobody begins it twice
    computing.cancel(told.scope, begun.number)
    long_works.join()
    reached = len(steps)
    assert reached < 400
    assert slow(told.scope, RULES).state == "cancelled"
    steps[:] = []
    assert slow(told.scope, RULES, again=True).state == "working"
    long_works.join()
    assert slow(told.scope, RULES).body == {"done": True}
    assert steps == list(range(400))
    assert results.computation(told.scope, "nothing", 1) is None


def leaving_of(scope: Scope) -> computing.Computed:
    """What would leave, as it is kept."""
    found = what_would_leave(scope)
    if isinstance(found, computing.Computed):
        return found
    counts = {"shown": found.shown, "small": found.small, "complementary": found.complementary, "changed": found.changed}
    return computing.Computed(counts)


def test_every_computation_that_may_be_long_is_done_by_a_worker_as_it_is_by_a_request(
    demo_db: str, long_works: Threads, monkeypatch: pytest.MonkeyPatch
):
    """Begun under every name and done elsewhere, by what is queued alone, each has the same digest and the same body."""
    scope = scope_for()
    rules = studies.rules_in_force(scope)
    number = queries.questionnaires(scope)[0]["id"]
    found = questionnaires.questionnaire(scope, number)
    asked: dict[str, Callable[[], Any]] = {
        "uncertainty": lambda: analyses.uncertainty(scope, rules, group="ONS", replicates=200),
        "ends": lambda: analyses.ends_of_values(scope, rules, group="ONS", begin=True),
        "listening": lambda: analyses.listening(scope, rules, group="ONS"),
        "ties": lambda: analyses.knowledge(scope, rules),
        "parts": lambda: analyses.parts_and_preparations(scope, rules),
        "groups": lambda: grouped.groups(scope, rules, by="gender"),
        "sides": lambda: grouped.sides(scope, rules, "ONS", "KEL", begin=True),
        "leaving": lambda: leaving_of(scope),
        "competences": lambda: questionnaires.how_sure(scope, number, questionnaires.analyse_questionnaire(scope, found).found),
    }
    # A reckoning is made within the request, but for a new count of a large study (test_past_counts.py).
    assert asked.keys() == computations.ASK.keys() - {"reckoning"}
    here = {name: ask() for name, ask in asked.items()}
    results.forget(scope)
    monkeypatch.setattr(computing, "SHORT", 0.0)
    for name, ask in asked.items():
        begun = ask()
        assert name == "ties" or begun.state == "working", name
        long_works.join()
        assert json.loads(json.dumps(ask().body)) == json.loads(json.dumps(here[name].body)), name
    assert rows("SELECT DISTINCT state FROM computation") == [{"state": "done"}]


def test_analyses_of_the_demo_name_nobody_whom_the_viewer_may_not_see(demo_db: str):
    reader = scope_for(READER)
    rules = studies.rules_in_force(reader)
    shown = {one["code"] for one in people.people.holders(reader)}
    body = analyses.matrix(reader, rules).body or {}
    assert set(body["holders"]) <= shown
    assert body["hidden"] == 3  # the study's minimum
    told = {one["code"] for one in (analyses.knowledge(reader, rules).body or {})["holders"] if one["shown"]}
    assert told <= shown
    heard = analyses.listening(reader, rules).body or {}
    assert heard["taxa"]["curve"][-1] == pytest.approx(heard["taxa"]["S_obs"])
    by_gender = grouped.groups(reader, rules, by="gender").body or {}
    assert by_gender["names"] == ["man", "woman"]
    assert 0 < by_gender["pairs"][0]["UR_per_informant_p_exact"] <= 1


def test_a_frozen_reckoning_is_withheld_while_too_few_of_whom_it_counts_are_hidden(told: SmallStudy):
    number = freezing.freeze_reckoning(told.scope, RULES, "Before")
    assert freezing.open_frozen(told.scope, number).body is not None
    for code, opens in (("H-1", False), ("H-2", False), ("H-3", True)):
        told.agree(code, may_show=False, may_publish_aggregate=False, may_publish_verbatim=False)
        opened = freezing.open_frozen(told.person("reader"), number)
        assert ((opened.body is not None), opened.kept["withheld"]) == (opens, 0), code
