"""The list of erasures outside the database: by it a database that was restored from an earlier time is erased again."""

import json
import os
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from tender_ledger.storage.database import database, row
from tender_ledger.storage.erasing import erase_holder_rows, erasures, installation_id, keep_erasure, overwrite_deleted

LIST = "erasures.json"


def write_list(folder: Path) -> Path:
    """Write every erasure of the database into a folder, whole or not at all; numbers and days, no content."""
    new, file = folder / f"{LIST}.new", folder / LIST
    with os.fdopen(os.open(new, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as out:
        json.dump({"installation": installation_id(), "erasures": erasures()}, out, indent=1)
    new.replace(file)
    return file


def lists_beside(folder: Path, *more: Path) -> list[dict[str, Any]]:
    """The lists in a backup, in the backups beside it, and in further folders. Raises ValueError for one that is no list."""
    files = [folder / LIST, *sorted(folder.resolve().parent.glob(f"*/{LIST}")), *(one / LIST for one in more)]
    return [_read(file) for file in dict.fromkeys(files) if file.exists()]


def _read(file: Path) -> dict[str, Any]:
    try:
        kept = json.loads(file.read_text(encoding="utf-8"))
        return {"installation": str(kept["installation"]), "erasures": [dict(one) for one in kept["erasures"]]}
    except (ValueError, KeyError, TypeError) as error:
        raise ValueError(f"{file} is no list of erasures. Without it somebody who was erased could come back.") from error


def erase_again(lists: Iterable[dict[str, Any]]) -> int:
    """Erase every holder that a list of this same database names; returns how many were still there.

    Numbers of another database mean other people: its lists are passed over.
    """
    again = 0
    own = installation_id()
    with database.atomic():
        for kept in lists:
            for one in kept["erasures"] if kept["installation"] == own else ():
                again += _erase(one)
    if again:
        overwrite_deleted()
    return again


def _erase(one: dict[str, Any]) -> int:
    records = erase_holder_rows(one["study_id"], one["holder_id"])
    people = row("SELECT 1 FROM person WHERE id = %(p)s", p=one["person_id"])
    study = row("SELECT 1 FROM study WHERE id = %(s)s", s=one["study_id"])
    if people and study:  # a study or a person of a later time is not in this database yet, and neither is the holder
        keep_erasure(one["study_id"], one["holder_id"], one["person_id"], one["records"])
    return int(records > 0)
