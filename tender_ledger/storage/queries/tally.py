"""Report rows as columns: one statement, under the terms, as fast as the server can hand them over."""

from collections.abc import Collection, Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from tender_ledger.core.messages import InputRefused, Problem
from tender_ledger.core.rules import BASES, CURRENCIES, OUTCOMES, STANCES, CountingRules
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
from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import database, rows
from tender_ledger.storage.queries.plants import counted_plants
from tender_ledger.storage.queries.studies import schemes, study, terms
from tender_ledger.storage.queries.terms import TERMS, allowed, counts_in_part, parameters, report_allowed, telling_allowed

DEFAULTS = CountingRules()
PLANT_COLUMNS = ("label", "taxon", "rank", "family", "qualifier", "foreign")
COLUMNS = ("informant", "encounter", "plant", "category", "use", "basis", "stance", "outcome")


def read_columns(scope: Scope, rules: CountingRules = DEFAULTS, *, plant_ids: list[int] | None = None,
                 with_ids: bool = False) -> dict[str, Ints]:  # fmt: skip
    """The columns of the reports whose informants the scope allows, as arrays of database numbers.

    `use` is a purpose's number, or minus a subcategory's, or 0 where a report has neither; a category is 0 where it is
    uncoded. Columns leave the server as packed big-endian integers, one value a column, in one order for all. The rules say
    the scheme, and which columns are needed that most do not take.
    """
    expressions = {
        "informant": "r.informant_id", "encounter": "r.encounter_id", "plant": "r.plant_id",
        "category": "coalesce(k.category_id, 0)", "use": "coalesce(k.purpose_id, -k.subcategory_id, 0)",
        "basis": "r.basis_id", "stance": "r.stance_id", "outcome": "r.outcome_id",
    }  # fmt: skip
    rare = _rarely_used(scope)
    expressions |= _rare_columns(rare)
    if rules.level != "category":
        expressions["subcategory"] = "coalesce(k.subcategory_id, 0)"
    primary = "AND k.is_primary"
    if rules.secondary_codes == "count":
        primary, expressions = "", {**expressions, "secondary": "(NOT coalesce(k.is_primary, true))::int"}
    mixtures = _MIXTURES if rare["mixture"] else ""
    if with_ids:
        expressions["row"] = "r.id"
    packed = ", ".join(f"string_agg(int8send({what}), '')" for what in expressions.values())
    sql = f"""SELECT {packed} FROM use_report r
        JOIN encounter e ON e.id = r.encounter_id AND e.removed_at IS NULL {TERMS} r.informant_id
        LEFT JOIN report_coding k ON k.report_id = r.id {primary} AND k.scheme = %(scheme)s {mixtures}
        WHERE r.study_id = %(study)s AND r.removed_at IS NULL AND {report_allowed(scope)}
          {"" if plant_ids is None else "AND r.plant_id = ANY(%(plants)s)"}"""
    values = parameters(scope, plants=plant_ids, scheme=scheme_counted(scope, rules))
    cursor = database.connection().cursor(binary=True)
    try:
        cursor.execute(sql, values)
        found = cursor.fetchone()
    finally:
        cursor.close()
    return {name: np.frombuffer(data or b"", dtype=">i8").astype(np.int64)
            for name, data in zip(expressions, found, strict=True)}  # fmt: skip


_MIXTURES = """LEFT JOIN (SELECT mixture, row_number() OVER (ORDER BY mixture) AS code FROM
    (SELECT DISTINCT mixture FROM use_report WHERE study_id = %(study)s AND mixture <> '') named) m ON m.mixture = r.mixture"""


def scheme_counted(scope: Scope, rules: CountingRules) -> str:
    """The coding scheme that the rules count by, the study's own where they name none. Refused for one without categories."""
    if rules.scheme is None:
        return str(study(scope)["scheme"])
    known = schemes(scope)
    if rules.scheme not in known:
        raise InputRefused(Problem("There is no such coding scheme.", "rules.scheme", rules.scheme, ", ".join(known)))
    return rules.scheme


def _rarely_used(scope: Scope) -> dict[str, bool]:
    """Which of the columns that most studies do not use say something in a report of the study."""
    return rows(
        """SELECT EXISTS (SELECT FROM use_report WHERE study_id = %(study)s AND currency <> 'unstated') AS currency,
                  EXISTS (SELECT FROM use_report WHERE study_id = %(study)s AND (mixture <> '' OR role <> 'main')) AS mixture,
                  EXISTS (SELECT FROM use_report WHERE study_id = %(study)s AND actor = 'animal') AS by_animal""",
        study=scope.study_id,
    )[0]


def _rare_columns(used: dict[str, bool]) -> dict[str, str]:
    currencies = ", ".join(f"'{one}'" for one in CURRENCIES)
    found = {}
    if used["currency"]:
        found["currency"] = f"array_position(ARRAY[{currencies}], r.currency) - 1"
    if used["mixture"]:
        found |= {"mixture": "coalesce(m.code, 0)", "minor_role": "(r.role IN ('carrier', 'corrective'))::int"}
    if used["by_animal"]:
        found["by_animal"] = "(r.actor = 'animal')::int"
    return found


def read_table(scope: Scope, rules: CountingRules = DEFAULTS, *, plant_ids: list[int] | None = None, with_ids: bool = False,
               told: bool = False) -> UseReportTable:  # fmt: skip
    """The use-report table of a study under the terms of the scope, askings included; call it inside `snapshot()`.

    With `told`, or where the rules count by part, with the parts and preparations of every report.
    """
    told = told or rules.unit == "use_part"
    columns = read_columns(scope, rules, plant_ids=plant_ids, with_ids=with_ids or told)
    table = assemble(columns, read_labels(scope, rules, plant_ids=plant_ids))
    return with_parts_told(scope, table) if told else table


def read_table_in_parts(scope: Scope, rules: CountingRules, group_of: Mapping[int, str],
                        told: Collection[tuple[str, str]]) -> tuple[UseReportTable, list[tuple[str, str]]]:  # fmt: skip
    """The table with every informant taken apart by the groups of the encounters: one place each for (code, group) in `told`.

    `group_of` says the group of an encounter's number. Returns the places too, in the order of the table's informants.
    """
    columns, labels = read_columns(scope, rules), read_labels(scope, rules)
    people = {one["id"]: one for one in labels["informants"]}
    units = sorted((one["code"], group, number) for number, one in people.items() for code, group in told if code == one["code"])
    place = {(number, group): at + 1 for at, (_code, group, number) in enumerate(units)}
    labels["informants"] = [{**people[number], "id": at + 1, "code": f"{code} {group}"}
                            for at, (code, group, number) in enumerate(units)]  # fmt: skip
    columns["informant"] = np.array(
        [place.get((one, group_of.get(encounter, "")), 0)
         for one, encounter in zip(columns["informant"].tolist(), columns["encounter"].tolist(), strict=True)],
        dtype=np.int64)  # fmt: skip
    labels["askings"] = [{**one, "informant": place.get((one["informant"], group_of.get(one["encounter"], "")), 0)}
                         for one in labels["askings"]]  # fmt: skip
    return assemble(columns, labels), [(code, group) for code, group, _number in units]


def with_parts_told(scope: Scope, table: UseReportTable) -> UseReportTable:
    """The table, its rows with their identities, with the parts and preparations that each report names."""
    found: dict[str, Any] = {}
    for name, kind, column in (("parts", "report_part", "part_id"), ("preparations", "report_method", "method_id")):
        told = rows(
            f"""SELECT DISTINCT x.report_id AS report, v.code FROM {kind} x JOIN vocabulary_term v ON v.id = x.{column}
                WHERE x.study_id = %(study)s AND v.code <> %(unspecified)s""",
            study=scope.study_id,
            unspecified=UNSPECIFIED,
        )
        labels = tuple(sorted({one["code"] for one in told}))
        place = {label: at for at, label in enumerate(labels)}
        codes: dict[int, list[int]] = {}
        for one in told:
            codes.setdefault(one["report"], []).append(place[one["code"]])
        row = table.row if table.row is not None else np.zeros(0, dtype=np.int64)
        pairs = [(at, code) for at, number in enumerate(row.tolist()) for code in codes.get(number, ())]
        both = np.array(pairs, dtype=np.int64).reshape(-1, 2)
        found[name] = Listed(both[:, 0], both[:, 1], labels)
    return replace(table, **found)


def read_labels(scope: Scope, rules: CountingRules = DEFAULTS, *, plant_ids: list[int] | None = None) -> dict[str, Any]:
    """Everything beside the rows that a tally needs: informants, plants, terms, purposes, askings."""
    scheme = scheme_counted(scope, rules)
    return {
        "informants": _roster(scope),
        "plants": counted_plants(scope),
        "categories": terms(scope.study_id, "category", scheme),
        "subcategories": terms(scope.study_id, "subcategory", scheme),
        "purposes": rows("SELECT id, category_id, label FROM purpose WHERE study_id = %(study)s", study=scope.study_id),
        "bases": terms(scope.study_id, "basis"),
        "stances": terms(scope.study_id, "stance"),
        "outcomes": terms(scope.study_id, "outcome"),
        "askings": _askings(scope, plant_ids),
        "terms_partial": counts_in_part(scope),
    }


def _roster(scope: Scope) -> list[dict[str, Any]]:
    """Tellers in encounters of the study whom the scope allows: N, the silent included."""
    return rows(
        f"""SELECT i.id, coalesce(h.code, s.code) AS code, c.code AS community, s.id IS NOT NULL AS is_source
            FROM informant i {TERMS} i.id
            LEFT JOIN holder h ON h.id = i.holder_id LEFT JOIN source s ON s.id = i.source_id
            LEFT JOIN community c ON c.id = coalesce(h.community_id, s.community_id)
            WHERE i.study_id = %(study)s AND {allowed(scope)} AND EXISTS (
               SELECT FROM encounter_informant x JOIN encounter e ON e.id = x.encounter_id
               WHERE x.informant_id = i.id AND x.part = 'teller' AND e.removed_at IS NULL)
            ORDER BY code""",
        **parameters(scope),
    )


def _askings(scope: Scope, plant_ids: list[int] | None) -> list[dict[str, Any]]:
    asked = telling_allowed(scope, informant="a.informant_id", plant="a.plant_id")
    return rows(
        f"""SELECT a.informant_id AS informant, a.encounter_id AS encounter, a.plant_id AS plant FROM asking a
            JOIN encounter e ON e.id = a.encounter_id AND e.removed_at IS NULL {TERMS} a.informant_id
            WHERE a.study_id = %(study)s AND a.removed_at IS NULL AND {asked}
              {"" if plant_ids is None else "AND a.plant_id = ANY(%(plants)s)"}""",
        **parameters(scope, plants=plant_ids),
    )


def assemble(columns: dict[str, Ints], labels: dict[str, Any]) -> UseReportTable:
    """Turn database numbers into the dense codes of the core's table; rows of hidden records are left out."""
    asked = labels["askings"]
    informants, plants, categories = labels["informants"], labels["plants"], labels["categories"]
    parts = {name: _with_askings(columns, asked, name) for name in ("informant", "encounter", "plant")}
    informant = _places([one["id"] for one in informants], parts["informant"])
    plant = _places([one["id"] for one in plants], parts["plant"])
    events, event = _dense(parts["encounter"])
    category = _category_codes(columns["category"], categories, len(asked))
    uses, use = _uses(columns, category[: len(columns["use"])], labels)
    pad = np.zeros(len(asked), dtype=np.int64)
    bases = (*BASES, *(one["code"] for one in labels["bases"] if one["code"] not in BASES))
    communities = tuple(sorted({one["community"] for one in informants if one["community"]}))
    there = (informant >= 0) & (plant >= 0)
    table: dict[str, Any] = {
        "informant": informant, "event": event, "plant": plant, "category": category,
        "use": np.concatenate([use, pad - 1]),
        "basis": np.concatenate([_term_codes(columns["basis"], labels["bases"], bases), pad]),
        "stance": np.concatenate([_term_codes(columns["stance"], labels["stances"], STANCES), pad]),
        "outcome": np.concatenate([_term_codes(columns["outcome"], labels["outcomes"], OUTCOMES), pad]),
    }  # fmt: skip
    for name in ("row", "currency", "mixture"):
        if name in columns:
            table[name] = np.concatenate([columns[name], pad])
    if "subcategory" in columns:
        places = _places([one["id"] for one in labels["subcategories"]], columns["subcategory"])
        table["subcategory"] = np.concatenate([places, pad - 1])
    for name in ("secondary", "minor_role", "by_animal"):
        if name in columns:
            table[name] = np.concatenate([columns[name], pad]).astype(bool)
    if not there.all():
        table = {name: column[there] for name, column in table.items()}
    return UseReportTable(
        informants=Informants(
            tuple(one["code"] for one in informants),
            np.array([communities.index(one["community"]) if one["community"] else -1 for one in informants], dtype=np.int64),
            np.array([one["is_source"] for one in informants], dtype=bool),
            communities,
        ),
        plants=Plants(
            *(tuple(one[key] for one in plants) for key in ("label", "taxon", "rank", "family", "qualifier", "foreign"))
        ),
        subcategories=tuple(one["code"] for one in labels["subcategories"]),
        categories=tuple(one["code"] for one in categories),
        uses=uses,
        events=events,
        bases=bases,
        terms_partial=labels["terms_partial"],
        **table,
    )


def _with_askings(columns: dict[str, Ints], asked: list[dict[str, Any]], name: str) -> Ints:
    return np.concatenate([columns[name], np.array([one[name] for one in asked], dtype=np.int64)])


def _places(ids: list[int], column: Ints) -> Ints:
    """The place of every number of the column among the ids; -1 where it is not there."""
    order = np.argsort(np.array(ids, dtype=np.int64), kind="stable")
    known = np.array(ids, dtype=np.int64)[order]
    return _lookup(known, order, column)


def _lookup(known: Ints, values: Ints, column: Ints) -> Ints:
    """values[j] where column equals known[j] (sorted), -1 elsewhere; a direct table where the numbers lie close."""
    if not len(known) or not len(column):
        return np.full(len(column), -1, dtype=np.int64)
    low, high = int(min(known[0], column.min())), int(max(known[-1], column.max()))
    if high - low <= 8 * len(column) + 4096:
        table = np.full(high - low + 1, -1, dtype=np.int64)
        table[known - low] = values
        return table[column - low]
    at = np.minimum(np.searchsorted(known, column), len(known) - 1)
    return np.where(known[at] == column, values[at], -1)


def _dense(column: Ints) -> tuple[int, Ints]:
    known = np.sort(column)
    known = known[np.append(True, known[1:] != known[:-1])] if len(known) else known
    return len(known), _lookup(known, np.arange(len(known)), column)


def _category_codes(column: Ints, categories: list[dict[str, Any]], asked: int) -> Ints:
    codes = _places([one["id"] for one in categories], column)
    codes[codes < 0] = UNCODED
    return np.concatenate([codes, np.full(asked, NONE_NAMED, dtype=np.int64)])


def _term_codes(column: Ints, found: list[dict[str, Any]], names: tuple[str, ...]) -> Ints:
    places = _places([one["id"] for one in found], column)
    return np.array([names.index(one["code"]) for one in found], dtype=np.int64)[places]


def _uses(columns: dict[str, Ints], category: Ints, labels: dict[str, Any]) -> tuple[Uses, Ints]:
    """Specific uses by (category, label): a purpose's label, else the subcategory's code, else the category itself."""
    label_of = {one["id"]: one["label"] for one in labels["purposes"]}
    label_of |= {-one["id"]: one["code"] for one in labels["subcategories"]}
    codes = [one["code"] for one in labels["categories"]]
    numbers, place = _dense(columns["use"])
    distinct = np.sort(columns["use"])
    distinct = distinct[np.append(True, distinct[1:] != distinct[:-1])] if len(distinct) else distinct
    pairs = np.flatnonzero(np.bincount((category + 1) * max(numbers, 1) + place)) if len(category) else category
    keyed = {}
    for pair in pairs.tolist():
        cat, at = divmod(pair, max(numbers, 1))
        if cat > 0:
            keyed[pair] = (cat - 1, label_of.get(int(distinct[at]), codes[cat - 1]))
    ordered = sorted(set(keyed.values()))
    number = {key: at for at, key in enumerate(ordered)}
    table = np.full((len(codes) + 1) * max(numbers, 1), -1, dtype=np.int64)
    for pair, key in keyed.items():
        table[pair] = number[key]
    uses = Uses(np.array([cat for cat, _ in ordered], dtype=np.int64), tuple(label for _, label in ordered))
    return uses, table[(category + 1) * max(numbers, 1) + place]
