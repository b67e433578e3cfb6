"""The open use-report table (reports.csv with informants.csv) and its reading into the columns that are counted."""

from collections.abc import Iterable, Mapping, Sequence

import numpy as np

from tender_ledger.core.days import parse_day
from tender_ledger.core.messages import InputRefused, Problem
from tender_ledger.core.rules import BASES, CURRENCIES, KINDS, OUTCOMES, STANCES
from tender_ledger.core.tally.table import NONE_NAMED, UNCODED, Informants, Ints, Plants, UseReportTable, Uses
from tender_ledger.formats.sheet import Row, Sheet, read_sheet

COLUMNS = ("informant", "community", "informant_kind", "event", "date", "taxon", "plant", "rank", "family", "category",
           "scheme", "subcategory", "use", "part", "preparation", "application", "component", "basis", "stance",
           "outcome", "currency", "attributed_to", "mixture", "role", "local_name", "language", "words", "start", "end",
           "note")  # fmt: skip
ROLES = ("main", "companion", "carrier", "corrective")
_NONE = "none_named"
_LISTED = {"basis": BASES, "stance": STANCES, "outcome": OUTCOMES, "currency": CURRENCIES, "informant_kind": KINDS, "role": ROLES}
_DEFAULT = {"basis": "unstated", "stance": "affirms", "outcome": "unstated", "currency": "unstated",
            "informant_kind": "holder", "role": "main"}  # fmt: skip


def read_report_table(reports: bytes, informants: bytes | None = None) -> UseReportTable:
    """Read the two files into columns. Without informants.csv the roster is whoever appears in the reports.

    Raises InputRefused with every problem, each with line, column, found and expected: an unknown code, an informant
    who is not in informants.csv or stands in two communities, `none_named` without a plant, an impossible date.
    """
    sheet = read_sheet(reports, ("informant", "category"), "reports")
    roster = read_sheet(informants, ("informant", "community"), "informants") if informants is not None else None
    rows = [_with_defaults(row) for row in sheet.rows]
    problems = [*_row_problems(sheet, rows), *_roster_problems(roster)]
    if problems:
        raise InputRefused(*problems)
    people = _informants(sheet, rows, roster)
    return _columns(rows, people, roster is not None)


def _with_defaults(row: Row) -> Row:
    full = {column: row.get(column, "") or _DEFAULT.get(column, "") for column in COLUMNS}
    if full["basis"] == "practised":
        full["basis"] = "own"
    full["event"] = full["event"] or f"(of {full['informant']})"
    full["use"] = full["use"] or full["subcategory"] or full["category"]
    return full


def _row_problems(sheet: Sheet, rows: Sequence[Row]) -> Iterable[Problem]:
    for line, row in zip(sheet.lines, rows, strict=True):
        at = f"reports, line {line}"
        if not row["informant"]:
            yield Problem("No informant is named.", f"{at}, column informant", expected="a code")
        for column, allowed in _LISTED.items():
            if row[column] not in allowed:
                yield Problem("The code is not known.", f"{at}, column {column}", row[column], ", ".join(allowed))
        if row["category"] == _NONE and not (row["taxon"] or row["plant"]):
            yield Problem("“none_named” must say which plant was asked about.", f"{at}, column category",
                          "no taxon and no plant", "one of them")  # fmt: skip
        if row["date"]:
            yield from _date_problems(row["date"], f"{at}, column date")


def _date_problems(text: str, where: str) -> Iterable[Problem]:
    try:
        parse_day(text, where)
    except InputRefused as refused:
        yield from refused.problems


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


def _columns(rows: Sequence[Row], people: Informants, roster_given: bool) -> UseReportTable:
    plants = sorted({(row["taxon"], row["plant"]) for row in rows})
    first = {(row["taxon"], row["plant"]): row for row in reversed(rows)}
    coded = [row for row in rows if row["category"] and row["category"] != _NONE]
    categories = sorted({row["category"] for row in coded})
    uses = sorted({(row["category"], row["use"]) for row in coded})
    schemes = list(dict.fromkeys(row["scheme"] for row in coded if row["scheme"]))
    special = {"": UNCODED, _NONE: NONE_NAMED}
    events = sorted({row["event"] for row in rows})
    category_of = {name: at for at, name in enumerate(categories)} | special
    use_of = {key: at for at, key in enumerate(uses)}
    return UseReportTable(
        informants=people,
        plants=Plants(
            tuple(plant for _, plant in plants),
            tuple(taxon for taxon, _ in plants),
            tuple(first[key]["rank"] or "species" for key in plants),
            tuple(first[key]["family"] for key in plants),
        ),
        categories=tuple(categories),
        uses=Uses(np.array([category_of[c] for c, _ in uses], dtype=np.int64), tuple(label for _, label in uses)),
        events=len(events),
        informant=_codes((row["informant"] for row in rows), people.codes),
        event=_codes((row["event"] for row in rows), events),
        plant=_codes(((row["taxon"], row["plant"]) for row in rows), plants),
        category=np.array([category_of[row["category"]] for row in rows], dtype=np.int64),
        use=np.array([use_of.get((row["category"], row["use"]), -1) for row in rows], dtype=np.int64),
        basis=_codes((row["basis"] for row in rows), BASES),
        stance=_codes((row["stance"] for row in rows), STANCES),
        outcome=_codes((row["outcome"] for row in rows), OUTCOMES),
        currency=_codes((row["currency"] for row in rows), CURRENCIES),
        mixture=_codes((row["mixture"] for row in rows), ["", *sorted({r["mixture"] for r in rows} - {""})]),
        minor_role=np.array([row["role"] in ("carrier", "corrective") for row in rows], dtype=bool),
        scheme=_codes((row["scheme"] or (schemes or [""])[0] for row in rows), schemes or [""]),
        schemes=tuple(schemes),
        roster_given=roster_given,
    )


def _codes(values: Iterable[object], labels: Sequence[object]) -> Ints:
    place = {label: at for at, label in enumerate(labels)}
    return np.array([place[value] for value in values], dtype=np.int64)
