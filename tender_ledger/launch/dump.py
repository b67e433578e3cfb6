"""Reads the SQL of a backup for its rows alone. No statement of it is ever run, so a dump can do nothing but fill tables."""

import re
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

_NAME = r'(?:public\.)?"?([a-z_]+)"?'
_COPY = re.compile(rf"COPY {_NAME} \(([a-z0-9_\", ]+)\) FROM stdin;\n")
_SEQUENCE = re.compile(rf"SELECT pg_catalog\.setval\('{_NAME}', ([0-9]+), (true|false)\);\n")
# What pg_dump writes around the rows: settings of its own session, and the marks by which psql refuses other commands.
_AROUND = re.compile(
    r"--.*\n|\n|SET [a-z_]+ = [a-zA-Z0-9_' -]+;\n|SELECT pg_catalog\.set_config\('search_path', '', false\);\n"
    r"|\\(?:un)?restrict [A-Za-z0-9]+\n"
)
_END = b"\\.\n"
_LONGEST_STATEMENT = 65_536  # characters of a statement; rows are as long as they are


class NotRows(ValueError):
    """A dump does something else than fill tables; says in which line."""


@dataclass(frozen=True)
class TableRows:
    """The rows of a table as COPY writes them, line by line, to be read before the next part of the dump is asked for."""

    table: str
    columns: tuple[str, ...]
    lines: Iterator[bytes]


@dataclass(frozen=True)
class SequenceValue:
    """Where a sequence stands, and whether that number was given already."""

    sequence: str
    last: int
    called: bool


def parts_of_dump(file: Path, *, strict: bool) -> Iterator[TableRows | SequenceValue]:
    """The parts of a dump in their order.

    `strict` refuses whatever is neither rows, the value of a sequence nor a setting of the dump itself; a backup of before had
    the statements of its schema as well, which are passed over. Raises NotRows, also where the rows of a table do not end.
    """
    with file.open("rb") as data:
        number = 0
        while line := data.readline(_LONGEST_STATEMENT):
            number += 1
            text = line.decode("utf-8", "replace")
            if found := _COPY.fullmatch(text):
                table, columns = found.groups()
                rows = _Rows(data)
                yield TableRows(table, tuple(re.findall(r"[a-z0-9_]+", columns)), rows.lines())
                number += rows.rest()
            elif found := _SEQUENCE.fullmatch(text):
                sequence, last, called = found.groups()
                yield SequenceValue(sequence, int(last), called == "true")
            elif strict and not _AROUND.fullmatch(text):
                raise NotRows(f"Line {number} does something else than fill a table.")


class _Rows:
    """The lines of one table, and how many there were."""

    def __init__(self, data: BinaryIO) -> None:
        self.data, self.number, self.ended = data, 0, False

    def lines(self) -> Iterator[bytes]:
        while not self.ended:
            line = self.data.readline()
            self.number += 1
            if line == _END:
                self.ended = True
            elif not line.endswith(b"\n"):
                raise NotRows("The rows of a table do not end.")
            else:
                yield line

    def rest(self) -> int:
        """Pass over what was not read; how many lines the table had."""
        for _line in self.lines():
            pass
        return self.number
