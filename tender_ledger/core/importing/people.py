"""Informants and communities of an imported table: one code is one person, in one community."""

import re
from collections.abc import Sequence

from tender_ledger.core.importing.known import Known, NewInformant
from tender_ledger.core.importing.rows import ReadTable, RosterEntry, TableRow
from tender_ledger.core.messages import InputRefused, RowProblem
from tender_ledger.core.text import fold

_CODE = re.compile(r"[A-Z][A-Z0-9-]{0,31}$")
_EXPECTED = "a letter, then letters, digits or hyphens, such as ONS-07"


class PeopleOfTable:
    """Says of every row who told it; new people and communities enter the plan with the first row of theirs that lands."""

    def __init__(self, table: ReadTable, roster: Sequence[RosterEntry] | None, known: Known, communities: dict[str, str],
                 informants: dict[str, NewInformant]) -> None:  # fmt: skip
        self.known, self.communities, self.informants = known, communities, informants
        self.said: list[str] = []
        self.folds: dict[str, str] = {}
        self.spelled: dict[str, str] = {}
        self.found: dict[str, NewInformant] = {}
        self.named: dict[str, tuple[str, str]] = {}  # folded text of a community -> (code, text)
        self.rostered: dict[str, RosterEntry] | None = None if roster is None else {}
        self.interviewed: list[str] = []
        self.clear: dict[tuple[str, str, str], str] = {}  # what rows said of somebody without contradiction -> the code
        for row in table.rows:
            if (code := row.full["informant"].upper()) and row.full["community"]:
                self.spelled.setdefault(code, row.full["informant"])
                self.found.setdefault(code, NewInformant(row.full["community"], row.full["informant_kind"] == "source"))
        if roster is not None:
            self._take_roster(roster)

    def _take_roster(self, roster: Sequence[RosterEntry]) -> None:
        problems: list[RowProblem] = []
        rostered = self.rostered = {}
        for entry in roster:
            code = entry.informant.upper()
            first = rostered.setdefault(code, entry)
            if not self._same(first.community, entry.community) or first.kind != entry.kind:
                problems.append(_two_communities(entry.line, code, entry.community, first.community))
                continue
            met = self.known.informants.get(code)
            community = self._community(entry.line, entry.community, problems, is_source=entry.kind == "source")
            if not _CODE.match(code):
                problems.append(RowProblem(entry.line, "informant", "This is no code.", entry.informant, _EXPECTED))
            elif met and (met.community, met.is_source) != (community, entry.kind == "source"):
                problems.append(_two_communities(entry.line, code, entry.community, met.community))
            self.spelled[code] = entry.informant
            self.found[code] = NewInformant(entry.community, entry.kind == "source", entry.gender, entry.birth_year, entry.chosen)
        if problems:
            raise InputRefused(*(one.of("informants") for one in problems))
        for code in rostered:
            if code not in self.known.informants:
                self.enter(code)
            self.interviewed.append(code)

    def silent(self, told: set[str]) -> list[str]:
        """New people of the roster of whom no row landed: interviewed all the same."""
        return [code for code in self.interviewed if code in self.informants and code not in told]

    def take(self, row: TableRow, problems: list[RowProblem]) -> str:
        """The code of who told the row; what is wrong with it is added to the problems."""
        said = (row.full["informant"], row.full["community"], row.cells.get("informant_kind", ""))
        if said not in self.clear:
            found: list[RowProblem] = []
            code = self._take(row, found)
            if found:
                problems += found
                return code
            self.clear[said] = code
        return self.clear[said]

    def cited(self, row: TableRow, problems: list[RowProblem]) -> str:
        """The code of the written source that a row cites, "" for none; what is wrong with it is added to the problems."""
        text = row.full["cited"]
        code = text.upper()
        if not code:
            return ""
        met = self.known.informants.get(code)
        if not _CODE.match(code):
            problems.append(RowProblem(row.line, "cited", "This is no code.", text, _EXPECTED))
        elif not (met.is_source if met else self.found.setdefault(code, NewInformant("", True)).is_source):
            problems.append(RowProblem(row.line, "cited", "A holder is no written source.", text, "the code of a source"))
        return code

    def _take(self, row: TableRow, problems: list[RowProblem]) -> str:
        text, line = row.full["informant"], row.line
        code, is_source = text.upper(), row.full["informant_kind"] == "source"
        if not _CODE.match(code):
            problems.append(RowProblem(line, "informant", "This is no code.", text, _EXPECTED))
            return code
        if self.spelled.setdefault(code, text) != text:
            other = self.spelled[code]
            problems.append(RowProblem(line, "informant", f"{text} and {other} would be one person.", text, other,
                                       "Two people need two codes."))  # fmt: skip
        if met := self.known.informants.get(code):
            self._check_known(row, code, problems)
            if not met.may_record:
                problems.append(RowProblem(line, "informant", "Nothing may be recorded of this holder: the terms of today do not "
                                           "allow it.", code, remedy="Ask first, and record the answer."))  # fmt: skip
            return code
        if self.rostered is not None and code not in self.rostered and not is_source:
            what = "The informant is neither in informants.csv, which fixes N, nor in the study."
            problems.append(RowProblem(line, "informant", what, text, "a code of informants.csv"))
            return code
        first = self.found.setdefault(code, NewInformant(row.full["community"], is_source))
        if row.full["community"] and not self._same(row.full["community"], first.community):
            problems.append(_two_communities(line, code, row.full["community"], first.community))
        if row.cells.get("informant_kind") and is_source != first.is_source:
            problems.append(RowProblem(line, "informant_kind", f"{code} is a holder in one row and a source in another.",
                                       row.full["informant_kind"], "source" if first.is_source else "holder"))  # fmt: skip
        self._community(line, first.community, problems, is_source=first.is_source)
        return code

    def _check_known(self, row: TableRow, code: str, problems: list[RowProblem]) -> None:
        met, text = self.known.informants[code], row.full["community"]
        if text and self.known.communities.get(self._fold(text)) != met.community:
            problems.append(_two_communities(row.line, code, text, met.community))
        if row.cells.get("informant_kind") and (row.full["informant_kind"] == "source") != met.is_source:
            problems.append(RowProblem(row.line, "informant_kind", f"{code} is another kind of informant in the study.",
                                       row.full["informant_kind"], "source" if met.is_source else "holder"))  # fmt: skip

    def _same(self, text: str, other: str) -> bool:
        """Whether two texts name one community."""
        return (
            text == other
            or self._fold(text) == self._fold(other)
            or (
                self._fold(text) in self.known.communities
                and self.known.communities[self._fold(text)] == self.known.communities.get(self._fold(other))
            )
        )

    def _fold(self, text: str) -> str:
        if text not in self.folds:
            self.folds[text] = fold(text)
        return self.folds[text]

    def of(self, code: str) -> NewInformant:
        """Who a code is: of the study, or planned."""
        if met := self.known.informants.get(code):
            return NewInformant(met.community, met.is_source)
        return self.informants[code]

    def enter(self, code: str) -> None:
        """Take a new person, and a new community of theirs, into the plan."""
        if code in self.known.informants or code in self.informants:
            return
        found = self.found[code]
        community = self._community(0, found.community, [], is_source=found.is_source)
        if community and community not in self.known.community_names:
            self.communities.setdefault(community, self.named[self._fold(found.community)][1])
        self.informants[code] = NewInformant(community, found.is_source, found.gender, found.birth_year, found.chosen)

    def _community(self, line: int, text: str, problems: list[RowProblem], *, is_source: bool) -> str:
        """The code of a community of the study or of a new one; "" with a problem where there is none to be had."""
        there = self.known.community_names
        if not text:
            if is_source:
                return ""
            if len(there) == 1:
                return next(iter(there))
            expected = "one of " + ", ".join(there) if there else "a community: the study has none yet"
            problems.append(RowProblem(line, "community", "The community is not named.", expected=expected))
            return ""
        if known := self.known.communities.get(self._fold(text)):
            return known
        if self._fold(text) not in self.named:
            self.named[self._fold(text)] = (re.sub(r"[^A-Z0-9]+", "-", self._fold(text).upper()).strip("-"), text)
        code = self.named[self._fold(text)][0]
        taken = code in there or any(one == code and of != self._fold(text) for of, (one, _) in self.named.items())
        if taken or not _CODE.match(code):
            problems.append(RowProblem(line, "community", "No code can be made of this community.", text,
                                       "a code or name of a community of the study, or a new code such as ONS"))  # fmt: skip
        return code


def _two_communities(line: int, code: str, found: str, other: str) -> RowProblem:
    return RowProblem(line, "community", f"The informant {code} stands in two communities.", found, other or "none",
                      "Two people need two codes; nobody is merged silently.")  # fmt: skip
