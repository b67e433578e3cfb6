"""Texts that are one code written in two ways: with the ending of a plural, by one slip of the pen, by one stem."""

import re
from collections.abc import Iterable, Mapping
from difflib import SequenceMatcher

from tender_ledger.core.text import fold

_NEAR, _STEM = 0.8, 5
# Endings of plurals, and what stands for them in the singular.
_PLURALS = {
    "leaves": "leaf",
    "ies": "y",
    "sses": "ss",
    "shes": "sh",
    "ches": "ch",
    "xes": "x",
    "ves": "f",
}


def nearest(text: str, choices: Iterable[str], folds: Mapping[str, str]) -> str:
    """The code that a text most likely means: by its stem, one slip of the pen, or how it begins; "" for none."""
    wanted = stem_of(text)
    best, likeness = "", 0.0
    for known, code in [*folds.items(), *((one, one) for one in choices)]:
        other = stem_of(known)
        if not other:
            continue
        if other == wanted:
            return code
        ratio = SequenceMatcher(a=other[:60], b=wanted[:60]).ratio()
        shared = next(
            (at for at, (a, b) in enumerate(zip(other, wanted, strict=False)) if a != b),
            min(len(other), len(wanted)),
        )
        if shared >= _STEM and shared >= 0.6 * max(len(other), len(wanted)):
            ratio = max(ratio, 0.85)
        if ratio > likeness:
            best, likeness = code, ratio
    return best if likeness >= _NEAR else ""


def stem_of(text: str) -> str:
    """A word without the ending of its plural: leaves and leaf, berries and berry, roots and root are one."""
    text = " ".join(re.sub(r"[^\w]+|_", " ", fold(text)[:80]).split())
    for ending, instead in _PLURALS.items():
        if text.endswith(ending) and len(text) >= max(len(ending), 5):
            return text[: -len(ending)] + instead
    return text[:-1] if len(text) > 3 and text.endswith("s") and not text.endswith("ss") else text
