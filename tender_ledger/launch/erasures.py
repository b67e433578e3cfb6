"""The list of erasures outside the database: by it a database that was restored from an earlier time is erased again.

A list only grows: what is written goes to what stands there. It holds numbers, days and random identities, no content.
"""

import json
import os
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from tender_ledger.storage.database import database, row
from tender_ledger.storage.erasing import erase_holder_rows, keep_erasure, overwrite_deleted
from tender_ledger.storage.queries.erasures import (
    COLUMNS,
    erased_but_here,
    installation_id,
    known_erasures,
    remember_erasures,
)

LIST = "erasures.json"


@dataclass(frozen=True)
class ErasureList:
    """Erasures by COLUMNS, and until when the list has everything that was erased in a database, by its installation.

    `served` are the installations that were served with the list beside them: it has every erasure in them.
    """

    erasures: tuple[Mapping[str, Any], ...] = ()
    covers: Mapping[str, datetime] = field(default_factory=dict)
    served: frozenset[str] = frozenset()

    def merged(self, other: "ErasureList") -> "ErasureList":
        """Both lists as one; each erasure once, and for each database the later moment."""
        both = {
            tuple(str(one.get(name)) for name in ("installation", "study_id", "holder_id", "holder_uid")): one
            for one in (*self.erasures, *other.erasures)
        }
        covers = dict(self.covers)
        for installation, moment in other.covers.items():
            covers[installation] = max(moment, covers.get(installation, moment))
        return ErasureList(tuple(both.values()), covers, self.served | other.served)


def write_list(folder: Path, moment: datetime | None = None, *, serves: bool = False) -> Path:
    """Add what this database has heard of to the list in a folder, whole or not at all.

    `moment` is until when it is everything, now where left out; `serves` says that the database is served from here on.
    Raises ValueError, writing nothing, for a file that is no list.
    """
    file = folder / LIST
    own = installation_id()
    heard = ErasureList(tuple(known_erasures()), {own: moment or datetime.now(UTC)}, frozenset([own] if serves else []))
    merged = (read_list(file) if file.exists() else ErasureList()).merged(heard)
    covers = {one: at.isoformat() for one, at in merged.covers.items()}
    text = {"covers": covers, "served": sorted(merged.served), "erasures": list(merged.erasures)}
    new = folder / f"{LIST}.new"
    with os.fdopen(os.open(new, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as out:
        json.dump(text, out, indent=1)
        out.flush()
        os.fsync(out.fileno())
    new.replace(file)
    return file


def read_list(file: Path) -> ErasureList:
    """The list in a file, also one of the form before 0.2, of a single installation. Raises ValueError for what is no list."""
    try:
        kept = json.loads(file.read_text(encoding="utf-8"))
        erasures = [dict(one) for one in kept["erasures"]]
        if "covers" in kept:
            covers = {str(one): datetime.fromisoformat(at) for one, at in kept["covers"].items()}
            found = [{name: one[name] for name in COLUMNS} for one in erasures]
            served = frozenset(map(str, kept["served"]))
        else:
            installation, last = str(kept["installation"]), [datetime.fromisoformat(one["at"]) for one in erasures]
            covers, served = {installation: max(last)} if last else {}, frozenset([installation])
            found = [{**{name: one.get(name) for name in COLUMNS}, "installation": installation} for one in erasures]
        return ErasureList(tuple(found), covers, served)
    except (ValueError, KeyError, TypeError, AttributeError) as error:
        raise ValueError(f"{file} is no list of erasures. Without it somebody who was erased could come back.") from error


def lists_beside(folder: Path, *more: Path) -> dict[Path, ErasureList]:
    """The lists in a backup, in the backups beside it, and in further folders. Raises ValueError for one that is no list."""
    files = [folder / LIST, *sorted(folder.resolve().parent.glob(f"*/{LIST}")), *(one / LIST for one in more)]
    return {file: read_list(file) for file in dict.fromkeys(file.resolve() for file in files) if file.exists()}


def erase_again(lists: Iterable[ErasureList]) -> int:
    """Take the lists to what this database has heard of, and erase every holder of it whom they name; returns how many.

    The numbers of another database mean other people: it is by the identity of a holder that one is known.
    """
    again = 0
    with database.atomic():
        for kept in lists:
            remember_erasures(kept.erasures)
        for one in erased_but_here():
            erase_holder_rows(one["study_id"], one["holder_id"])
            if row("SELECT 1 FROM person WHERE id = %(p)s", p=one["person_id"]):  # a person of a later time is not here yet
                keep_erasure(one["study_id"], one["holder_id"], one["person_id"], one["records"])
            again += 1
    if again:
        overwrite_deleted()
    return again
