"""What a reckoning takes beside reports: floras, questionnaires with their answers, scores of uses."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from tender_ledger.core.consensus.model import Consensus, answers_of, consensus
from tender_ledger.core.flora.overuse import FamilyUse, family_use, species_of_a_flora, species_used, used_species
from tender_ledger.core.indices.composite import cultural_significance_of_citations
from tender_ledger.core.indices.reckoning import Reckoning, reckon
from tender_ledger.core.messages import InputRefused, Problem
from tender_ledger.core.rights import Right
from tender_ledger.core.rules import CountingRules
from tender_ledger.core.tally.counting import count
from tender_ledger.core.terms import Purpose, Scope
from tender_ledger.core.text import clean
from tender_ledger.formats.reckoning_files import read_answers, read_flora
from tender_ledger.operations.errors import NotFound, Refused, required
from tender_ledger.operations.saving import saving
from tender_ledger.storage.database import snapshot
from tender_ledger.storage.models import Flora, Questionnaire, QuestionnaireAnswer, UseScore
from tender_ledger.storage.queries import reckoned, studies
from tender_ledger.storage.queries.tally import read_table

LARGEST_FILE = 2 * 1024 * 1024


def bring_flora(scope: Scope, data: bytes, *, name: str, cited: str = "") -> int:
    """Keep the families of a flora with their numbers of species; returns its number. Refused with every wrong line."""
    scope.viewer.require(Right.IMPORT)
    said = required(name, "name", "What the flora is called")
    try:
        families = read_flora(data)
    except InputRefused as refused:
        raise Refused({"file": " ".join(str(problem) for problem in refused.problems)}) from refused
    if not families:
        raise Refused({"file": "The table has no family. Each line holds a family and its number of species."})
    text = "\n".join(f"{family},{number}" for family, number in sorted(families.items()))
    with saving(scope, "bring_flora") as writing:
        return writing.create(Flora, {"name": said, "cited": clean(cited), "families": text})


def remove_flora(scope: Scope, number: int, version: int) -> None:
    scope.viewer.require(Right.IMPORT)
    with saving(scope, "remove_flora") as writing:
        writing.remove(Flora, number, version)


def families_of(flora: Mapping[str, Any]) -> dict[str, int]:
    """The numbers of species by family, as they were brought."""
    pairs = (line.rsplit(",", 1) for line in flora["families"].splitlines())
    return {family: int(number) for family, number in pairs}


def over_and_under_use(scope: Scope, rules: CountingRules, flora: Mapping[str, Any], *, category: str = "",
                       purpose: Purpose = Purpose.COUNTED) -> tuple[FamilyUse, dict[str, list[str]]]:  # fmt: skip
    """The families of a flora against the told species, of one category where it is named, and these species by family."""
    counted = scope.for_purpose(purpose)
    with snapshot():
        tally = count(read_table(counted, rules), rules)
    r = reckon(tally, communities=False)
    if category and category not in r.categories:
        raise InputRefused(Problem("No report counts in this category.", "category", category, ", ".join(r.categories)))
    enters = species_of_a_flora(tally)
    found = family_use(families_of(flora), used_species(r, enters, category))
    return found, species_used(r, enters, category)


def make_questionnaire(scope: Scope, *, title: str, alternatives: int, questions: str) -> int:
    """Make a questionnaire of questions, a line each; `alternatives` is how many answers there are to choose among."""
    scope.viewer.require(Right.RECORD)
    lines = [clean(line) for line in questions.splitlines() if clean(line)]
    errors = {} if lines else {"questions": "Write at least one question, each on a line of its own."}
    if len(set(lines)) < len(lines):
        errors["questions"] = "A question stands twice. Write each once."
    said = required(title, "title", "The title")
    if errors:
        raise Refused(errors)
    with saving(scope, "make_questionnaire") as writing:
        return writing.create(Questionnaire, {"title": said, "alternatives": alternatives, "questions": "\n".join(lines)})


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
    """Consensus over everybody whose answers may be counted; competences are told of those the viewer may see."""
    questions = found["questions"].splitlines()
    counted = reckoned.answers(scope.for_purpose(purpose), found["id"])
    shown = frozenset(one["informant"] for one in reckoned.answers(scope.for_purpose(Purpose.SHOWN), found["id"]))
    given = [[*one["answers"].split("\n"), *[""] * len(questions)][: len(questions)] for one in counted]
    try:
        analysed = consensus(answers_of([one["informant"] for one in counted], questions, given, found["alternatives"]))
    except InputRefused as refused:
        return Analysed(None, " ".join(problem.what for problem in refused.problems), len(counted), shown)
    return Analysed(analysed, " ".join(analysed.refused), len(counted), shown)


def score_uses(scope: Scope, taxon: str, given: Mapping[str, tuple[int, int, int]]) -> None:
    """Judge the uses of a taxon by category: how far each is managed, preferred, frequent, each 2 or 1. One act."""
    scope.viewer.require(Right.SETTLE)
    said, scheme = required(taxon, "taxon", "The plant"), str(studies.study(scope)["scheme"])
    numbers = {code: reckoned.category_number(scope, scheme, code) for code in given}
    if not given or None in numbers.values():
        raise Refused({"score": "Score at least one use category of the study, all three scores of it."})
    earlier = {one["category"]: one for one in reckoned.scores(scope) if one["taxon"] == said}
    with saving(scope, "score_use") as writing:
        for code, (management, preference, frequency) in given.items():
            scored = {"management": management, "preference": preference, "frequency": frequency}
            if code in earlier:
                writing.update(UseScore, earlier[code]["id"], earlier[code]["version"], scored)
            else:
                writing.create(UseScore, {"taxon": said, "category_id": numbers[code], **scored})


def cultural_significance(scope: Scope, r: Reckoning) -> dict[str, tuple[float, list[tuple[int, int, int]]]]:
    """CSI of every taxon all of whose told categories were scored, with its scores; the others have no place here."""
    scored: dict[str, dict[str, tuple[int, int, int]]] = {}
    for one in reckoned.scores(scope):
        scored.setdefault(one["taxon"], {})[one["category"]] = (one["management"], one["preference"], one["frequency"])
    most = int(r.fc.max(initial=0))
    found = {}
    for at, taxon in enumerate(r.taxa):
        told = [code for place, code in enumerate(r.categories) if r.counts.ur_by_category[at, place]]
        own = scored.get(taxon, {})
        if told and all(code in own for code in told):
            scores = [own[code] for code in told]
            found[taxon] = (cultural_significance_of_citations(scores, int(r.fc[at]), most), scores)
    return found
