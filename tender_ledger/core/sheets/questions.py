"""Which values of a sheet are no codes of the study, and which of the study's they may mean."""

import re
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher

from tender_ledger.core.importing.known import Known
from tender_ledger.core.names import NamesService, find_name
from tender_ledger.core.names.scientific import part_name, part_qualifier
from tender_ledger.core.sheets.matching import MEANS, Answer, Matching, split_several
from tender_ledger.core.sheets.unfolding import LIST_FIELDS, Unfolded
from tender_ledger.core.spelling import nearest, stem_of
from tender_ledger.core.text import fold

# Fields of which a study has codes, with the vocabulary they come from.
VOCABULARIES = {"category": "category", "part": "part", "preparation": "method", "application": "application", "stage": "stage",
                "basis": "basis"}  # fmt: skip
# Fields whose values are kept for the next sheet: all that name a code, none that names anybody.
CODED = (
    *VOCABULARIES,
    "stance",
    "outcome",
    "currency",
    "informant_kind",
    "role",
    "actor",
    "harvest_effect",
    "for_whom",
    "language",
    "qualifier",
)
_MOST = 200  # values of one field that are asked for; further ones come with the next reading
_COMPARED = 400  # values that are compared with every code


@dataclass(frozen=True)
class Question:
    """A value that is no code: its field, how many statements say it, what it may mean, and all it could.

    `proposal` is one of `choices` or ""; `may_be_new` whether a code can be made of it.
    """

    field: str
    text: str
    count: int
    proposal: str
    choices: tuple[str, ...]
    may_be_new: bool


def questions(
    unfolded: Unfolded, matching: Matching, known: Known, fixed: Mapping[str, Sequence[str]], names: NamesService, title: str = ""
) -> list[Question]:
    """Every value without an answer that no code of its field is, the most frequent of a field first.

    Rows that name no community are asked about where the study has several; the `title` of the sheet may be one.

    `fixed` are the codes of fields to which no study can add. A scientific name is asked about where the names service lacks it
    and has one that is written nearly so.
    """
    found: list[Question] = []
    nowhere = sum("community" not in row for row in unfolded.rows)
    if nowhere and len(known.community_names) > 1 and matching.answer("community", "") is None:
        codes = tuple(known.community_names)
        found.append(Question("community", "", nowhere, nearest(title, codes, known.communities), codes, may_be_new=False))
    for name, values in unfolded.pieces.items():
        choices, folds, may_be_new = _codes(name, known, fixed)
        open_values = [(text, count) for text, count in _by_fold(values) if matching.answer(name, text) is None]
        open_values = [(text, count) for text, count in open_values if text and fold(text) not in folds]
        if name == "taxon":
            found += _taxa(open_values, names)
        elif name == "informant":
            found += _informants(values, matching, known)
        elif choices or may_be_new:
            found += _of_codes(name, open_values[:_MOST], choices, folds, may_be_new=may_be_new)
    return found


def _by_fold(values: Mapping[str, int]) -> list[tuple[str, int]]:
    """Values that one answer is for, each in its most frequent spelling with the rows of all; the most frequent first."""
    spelled: dict[str, str] = {}
    counts: Counter[str] = Counter()
    for text, count in sorted(values.items(), key=lambda one: (-one[1], one[0])):
        counts[spelled.setdefault(fold(text), text)] += count
    return counts.most_common()


def _of_codes(
    name: str, values: Sequence[tuple[str, int]], choices: tuple[str, ...], folds: Mapping[str, str], *, may_be_new: bool
) -> list[Question]:
    """Questions of a field with codes; of spellings that no code is near, the rarer may mean the most frequent."""
    found: list[Question] = []
    new: dict[str, str] = {}
    only_near = name in (
        "community",
        "language",
    )  # new ones of these come with the rows, or fail them, and need no question
    for text, count in values:
        if name == "category" and text == "none_named":
            continue
        proposal = nearest(text, choices, folds)
        first = new.setdefault(stem_of(text), text) if may_be_new and not proposal else text
        if first != text:
            found.append(Question(name, text, count, first, (first, *choices), may_be_new))
        elif proposal or not only_near:
            found.append(Question(name, text, count, proposal, choices, may_be_new))
    return found


def _informants(values: Mapping[str, int], matching: Matching, known: Known) -> list[Question]:
    """Codes that differ from another in case, spaces, hyphens or leading noughts alone: P 7 beside P-07."""
    first = {_bare(code): code for code in known.informants}
    found = []
    for text, count in sorted(values.items(), key=lambda one: (-one[1], one[0])):
        like = first.setdefault(_bare(text), text)
        if like != text and (like.upper() != text or like not in known.informants) and not matching.answer("informant", text):
            found.append(Question("informant", text, count, like, (like,), may_be_new=True))
    return found[:_MOST]


def _bare(code: str) -> str:
    return re.sub(r"(?<!\d)0+(?=\d)", "", re.sub(r"[\W_]+", "", code.upper()))


def _codes(name: str, known: Known, fixed: Mapping[str, Sequence[str]]) -> tuple[tuple[str, ...], Mapping[str, str], bool]:
    """The codes of a field, every text by which one is known (folded) with its code, and whether more can be made."""
    if vocabulary := VOCABULARIES.get(name):
        place = (vocabulary, known.scheme if name == "category" else "", "")
        codes = known.labels.get(place, ())
        of_id = {known.terms[place][code]: code for code in codes}
        folds = {text: of_id[number] for text, number in known.terms.get(place, {}).items() if number in of_id}
        if name == "basis":
            folds["practised"] = "own"
        return codes, folds, True
    if name == "language":
        return tuple(sorted(set(known.languages.values()))), known.languages, False
    if name == "community":
        return tuple(known.community_names), known.communities, True
    if name in fixed:
        return tuple(filter(None, fixed[name])), {one: one for one in fixed[name]}, False
    return (), {}, False


def _taxa(values: Sequence[tuple[str, int]], names: NamesService) -> list[Question]:
    """Scientific names that the service lacks and has nearly so; any other name is taken as it is written."""
    found = []
    for text, count in values[:_COMPARED]:
        bare, _ = part_qualifier(text)
        name = part_name(bare)[0]
        if len(name.split()) < 2 or len(name) > 200 or find_name(names, bare) or find_name(names, name):
            continue
        near = [one.name for one in names.near(name, 20)]
        alike = sorted(near, key=lambda one: -SequenceMatcher(a=fold(one), b=fold(name)).ratio())[:6]
        if alike and SequenceMatcher(a=fold(alike[0]), b=fold(name)).ratio() >= 0.86:
            found.append(Question("taxon", text, count, alike[0], tuple(alike), may_be_new=True))
    return found


def split_lists(matching: Matching, unfolded: Unfolded, known: Known) -> dict[str, dict[str, Answer]]:
    """Answers for cells of several codes without semicolons, where every piece is a code or is near one."""
    answers: dict[str, dict[str, Answer]] = {}
    for name in LIST_FIELDS:
        choices, folds, _ = _codes(name, known, {})
        for text in unfolded.pieces.get(name, {}):
            pieces = split_several(text)
            if len(pieces) < 2 or fold(text) in folds or matching.answer(name, text):
                continue
            codes = [folds.get(fold(piece)) or nearest(piece, choices, folds) for piece in pieces]
            if all(codes):
                answers.setdefault(name, {})[fold(text)] = Answer(MEANS, ";".join(dict.fromkeys(filter(None, codes))))
    return answers
