"""Written and recorded sources with their bibliographic records, typed or brought from a list of references."""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from tender_ledger.core.messages import InputRefused, Problem
from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Scope
from tender_ledger.core.text import clean, fold
from tender_ledger.formats.isolation import isolated
from tender_ledger.formats.references import date_of, name_of, read_references
from tender_ledger.operations.errors import Refused, code_of, constraints_as_refusals, required
from tender_ledger.operations.saving import saving
from tender_ledger.storage.history import act
from tender_ledger.storage.models import Informant, Source
from tender_ledger.storage.queries import people

# What each kind of source is in CSL, and the kind that each type of CSL is here.
TYPES = {
    "book": "book", "article": "article-journal", "chapter": "chapter", "thesis": "thesis", "report": "report",
    "herbarium_label": "document", "archive_recording": "document", "manuscript": "manuscript", "other": "document",
}  # fmt: skip
_KINDS = {
    "book": "book", "article-journal": "article", "article": "article", "article-magazine": "article",
    "article-newspaper": "article", "chapter": "chapter", "paper-conference": "chapter", "thesis": "thesis", "report": "report",
    "manuscript": "manuscript", "song": "archive_recording", "interview": "archive_recording",
}  # fmt: skip
# Lines of the form beside title, author and year: the name there, and in CSL.
FIELDS = {"container": "container-title", "volume": "volume", "issue": "issue", "pages": "page", "publisher": "publisher",
          "publisher_place": "publisher-place", "doi": "DOI", "url": "URL", "archive": "archive", "note": "note"}  # fmt: skip


@dataclass(frozen=True)
class Brought:
    """What came of a list of references: codes of new sources, how many the study had already, and what failed."""

    codes: tuple[str, ...]
    known: int
    problems: tuple[Problem, ...]


def add_source(scope: Scope, *, code: str, kind: str, community_id: int | None = None, **record: str) -> int:
    """Add a source: its code, its kind, and its record: title, author (several parted by semicolons, “Family, Given” or as
    written), year, and FIELDS. It can be an informant where the counting rules say so."""
    scope.viewer.require(Right.RECORD)
    values = {"code": code_of(code), "kind": clean(kind), "csl": _item(kind, record), "community_id": community_id}
    with constraints_as_refusals(), act(scope.viewer, "add_source") as writing:
        source_id = writing.create(Source, values)
        Informant.insert(study_id=scope.study_id, source_id=source_id).execute()
        return source_id


def correct_source(scope: Scope, source_id: int, version: int, *, kind: str, **record: str) -> None:
    """Correct a source's kind and record; what a list of references brought beside stays."""
    scope.viewer.require(Right.RECORD)
    found = next((one for one in people.sources(scope) if one["id"] == source_id), None)
    kept = {name: value for name, value in (found or {"csl": {}})["csl"].items() if name not in _typed()}
    with saving(scope, "correct_source") as writing:
        writing.update(Source, source_id, version, {"kind": clean(kind), "csl": kept | _item(kind, record)})


def typed_record(csl: Mapping[str, Any]) -> dict[str, str]:
    """A CSL item as the form has it."""
    people_named = [one.get("literal") or ", ".join(filter(None, (_family(one), one.get("given", ""))))
                    for one in csl.get("author", ())]  # fmt: skip
    issued = csl.get("issued", {})
    parts = (issued.get("date-parts") or [[]])[0]
    year = "-".join(f"{part:02d}" for part in parts) or str(issued.get("literal", ""))
    return {"title": str(csl.get("title", "")), "author": "; ".join(people_named),
            "year": f"about {year}" if issued.get("circa") else year,
            **{name: str(csl.get(key, "")) for name, key in FIELDS.items()}}  # fmt: skip


def import_references(scope: Scope, data: bytes, name: str = "the references") -> Brought:
    """Bring the records of a BibTeX, RIS or CSL-JSON file in as sources, all in one act.

    A record is known where its DOI is, or its title and year. Each new one gets a code from its first author and year. Refused
    for what is no such file; a record that fails is told and the others come in.
    """
    scope.viewer.require(Right.RECORD)
    try:
        found = isolated(read_references, data, name)
    except InputRefused as refused:
        raise Refused({"file": str(refused.problems[0])}) from refused
    here = people.sources(scope)
    known, taken = {_key(one["csl"]) for one in here}, {one["code"] for one in here}
    codes: list[str] = []
    seen = 0
    with constraints_as_refusals(), act(scope.viewer, "import_references") as writing:
        for item in found.items:
            if _key(item) in known:
                seen += 1
                continue
            known.add(_key(item))
            codes.append(_new_code(item, taken))
            values = {"code": codes[-1], "kind": _KINDS.get(str(item.get("type")), "other"), "csl": item, "community_id": None}
            source_id = writing.create(Source, values)
            Informant.insert(study_id=scope.study_id, source_id=source_id).execute()
    return Brought(tuple(codes), seen, found.problems)


def _item(kind: str, record: Mapping[str, str]) -> dict[str, Any]:
    authors = [name_of(one) for one in clean(record.get("author")).split(";") if one.strip()]
    return {
        "type": TYPES.get(kind, "document"),
        "title": required(record.get("title"), "title", "The title"),
        "author": authors,
        "issued": date_of(record.get("year") or ""),
        **{key: clean(record.get(name)) for name, key in FIELDS.items() if clean(record.get(name))},
    }


def _typed() -> frozenset[str]:
    return frozenset({"type", "title", "author", "issued", *FIELDS.values()})


def _family(person: Mapping[str, str]) -> str:
    return " ".join(filter(None, (person.get("non-dropping-particle", ""), person.get("family", ""))))


def _key(item: Mapping[str, Any]) -> str:
    """By what a record is known again."""
    if item.get("DOI"):
        return fold(str(item["DOI"])).removeprefix("https://doi.org/")
    return f"{fold(str(item.get('title', '')))} {_year(item)}"


def _year(item: Mapping[str, Any]) -> str:
    parts = (item.get("issued") or {}).get("date-parts") or [[]]
    return str(parts[0][0]) if parts[0] else ""


def _new_code(item: Mapping[str, Any], taken: set[str]) -> str:
    """MARROW-1964, and MARROW-1964-B for a second one; entered among those taken."""
    first: Mapping[str, str] = next(iter(item.get("author") or item.get("editor") or ()), {})
    name = first.get("family") or first.get("literal") or str(item.get("title", ""))
    letters = re.sub(r"[^A-Z]", "", fold(name).upper())[:12] or "SOURCE"
    plain = "-".join(filter(None, (letters, _year(item))))
    code = next(one for one in (plain, *(f"{plain}-{chr(at)}" for at in range(ord("B"), ord("Z") + 1)),
                                *(f"{plain}-{at}" for at in range(27, 10_000))) if one not in taken)  # fmt: skip
    taken.add(code)
    return code
