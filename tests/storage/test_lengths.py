"""The database holds every text to the length that forms and operations say."""

import re

import pytest
from peewee import IntegrityError

from tender_ledger.core.limits import LINE, longest
from tender_ledger.core.terms import Scope
from tender_ledger.operations.errors import Refused, constraints_as_refusals
from tender_ledger.storage.database import rows, run


def test_every_text_column_is_held_to_its_length(empty_db: str):
    held = {
        (one["table_name"], match[1]): int(match[2])
        for one in rows("SELECT conrelid::regclass::text AS table_name, pg_get_constraintdef(oid) AS held FROM pg_constraint")
        if (match := re.search(r'char_length\(\(?"?(\w+)"?\)?(?:::text)?\) <= (\d+)', one["held"]))
    }
    columns = rows(
        "SELECT table_name, column_name FROM information_schema.columns JOIN information_schema.tables USING (table_name) "
        "WHERE tables.table_schema = 'public' AND table_type = 'BASE TABLE' AND data_type = 'text'"
    )
    assert len(columns) > 150
    assert held == {(one["table_name"], one["column_name"]): longest(one["column_name"]) for one in columns}


def test_the_database_refuses_what_passed_everything_else(scope: Scope):
    with pytest.raises(IntegrityError):
        run("UPDATE study SET title = repeat('x', 501)")
    with pytest.raises(Refused) as refused, constraints_as_refusals():
        run("UPDATE study SET title = repeat('x', 501)")
    assert refused.value.errors == {
        "title": f"This is too long. At most {LINE} are kept here. Shorten it, or write the rest as a note of its own."
    }
