"""Questionnaires: made or brought in, corrected, answered, and analysed for what the culture answers."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from tender_ledger.core.consensus.model import Consensus, answers_of, consensus
from tender_ledger.core.consensus.resampled import consensus_ends
from tender_ledger.core.messages import InputRefused
from tender_ledger.core.rights import Right
from tender_ledger.core.rules import CountingRules
from tender_ledger.core.terms import Purpose, Scope
from tender_ledger.core.text import clean
from tender_ledger.formats.reckoning_files import read_answers
from tender_ledger.formats.result_parts import named_ends
from tender_ledger.formats.result_parts import number as number_of
from tender_ledger.operations import effort
from tender_ledger.operations.computing import Computed, Progress, computed
from tender_ledger.operations.disclosure.splits import counting_scope, with_enough_hidden
from tender_ledger.operations.errors import NotFound, Refused, required
from tender_ledger.operations.saving import saving
from tender_ledger.storage.models import Questionnaire, QuestionnaireAnswer
from tender_ledger.storage.queries import reckoned


def make_questionnaire(scope: Scope, *, title: str, alternatives: int, questions: str) -> int:
    """Make a questionnaire of questions, a line each; `alternatives` is how many answers there are to choose among."""
    scope.viewer.require(Right.RECORD)
    said, lines = required(title, "title", "The title"), _questions(questions)
    with saving(scope, "make_questionnaire") as writing:
        return writing.create(Questionnaire, {"title": said, "alternatives": alternatives, "questions": "\n".join(lines)})


def _questions(text: str) -> list[str]:
    lines = [clean(line) for line in text.splitlines() if clean(line)]
    if not lines:
        raise Refused({"questions": "Write at least one question, each on a line of its own."})
    if len(set(lines)) < len(lines):
        raise Refused({"questions": "A question stands twice. Write each once."})
    return lines


def correct_questionnaire(scope: Scope, number: int, version: int, *, title: str, questions: str) -> None:
    """Word title and questions anew, or ask more. Answers stand in the order of the questions, so none is left out while there
    are answers: refused then. Raises Conflict where somebody else changed it meanwhile."""
    scope.viewer.require(Right.RECORD)
    found = questionnaire(scope, number)
    said, lines, before = required(title, "title", "The title"), _questions(questions), found["questions"].splitlines()
    if len(lines) < len(before) and reckoned.is_answered(scope, number):
        raise Refused({"questions": f"{len(before)} questions are answered, and {len(lines)} stand here. Word them anew in their "
                                    "order, or write more below; to leave one out, make another questionnaire."})  # fmt: skip
    with saving(scope, "correct_questionnaire") as writing:
        writing.update(Questionnaire, number, version, {"title": said, "questions": "\n".join(lines)})


def remove_questionnaire(scope: Scope, number: int, version: int) -> None:
    scope.viewer.require(Right.RECORD)
    with saving(scope, "remove_questionnaire") as writing:
        writing.remove(Questionnaire, number, version)


def questionnaire(scope: Scope, number: int) -> dict[str, Any]:
    found = next((one for one in reckoned.questionnaires(scope) if one["id"] == number), None)
    if found is None:
        raise NotFound(f"questionnaire {number}")
    return found


def enter_answers(scope: Scope, number: int, code: str, given: Sequence[str]) -> None:
    """Record or correct what one informant answered, in the order of the questions; "" where no answer was given."""
    scope.viewer.require(Right.RECORD)
    _enter(scope, questionnaire(scope, number), {clean(code).upper(): [clean(one) for one in given]}, "enter_answers")


def bring_answers(scope: Scope, data: bytes, *, title: str, alternatives: int | None) -> int:
    """Make a questionnaire of a table of answers: its columns are the questions, its informants are of the study.

    Refused where an informant is not on record, or may not be recorded of.
    """
    scope.viewer.require(Right.IMPORT)
    try:
        found = read_answers(data, alternatives)
    except InputRefused as refused:
        raise Refused({"file": " ".join(str(problem) for problem in refused.problems)}) from refused
    said = required(title, "title", "The title")
    given = {
        code: [found.choices[at][answer] if answer >= 0 else "" for at, answer in enumerate(row)]
        for code, row in zip(found.informants, found.codes.tolist(), strict=True)
    }
    values = {"title": said, "alternatives": found.alternatives, "questions": "\n".join(found.questions)}
    people = _informants(scope, list(given))
    with saving(scope, "bring_answers") as writing:
        number = writing.create(Questionnaire, values)
        for code, answers in given.items():
            kept = {"questionnaire_id": number, "informant_id": people[code]["id"], "answers": "\n".join(answers)}
            writing.create(QuestionnaireAnswer, kept, holder_id=people[code]["holder_id"])
    return number


def _informants(scope: Scope, codes: list[str]) -> dict[str, dict[str, Any]]:
    found = {code: reckoned.informant_of(scope, code) for code in codes}
    missing = [code for code, one in found.items() if one is None]
    if missing:
        raise Refused({"file": f"Nobody of this code may be recorded of in the study: {', '.join(missing)}.",
                       "informant": f"Nobody of this code may be recorded of in the study: {', '.join(missing)}."})  # fmt: skip
    return {code: one for code, one in found.items() if one is not None}


def _enter(scope: Scope, found: Mapping[str, Any], given: Mapping[str, Sequence[str]], operation: str) -> None:
    questions = found["questions"].splitlines()
    people = _informants(scope, list(given))
    earlier = {one["informant_id"]: one for one in reckoned.answers(scope.for_purpose(Purpose.SHOWN), found["id"])}
    with saving(scope, operation) as writing:
        for code, answers in given.items():
            lines = [*answers, *[""] * len(questions)][: len(questions)]
            if not any(lines):
                raise Refused({"answers": "Choose or write at least one answer."})
            holder, kept = people[code]["holder_id"], earlier.get(people[code]["id"])
            if kept is None:
                values = {"questionnaire_id": found["id"], "informant_id": people[code]["id"], "answers": "\n".join(lines)}
                writing.create(QuestionnaireAnswer, values, holder_id=holder)
            else:
                writing.update(QuestionnaireAnswer, kept["id"], kept["version"], {"answers": "\n".join(lines)}, holder_id=holder)


@dataclass(frozen=True)
class Analysed:
    """A consensus analysis, or why there is none."""

    found: Consensus | None
    why: str
    informants: int
    shown: frozenset[str]


def analyse_questionnaire(scope: Scope, found: Mapping[str, Any], *, purpose: Purpose = Purpose.COUNTED) -> Analysed:
    """Consensus over everybody whose answers may be counted; competences are told of those the viewer may see.

    Where fewer than the study's minimum of those who answered are hidden it is over those who are shown.
    """
    questions = found["questions"].splitlines()
    shown = frozenset(one["informant"] for one in reckoned.answers(scope.for_purpose(Purpose.SHOWN), found["id"]))
    answered = reckoned.answers(counting_scope(scope, purpose), found["id"])
    counted = with_enough_hidden(scope, [{**one, "shown": one["informant"] in shown} for one in answered])
    given = [[*one["answers"].split("\n"), *[""] * len(questions)][: len(questions)] for one in counted]
    try:
        analysed = consensus(answers_of([one["informant"] for one in counted], questions, given, found["alternatives"]))
    except InputRefused as refused:
        return Analysed(None, " ".join(problem.what for problem in refused.problems), len(counted), shown)
    return Analysed(analysed, " ".join(analysed.refused), len(counted), shown)


def how_sure(scope: Scope, number: int, found: Consensus, *, again: bool = False) -> Computed:
    """The 95 % ends of the competences by informant and of their mean, and the share of resamples in which the model
    fits. Of everybody counted; it is for the reader of competences to leave out whom nobody may
    see."""
    scope = counting_scope(scope)

    def work(progress: Progress) -> dict[str, Any]:
        ends = consensus_ends(found, step=progress)
        return {
            "competence": named_ends((ends.low, ends.high), found.answers.informants),
            "mean": [number_of(end) for end in ends.mean],
            "fits": ends.fits, "replicates": ends.replicates, "seed": ends.seed,
        }  # fmt: skip

    return computed(scope, "competences", CountingRules(), {"questionnaire": number}, work,
                    seconds=lambda: effort.of_competences(len(found.answers.informants)), again=again)  # fmt: skip
