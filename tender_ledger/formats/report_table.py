"""The open use-report table (reports.csv with informants.csv): read into columns that are counted, or row by row to import."""

import hashlib
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from types import MappingProxyType

import numpy as np

from tender_ledger.core.days import parse_day
from tender_ledger.core.importing.companion_tables import COLUMNS as COMPANION_COLUMNS
from tender_ledger.core.importing.companion_tables import REQUIRED as COMPANION_REQUIRED
from tender_ledger.core.importing.companion_tables import CompanionTables
from tender_ledger.core.importing.rows import MENDED_COLUMN, PROBLEM_COLUMN, FailingRow, ReadTable, RosterEntry, TableRow
from tender_ledger.core.limits import CODE, longest
from tender_ledger.core.messages import InputRefused, Problem, RowProblem
from tender_ledger.core.names.scientific import part_qualifier, usual_rank
from tender_ledger.core.rules import ACTORS, BASES, CURRENCIES, KINDS, OUTCOMES, STANCES
from tender_ledger.core.sheets.matching import Matching
from tender_ledger.core.sheets.unfolding import with_answers
from tender_ledger.core.tally.table import (
    NONE_NAMED,
    UNCODED,
    UNSPECIFIED,
    Informants,
    Ints,
    Listed,
    Plants,
    UseReportTable,
    Uses,
)
from tender_ledger.core.text import control_character, whole_number
from tender_ledger.formats.sheet import Row, Sheet, read_sheet, scan_sheet, write_lines

COLUMNS = ("informant", "community", "informant_kind", "event", "date", "taxon", "plant", "rank", "family", "category",
           "scheme", "subcategory", "use", "part", "preparation", "application", "component", "basis", "stance",
           "outcome", "currency", "attributed_to", "mixture", "role", "local_name", "language", "words", "start", "end",
           "note")  # fmt: skip
ROLES = ("main", "companion", "carrier", "corrective")
# Columns that the application's own tables have beside those of the format.
MORE = ("report", "qualifier", "stage", "season", "harvest", "harvest_effect", "dose", "actor", "for_whom", "phase", "frequency",
        "course", "proportion", "caution_told", "words_language", "cited")  # fmt: skip
QUALIFIERS = ("", "cf", "aff", "sp", "hybrid")
HARVEST_EFFECTS = ("unstated", "none", "light", "part", "whole", "returned")
FOR_WHOM = ("unstated", "adult", "child", "pregnant", "animal", "crop")
_NONE = "none_named"
LISTED = {"basis": BASES, "stance": STANCES, "outcome": OUTCOMES, "currency": CURRENCIES, "informant_kind": KINDS, "role": ROLES,
           "actor": ACTORS, "qualifier": QUALIFIERS, "harvest_effect": HARVEST_EFFECTS, "for_whom": FOR_WHOM}  # fmt: skip
_DEFAULT = {"basis": "unstated", "stance": "affirms", "outcome": "unstated", "currency": "unstated",
            "informant_kind": "holder", "role": "main", "actor": "people",
            "harvest_effect": "unstated", "for_whom": "unstated"}  # fmt: skip
_NO_PLACES: Mapping[int, str] = MappingProxyType({})
_BLANK = {column: _DEFAULT.get(column, "") for column in (*COLUMNS, *MORE)}


def read_report_table(reports: bytes, informants: bytes | None = None) -> UseReportTable:
    """Read the two files into columns. Without informants.csv the roster is whoever appears in the reports.

    Raises InputRefused with every problem, each with line, column, found and expected: an unknown code, an informant
    who is not in informants.csv or stands in two communities, `none_named` without a plant, an impossible date.
    """
    sheet = read_sheet(reports, ("informant", "category"), "reports")
    roster = read_sheet(informants, ("informant", "community"), "informants") if informants is not None else None
    rows = [_with_defaults({column: text for column, text in row.items() if text}) for row in sheet.rows]
    found = [one for line, row in zip(sheet.lines, rows, strict=True) for one in _row_problems(line, row, LISTED)]
    problems = [*(one.of("reports") for one in found), *_roster_problems(roster)]
    if problems:
        raise InputRefused(*problems)
    for line, row in zip(sheet.lines, rows, strict=True):
        if not row["taxon"] and not row["plant"]:  # nobody knows whether it is that of another row, unless both have a name
            row["plant"] = f"name: {row['local_name']}" if row["local_name"] else f"(no name), line {line}"
    people = _informants(sheet, rows, roster)
    return _columns(_one_row_a_report(rows), people, roster is not None)


def _one_row_a_report(rows: Sequence[Row]) -> list[Row]:
    """The rows with those of one report, a row a component, as one that names what all of them name."""
    first: dict[tuple[str, str], Row] = {}
    found = []
    for row in rows:
        before = first.setdefault((row["informant"], row["report"]), row) if row["report"] else row
        if before is row:
            found.append(row)
        for column in ("part", "preparation", "application") if before is not row else ():
            before[column] = ";".join(filter(None, (before[column], row[column])))
    return found


def _with_defaults(cells: Row) -> Row:
    """The filled cells of a row with what stands for the others, all columns of the format among them."""
    full = _BLANK | cells
    if full["basis"] == "practised":
        full["basis"] = "own"
    full["event"] = full["event"] or f"(of {full['informant']})"
    full["taxon"], qualifier = part_qualifier(full["taxon"])
    full["qualifier"] = full["qualifier"].removesuffix(".") or qualifier
    full["rank"] = full["rank"] or usual_rank(full["taxon"])
    full["use"] = full["use"] or full["subcategory"] or full["category"]
    return full


def _row_problems(line: int, row: Row, listed: Mapping[str, Sequence[str]]) -> Iterable[RowProblem]:
    if not row["informant"]:
        yield RowProblem(line, "informant", "No informant is named.", expected="a code")
    for column, allowed in listed.items():
        if row[column] not in allowed:
            yield RowProblem(line, column, "The code is not known.", row[column], ", ".join(allowed))
    if row["category"] == _NONE and not (row["taxon"] or row["plant"]):
        what = "“none_named” must say which plant was asked about."
        yield RowProblem(line, "category", what, "no taxon and no plant", "one of them")
    yield from _day_problems(line, row)


def _day_problems(line: int, row: Row) -> Iterable[RowProblem]:
    if row["date"]:
        try:
            parse_day(row["date"])
        except InputRefused as refused:
            yield from (RowProblem(line, "date", one.what, one.found, one.expected, one.remedy) for one in refused.problems)


def read_companion_tables(tables: Mapping[str, bytes]) -> CompanionTables:
    """Read the tables beside reports.csv, by their names without the ending, as rows that an import plans.

    Raises InputRefused with every problem: a table or column that is none, one that is missing, no day where one should stand.
    """
    problems = [
        Problem("There is no table of this name.", f"{name}.csv", name, ", ".join(COMPANION_COLUMNS))
        for name in tables
        if name not in COMPANION_COLUMNS
    ]
    found: dict[str, list[TableRow]] = {}
    for name, columns in COMPANION_COLUMNS.items():
        if name not in tables:
            continue
        try:
            sheet = read_sheet(tables[name], COMPANION_REQUIRED[name], name)
        except InputRefused as refused:
            problems += refused.problems
            continue
        unknown = [column for column in sheet.columns if column not in columns]
        problems += [Problem("The table has no such column.", f"{name}, line 1", one, ", ".join(columns)) for one in unknown]
        for line, row in zip(sheet.lines, sheet.rows, strict=True):
            cells = {column: text for column, text in row.items() if text and column in columns}
            full = _with_defaults(cells) | {column: cells.get(column, "") for column in columns if column not in _BLANK}
            problems += [one.of(name) for one in _further_problems(line, full, cells)]
            found.setdefault(name, []).append(TableRow(line, cells, full))
    if problems:
        raise InputRefused(*problems)
    return found


def _further_problems(line: int, row: Row, cells: Row) -> Iterable[RowProblem]:
    yield from _day_problems(line, row)
    if row["informant_kind"] not in KINDS:
        yield RowProblem(line, "informant_kind", "The code is not known.", row["informant_kind"], ", ".join(KINDS))
    yield from _text_problems(line, cells)


def _text_problems(line: int, cells: Row) -> Iterable[RowProblem]:
    """Cells that no column takes: with control characters, or longer than texts of their name are."""
    for column, text in cells.items():
        if len(text) <= CODE and text.isascii() and text.isprintable():  # most cells, and much quicker
            continue
        if wrong := control_character(text):
            yield RowProblem(line, column, f"The cell holds the control character {wrong}.", remedy="Take it out.")
        if len(text) > longest(column):
            found, expected = f"{len(text):,} characters", f"at most {longest(column):,}"
            yield RowProblem(line, column, "The cell is too long.", found, expected)


def read_rows(reports: bytes, matching: Matching | None = None) -> ReadTable:
    """Read a table to import it: what is wrong with a row leaves the others alone. What was said of its values stands for them.

    Raises InputRefused for what spoils the whole: no UTF-8, no header, a column twice or missing, broken quoting.
    """
    sheet, misfits = scan_sheet(reports, ("informant", "category"), "reports")
    columns = tuple(column for column in sheet.columns if column not in (PROBLEM_COLUMN, MENDED_COLUMN))
    rows: Sequence[Row] = sheet.rows
    lines: Sequence[int] = sheet.lines
    if matching and matching.values:
        rows, lines = with_answers(rows, lines, matching)
        columns = tuple(dict.fromkeys((*columns, *(name for row in rows for name in row))))
        columns = tuple(column for column in columns if column not in (PROBLEM_COLUMN, MENDED_COLUMN))
    table = table_of_rows(columns, rows, lines, hashlib.sha256(reports).hexdigest())
    lead = len(sheet.columns) - len(columns)  # the columns in front of a table of failing rows
    failing = [FailingRow(one.line, one.cells[lead:], (one.problem,), "".join(one.cells[1:lead])) for one in misfits]
    return replace(table, failing=(*table.failing, *failing))


def table_of_rows(
    columns: Sequence[str],
    rows: Sequence[Mapping[str, str]],
    lines: Sequence[int],
    sha256: str,
    places: Mapping[int, str] = _NO_PLACES,
) -> ReadTable:
    """Rows of cells by column as a table to import; `lines` numbers them, each once, and `sha256` is that of the file.

    `places` says where in their file rows stand that have another number there.
    """
    listed = {column: allowed for column, allowed in LISTED.items() if column != "basis"}  # a study can have its own grounds
    taken, failing = [], []
    for line, cells_there in zip(lines, rows, strict=True):
        cells = {column: text for column, text in cells_there.items() if text and column in columns}
        row = TableRow(line, cells, _with_defaults(cells), cells_there.get(MENDED_COLUMN, ""))
        problems = (*_row_problems(line, dict(row.full), listed), *_text_problems(line, cells))
        if problems:
            failing.append(FailingRow(line, tuple(cells.get(one, "") for one in columns), problems, row.mended))
        else:
            taken.append(row)
    return ReadTable(tuple(columns), tuple(taken), tuple(failing), sha256, places)


def write_failing(table: ReadTable, failing: Sequence[FailingRow]) -> bytes:
    """The failing rows as a table of the same columns, with what is wrong in front; mended, it can be imported."""
    lines = [
        ("; ".join(str(problem.of("reports")) for problem in row.problems), row.mended or f"{table.sha256[:16]}:{row.line}",
         *row.cells)
        for row in sorted(failing, key=lambda row: row.line)
    ]  # fmt: skip
    return write_lines((PROBLEM_COLUMN, MENDED_COLUMN, *table.columns), lines)


_GENDERS = {"": "unstated", "unstated": "unstated", "woman": "woman", "female": "woman", "f": "woman", "man": "man",
            "male": "man", "m": "man", "other": "other"}  # fmt: skip
_CHOSEN = ("unstated", "random", "snowball", "purposive", "all")


def read_roster(informants: bytes) -> list[RosterEntry]:
    """Read informants.csv to import it. It fixes N, so anything wrong in it refuses the whole: InputRefused says all of it."""
    sheet = read_sheet(informants, ("informant", "community"), "informants")
    problems = [*_roster_problems(sheet)]
    entries = []
    for line, row in zip(sheet.lines, sheet.rows, strict=True):
        gender, chosen, birth = row.get("gender", "").lower(), row.get("chosen", "") or "unstated", row.get("birth_year", "")
        if gender not in _GENDERS:
            problems.append(RowProblem(line, "gender", "The code is not known.", gender, "woman, man, other").of("informants"))
        if chosen not in _CHOSEN:
            problems.append(RowProblem(line, "chosen", "The code is not known.", chosen, ", ".join(_CHOSEN)).of("informants"))
        if birth and not (whole_number(birth, 2100) or 0) >= 1850:
            problems.append(RowProblem(line, "birth_year", "This is no year of birth.", birth, "1850 to 2100").of("informants"))
        if not problems:
            kind = row.get("kind") or "holder"
            year = int(birth) if birth else None
            entries.append(RosterEntry(line, row["informant"], row["community"], kind, _GENDERS[gender], year, chosen))
    if problems:
        raise InputRefused(*problems)
    return entries


def _roster_problems(roster: Sheet | None) -> Iterable[Problem]:
    for line, row in zip(roster.lines, roster.rows, strict=True) if roster else ():
        if not row["informant"]:
            yield Problem("No informant is named.", f"informants, line {line}, column informant", expected="a code")
        if row.get("kind") and row["kind"] not in KINDS:
            yield Problem("The code is not known.", f"informants, line {line}, column kind", row["kind"], ", ".join(KINDS))


def _informants(sheet: Sheet, rows: Sequence[Row], roster: Sheet | None) -> Informants:
    found: dict[str, tuple[str, str]] = {}
    problems: list[Problem] = []
    for line, row in zip(roster.lines, roster.rows, strict=True) if roster else ():
        kind = row.get("kind") or "holder"
        if found.setdefault(row["informant"], (row["community"], kind)) != (row["community"], kind):
            problems.append(_two_communities(f"informants, line {line}", row["informant"], found, row["community"]))
    for line, row in zip(sheet.lines, rows, strict=True):
        code, community, kind = row["informant"], row["community"], row["informant_kind"]
        if roster is None:
            found.setdefault(code, (community, kind))
        elif code not in found and kind == "source":  # nobody interviewed it: it stands in no list of those who were
            found[code] = (community, kind)
        elif code not in found:
            problems.append(
                Problem("The informant is not in informants.csv, which fixes N.", f"reports, line {line}, column informant",
                        code, "a code of informants.csv"))  # fmt: skip
            continue
        if community and community != found[code][0]:
            problems.append(_two_communities(f"reports, line {line}", code, found, community))
    if problems:
        raise InputRefused(*problems)
    communities = sorted({community for community, _ in found.values() if community})
    place = {name: at for at, name in enumerate(communities)}
    ordered = sorted(found)
    return Informants(
        tuple(ordered),
        np.array([place.get(found[code][0], -1) for code in ordered], dtype=np.int64),
        np.array([found[code][1] == "source" for code in ordered], dtype=bool),
        tuple(communities),
    )


def _two_communities(where: str, code: str, found: Mapping[str, tuple[str, str]], community: str) -> Problem:
    return Problem(f"The informant {code} stands in two communities.", f"{where}, column community", community,
                   found[code][0] or "none", "Two people need two codes; nobody is merged silently.")  # fmt: skip


def _plant_key(row: Row) -> tuple[str, str, str]:
    """What tells one plant of a table from another: its taxon, its label, and what doubts the taxon."""
    return row["taxon"], row["plant"], row["qualifier"]


_DOUBTS = {"cf": "cf.", "aff": "aff."}  # as a counted taxon of its own is written


def _columns(rows: Sequence[Row], people: Informants, roster_given: bool) -> UseReportTable:
    plants = sorted({_plant_key(row) for row in rows})
    first = {_plant_key(row): row for row in reversed(rows)}
    coded = [row for row in rows if row["category"] and row["category"] != _NONE]
    categories = sorted({row["category"] for row in coded})
    uses = sorted({(row["category"], row["use"]) for row in coded})
    subcategories = sorted({row["subcategory"] for row in rows} - {""})
    schemes = list(dict.fromkeys(row["scheme"] for row in coded if row["scheme"]))
    special = {"": UNCODED, _NONE: NONE_NAMED}
    events = sorted({row["event"] for row in rows})
    category_of = {name: at for at, name in enumerate(categories)} | special
    use_of = {key: at for at, key in enumerate(uses)}
    return UseReportTable(
        informants=people,
        plants=Plants(
            tuple(plant for _taxon, plant, _qualifier in plants),
            tuple(taxon for taxon, _plant, _qualifier in plants),
            tuple(first[key]["rank"] for key in plants),
            tuple(first[key]["family"] for key in plants),
            tuple(_DOUBTS.get(qualifier, "") for _taxon, _plant, qualifier in plants),
        ),
        categories=tuple(categories),
        uses=Uses(np.array([category_of[c] for c, _ in uses], dtype=np.int64), tuple(label for _, label in uses)),
        events=len(events),
        informant=_codes((row["informant"] for row in rows), people.codes),
        event=_codes((row["event"] for row in rows), events),
        plant=_codes((_plant_key(row) for row in rows), plants),
        category=np.array([category_of[row["category"]] for row in rows], dtype=np.int64),
        use=np.array([use_of.get((row["category"], row["use"]), -1) for row in rows], dtype=np.int64),
        basis=_codes((row["basis"] for row in rows), BASES),
        stance=_codes((row["stance"] for row in rows), STANCES),
        outcome=_codes((row["outcome"] for row in rows), OUTCOMES),
        currency=_codes((row["currency"] for row in rows), CURRENCIES),
        mixture=_codes((row["mixture"] for row in rows), ["", *sorted({r["mixture"] for r in rows} - {""})]),
        minor_role=np.array([row["role"] in ("carrier", "corrective") for row in rows], dtype=bool),
        by_animal=np.array([row["actor"] == "animal" for row in rows], dtype=bool),
        scheme=_codes((row["scheme"] or (schemes or [""])[0] for row in rows), schemes or [""]),
        schemes=tuple(schemes),
        subcategory=_codes((row["subcategory"] for row in rows), ["", *subcategories]) - 1,
        subcategories=tuple(subcategories),
        parts=_listed(row["part"] for row in rows),
        preparations=_listed(row["preparation"] for row in rows),
        roster_given=roster_given,
    )


def _listed(cells: Iterable[str]) -> Listed:
    """Cells of several codes, parted by semicolons; one that stands twice in a cell is one."""
    told = [dict.fromkeys(code for part in cell.split(";") if (code := part.strip()) and code != UNSPECIFIED) for cell in cells]
    labels = sorted({code for codes in told for code in codes})
    place = {code: at for at, code in enumerate(labels)}
    pairs = np.array([(row, place[code]) for row, codes in enumerate(told) for code in codes], dtype=np.int64).reshape(-1, 2)
    return Listed(pairs[:, 0], pairs[:, 1], tuple(labels))


def _codes(values: Iterable[object], labels: Sequence[object]) -> Ints:
    place = {label: at for at, label in enumerate(labels)}
    return np.array([place[value] for value in values], dtype=np.int64)
