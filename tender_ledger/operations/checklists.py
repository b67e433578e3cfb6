"""Checklists of scientific names that a study brings in and goes by."""

import hashlib
from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

from tender_ledger.core.messages import InputRefused
from tender_ledger.core.names import NamesService, find_name
from tender_ledger.core.names.checklist import ReadChecklist, build_checklist
from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Scope
from tender_ledger.core.text import clean
from tender_ledger.formats.darwin_core import read_taxa
from tender_ledger.formats.isolation import isolated
from tender_ledger.operations.errors import Refused, constraints_as_refusals, required
from tender_ledger.operations.saving import saving
from tender_ledger.operations.study_names import StudyNames
from tender_ledger.storage.history import act
from tender_ledger.storage.models import Checklist, StudyChecklist
from tender_ledger.storage.queries import checklists

LARGEST_FILE = 20 * 1024 * 1024  # bytes
_TOLD = 200  # rows left out that are kept with the checklist; of more only their number is


def bring_checklist(scope: Scope, data: bytes, *, title: str, edition: str, citation: str = "",
                    name: str = "the taxon file") -> int:  # fmt: skip
    """Bring a Darwin Core taxon file in as a checklist that the study goes by from now on, in one act; returns its number.

    Determinations stay as they are. Rows that lead nowhere are left out and kept with their lines. Refused for what is no
    taxon file, for one without a name, and for one that is too large.
    """
    scope.viewer.require(Right.IMPORT)
    stated = {"title": required(title, "title", "The title"), "edition": required(edition, "edition", "The edition or date"),
              "citation": clean(citation)}  # fmt: skip
    found = _read(data, clean(name) or "the taxon file")
    sha256 = hashlib.sha256(data).hexdigest()
    told = [asdict(one) for one in found.left_out[:_TOLD]]
    with constraints_as_refusals(), act(scope.viewer, "bring_checklist") as writing:
        checklist_id = checklists.content_of(scope, sha256, stated["title"], stated["edition"]) or _write(
            scope, found, sha256, stated
        )
        values = {"checklist_id": checklist_id, "names": len(found.names), "synonyms": found.synonyms, "families": found.families,
                  "left_out_count": len(found.left_out), "left_out": told}  # fmt: skip
        return writing.create(StudyChecklist, {**stated, **values})


def remove_checklist(scope: Scope, checklist_id: int, version: int) -> None:
    """Go by a checklist no more; what was determined by its names stays, and undo brings it again."""
    scope.viewer.require(Right.IMPORT)
    with saving(scope, "remove_checklist") as writing:
        writing.remove(StudyChecklist, checklist_id, version)


def placed_otherwise(names: NamesService, found: Sequence[dict[str, Any]]) -> list[dict[str, Any]]:
    """Of plants as storage reads them, those whose name the service now gives another accepted name or family: field_number,
    number, taxon, accepted (as the plant was determined) and `now`, the name of the service."""
    if isinstance(names, StudyNames):
        names.look_up([plant["taxon"] for plant in found if plant["taxon"]])
    otherwise = []
    for plant in found:
        now = find_name(names, plant["taxon"]) if plant["taxon"] else None
        if now is None:
            continue
        accepted = now.accepted or now.name
        if accepted != (plant["accepted"] or plant["taxon"]) or (now.family and now.family != plant["family"]):
            otherwise.append({**plant, "now": now})
    return otherwise


def _read(data: bytes, name: str) -> ReadChecklist:
    if len(data) > LARGEST_FILE:
        size = f"{len(data) / 1024 / 1024:.1f} MB"
        raise Refused({"file": f"{name}: The file is too large. Found: {size}. Expected: at most 20 MB. Bring a part of it."})
    try:
        rows, misfits = isolated(read_taxa, data, name)
    except InputRefused as refused:
        raise Refused({"file": str(refused.problems[0])}) from refused
    found = build_checklist(rows)
    if not found.names:
        raise Refused({"file": f"{name}: There is no name in it that could be taken. Found: {len(rows)} rows. "
                               "Expected: rows with a scientificName."})  # fmt: skip
    left_out = tuple(sorted((*found.left_out, *misfits), key=lambda one: one.line))
    return ReadChecklist(found.names, left_out)


def _write(scope: Scope, found: ReadChecklist, sha256: str, stated: dict[str, str]) -> int:
    """The names of the file; they belong to nobody's record and stay when the checklist is taken back."""
    made = Checklist.insert(study_id=scope.study_id, name=stated["title"], version=stated["edition"], sha256=sha256).execute()
    checklists.write_names(int(made), [(one.name, one.accepted_at) for one in found.names])
    return int(made)
