"""Foreign keys of very many new rows, checked for all of them together instead of row by row."""

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from typing import NamedTuple

from tender_ledger.storage.database import BrokenReference, rows, run, value


class _ForeignKey(NamedTuple):
    """A foreign key of a table: its name, the table it points at, and the columns on both sides in one order."""

    name: str
    target: str
    columns: list[str]
    keys: list[str]


@contextmanager
def references_checked_together(written: Mapping[str, str]) -> Iterator[None]:
    """Within the caller's transaction, hold what is written inside to its foreign keys when the block ends.

    `written` names each table that gets rows and the numbered column that tells them: they have a higher number there than
    any row the table had before. The checks of PostgreSQL are one look-up a row and reference, half the time of a large
    import; here each reference is one statement, which also locks what is pointed at as those checks do. The block may only
    insert. Where the database's user may not switch them off, they stay on and nothing else changes. Raises BrokenReference
    where a row points at nothing.
    """
    if not may_check_together():
        yield
        return
    before = {table: value(f"SELECT coalesce(max({column}), 0) FROM {table}") for table, column in written.items()}
    run("SET LOCAL session_replication_role = replica")
    yield
    run("SET LOCAL session_replication_role = origin")
    for table, column in written.items():
        for foreign_key in _foreign_keys(table):
            _check(foreign_key, table, f"{column} > {before[table]}")


def may_check_together() -> bool:
    """Whether the database's user may write rows without their triggers and the checks of their references."""
    return bool(value("SELECT has_parameter_privilege('session_replication_role', 'SET')"))


@contextmanager
def tables_filled_anew(tables: Sequence[str]) -> Iterator[None]:
    """Within the caller's transaction, empty the tables, let the block fill them as rows of a backup, without triggers, and
    hold every row to its foreign keys when it ends. Raises BrokenReference where a row points at nothing.
    """
    run("SET LOCAL session_replication_role = replica")
    for table in tables:
        run(f'DELETE FROM "{table}"')
    yield
    run("SET LOCAL session_replication_role = origin")
    for table in tables:
        for foreign_key in _foreign_keys(table):
            _check(foreign_key, table, "true")


def _foreign_keys(table: str) -> list[_ForeignKey]:
    found = rows(
        """SELECT k.conname AS name, k.confrelid::regclass::text AS target,
                  array_agg(own.attname::text ORDER BY pair.place) AS columns,
                  array_agg(other.attname::text ORDER BY pair.place) AS keys
           FROM pg_constraint k, unnest(k.conkey, k.confkey) WITH ORDINALITY AS pair (own, other, place),
                pg_attribute own, pg_attribute other
           WHERE k.contype = 'f' AND k.conrelid = %(table)s::regclass AND own.attrelid = k.conrelid AND own.attnum = pair.own
             AND other.attrelid = k.confrelid AND other.attnum = pair.other
           GROUP BY k.conname, k.confrelid ORDER BY k.conname""",
        table=table,
    )
    return [_ForeignKey(**one) for one in found]


def _check(foreign_key: _ForeignKey, table: str, which: str) -> None:
    """Lock whatever those rows point at. One with an empty column points at nothing, as PostgreSQL has it."""
    wanted = ", ".join(f"{own} AS {key}" for own, key in zip(foreign_key.columns, foreign_key.keys, strict=True))
    keys = ", ".join(foreign_key.keys)
    stated = " AND ".join(f"{own} IS NOT NULL" for own in foreign_key.columns)
    missing = value(
        f"""WITH wanted AS MATERIALIZED (SELECT DISTINCT {wanted} FROM {table} WHERE {which} AND {stated}),
                 held AS MATERIALIZED (SELECT FROM {foreign_key.target} target JOIN wanted USING ({keys}) FOR KEY SHARE OF target)
            SELECT (SELECT count(*) FROM wanted) - (SELECT count(*) FROM held)"""
    )
    if missing:
        raise BrokenReference(table, foreign_key.name, missing)
