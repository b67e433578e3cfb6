"""The terms that screens use, each with its meaning and source: those of the field from a shipped table, and every index."""

from dataclasses import dataclass
from functools import cache
from pathlib import Path

from tender_ledger.core.indices.catalogue import EXPLAINED
from tender_ledger.core.indices.working import MISLEADS, SOURCES, SYMBOLS
from tender_ledger.formats.sheet import read_sheet

_FILES = Path(__file__).resolve().parents[1] / "data" / "glossary"


@dataclass(frozen=True)
class Term:
    """`key` is its anchor; `formula` is in the notation of the catalogue, "" where there is none."""

    key: str
    term: str
    meaning: str
    source: str
    formula: str = ""
    misleads: str = ""


@cache
def field_terms(language: str = "en") -> tuple[Term, ...]:
    """The terms of the work, in the alphabet of the language; none for a language without a table."""
    file = _FILES / f"{language}.csv"
    if not file.exists():
        return ()
    rows = read_sheet(file.read_bytes(), ("key", "term", "meaning", "source"), file.name).rows
    return tuple(sorted((Term(row["key"], row["term"], row["meaning"], row["source"]) for row in rows),
                        key=lambda one: one.term.lower()))  # fmt: skip


@cache
def index_terms() -> tuple[Term, ...]:
    """Every index by its symbol, with formula, source and when it misleads; one that stands twice, once."""
    found = {
        one.symbol: Term(key, one.symbol, one.name, one.source, one.formula, one.misleads)
        for key, one in reversed(EXPLAINED.items())
    }
    found |= {SYMBOLS[key]: Term(key, SYMBOLS[key], _NAMES.get(key, ""), SOURCES[key], _FORMULAS.get(key, ""), MISLEADS[key])
              for key in SYMBOLS}  # fmt: skip
    return tuple(sorted(found.values(), key=lambda one: one.term.lower()))


# What the working of an index in the margin puts counts into; the others stand in the catalogue.
_NAMES = {"ur": "use reports", "fc": "frequency of citation", "nu": "number of uses", "rfc": "relative frequency of citation",
          "ci": "cultural importance", "uv": "use value over everybody", "uva": "use value over those asked",
          "icf": "informant consensus factor", "nur": "use reports in a category", "nt": "taxa told in a category"}  # fmt: skip
_FORMULAS = {
    "ur": "UR_s = sum_u sum_i UR_ui", "rfc": "RFC = frac(FC; N)", "ci": "CI = frac(UR; N)", "uv": "UV = frac(sum_i U_i; N)",
    "uva": "UV = frac(sum_i UV_i; n_s)", "icf": "ICF = frac(Nur - Nt; Nur - 1)",
}  # fmt: skip
