"""From a few typed letters to the term that was meant. The same ranking serves the server and, mirrored, the pick lists."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from tender_ledger.core.messages import Problem
from tender_ledger.core.text import fold


@dataclass(frozen=True)
class Choice:
    """Something that can be picked: its key, what it is called, its stable code, and how often the study used it."""

    key: int
    label: str
    code: str = ""
    weight: int = 0
    group: int = 0


class Unrecognised(ValueError):
    """The typed text names nothing, or more than one thing. Carries what would have been right."""

    def __init__(self, problem: Problem, near: Sequence[Choice] = ()) -> None:
        super().__init__(str(problem))
        self.problem = problem
        self.near = tuple(near)


def rank(typed: str, choices: Iterable[Choice]) -> list[Choice]:
    """The choices that the typed letters can mean, best first.

    An equal label or code comes before a label that begins so, that before a label one of whose words begins so;
    among equals the one used more often, then the shorter, then the alphabet. Nothing typed means every choice.
    """
    wanted = fold(typed)
    scored = []
    for choice in choices:
        grade = _grade(wanted, fold(choice.label), choice.code.replace("_", " "))
        if grade is not None:
            scored.append((grade, -choice.weight, len(choice.label), choice.label, choice))
    return [row[-1] for row in sorted(scored, key=lambda row: row[:-1])]


def _grade(wanted: str, label: str, code: str) -> int | None:
    if wanted in (label, code):
        return 0
    if label.startswith(wanted):
        return 1
    words = label.replace("(", " ").replace(",", " ").split()
    return 2 if any(word.startswith(wanted) for word in words) else None


def recognise(typed: str, choices: Sequence[Choice], kind: str) -> Choice:
    """The one choice that the text names: an equal label or code, else the only one that it can begin.

    Raises Unrecognised when there is none, or when several fit and none is equal: two readings save neither.
    """
    hits = rank(typed, choices)
    if hits and (len(hits) == 1 or _grade(fold(typed), fold(hits[0].label), hits[0].code.replace("_", " ")) == 0):
        return hits[0]
    if hits:
        listed = ", ".join(choice.label for choice in hits[:4])
        raise Unrecognised(Problem(f"“{typed}” can be {listed}.", kind, remedy="Type a few letters more."), hits[:4])
    some = ", ".join(choice.label for choice in sorted(choices, key=lambda c: (-c.weight, c.label))[:4])
    raise Unrecognised(
        Problem(f"No {kind} is called “{typed}”.", kind, remedy=f"There are {some} and others." if some else "")
    )
