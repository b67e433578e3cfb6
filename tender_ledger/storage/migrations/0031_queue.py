"""The queue of long work, by the statements of its library, in a schema of its own that no backup holds."""

from tender_ledger.storage.queue import SCHEMA, schema_statements


def up(migrator, db) -> None:  # type: ignore[no-untyped-def]  # noqa: ARG001 - the runner calls it so
    db.execute_sql(f"CREATE SCHEMA {SCHEMA}")
    db.execute_sql(f"SET LOCAL search_path = {SCHEMA}")
    db.execute_sql(schema_statements())
    db.execute_sql("SET LOCAL search_path = public")
