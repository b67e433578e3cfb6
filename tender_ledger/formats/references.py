"""Bibliographic records in the open formats that reference lists come in, as CSL items.

BibTeX is read by bibtexparser, RIS by rispy, CSL-JSON by the standard library; what each calls a thing is turned into the name
that CSL 1.0.2 has for it.
"""

import json
import logging
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import rispy
from bibtexparser import middlewares
from bibtexparser.entrypoint import parse_string

from tender_ledger.core.limits import RECORDS
from tender_ledger.core.messages import InputRefused, Problem
from tender_ledger.core.text import clean
from tender_ledger.formats.csl_items import Item, read_item

_BIBTEX_TYPES = {
    "article": "article-journal", "book": "book", "booklet": "pamphlet", "inbook": "chapter", "incollection": "chapter",
    "inproceedings": "paper-conference", "manual": "report", "mastersthesis": "thesis", "phdthesis": "thesis",
    "techreport": "report", "unpublished": "manuscript",
}  # fmt: skip
_RIS_TYPES = {
    "JOUR": "article-journal", "JFULL": "article-journal", "BOOK": "book", "CHAP": "chapter", "CONF": "paper-conference",
    "CPAPER": "paper-conference", "THES": "thesis", "RPRT": "report", "UNPB": "manuscript", "MANSCPT": "manuscript",
    "NEWS": "article-newspaper", "MGZN": "article-magazine", "SOUND": "song", "VIDEO": "motion_picture", "MAP": "map",
    "ELEC": "webpage", "PAMP": "pamphlet",
}  # fmt: skip
_BIBTEX_FIELDS = {
    "title": "title", "volume": "volume", "number": "issue", "pages": "page", "publisher": "publisher",
    "address": "publisher-place", "edition": "edition", "doi": "DOI", "url": "URL", "isbn": "ISBN", "issn": "ISSN",
    "note": "note", "abstract": "abstract", "school": "publisher", "institution": "publisher", "series": "collection-title",
}  # fmt: skip
_RIS_FIELDS = {
    "title": "title", "primary_title": "title", "volume": "volume", "number": "issue", "publisher": "publisher",
    "place_published": "publisher-place", "edition": "edition", "doi": "DOI", "issn": "ISSN", "abstract": "abstract",
    "journal_name": "container-title", "secondary_title": "container-title", "alternate_title3": "container-title",
    "alternate_title1": "container-title", "notes_abstract": "abstract",
}  # fmt: skip
_PROTECTED = re.compile(r"[{}]")


@dataclass(frozen=True)
class References:
    """The items of a file, and what in it could not be read, each with its place."""

    items: tuple[Item, ...]
    problems: tuple[Problem, ...]


def read_references(data: bytes, name: str = "the references") -> References:
    """The records of a BibTeX, RIS or CSL-JSON file, known by what it begins with.

    A record without a title is a problem and no item. Raises InputRefused for what is none of the three, and for
    more than RECORDS.
    """
    try:
        text = data.decode("utf-8-sig").strip()
    except UnicodeDecodeError as error:
        raise InputRefused(Problem("This is not UTF-8.", name, f"byte {error.start}", "a text file saved as UTF-8")) from None
    if text[:1] in ("[", "{"):
        found, problems = _csl(text, name)
    elif re.match(r"TY\s+-", text):
        found, problems = [_of_ris(one) for one in rispy.loads(text)], []
    elif re.search(r"^\s*@\w+\s*[{(]", text, re.M):
        found, problems = _bibtex(text, name)
    else:
        raise InputRefused(Problem("This is no list of references.", name, text[:40] or "nothing", "BibTeX, RIS or CSL-JSON"))
    if len(found) > RECORDS:
        remedy = "Bring it in parts."
        raise InputRefused(
            Problem("These are too many records.", name, f"{len(found):,} records", f"at most {RECORDS:,} records", remedy)
        )
    for at, one in enumerate(found, 1):
        if not one.get("title"):
            problems.append(Problem("The record has no title.", f"{name}, record {at}", expected="a title"))
    return References(tuple(one for one in found if one.get("title")), tuple(problems))


def _csl(text: str, name: str) -> tuple[list[Item], list[Problem]]:
    try:
        read = json.loads(text)
    except json.JSONDecodeError as error:
        raise InputRefused(Problem("This is no JSON.", f"{name}, line {error.lineno}", error.msg, "CSL-JSON")) from None
    except RecursionError:
        raise InputRefused(Problem("This is nested too deeply.", name, "brackets within brackets", "CSL-JSON")) from None
    items = read if isinstance(read, list) else read.get("items", [read])
    if not isinstance(items, list):
        raise InputRefused(Problem("Its “items” are no list.", name, str(items)[:40], "a list of records"))
    good: list[Item] = []
    wrong: list[Problem] = []
    for at, one in enumerate(items, 1):
        if isinstance(one, dict):
            item, problems = read_item(one)
            good.append(item)
            wrong += [Problem(what, f"{name}, record {at}", found, expected) for what, found, expected in problems]
        else:
            wrong.append(Problem("This is no record.", f"{name}, record {at}", str(one)[:40], "an object with type and title"))
    return good, wrong


def _bibtex(text: str, name: str) -> tuple[list[Item], list[Problem]]:
    logging.getLogger("bibtexparser").setLevel(logging.CRITICAL)  # what fails is told with its line, not logged
    steps = [middlewares.LatexDecodingMiddleware(), middlewares.SeparateCoAuthors(), middlewares.SplitNameParts()]
    library = parse_string(text, append_middleware=steps)
    wrong = [Problem("The record cannot be read.", f"{name}, line {(one.start_line or 0) + 1}", str(one.raw or "")[:60].strip(),
                     "a complete record, its braces closed") for one in library.failed_blocks]  # fmt: skip
    return [
        _of_bibtex(one.entry_type, {key: field.value for key, field in one.fields_dict.items()}) for one in library.entries
    ], wrong


def _of_bibtex(kind: str, fields: Mapping[str, Any]) -> Item:
    said = {key.lower(): value for key, value in fields.items()}
    item: Item = {"type": _BIBTEX_TYPES.get(kind.lower(), "document")}
    item |= {name: _bare(said[key]) for key, name in _BIBTEX_FIELDS.items() if _bare(said.get(key))}
    for key in ("journal", "booktitle", "journaltitle"):
        if _bare(said.get(key)):
            item["container-title"] = _bare(said[key])
    for role in ("author", "editor"):
        if people := [_name_of_parts(one) for one in _listed(said.get(role))]:
            item[role] = people
    return item | _issued(_bare(said.get("year") or said.get("date")))


def _listed(value: Any) -> Sequence[Any]:
    return value if isinstance(value, list) else []


def _name_of_parts(parts: Any) -> dict[str, str]:
    """A name as BibTeX parts it: the particle is CSL's, a suffix stands after the family."""
    said = {"family": " ".join(parts.last), "given": " ".join(parts.first), "non-dropping-particle": " ".join(parts.von),
            "suffix": " ".join(parts.jr)}  # fmt: skip
    return {key: _bare(value) for key, value in said.items() if value}


def _of_ris(fields: Mapping[str, Any]) -> Item:
    item: Item = {"type": _RIS_TYPES.get(str(fields.get("type_of_reference", "")).upper(), "document")}
    item |= {name: _bare(fields[key]) for key, name in reversed(_RIS_FIELDS.items()) if _bare(fields.get(key))}
    if fields.get("start_page"):
        item["page"] = "–".join(filter(None, (_bare(fields["start_page"]), _bare(fields.get("end_page")))))
    if urls := fields.get("urls"):
        item["URL"] = _bare(urls[0])
    for key, role in (("authors", "author"), ("first_authors", "author"), ("secondary_authors", "editor")):
        if people := [name_of(one) for one in fields.get(key) or ()]:
            item.setdefault(role, people)
    return item | _issued(_bare(fields.get("year") or fields.get("publication_year") or fields.get("date")))


def name_of(text: str) -> dict[str, str]:
    """A person as CSL has one: “Marrow, Ida B.” has a family and given names, anything without a comma is literal."""
    family, comma, given = clean(text).partition(",")
    return {"family": family.strip(), "given": given.strip()} if comma and given.strip() else {"literal": clean(text)}


def _issued(text: str) -> Item:
    day = date_of(text)
    return {"issued": day} if day else {}


def date_of(text: str) -> dict[str, Any]:
    """A date as CSL has one: the year, month and day that stand in the text, “about” where more than they stand there."""
    found = re.search(r"(\d{4})(?:[-/](\d{1,2})(?:[-/](\d{1,2}))?)?", clean(text))
    if not found:
        return {"literal": clean(text)} if clean(text) else {}
    parts = [int(part) for part in found.groups() if part]
    rest = (clean(text)[: found.start()] + clean(text)[found.end() :]).strip(" /.,")
    return {"date-parts": [parts]} | ({"circa": True} if rest else {})


def _bare(value: Any) -> str:
    """A text without the braces that keep capitals in BibTeX."""
    return " ".join(_PROTECTED.sub("", clean(str(value or ""))).split())
