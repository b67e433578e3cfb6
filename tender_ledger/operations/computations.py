"""Every computation that may be too long for a request, by the name under which it is kept: how a worker asks for it."""

from collections.abc import Callable, Mapping
from datetime import date
from typing import Any

from tender_ledger.core.rules import CountingRules, parse_rules
from tender_ledger.core.terms import Scope
from tender_ledger.operations import analyses, grouped, long_work, questionnaires, reckoning
from tender_ledger.operations.computing import do_computation
from tender_ledger.operations.disclosure.summary import what_would_leave
from tender_ledger.storage.queries import results

Options = Mapping[str, Any]


def _groups(scope: Scope, rules: CountingRules, by: str, since: str, seed: int) -> object:
    return grouped.groups(
        scope, rules, by=by, since=date.fromisoformat(since) if since else None, purpose=scope.purpose, seed=seed, again=True
    )


def _competences(scope: Scope, _rules: CountingRules, questionnaire: int) -> object:
    found = questionnaires.questionnaire(scope, questionnaire)
    analysed = questionnaires.analyse_questionnaire(scope, found).found
    return questionnaires.how_sure(scope, questionnaire, analysed, again=True) if analysed else None


ASK: dict[str, Callable[..., object]] = {
    "reckoning": lambda scope, rules, **_part: reckoning.reckon_study(
        scope, rules, purpose=scope.purpose
    ),
    "uncertainty": lambda scope, rules, **of: analyses.uncertainty(scope, rules, purpose=scope.purpose, again=True, **of),
    "ends": lambda scope, rules, group, **_same: analyses.ends_of_values(
        scope, rules, group=group, purpose=scope.purpose, again=True
    ),
    "listening": lambda scope, rules, group: analyses.listening(scope, rules, group=group, purpose=scope.purpose),
    "ties": lambda scope, rules, seed: analyses.knowledge(scope, rules, purpose=scope.purpose, seed=seed),
    "parts": lambda scope, rules: analyses.parts_and_preparations(scope, rules, purpose=scope.purpose),
    "groups": _groups,
    "sides": lambda scope, rules, first, second, seed: grouped.sides(
        scope, rules, first, second, purpose=scope.purpose, seed=seed, again=True
    ),
    "competences": _competences,
    "leaving": lambda scope, _rules, **_files: what_would_leave(scope, again=True),
}  # fmt: skip


def _do(task: long_work.Task, of: Options) -> None:
    ask, rules = ASK[of["name"]], parse_rules(of["rules"], own_bases=of["rules"]["basis"])
    do_computation(of["number"], of["digest"], lambda: ask(task.scope, rules, **of["options"]))


def _give_up(of: Options, why: str) -> None:
    results.end(of["number"], "failed", why)


long_work.register("computation", long_work.Work(_do, _give_up))
