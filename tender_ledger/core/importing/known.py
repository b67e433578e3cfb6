"""What a study knows, as values that an imported table is read against; and the new things that the table would bring."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date
from typing import Any

from tender_ledger.core.names import TaxonName

# A thing that a row points at: the number of one the study has, or the key of one that the import makes.
Reference = int | str
TermKey = tuple[str, str, Reference, str]  # vocabulary, scheme or "", parent or "", code


@dataclass(frozen=True)
class KnownInformant:
    """Somebody on record: community (its code, "" for none), whether a source, and what the terms of the day say."""

    id: int
    community: str
    is_source: bool
    may_record: bool
    on_file: bool


@dataclass(frozen=True)
class KnownEncounter:
    """An encounter on record, with its days where they are known."""

    id: int
    first: date | None
    last: date | None


@dataclass(frozen=True)
class KnownPlant:
    """A plant on record; `taxon` is its accepted name, "" while it is undetermined."""

    id: int
    taxon: str


@dataclass(frozen=True)
class Known:
    """A study at the moment of an import.

    `communities` and `languages`: folded code or name -> code; `told`: (encounter number, informant code) of encounters that
    no import made; `events`, `plants_came`: what an imported table called it -> the thing; `plants`: field number -> plant;
    `numbers`: field numbers ever given; `terms`: (vocabulary, scheme, parent) -> folded code or label -> id; `abbreviations`:
    two-letter codes of categories in use; `landed`, `mended`: keys of rows on record; `asked`: askings on record;
    `fixed`: codes that no study can add to, by what they say; `features`: (plant, character, words) on record; `tellings`:
    (encounter, informant, plant, "property" and which, or the kind of link and the other plant, the folded words) on record.
    """

    scheme: str
    communities: Mapping[str, str] = field(default_factory=dict)
    community_names: Mapping[str, str] = field(default_factory=dict)
    informants: Mapping[str, KnownInformant] = field(default_factory=dict)
    languages: Mapping[str, str] = field(default_factory=dict)
    events: Mapping[str, KnownEncounter] = field(default_factory=dict)
    told: Mapping[tuple[int, str], KnownEncounter] = field(default_factory=dict)
    plants: Mapping[int, KnownPlant] = field(default_factory=dict)
    plants_came: Mapping[str, tuple[KnownPlant, ...]] = field(default_factory=dict)
    numbers: frozenset[int] = frozenset()
    terms: Mapping[tuple[str, str, Reference], Mapping[str, int]] = field(default_factory=dict)
    labels: Mapping[tuple[str, str, Reference], tuple[str, ...]] = field(default_factory=dict)
    abbreviations: frozenset[str] = frozenset()
    landed: frozenset[bytes] = frozenset()
    mended: frozenset[bytes] = frozenset()
    asked: frozenset[tuple[int, int, int]] = frozenset()
    fixed: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    features: frozenset[tuple[int, str, str]] = frozenset()
    tellings: frozenset[tuple[int | str, ...]] = frozenset()


@dataclass
class NewInformant:
    """A holder or source that the table brings."""

    community: str
    is_source: bool
    gender: str = "unstated"
    birth_year: int | None = None
    chosen: str = "unstated"


@dataclass
class NewEncounter:
    """An encounter that the table brings; its days grow with the rows that land."""

    title: str
    community: str
    is_reading: bool
    first: date | None = None
    last: date | None = None
    approximate: bool = False


@dataclass
class NewPlant:
    """A plant that the tables bring: its taxon where one is named, the field number it asks for, and what doubts the taxon.

    `about` is what it was like where it was met, `determination` how it was determined; both by the columns of their records.
    """

    taxon: TaxonName | None
    number: int | None = None
    qualifier: str = "none"
    about: Mapping[str, Any] = field(default_factory=dict)
    determination: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True)
class NewTerm:
    """A code that the table brings to the study's own vocabulary."""

    label: str
    abbreviation: str = ""
