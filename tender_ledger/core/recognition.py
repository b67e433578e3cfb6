"""From a few typed letters to the term that was meant. The same ranking serves the server and, mirrored, the pick lists."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from difflib import get_close_matches

from tender_ledger.core.messages import Problem
from tender_ledger.core.text import fold


@dataclass(frozen=True)
class Choice:
    """Something that can be picked: its key, what it is called, its stable code and two-letter code, its parent, its uses.

    Two choices of one key are two names of one thing.
    """

    key: int
    label: str
    code: str = ""
    short: str = ""
    group: int = 0
    weight: int = 0


_NEAR = 0.6  # of the letters that two spellings share in order, as difflib counts them


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
    return [choice for _, choice in _ranked(typed, choices)]


def _ranked(typed: str, choices: Iterable[Choice]) -> list[tuple[int, Choice]]:
    wanted = fold(typed)
    graded = [(_grade(wanted, choice), choice) for choice in choices]
    fits = [(grade, choice) for grade, choice in graded if grade is not None]
    return sorted(fits, key=lambda fit: (fit[0], -fit[1].weight, len(fit[1].label), fit[1].label))


def _grade(wanted: str, choice: Choice) -> int | None:
    label = fold(choice.label)
    if wanted in (label, choice.code, choice.code.replace("_", " "), fold(choice.short)):
        return 0
    if label.startswith(wanted):
        return 1
    words = label.replace("(", " ").replace(",", " ").split()
    return 2 if any(word.startswith(wanted) for word in words) else None


def recognise(typed: str, choices: Sequence[Choice], kind: str) -> Choice:
    """The one choice that the text names: an equal label or code, else the only one that it can begin.

    Raises Unrecognised when there is none, or when several fit and not just one is equal: two readings save neither.
    """
    ranked = _ranked(typed, choices)
    equal = [choice for grade, choice in ranked if grade == 0]
    for hits in (equal, [choice for _, choice in ranked]):
        if len({choice.key for choice in hits}) == 1:
            return hits[0]
        if hits:
            raise Unrecognised(two_readings(typed, hits, kind), hits[:4])
    near = nearest(typed, choices)
    some = ", ".join(choice.label for choice in near or sorted(choices, key=lambda c: (-c.weight, c.label))[:4])
    remedy = f"Near it: {some}." if near else f"There are {some} and others." if some else ""
    raise Unrecognised(Problem(f"No {kind} is called “{typed}”.", kind, remedy=remedy), near)


def nearest(typed: str, choices: Iterable[Choice], most: int = 4) -> list[Choice]:
    """The choices that are spelt most like what was typed, the nearest first; none where nothing is near."""
    by_label = {fold(choice.label): choice for choice in choices}
    found = get_close_matches(fold(typed), by_label, n=most, cutoff=_NEAR)
    return list({by_label[label].key: by_label[label] for label in found}.values())


def two_readings(typed: str, hits: Sequence[Choice], kind: str) -> Problem:
    """What is wrong with a text that several choices fit: the first of them by name."""
    labels = [choice.label for choice in hits[:4]]
    if len(set(labels)) < len(labels):
        labels = [f"{choice.label} {choice.code.upper()}" for choice in hits[:4]]
    return Problem(f"“{typed}” can be {', '.join(labels)}.", kind, remedy="Type a few letters more.")
