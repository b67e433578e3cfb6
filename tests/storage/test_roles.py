"""The application's role of the database: it reads and writes rows, and changes neither the schema nor the server."""

import pytest
from psycopg import connect, errors

from tender_ledger.storage.database import (
    SchemaNotOwned,
    configure,
    connected,
    disconnect,
    known_migrations,
    migrate,
    pending_migrations,
    value,
)
from tender_ledger.storage.erasing import overwrite_deleted
from tender_ledger.storage.roles import APPLICATION
from tests.conftest import Databases


def test_the_application_runs_as_a_role_that_is_no_superuser(demo_db: str):
    assert value("SELECT current_user") == APPLICATION
    rights = value(
        """SELECT ARRAY[rolsuper, rolcreatedb, rolcreaterole, rolreplication, rolbypassrls] FROM pg_roles
           WHERE rolname = current_user"""
    )
    assert rights == [False] * 5
    owned = "SELECT count(*) FROM pg_class c WHERE c.relowner = (SELECT oid FROM pg_roles WHERE rolname = current_user)"
    assert value(owned) == 0


@pytest.mark.parametrize(
    "statement",
    [
        "DROP TABLE use_report",
        "ALTER TABLE use_report ADD COLUMN x int",
        "ALTER TABLE use_report DISABLE TRIGGER USER",
        "TRUNCATE use_report",
        "CREATE TABLE mine (id int)",
        "DROP SCHEMA public CASCADE",
        "DROP FUNCTION bars(bigint, date)",
        "DELETE FROM schema_migration",
        "CREATE ROLE another",
        "CREATE DATABASE another",
        "ALTER SYSTEM SET fsync = off",
        "SELECT pg_read_file('PG_VERSION')",
        "COPY (SELECT 1) TO PROGRAM 'cat'",
        "SELECT rolpassword FROM pg_authid",
    ],
)
def test_what_it_may_not_do(demo_db: str, statement: str):
    with connect(demo_db, autocommit=True) as mine, pytest.raises((errors.InsufficientPrivilege, errors.InvalidSchemaName)):
        mine.execute(statement)


def test_what_erasing_asks_of_the_database_is_within_its_rights(demo_db: str):
    assert overwrite_deleted() == []


def test_a_role_that_may_not_change_the_schema_is_told_whose_address_to_give(databases: Databases):
    url = databases.fresh("template1")
    configure(url)
    try:
        with connected(), pytest.raises(SchemaNotOwned, match="Set MIGRATIONS_URL"):
            migrate()
        assert migrate(databases.owner_url(url)) == known_migrations()
        with connected():
            assert migrate() == []  # nothing is to be done, so nobody else is needed
            assert pending_migrations() == []
    finally:
        disconnect()
        databases.drop(url)
