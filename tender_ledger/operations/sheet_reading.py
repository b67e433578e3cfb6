"""Reading a sheet that was brought: what is known of it already, what has still to be asked, and the table that it becomes."""

import csv
import hashlib
from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Any

from tender_ledger.core.importing.known import Known
from tender_ledger.core.importing.rows import MENDED_COLUMN, PROBLEM_COLUMN, ReadTable
from tender_ledger.core.messages import InputRefused, Problem
from tender_ledger.core.names import NamesService
from tender_ledger.core.sheets.grid import SheetFile
from tender_ledger.core.sheets.matching import (
    NEW,
    Answer,
    Column,
    KeptMatching,
    Matching,
    complete,
    guess,
    to_keep,
    with_prefix,
)
from tender_ledger.core.sheets.questions import (
    CODED,
    VOCABULARIES,
    Question,
    questions,
    split_lists,
)
from tender_ledger.core.sheets.unfolding import Unfolded, unfold
from tender_ledger.core.terms import Scope
from tender_ledger.formats.isolation import isolated
from tender_ledger.formats.report_table import LISTED, read_rows, table_of_rows
from tender_ledger.formats.sheet_files import ENCODINGS, read_sheet_file
from tender_ledger.storage.models import SheetMatching
from tender_ledger.storage.queries import imports

_SHOWN_ROWS, _SHOWN_COLUMNS, _SHOWN_LETTERS, _EXAMPLES = 12, 40, 60, 3


@dataclass(frozen=True)
class OpenSheet:
    """A sheet that somebody has to look at: what is said of it so far, what it asks, and what is missing."""

    file: SheetFile
    matching: Matching
    unfolded: Unfolded
    asked: tuple[Question, ...]
    missing: str


@dataclass(frozen=True)
class SheetTable:
    """A sheet as a table to import, with what was said of it, what became of its cells, and texts that may become codes."""

    table: ReadTable
    matching: Matching
    notes: tuple[str, ...] = ()
    approved: frozenset[tuple[str, str]] = frozenset()


def read_brought(
    reports: bytes, matching: Matching, known: Known, names: NamesService, before: KeptMatching
) -> SheetTable | OpenSheet:
    """The table of reports as what can be imported, or as a sheet that has to be matched first.

    A file in UTF-8 whose first line is the header of the open use-report table is one already. Raises
    InputRefused for what cannot be read at all.
    """
    if is_open_table(reports):
        return SheetTable(read_rows(reports, matching), matching, approved=_approved(matching))
    file = isolated(read_sheet_file, reports, "the sheet", matching.encoding)
    if max(len(grid.rows) for grid in file.grids) < 2:
        if file.encoding:
            return SheetTable(read_rows(reports), matching)  # which says what is wrong with it
        raise InputRefused(
            Problem(
                "The workbook holds no rows.",
                "the sheet",
                expected="a header, and a row a statement",
            )
        )
    if not matching.columns:
        matching = guess(file.grids, before, matching)
    grid = file.grids[matching.sheet]
    matching = with_prefix(grid, replace(matching, encoding=matching.encoding or file.encoding))
    missing = complete(matching)
    unfolded = unfold(grid, matching)
    if parted := split_lists(matching, unfolded, known):
        matching = matching.with_values(parted)
        unfolded = unfold(grid, matching)
    asked = tuple(questions(unfolded, matching, known, LISTED, names, grid.name))
    if missing or asked or not matching.confirmed or (unfolded.days.to_ask and matching.day_first is None):
        return OpenSheet(file, matching, unfolded, asked, missing)
    columns = [one for one in unfolded.columns if one not in (PROBLEM_COLUMN, MENDED_COLUMN)]
    digest = hashlib.sha256(reports).hexdigest()
    table = table_of_rows(columns, unfolded.rows, unfolded.lines, digest, unfolded.places)
    return SheetTable(table, matching, unfolded.notes, _approved(matching))


def is_open_table(data: bytes) -> bool:
    """Whether a file is the open use-report table itself: UTF-8, its first line the header with informant and category."""
    try:
        first = data.decode("utf-8-sig").split("\n", 1)[0]
        header = [cell.strip() for cell in next(csv.reader([first], delimiter=max(",;\t", key=first.count)), [])]
    except (UnicodeDecodeError, csv.Error):
        return False
    return "informant" in header and "category" in header


def _approved(matching: Matching) -> frozenset[tuple[str, str]]:
    """The texts, by vocabulary, that somebody said are codes of their own."""
    return frozenset(
        (VOCABULARIES.get(name, name), text)
        for name, answers in matching.values.items()
        for text, answer in answers.items()
        if answer.act == NEW
    )


def kept_matching(scope: Scope) -> KeptMatching:
    """What was said of earlier sheets of the study."""
    kept = imports.sheet_matching(scope)
    if kept is None:
        return KeptMatching()
    return KeptMatching(
        {head: Column(*one) for head, one in kept["heads"].items()},
        {name: {text: Answer(*one) for text, one in of_field.items()} for name, of_field in kept["answers"].items()},
        kept["day_first"],
    )


def keep_matching(scope: Scope, matching: Matching) -> None:
    """Keep what serves the next sheet of the study: what heads mean and how codes were written, never who told."""
    if not matching.columns and not matching.values:
        return
    heads, answers = to_keep(matching, CODED)
    kept = imports.sheet_matching(scope) or {"heads": {}, "answers": {}, "day_first": None}
    answers = {name: kept["answers"].get(name, {}) | answers.get(name, {}) for name in {**kept["answers"], **answers}}
    day_first = kept["day_first"] if matching.day_first is None else matching.day_first
    values = {"heads": kept["heads"] | heads, "answers": answers, "day_first": day_first}
    SheetMatching.insert(study_id=scope.study_id, **values).on_conflict(
        conflict_target=[SheetMatching.study_id], update=values
    ).execute()


def sheet_summary(sheet: OpenSheet) -> dict[str, Any]:
    """What the page on which a sheet is matched shows of it."""
    matching, grid = sheet.matching, sheet.file.grids[sheet.matching.sheet]
    unfolded = sheet.unfolded
    first = max(0, min(matching.header - 2, len(grid.rows) - _SHOWN_ROWS))
    shown = range(first, min(first + _SHOWN_ROWS, len(grid.rows)))
    return {
        "sheets": [{"name": one.name, "rows": len(one.rows)} for one in sheet.file.grids],
        "rows": [{"place": at, "line": grid.lines[at], "cells": [_cut(cell) for cell in grid.rows[at][:_SHOWN_COLUMNS]]}
                 for at in shown],
        "width": grid.width,
        "columns": [_column_summary(sheet, at, one) for at, one in enumerate(matching.columns)],
        "encodings": ENCODINGS if sheet.file.encoding else {},
        "doubtful": [_cut(word) for word in sheet.file.doubtful],
        "missing": sheet.missing,
        "asked": [_question_summary(one) for one in sheet.asked],
        "days": _days_summary(sheet),
        "notes": list(unfolded.notes),
        "rows_out": _ranges(matching.rows_out),
    }  # fmt: skip


def _days_summary(sheet: OpenSheet) -> dict[str, Any]:
    """What the days show and what was said of them; `ask` where nobody said it and nothing shows it."""
    said, days = sheet.matching.day_first, sheet.unfolded.days
    first = days.day_first if said is None else said
    return {"open": days.open, "example": days.example, "ask": days.to_ask and said is None, "first": first}


def _ranges(lines: Iterable[int]) -> str:
    """Numbers of rows as they are typed: 3, 140-142."""
    runs: list[list[int]] = []
    for line in sorted(lines):
        if runs and line == runs[-1][-1] + 1:
            runs[-1][1:] = [line]
        else:
            runs.append([line])
    return ", ".join("-".join(map(str, run)) for run in runs)


def _column_summary(sheet: OpenSheet, at: int, column: Column) -> dict[str, Any]:
    grid, header = sheet.file.grids[sheet.matching.sheet], sheet.matching.header
    beneath = range(header + 1, len(grid.rows))
    said = [grid.rows[place] for place in beneath if grid.lines[place] not in sheet.matching.rows_out]
    cells = [row[at] for row in said if at < len(row) and row[at]]
    examples = list(dict.fromkeys(cells[:200]))[:_EXAMPLES]
    return {
        "head": column.head,
        "field": column.field,
        "fill": column.fill,
        "several": column.several,
        "prefix": column.prefix,
        "filled": len(cells),
        "examples": [_cut(text) for text in examples],
    }


def _question_summary(one: Question) -> dict[str, Any]:
    return {
        "field": one.field,
        "text": one.text,
        "count": one.count,
        "proposal": one.proposal,
        "choices": list(one.choices),
        "new": one.may_be_new,
    }


def _cut(text: str) -> str:
    return text if len(text) <= _SHOWN_LETTERS else f"{text[: _SHOWN_LETTERS - 1]}…"


def codes_of_fields(scope: Scope) -> dict[str, list[str]]:
    """The codes of the study by the field of a table that holds them, to choose from."""
    found: dict[str, list[str]] = {name: list(codes) for name, codes in LISTED.items() if name != "basis"}
    fields = {vocabulary: name for name, vocabulary in VOCABULARIES.items()}
    for one in imports.vocabulary(scope):
        if name := fields.get(one["vocabulary"]):
            found.setdefault(name, []).append(one["code"])
    return {name: list(dict.fromkeys(filter(None, codes))) for name, codes in found.items()}
