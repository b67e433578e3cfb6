"""The formal model of Romney, Weller & Batchelder 1986 (Am Anthropol 88:313-338), by matches corrected for guessing."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tender_ledger.core.messages import InputRefused, Problem
from tender_ledger.core.tally.table import Ints

Floats = npt.NDArray[np.float64]
FIT = 3.0  # the first eigenvalue must be so many times the second
_FEW_NEGATIVE = 0.05  # share of negative competences that still passes
_ROUNDS = 100_000


@dataclass(frozen=True)
class Answers:
    """Answers as codes (informants, questions), -1 where one is missing; `choices` of every question, in order.

    `alternatives` is L, the number of answers everybody chose among.
    """

    informants: tuple[str, ...]
    questions: tuple[str, ...]
    codes: Ints
    choices: tuple[tuple[str, ...], ...]
    alternatives: int


@dataclass(frozen=True)
class KeyedAnswer:
    """The answer of the culture to one question with its posterior, all posteriors, and what the plain majority says."""

    question: str
    answer: str
    posterior: float
    posteriors: Mapping[str, float]
    majority: str


@dataclass(frozen=True)
class Consensus:
    """Competences D by informant, the eigenvalues, and the answers; `key` is empty where the fit fails and `refused` says why.

    D above 1 is possible (a Heywood case); in the key D is taken within [0, 1).
    """

    answers: Answers
    competence: Floats
    eigenvalues: Floats
    squares: float
    key: tuple[KeyedAnswer, ...]
    refused: tuple[str, ...]

    @property
    def ratio(self) -> float:
        """lambda1 / lambda2; infinite where the second is 0 or less."""
        second = self.eigenvalues[1] if len(self.eigenvalues) > 1 else 0.0
        return float(self.eigenvalues[0] / second) if second > 0 else math.inf

    @property
    def negative(self) -> int:
        return int((self.competence < 0).sum())

    @property
    def fits(self) -> bool:
        return not self.refused


def consensus(answers: Answers) -> Consensus:
    """Competences by minres over the off-diagonal of the corrected matches, the key by Bayes with an even prior over L.

    M*_ij = (L M_ij - 1) / (L - 1) estimates D_i D_j, M_ij being the share of questions both answered alike; the diagonal is
    never used. A key is computed only where lambda1 / lambda2 >= 3 and few competences are negative: a sample of two
    cultures is refused, not averaged. Raises InputRefused for fewer than three informants, a pair without a common question,
    or fewer than two alternatives. Misleads when questions are of unlike difficulty, or when answers were given together.
    """
    _refuse(answers)
    matches = corrected_matches(answers)
    competence = minres(matches)
    filled = matches.copy()
    np.fill_diagonal(filled, competence**2)
    eigenvalues: Floats = np.linalg.eigvalsh(filled)[::-1].astype(np.float64)
    off = ~np.eye(len(competence), dtype=bool)
    squares = float(((matches - np.outer(competence, competence))[off] ** 2).sum() / 2)
    found = Consensus(answers, competence, eigenvalues, squares, (), ())
    reasons = _reasons(found)
    return Consensus(answers, competence, eigenvalues, squares, () if reasons else keyed_answers(answers, competence), reasons)


def _refuse(answers: Answers) -> None:
    if answers.alternatives < 2:
        raise InputRefused(
            Problem("Questions need two alternatives at least.", "alternatives", str(answers.alternatives), "2 or more")
        )
    if len(answers.informants) < 3:
        raise InputRefused(
            Problem("Competences take three informants at least: two have one match, which does not say whose error it is.",
                    "informants", str(len(answers.informants)), "3 or more"))  # fmt: skip
    many = [(question, len(choices)) for question, choices in zip(answers.questions, answers.choices, strict=True)
            if len(choices) > answers.alternatives]  # fmt: skip
    if many:
        raise InputRefused(*(Problem("More different answers were given than there are alternatives.", f"column {question}",
                                     str(count), f"{answers.alternatives} at most") for question, count in many))  # fmt: skip


def corrected_matches(answers: Answers) -> Floats:
    """M*; pairs are matched over the questions both answered, never over filled-in answers."""
    given = answers.codes >= 0
    both = given.astype(np.float64) @ given.T
    if (both == 0).any():
        at = np.argwhere(both == 0)[0]
        pair = f"{answers.informants[at[0]]} and {answers.informants[at[1]]}"
        raise InputRefused(
            Problem("Two informants have no question that both answered.", "answers", pair, "one question at least"))  # fmt: skip
    alike = np.zeros(both.shape)
    for code in range(int(answers.codes.max(initial=0)) + 1):
        chosen = (answers.codes == code).astype(np.float64)
        alike += chosen @ chosen.T
    share, alternatives = alike / both, answers.alternatives
    return (alternatives * share - 1) / (alternatives - 1)


def minres(matches: Floats) -> Floats:
    """D that minimises sum_{i<j} (M_ij - D_i D_j)^2, the diagonal left out, with a mean that is not negative.

    Each D_i in turn is set to its least squares given the others until nothing moves by 1e-13. Comrey 1962; Harman & Jones
    1966. Started from the first eigenvector.
    """
    values, vectors = np.linalg.eigh(matches)
    d = vectors[:, -1] * math.sqrt(max(float(values[-1]), 1e-6))
    for _round in range(_ROUNDS):
        before = d.copy()
        for i in range(len(d)):
            below = float(d @ d) - d[i] ** 2
            d[i] = (float(matches[i] @ d) - matches[i, i] * d[i]) / below if below > 1e-15 else 0.0
        if np.abs(d - before).max() < 1e-13:
            break
    return -d if d.mean() < 0 else d


def _reasons(found: Consensus) -> tuple[str, ...]:
    """Why no key is given; empty where the model fits."""
    told = []
    if found.ratio < FIT:
        told.append(
            f"The first eigenvalue is {found.ratio:.2f} times the second, less than {FIT:.0f}: they may be of two cultures."
        )
    if found.negative > _FEW_NEGATIVE * len(found.competence):
        told.append(f"{found.negative} of {len(found.competence)} competences are negative: they answer against the others.")
    return tuple(told)


def keyed_answers(answers: Answers, competence: Floats) -> tuple[KeyedAnswer, ...]:
    """The answer to every question by Bayes, each informant's answer being known with its D, else guessed among L."""
    clipped = np.clip(competence, 0.0, 1 - 1e-9)
    guess = (1 - clipped) / answers.alternatives
    return tuple(_keyed(answers, at, clipped + guess, guess) for at in range(len(answers.questions)))


def _keyed(answers: Answers, at: int, right: Floats, wrong: Floats) -> KeyedAnswer:
    """P(Z = l | X) by Bayes over all L alternatives, also those nobody chose, each as likely beforehand."""
    column, choices = answers.codes[:, at], answers.choices[at]
    given = column >= 0
    all_wrong = float(np.log(wrong[given]).sum())
    logs = [all_wrong + float((np.log(right) - np.log(wrong))[column == code].sum()) for code in range(len(choices))]
    unchosen = answers.alternatives - len(choices)
    top = max([*logs, all_wrong])
    odds = np.exp(np.array(logs) - top)
    total = odds.sum() + unchosen * math.exp(all_wrong - top)
    posteriors = {choice: float(odd / total) for choice, odd in zip(choices, odds, strict=True)}
    tally = [int((column == code).sum()) for code in range(len(choices))]
    if not any(tally):
        return KeyedAnswer(answers.questions[at], "", math.nan, {}, "")
    best, most = int(np.argmax(odds)), int(np.argmax(tally))
    return KeyedAnswer(answers.questions[at], choices[best], posteriors[choices[best]], posteriors, choices[most])


def answers_of(informants: Sequence[str], questions: Sequence[str], given: Sequence[Sequence[str]],
               alternatives: int | None = None) -> Answers:  # fmt: skip
    """Answers as codes from texts, "" being a missing one; L is the number of different answers seen where none is given."""
    chosen = [{row[at] for row in given if row[at]} for at in range(len(questions))]
    everything = set().union(*chosen)
    alternatives = len(everything) if alternatives is None else alternatives
    shared = len(everything) <= alternatives  # then all questions offer the same answers, also those nobody chose
    choices = tuple(tuple(sorted(everything if shared else one)) for one in chosen)
    place = [{choice: code for code, choice in enumerate(one)} for one in choices]
    codes = np.array([[place[at].get(answer, -1) for at, answer in enumerate(row)] for row in given], dtype=np.int64)
    return Answers(tuple(informants), tuple(questions), codes.reshape(len(informants), len(questions)), choices,
                   alternatives)  # fmt: skip
