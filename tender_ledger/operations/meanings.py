"""What each choice means, in one sentence: shipped, a table a language."""

from functools import cache
from pathlib import Path

from tender_ledger.formats.sheet import read_sheet

_FILES = Path(__file__).resolve().parents[1] / "data" / "meanings"


@cache
def meanings(language: str = "en") -> dict[tuple[str, str], str]:
    """By kind of choice and code a sentence; what explains itself has none, and neither has a language without a table."""
    file = _FILES / f"{language}.csv"
    if not file.exists():
        return {}
    found = read_sheet(file.read_bytes(), ("vocabulary", "code", "sentence"), file.name).rows
    return {(row["vocabulary"], row["code"]): row["sentence"] for row in found}
