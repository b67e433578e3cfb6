"""What is said when something is wrong: what, where, found, expected, what to do."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Problem:
    """One thing that is wrong with an input; `where` names the field, or the line and column."""

    what: str
    where: str = ""
    found: str = ""
    expected: str = ""
    remedy: str = ""

    def __str__(self) -> str:
        text = f"{self.where}: {self.what}" if self.where else self.what
        if self.found:
            text += f" Found: {self.found}."
        if self.expected:
            text += f" Expected: {self.expected}."
        return f"{text} {self.remedy}".strip()


@dataclass(frozen=True)
class RowProblem:
    """One thing that is wrong with one row of a table: its line and column, what was found there, what would be right."""

    line: int
    column: str
    what: str
    found: str = ""
    expected: str = ""
    remedy: str = ""

    def of(self, table: str) -> Problem:
        """The same, said of a table by its name."""
        column = f", column {self.column}" if self.column else ""
        return Problem(self.what, f"{table}, line {self.line}{column}", self.found, self.expected, self.remedy)


class InputRefused(ValueError):
    """The input cannot be taken. Carries every problem found, not only the first."""

    def __init__(self, *problems: Problem) -> None:
        super().__init__("\n".join(map(str, problems)))
        self.problems = problems


@dataclass(frozen=True)
class StatisticalWarning:
    """A computed result that needs a caution: computed all the same, and told."""

    code: str
    where: str
    message: str
