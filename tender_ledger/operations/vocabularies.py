"""Shipped vocabularies brought into the database, and terms looked up by their codes."""

from pathlib import Path
from typing import Any

from tender_ledger.core.recognition import Choice
from tender_ledger.formats.vocabularies import ShippedTerm, read_vocabulary
from tender_ledger.storage.database import database
from tender_ledger.storage.models import TermLabel, VocabularyTerm
from tender_ledger.storage.queries import studies

_FILES = Path(__file__).resolve().parents[1] / "data" / "vocabularies"
_ORDER = ("part", "method", "application", "stage", "basis", "stance", "outcome", "category", "subcategory")


def load_shipped_vocabularies() -> int:
    """Add the shipped terms that the database has not yet; returns how many. Codes are never changed."""
    added = 0
    with database.atomic():
        database.execute_sql("SELECT pg_advisory_xact_lock(%s)", (7_265_110_412,))
        for vocabulary in _ORDER:
            data = (_FILES / f"{vocabulary}.csv").read_bytes()
            for position, term in enumerate(read_vocabulary(vocabulary, data), 1):
                added += _add(term, position)
    return added


def _add(term: ShippedTerm, position: int) -> int:
    parent = None
    if term.parent:
        parent = VocabularyTerm.get(
            (VocabularyTerm.vocabulary == "category") & (VocabularyTerm.scheme == term.scheme)
            & (VocabularyTerm.code == term.parent) & VocabularyTerm.study_id.is_null()
        ).id  # fmt: skip
    scheme = (VocabularyTerm.scheme == term.scheme) if term.scheme else VocabularyTerm.scheme.is_null()
    of_parent = (VocabularyTerm.parent_id == parent) if parent else VocabularyTerm.parent_id.is_null()
    found = VocabularyTerm.get_or_none(
        (VocabularyTerm.vocabulary == term.vocabulary) & (VocabularyTerm.code == term.code) & scheme & of_parent
        & VocabularyTerm.study_id.is_null()
    )  # fmt: skip
    if found:
        return 0
    made = VocabularyTerm.insert(
        vocabulary=term.vocabulary, scheme=term.scheme or None, code=term.code, abbreviation=term.abbreviation or None,
        parent_id=parent, position=position,
    ).execute()  # fmt: skip
    TermLabel.insert(term_id=made, language="en", label=term.label).execute()
    return 1


def choices(study_id: int, vocabulary: str, scheme: str | None = None, *, within: int | None = None) -> list[Choice]:
    """The terms of a vocabulary as choices; `within` keeps those of one parent."""
    found = studies.terms(study_id, vocabulary, scheme)
    return [_choice(term) for term in found if within is None or term["parent_id"] == within]


def _choice(term: dict[str, Any]) -> Choice:
    return Choice(term["id"], term["label"], term["code"], term["abbreviation"] or "", term["parent_id"] or 0)
