"""The one predicate by which the terms of consent enter a read."""

from collections.abc import Sequence
from typing import Any

from tender_ledger.core.rights import Right, Role
from tender_ledger.core.terms import Purpose, Scope
from tender_ledger.storage.database import rows, value

# Joined to anything that has an informant: `{on}` is its column.
TERMS = "JOIN informant_terms(%(study)s, %(day)s) t ON t.informant_id = "

# What limits and restrictions take away, and the reports that they take something away from.
BARS, BARRED = "bars(%(study)s, %(day)s)", "barred_reports(%(study)s, %(day)s)"

# The same for a statement that asks it of many rows: the terms are worked out once and then joined as `terms`, what is barred as
# `barring` and `barred`.
WITH_TERMS = f"""WITH terms AS MATERIALIZED (SELECT * FROM informant_terms(%(study)s, %(day)s)),
    barring AS MATERIALIZED (SELECT * FROM {BARS}), barred AS MATERIALIZED (SELECT * FROM {BARRED})"""
THESE_TERMS = "JOIN terms t ON t.informant_id = "
THESE_BARS, THESE_BARRED = "barring", "barred"


def allowed(scope: Scope, *, written_by: str = "NULL") -> str:
    """The condition on a row `t` of informant_terms; `written_by` is the column of the person who wrote the record."""
    if scope.purpose is Purpose.COUNTED:
        return "t.may_count"
    if scope.purpose is Purpose.COUNTED_SHOWN:
        return "t.may_count AND t.may_show"
    if scope.purpose in LEAVES:
        rows_too = " AND t.may_publish_rows" if scope.purpose is Purpose.PUBLISHED_ROWS else ""
        own = "(%(own)s::bigint[] IS NULL OR t.community_id = ANY(%(own)s))"
        return f"t.may_show AND t.may_publish_aggregate{rows_too} AND {own}"
    if scope.purpose is Purpose.SHOWN:
        return f"(NOT t.sealed AND (t.may_show OR (NOT t.on_file AND (%(owner)s OR {written_by} = %(person)s))))"
    raise ValueError(f"nothing is read for the purpose {scope.purpose}")


# What is asked of what leaves the study.
LEAVES = frozenset({Purpose.PUBLISHED, Purpose.PUBLISHED_ROWS})

# What limits and restrictions take away, by purpose: the column of `bars` and `barred_reports`.
_BARRED = {Purpose.COUNTED: "no_count", Purpose.SHOWN: "no_show", Purpose.PUBLISHED: "no_publish"}


def report_allowed(scope: Scope, report: str = "r", among: str = BARRED) -> str:
    """The condition on a use report with its row `t` of informant_terms: its teller's terms, less what is left out of them.

    `among` is THESE_BARRED in a statement that begins WITH_TERMS.
    """
    return f"({allowed(scope, written_by=f'{report}.recorded_by')} AND NOT {barred(report, _columns(scope), among)})"


def telling_allowed(scope: Scope, *, informant: str, plant: str, written_by: str = "NULL", among: str = BARS) -> str:
    """The condition on something else that an informant told of a plant, a name or that no use is known, with its row `t`.

    `among` is THESE_BARS in a statement that begins WITH_TERMS.
    """
    barring = " OR ".join(f"b.{column}" for column in _columns(scope))
    return f"""({allowed(scope, written_by=written_by)} AND NOT EXISTS (SELECT FROM {among} b
        WHERE b.informant_id = {informant} AND b.plant_id = {plant} AND ({barring})))"""


def barred(report: str, columns: Sequence[str], among: str = BARRED) -> str:
    """The condition that limits or restrictions take one of the answers `columns` away from a use report.

    `among` is THESE_BARRED in a statement that begins WITH_TERMS.
    """
    barring = " OR ".join(f"b.{column}" for column in columns)
    return f"EXISTS (SELECT FROM {among} b WHERE b.report_id = {report}.id AND ({barring}))"


def _columns(scope: Scope) -> tuple[str, ...]:
    """What is published is shown as well, and so is what groups are made of where few are hidden."""
    if scope.purpose is Purpose.COUNTED_SHOWN:
        return ("no_count", "no_show")
    return ("no_publish", "no_show") if scope.purpose in LEAVES else (_BARRED[scope.purpose],)


def parameters(scope: Scope, **more: Any) -> dict[str, Any]:
    """The values that the terms need in a statement, with those of the statement itself."""
    return {
        "study": scope.study_id,
        "day": scope.day,
        "person": scope.viewer.person_id,
        "owner": Role.OWNER in scope.viewer.roles,
        "own": None if scope.viewer.everywhere(Right.EXPORT) else sorted(scope.viewer.guards),
        **more,
    }


def narrowed(**wanted: tuple[str, Any]) -> str:
    """The conditions that a column is what was asked for; nothing where the value is None.

    Each parameter is named as its argument. A statement that leaves out what is not asked is planned by index.
    """
    return "".join(f" AND {column} = %({name})s" for name, (column, value) in wanted.items() if value is not None)


def may_record(scope: Scope, informant_id: int) -> bool:
    """Whether this informant's terms of the day allow recording; False also for nobody of this study."""
    return bool(
        value(
            "SELECT t.may_record FROM informant_terms(%(study)s, %(day)s) t WHERE t.informant_id = %(informant)s",
            **parameters(scope, informant=informant_id),
        )
    )


def not_recordable(scope: Scope, informant_ids: Sequence[int]) -> list[int]:
    """Those of the informants whose terms of the day allow no recording."""
    found = rows(
        """SELECT t.informant_id FROM informant_terms(%(study)s, %(day)s) t
           WHERE t.informant_id = ANY(%(informants)s) AND NOT t.may_record ORDER BY 1""",
        **parameters(scope, informants=list(informant_ids)),
    )
    return [one["informant_id"] for one in found]


def refuses_record(scope: Scope, report_id: int) -> bool:
    """Whether a limit of an agreement says that what this report tells is not to be recorded."""
    return bool(value(f"SELECT {barred('r', ['no_record'])} FROM use_report r WHERE r.id = %(report)s",
                      **parameters(scope, report=report_id)))  # fmt: skip


def refused_records(scope: Scope, report_ids: Sequence[int]) -> list[int]:
    """Those of the reports of which a limit of an agreement says that what they tell is not to be recorded."""
    found = rows(
        f"SELECT r.id FROM use_report r WHERE r.id = ANY(%(reports)s) AND {barred('r', ['no_record'])} ORDER BY r.id",
        **parameters(scope, reports=list(report_ids)),
    )
    return [one["id"] for one in found]


def counts_in_part(scope: Scope) -> bool:
    """Whether a limit or a restriction keeps something of somebody who is counted out of the counts.

    It is asked of the terms and not of the reports, so that the warning does not tell whether there are any.
    """
    barring = " OR ".join(f"b.{column}" for column in _columns(scope))
    return bool(value(
        f"""SELECT EXISTS (SELECT FROM bars(%(study)s, %(day)s) b {TERMS} b.informant_id
            WHERE {allowed(scope)} AND ({barring}))""", **parameters(scope)))  # fmt: skip
