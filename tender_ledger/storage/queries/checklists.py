"""The checklists that a study brought, and the names in them."""

from collections.abc import Sequence
from typing import Any

from tender_ledger.core.terms import Scope
from tender_ledger.core.text import fold
from tender_ledger.storage.database import copy_rows, new_ids, row, rows

_NAMES = """SELECT x.id AS key, x.name::text, x.authorship, x.rank::text, x.family, coalesce(acc.name::text, '') AS accepted
    FROM taxon x LEFT JOIN taxon acc ON acc.id = x.accepted_id"""


def checklists(scope: Scope) -> list[dict[str, Any]]:
    """The checklists in force, the latest first: that is the order in which they are asked."""
    return rows(
        """SELECT id, checklist_id, title, edition, citation, names, synonyms, families, left_out_count, left_out, version
           FROM study_checklist WHERE study_id = %(study)s AND removed_at IS NULL ORDER BY id DESC""",
        study=scope.study_id,
    )


def in_force(scope: Scope) -> list[int]:
    """The numbers of the lists of names in force, in the order in which they are asked."""
    return [
        one["checklist_id"]
        for one in rows(
            "SELECT checklist_id FROM study_checklist WHERE study_id = %(study)s AND removed_at IS NULL ORDER BY id DESC",
            study=scope.study_id,
        )
    ]


def namesakes(lists: Sequence[int], name: str) -> list[dict[str, Any]]:
    """The names that are exactly this one, in the first of the lists that has any."""
    return rows(
        f"""{_NAMES} JOIN unnest(%(lists)s::bigint[]) WITH ORDINALITY AS asked (id, place) ON asked.id = x.checklist_id
            WHERE x.name_fold = %(fold)s AND asked.place = (
                SELECT min(a.place) FROM unnest(%(lists)s::bigint[]) WITH ORDINALITY AS a (id, place)
                WHERE EXISTS (SELECT FROM taxon t WHERE t.checklist_id = a.id AND t.name_fold = %(fold)s))
            ORDER BY x.id""",
        lists=list(lists),
        fold=fold(name),
    )


def namesakes_of(lists: Sequence[int], names: Sequence[str]) -> dict[str, list[dict[str, Any]]]:
    """`namesakes` of many names at once, by name."""
    folds = {name: fold(name) for name in names}
    found = rows(
        f"""{_NAMES.replace("SELECT", "SELECT x.name_fold::text AS asked_for, asked.place,", 1)}
            JOIN unnest(%(lists)s::bigint[]) WITH ORDINALITY AS asked (id, place) ON asked.id = x.checklist_id
            WHERE x.name_fold = ANY(%(folds)s) ORDER BY asked.place, x.id""",
        lists=list(lists),
        folds=sorted(set(folds.values())),
    )
    first: dict[str, tuple[int, list[dict[str, Any]]]] = {}
    for one in found:
        asked_for, place = one.pop("asked_for"), one.pop("place")
        begun = first.setdefault(asked_for, (place, []))
        if begun[0] == place:
            begun[1].append(one)
    return {name: first[folded][1] for name, folded in folds.items() if folded in first}


def beginning(lists: Sequence[int], typed: Sequence[str], limit: int) -> list[dict[str, Any]]:
    """Names whose words begin with the typed ones, folded; species before genera and families, accepted names first."""
    if not typed:
        return []
    pattern = "% ".join(_escaped(word) for word in typed) + "%"
    return rows(
        f"""{_NAMES} WHERE x.checklist_id = ANY(%(lists)s) AND x.name_fold LIKE %(pattern)s
            ORDER BY x.name NOT LIKE '%% %%', x.accepted_id IS NOT NULL, x.name, x.id LIMIT %(limit)s""",
        lists=list(lists),
        pattern=pattern,
        limit=limit,
    )


def near(lists: Sequence[int], name: str, limit: int) -> list[dict[str, Any]]:
    """Names that share letters in threes with this one (pg_trgm), those that share most first."""
    return rows(
        f"""{_NAMES} WHERE x.checklist_id = ANY(%(lists)s) AND x.name_fold %% %(fold)s
            ORDER BY similarity(x.name_fold, %(fold)s) DESC, x.name, x.id LIMIT %(limit)s""",
        lists=list(lists),
        fold=fold(name),
        limit=limit,
    )


def content_of(scope: Scope, sha256: str, title: str, edition: str) -> int | None:
    """The names of a file that the study brought before, under the same title and edition."""
    found = row(
        """SELECT id FROM checklist WHERE study_id = %(study)s AND sha256 = %(sha256)s AND name = %(title)s
           AND version = %(edition)s""",
        study=scope.study_id,
        sha256=sha256,
        title=title,
        edition=edition,
    )
    return found["id"] if found else None


def write_names(checklist_id: int, names: Sequence[tuple[Any, int | None]]) -> None:
    """Write the names of a list within the caller's transaction: each with the place of its accepted name among them."""
    ids = new_ids("taxon", len(names))
    columns = ("id", "checklist_id", "name", "authorship", "rank", "genus", "family", "name_fold", "accepted_id")
    copy_rows(
        "taxon",
        columns,
        (
            (number, checklist_id, one.name, one.authorship, one.rank, one.genus, one.family, fold(one.name),
             None if at is None else ids[at])
            for number, (one, at) in zip(ids, names, strict=True)
        ),
    )  # fmt: skip


def _escaped(word: str) -> str:
    return word.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
