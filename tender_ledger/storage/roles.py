"""The two roles of an own cluster: `ledger` makes databases and schema, `ledger_app` reads and writes the rows of one database.

The application owns its database, since PostgreSQL lets nobody else write tables anew when somebody is erased. It owns no
table, and the schema that the tables stand in is not its own.
"""

import psycopg
from psycopg import sql

OWNER, APPLICATION = "ledger", "ledger_app"


def prepare_database(owner_url: str, name: str, application_password: str) -> None:
    """Make role and database where they are not there, and give the role what erasing, imports and restores need.

    `owner_url` is the address of the cluster's owner in the database `postgres`. Doing it again changes nothing.
    """
    with psycopg.connect(owner_url, autocommit=True) as server:
        if not _there(server, "SELECT FROM pg_roles WHERE rolname = %s", APPLICATION):
            server.execute(
                sql.SQL("CREATE ROLE {} LOGIN NOSUPERUSER NOCREATEDB NOCREATEROLE PASSWORD {}").format(
                    sql.Identifier(APPLICATION), sql.Literal(application_password)
                )
            )
            server.execute(f"GRANT pg_checkpoint TO {APPLICATION}")
            server.execute(f"GRANT SET ON PARAMETER session_replication_role TO {APPLICATION}")
        if not _there(server, "SELECT FROM pg_database WHERE datname = %s", name):
            server.execute(sql.SQL("CREATE DATABASE {}").format(sql.Identifier(name)))
        server.execute(sql.SQL("ALTER DATABASE {} OWNER TO {}").format(sql.Identifier(name), sql.Identifier(APPLICATION)))
    with psycopg.connect(owner_url, dbname=name, autocommit=True) as database:
        database.execute(f"ALTER SCHEMA public OWNER TO {OWNER}")  # else whoever owns the database could drop it
        database.execute(f"GRANT EXECUTE ON FUNCTION pg_switch_wal() TO {APPLICATION}")


def _there(server: psycopg.Connection, statement: str, name: str) -> bool:
    return server.execute(statement, (name,)).fetchone() is not None
