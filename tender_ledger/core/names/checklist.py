"""The rows of a taxon list made into a checklist: accepted names, synonyms that lead to them, families; what leads nowhere."""

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace

from tender_ledger.core.limits import LINE
from tender_ledger.core.messages import RowProblem
from tender_ledger.core.names import TaxonName, genera_and_families
from tender_ledger.core.names.scientific import part_name, rank_of
from tender_ledger.core.text import clean, fold

_LEFT_OUT = "The row is left out."


@dataclass(frozen=True)
class TaxonRow:
    """A row of a taxon list under the terms of Darwin Core; all but the line are texts, "" where the list says nothing."""

    line: int
    taxon_id: str = ""
    scientific_name: str = ""
    authorship: str = ""
    rank: str = ""
    family: str = ""
    status: str = ""
    accepted_id: str = ""
    accepted_name: str = ""
    parent_id: str = ""


@dataclass(frozen=True)
class ListedName:
    """A name with the place of its accepted name in the list; None for an accepted one."""

    name: TaxonName
    accepted_at: int | None = None


@dataclass(frozen=True)
class ReadChecklist:
    """The names, accepted ones before synonyms, and what was left out, each with its line."""

    names: tuple[ListedName, ...]
    left_out: tuple[RowProblem, ...]

    @property
    def synonyms(self) -> int:
        return sum(one.accepted_at is not None for one in self.names)

    @property
    def families(self) -> int:
        return len({one.name.family for one in self.names if one.name.family})


def build_checklist(rows: Iterable[TaxonRow]) -> ReadChecklist:
    """Part each name from its authors, follow synonyms to their accepted names and names to their families.

    Left out and told with their lines: a row without a name, a synonym that leads to no accepted name or in a circle, a name
    that was misapplied, a name with the same authors a second time, and a synonym of several accepted names (nothing may
    choose between them). Genera and families of the accepted names are added where the list has no row for them. Source:
    the Darwin Core terms taxonID, scientificName, acceptedNameUsageID, acceptedNameUsage, parentNameUsageID, taxonRank,
    taxonomicStatus (Darwin Core Quick Reference Guide, TDWG; from memory).
    """
    return _Builder(rows).built()


@dataclass
class _Entry:
    row: TaxonRow
    name: TaxonName
    goes_to: "_Entry | None" = field(default=None, repr=False)

    @property
    def key(self) -> tuple[str, str]:
        return self.name.name, self.name.authorship


class _Builder:
    def __init__(self, rows: Iterable[TaxonRow]) -> None:
        self.left_out: list[RowProblem] = []
        self.entries: list[_Entry] = []
        self.by_id: dict[str, _Entry] = {}
        self.by_name: dict[str, list[_Entry]] = defaultdict(list)
        for row in rows:
            self._read(row)

    def _read(self, row: TaxonRow) -> None:
        rank = rank_of(row.rank)
        name, authors = part_name(_without(clean(row.scientific_name), clean(row.authorship)), rank)
        if not name:
            self._leave_out(row, "scientificName", "The name is missing.")
            return
        if max(len(name), len(row.authorship), len(row.family)) > LINE:
            self._leave_out(row, "scientificName", "The name is too long.", name[:40], f"at most {LINE} characters")
            return
        if "misapplied" in row.status.lower():
            self._leave_out(row, "taxonomicStatus", "A misapplied name is no synonym.", row.scientific_name)
            return
        if row.taxon_id and row.taxon_id in self.by_id:
            before = f"a taxonID of its own; line {self.by_id[row.taxon_id].row.line} has it"
            self._leave_out(row, "taxonID", "The taxonID stands twice.", row.taxon_id, before)
            return
        entry = _Entry(row, TaxonName(name, clean(row.authorship) or authors, rank or rank_of("", name), clean(row.family)))
        self.entries.append(entry)
        self.by_name[fold(name)].append(entry)
        if row.taxon_id:
            self.by_id[row.taxon_id] = entry

    def built(self) -> ReadChecklist:
        for entry in self.entries:
            if self._is_synonym(entry.row):
                entry.goes_to = self._accepted_of(entry)
        accepted = self._once([one for one in self.entries if not self._is_synonym(one.row)])
        places = {key: at for at, key in enumerate(accepted)}
        synonyms = self._synonyms(places)
        names = [replace(one.name, family=self._family(one)) for one in accepted.values()]
        above = genera_and_families(names)
        listed = [ListedName(one) for one in (*names, *above)]
        for entry, at in synonyms:
            family = self._family(entry) or names[at].family
            listed.append(ListedName(replace(entry.name, family=family, accepted=names[at].name), at))
        return ReadChecklist(tuple(listed), tuple(sorted(self.left_out, key=lambda one: one.line)))

    def _is_synonym(self, row: TaxonRow) -> bool:
        leads = row.accepted_id not in ("", row.taxon_id) or row.accepted_name not in ("", row.scientific_name)
        return leads or "synonym" in row.status.lower()

    def _accepted_of(self, entry: _Entry) -> _Entry | None:
        """Where a synonym leads in the end; None, and told, where it leads nowhere."""
        found, seen = entry, [entry]
        while self._is_synonym(found.row):
            column, told = ("acceptedNameUsageID", found.row.accepted_id) if found.row.accepted_id not in (
                "", found.row.taxon_id) else ("acceptedNameUsage", found.row.accepted_name)  # fmt: skip
            following = self._named(told) if column == "acceptedNameUsage" else self.by_id.get(told)
            if following is None:
                what = "No one row of the list has the accepted name." if told else "The accepted name is not told."
                self._leave_out(entry.row, column, what, told, "the accepted name, in a row of its own")
                return None
            if following in seen:
                circle = " → ".join(one.name.name for one in (*seen, following))
                self._leave_out(entry.row, column, "The synonym leads in a circle.", circle, "an accepted name at its end")
                return None
            seen.append(following)
            found = following
        return found

    def _named(self, written: str) -> _Entry | None:
        """The one accepted row of a name written out, with or without its authors."""
        name, authors = part_name(clean(written))
        found = [one for one in self.by_name.get(fold(name), ()) if not self._is_synonym(one.row)]
        same = [one for one in found if fold(one.name.authorship) == fold(authors)] or (found if not authors else [])
        return same[0] if len(same) == 1 else None

    def _once(self, entries: Sequence[_Entry]) -> dict[tuple[str, str], _Entry]:
        kept: dict[tuple[str, str], _Entry] = {}
        for entry in entries:
            first = kept.setdefault(entry.key, entry)
            if first is not entry:
                self._leave_out(entry.row, "scientificName", "The name stands twice.", entry.row.scientific_name,
                                f"each accepted name once; line {first.row.line} is kept")  # fmt: skip
        return kept

    def _synonyms(self, places: dict[tuple[str, str], int]) -> list[tuple[_Entry, int]]:
        """The synonyms that lead to one accepted name, each once, with the place of that name."""
        leading: dict[tuple[str, str], list[_Entry]] = defaultdict(list)
        for entry in self.entries:
            if entry.goes_to is not None:
                leading[entry.key].append(entry)
        found = []
        for key, entries in leading.items():
            goals = {one.goes_to.key for one in entries if one.goes_to}
            if key in places:
                self._leave_all_out(entries, "The synonym is an accepted name as well.", "one or the other")
            elif len(goals) > 1:
                several = ", ".join(sorted(name for name, _authors in goals))
                self._leave_all_out(entries, f"The name is a synonym of several accepted names ({several}).", "one")
            else:
                found.append((entries[0], places[goals.pop()]))
        return found

    def _family(self, entry: _Entry) -> str:
        """The family that is told, or the one that a parent is or tells."""
        at: _Entry | None = entry
        seen: set[int] = set()
        while at is not None and at.row.line not in seen:
            if at.name.rank == "family":
                return at.name.name
            if at.name.family:
                return at.name.family
            seen.add(at.row.line)
            at = self.by_id.get(at.row.parent_id)
        return ""

    def _leave_all_out(self, entries: Sequence[_Entry], what: str, expected: str) -> None:
        for one in entries:
            self._leave_out(one.row, "acceptedNameUsage", what, one.row.scientific_name, expected)

    def _leave_out(self, row: TaxonRow, column: str, what: str, found: str = "", expected: str = "") -> None:
        self.left_out.append(RowProblem(row.line, column, what, found, expected, _LEFT_OUT))


def _without(name: str, authors: str) -> str:
    """A name without the authors that stand behind it and are told beside it."""
    return name.removesuffix(authors).strip() if authors and name != authors else name
