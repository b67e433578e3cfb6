"""The study's own scheme of categories, beside the shipped ones: how its people themselves part the uses of plants."""

import re

from tender_ledger.core.limits import CODE
from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Scope
from tender_ledger.core.text import clean, fold
from tender_ledger.operations.errors import Refused, number_of, required
from tender_ledger.operations.saving import saving
from tender_ledger.storage.models import VocabularyTerm
from tender_ledger.storage.queries import studies

OWN = "emic"  # the scheme that every study may fill as its own


def add_category(scope: Scope, label: str, within: str = "") -> int:
    """Add a category to the study's own scheme, or with `within` (a category's number) a subcategory of one; returns its number.

    Its code is made of the label and never changes; undoing this act takes it back while no report is coded by it.
    """
    scope.viewer.require(Right.ADMINISTER)
    said = required(label, "label", "The name of the category")
    code = re.sub(r"[^a-z0-9]+", "_", fold(said)).strip("_")[:CODE]
    if not re.match(r"[a-z]", code):
        raise Refused({"label": "Begin it with a letter."})
    known = studies.terms(scope.study_id, "category", OWN)
    parent = number_of(within, "within", "Choose a category of the scheme.") if clean(within) else None
    if parent is not None and parent not in {one["id"] for one in known}:
        raise Refused({"within": "Choose a category of the scheme."})
    vocabulary = "subcategory" if parent else "category"
    beside = [one for one in studies.terms(scope.study_id, vocabulary, OWN) if one["parent_id"] == parent]
    if code in {one["code"] for one in beside}:
        raise Refused({"label": "The scheme has a category of this name already."})
    values = {"vocabulary": vocabulary, "scheme": OWN, "code": code, "parent_id": parent, "position": 1 + len(beside),
              "abbreviation": None if parent else _abbreviation(code)}  # fmt: skip
    with saving(scope, "add_category") as writing:
        return writing.create(VocabularyTerm, values, children={"labels": [{"language": "en", "label": said}]})


def _abbreviation(code: str) -> str:
    """Two capital letters for a code; a code of one letter has X as its second."""
    return (re.sub(r"[^a-z]", "", code) + "x")[:2].upper()
