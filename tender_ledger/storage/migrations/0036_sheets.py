"""What was said of sheets that were brought. The statements stand in the SQL file of the same name."""

from pathlib import Path


def up(migrator, db) -> None:  # type: ignore[no-untyped-def]  # noqa: ARG001 - the runner calls it so
    db.execute_sql(Path(__file__).with_suffix(".sql").read_text())
