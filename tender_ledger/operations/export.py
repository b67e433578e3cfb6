"""The study as the open use-report table, within the terms of publication."""

from collections.abc import Container, Mapping, Sequence
from typing import Any

from tender_ledger.core.days import PartialDay
from tender_ledger.core.importing.row_reading import TOLD_BESIDE
from tender_ledger.core.rights import Right
from tender_ledger.core.rules import CountingRules
from tender_ledger.core.terms import Purpose, Scope
from tender_ledger.core.worklist.rules import is_strong_claim
from tender_ledger.formats.report_table import COLUMNS, MORE
from tender_ledger.formats.sheet import write_sheet
from tender_ledger.operations.disclosure.audience import Audience
from tender_ledger.operations.disclosure.publishing import give_out
from tender_ledger.operations.export_tables import rows_of_plants, rows_of_reports, seconds_written, written
from tender_ledger.operations.reckoning import reckon_study
from tender_ledger.operations.studies import rules_in_force
from tender_ledger.operations.worklist import unreviewed
from tender_ledger.storage.database import snapshot
from tender_ledger.storage.queries import people, plants, reports, studies, tables
from tender_ledger.storage.queries import told as told_queries

_INFORMANT_COLUMNS = ("informant", "community", "kind")
_QUOTED = ("local_name", "words", "start", "end", "note", "caution_told", "attributed_to", *TOLD_BESIDE)
# What a table may have carried along about a person; it never accompanies a code outside the team.
_PERSONAL = frozenset({"gender", "sex", "age", "birth", "birth_year", "birth_date", "name", "real_name", "phone", "address"})

_COUNT_COLUMNS = ("community", "family", "taxon", "category", "reports", "holders")

_NOTICE = """These tables record what people reported of plants and their uses.
They are no advice to treat, eat or gather: ask qualified practitioners, a poison centre and local law.
They hold only what its tellers agreed to have published: counts.csv of everybody who let counts leave, all other tables of those
who let rows leave as they are. An empty community, family, taxon or category is all of them together.
In counts.csv what fewer than {minimum} holders stand behind is left out, and what would tell it beside these or earlier files.
"""


def export_study(scope: Scope) -> dict[str, bytes]:
    """reports.csv, informants.csv and the tables beside them of everything that may be published row by row, counts.csv of
    everything that may be in counts, and a notice of what they are not.

    Words, notes, cautions and names as spoken are left out where the terms allow no verbatim publication. Gender, age and
    real names never leave. A strong claim that nobody reviewed leaves without its purpose and words.
    """
    scope.viewer.require(Right.EXPORT)
    published = scope.for_purpose(Purpose.PUBLISHED_ROWS)
    with snapshot():
        found = {plant["id"]: plant for plant in plants.plants(published)}
        scheme = studies.study(scope)["scheme"]
        used = plants.names_used(published)
        rows = sorted(reports.reports(published), key=lambda row: (row["encounter"], row["informant"], row["id"]))
        ids = [row["id"] for row in rows]
        more, cited = told_queries.told_beside(published, ids), tables.cited(published, ids)
        components = told_queries.components_told(published, ids)
        masked = unreviewed(published, [row["id"] for row in rows if is_strong_claim(row["purpose"] or "", row["words"])])
        of_reports = rows_of_reports(published, rows, frozenset(masked))
        labels = _labels(rows, {*components, *(one["report_id"] for kind in of_reports.values() for one in kind)})
        told = [
            _report(_masked(line) if row["id"] in masked else line, found[row["plant_id"]], scheme, used)
            for row in rows
            for line in _by_component(row | more[row["id"]] | cited[row["id"]], components.get(row["id"], []), labels)
        ]
        asked = [_asking(row, found[row["plant_id"]]) for row in sorted(reports.askings(published), key=_place)]
        informants = people.published_informants(published)
        beside = {**of_reports, **rows_of_plants(published, found)}
    rules = rules_in_force(scope)
    audience = give_out(scope, rules)
    assert audience.publication is not None
    return {
        "counts.csv": write_sheet(_COUNT_COLUMNS, _counts(scope, rules, audience)),
        "reports.csv": write_sheet((*COLUMNS, *MORE, *_carried_along(told)), [*told, *asked]),
        "informants.csv": write_sheet(_INFORMANT_COLUMNS, informants),
        **written(beside, labels),
        "notice.txt": _NOTICE.format(minimum=audience.minimum).encode(),
    }


def _place(row: dict[str, Any]) -> tuple[int, str, int]:
    return row["encounter"], row["informant"], row["plant"]


def _labels(rows: Sequence[dict[str, Any]], wanted: Container[int]) -> dict[int, str]:
    """Labels of the reports of which more than a row tells, by their place among all that leave."""
    return {row["id"]: f"R{at}" for at, row in enumerate(rows, 1) if row["id"] in wanted}


def _counts(scope: Scope, rules: CountingRules, audience: Audience) -> list[dict[str, Any]]:
    """Every shown count of reports and of informants: of the study and its communities, by family, by taxon and by category."""
    whole = reckon_study(scope, rules, purpose=Purpose.PUBLISHED).result
    parts = {"": whole} if audience.whole else {"": whole, **whole.by_community}
    lines: list[dict[str, Any]] = []
    for community, r in parts.items():
        if not audience.sees_community(community):
            continue
        where: dict[str, Any] = {"community": community or audience.whole}
        told = [at for at in range(len(r.taxa)) if r.told[at]]
        for at in told:
            taxon = where | {"family": r.family[at], "taxon": r.taxa[at]}
            if audience.sees_taxon(r.taxa[at], community):
                lines.append(taxon | {"reports": _whole(r.ur[at]), "holders": int(r.fc[at])})
            for place, category in enumerate(r.categories):
                if r.ur_by_category[at][place] and audience.sees_use(r.taxa[at], category, community):
                    lines.append(taxon | {"category": category, "reports": _whole(r.ur_by_category[at][place])})
        for place, category in enumerate(r.categories):
            if r.nur[place] and audience.sees_category(category, community):
                counts: dict[str, Any] = where | {"category": category, "reports": _whole(r.nur[place])}
                lines.append(counts | {"holders": int(r.category_counts.informants[place])})
        for family in sorted({r.family[at] for at in told if r.family[at]}):
            if audience.sees_family(family, community):
                total = sum(r.ur[at] for at in told if r.family[at] == family)
                lines.append(where | {"family": family, "reports": _whole(total)})
        everything: dict[str, Any] = {"reports": _whole(r.ur.sum())} if audience.sees_all(community) else {}
        lines.append(where | everything | {"holders": r.n})
    return lines


def _whole(number: float) -> float | int:
    return int(number) if float(number).is_integer() else float(number)


def _by_component(row: dict[str, Any], components: list[dict[str, Any]], labels: Mapping[int, str]) -> list[dict[str, Any]]:
    """A report as one line, or as a line a component, which carry the same label."""
    row = row | {"report": labels.get(row["id"], "")}
    if not components:
        return [row | {"several": False}]
    codes = {"parts": "part_codes", "methods": "method_codes", "applications": "application_codes"}
    return [
        row | {"component": one["component"], "several": True} | {column: one[kind] for kind, column in codes.items()}
        for one in components
    ]


def _masked(row: dict[str, Any]) -> dict[str, Any]:
    """A report whose strong claim nobody reviewed: it is counted, and says neither for what in particular nor in which words."""
    return {
        **row,
        "purpose": None,
        "subcategory_code": None,
        "words": "",
        "note": "",
        "caution": "",
        **dict.fromkeys(TOLD_BESIDE, ""),
    }


def _base(row: dict[str, Any], plant: dict[str, Any]) -> dict[str, Any]:
    kind = "source" if row["is_source"] else "holder"
    return {
        "informant": row["informant"], "community": row["community"], "informant_kind": kind,
        "event": f"E{row['encounter']}",
        "date": PartialDay(row["day_from"], row["day_to"], row["approximate"]).iso() if row["day_from"] else "",
        "taxon": plant["accepted"] or plant["taxon"], "plant": plant["field_number"], "rank": plant["rank"],
        "family": plant["family"], "qualifier": _unless(plant["qualifier"] or "none", "none"),
    }  # fmt: skip


def _report(row: dict[str, Any], plant: dict[str, Any], scheme: str, used: dict[tuple[int, int, int], tuple[str, str]]
            ) -> dict[str, Any]:  # fmt: skip
    """A line of the table; the local name is the one that this informant used for the plant there."""
    name, language = used.get((row["plant_id"], row["informant_id"], row["encounter_id"]), ("", ""))
    line = _base(row, plant) | {
        "category": row["category_code"], "scheme": scheme if row["category_code"] else "",
        "subcategory": row["subcategory_code"], "use": row["purpose"], "part": ";".join(row["part_codes"]),
        "preparation": ";".join(row["method_codes"]), "application": ";".join(row["application_codes"]),
        "component": row["component"] if row["several"] or row["component"] > 1 else "", "report": row["report"],
        "basis": row["basis_code"],
        "stance": row["stance_code"], "outcome": row["outcome_code"], "stage": row["stage_code"],
        "currency": row["currency"], "attributed_to": row["attributed_to"], "mixture": row["mixture"],
        "role": row["role"] if row["mixture"] else "", "actor": _unless(row["actor"], "people"),
        "for_whom": _unless(row["taker"], "unstated"), "harvest_effect": _unless(row["harvest_effect"], "unstated"),
        **{name: row[name] for name in TOLD_BESIDE},
        "local_name": name, "language": language,
        "words": row["words"], "start": seconds_written(row["start_s"]), "end": seconds_written(row["end_s"]),
        "note": row["note"], "caution_told": row["caution"], "words_language": row["words_language"], "cited": row["cited"],
    }  # fmt: skip
    if not row["may_publish_verbatim"]:
        return {name: value for name, value in line.items() if name not in _QUOTED}
    return line | {name: value for name, value in row["extra"].items() if name.lower() not in _PERSONAL}


def _unless(code: str, usual: str) -> str:
    """A code, or nothing where it is the one that is meant where nothing is said."""
    return "" if code == usual else code


def _carried_along(lines: list[dict[str, Any]]) -> list[str]:
    """The columns that imported tables carried along and that may be published with these lines."""
    return sorted({name for line in lines for name in line} - {*COLUMNS, *MORE})


def _asking(row: dict[str, Any], plant: dict[str, Any]) -> dict[str, Any]:
    return _base(row, plant) | {"category": "none_named"}
