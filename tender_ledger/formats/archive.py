"""The open tables of a study as one archive (zip), and what was brought to be imported, as the tables that it is."""

import io
import zipfile
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import PurePosixPath

from tender_ledger.core.messages import InputRefused, Problem
from tender_ledger.formats.sheet_files import is_workbook

_LARGEST = 256 * 1024 * 1024  # bytes of all tables together; an archive can claim any size
_FIRST_DAY = (1980, 1, 1, 0, 0, 0)  # one moment for every file, so that equal tables make an equal archive
# What an export holds beside its tables, and an import has no use for.
_NO_TABLES = frozenset({"counts.csv", "notice.txt"})
_MARK = b"PK\x03\x04"


@dataclass(frozen=True)
class Tables:
    """Tables to be imported: reports.csv, informants.csv where there is one, and those beside them by name without ending."""

    reports: bytes
    informants: bytes | None = None
    further: Mapping[str, bytes] = field(default_factory=dict)


def write_archive(files: Mapping[str, bytes]) -> bytes:
    """The files as one archive; equal files give equal bytes."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            archive.writestr(zipfile.ZipInfo(name, _FIRST_DAY), data, zipfile.ZIP_DEFLATED)
    return out.getvalue()


def read_tables(brought: bytes, informants: bytes | None = None) -> Tables:
    """What was brought as tables: an archive of them, or reports.csv itself, or a sheet, with or without informants.csv.

    Raises InputRefused for an archive that is broken, locked, too large, without reports.csv or with a table twice.
    """
    if not brought.startswith(_MARK) or is_workbook(brought):
        return Tables(brought, informants)
    return tables_of(_unpacked(brought), informants)


def tables_of(files: Mapping[str, bytes], informants: bytes | None = None) -> Tables:
    """Files by name as tables to be imported; what an export holds beside its tables is passed over."""
    if "reports.csv" not in files:
        raise InputRefused(
            Problem("The table of reports is missing.", "the tables brought", ", ".join(files) or "nothing", "reports.csv")
        )
    further = {name.removesuffix(".csv"): data for name, data in files.items()
               if name not in _NO_TABLES | {"reports.csv", "informants.csv"}}  # fmt: skip
    return Tables(files["reports.csv"], informants or files.get("informants.csv"), further)


def _unpacked(brought: bytes) -> dict[str, bytes]:
    try:
        with zipfile.ZipFile(io.BytesIO(brought)) as archive:
            members = [one for one in archive.infolist() if not one.is_dir()]
            size = sum(one.file_size for one in members)
            if size > _LARGEST:
                raise InputRefused(
                    Problem("The tables are too large.", "the archive", f"{size} bytes", f"at most {_LARGEST} bytes")
                )
            names = [PurePosixPath(one.filename).name for one in members]
            if twice := sorted({name for name in names if names.count(name) > 1}):
                raise InputRefused(Problem("A table stands twice.", "the archive", twice[0], "each table once"))
            return {name: archive.read(one) for name, one in zip(names, members, strict=True)}
    except (zipfile.BadZipFile, RuntimeError, NotImplementedError, EOFError, OSError, zipfile.zlib.error) as error:  # type: ignore[attr-defined]
        raise InputRefused(
            Problem("The archive cannot be read.", "the archive", str(error), "a zip file that is not locked")
        ) from None
