"""What an import would write: rows as they land, what is told beside them, and everything new they need."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from tender_ledger.core.importing.known import NewEncounter, NewInformant, NewPlant, NewTerm, Reference, TermKey
from tender_ledger.core.importing.rows import FailingRow


@dataclass(frozen=True)
class Landing:
    """A row as it would be recorded, with its cells as they stood; a reference is a number, or the key of something new.

    `name` is the local name told with its language code ("" where none is said). `part_of` is the row before it of the same
    report, of which this one is a further component. `beside` are the rows of the tables beside reports.csv that tell of it: by
    kind (steps, ingredients, teachings, codings), each as the record it becomes.
    """

    line: int
    cells: Mapping[str, str]
    key: bytes
    mended_key: bytes | None
    informant: str
    event: Reference
    plant: Reference
    asking: bool
    values: dict[str, Any]
    many: dict[str, tuple[Reference | TermKey, ...]]
    coding: dict[str, Any] | None
    component: int
    name: tuple[str, str] | None
    part_of: "Landing | None" = None
    beside: dict[str, list[dict[str, Any]]] = field(default_factory=dict)


@dataclass(frozen=True)
class Telling:
    """What somebody told in an encounter of a plant beside its uses: a property, or what it is to another plant."""

    informant: str
    event: Reference
    plant: Reference
    values: dict[str, Any]


@dataclass(frozen=True)
class NamedPlant:
    """A local name of a plant; `informant` and `event` say who used it where, "" where nobody is named."""

    plant: Reference
    name: str
    language: str
    dialect: str
    gloss: str
    informant: str
    event: Reference


@dataclass
class ImportPlan:
    """What an import would do: rows by row, and everything new they need. Nothing of a failing row is in it."""

    rows: int
    landing: list[Landing] = field(default_factory=list)
    known: int = 0
    failing: list[FailingRow] = field(default_factory=list)
    communities: dict[str, str] = field(default_factory=dict)
    informants: dict[str, NewInformant] = field(default_factory=dict)
    encounters: dict[str, NewEncounter] = field(default_factory=dict)
    tellers: dict[tuple[Reference, str], None] = field(default_factory=dict)
    plants: dict[str, NewPlant] = field(default_factory=dict)
    languages: dict[str, str] = field(default_factory=dict)
    terms: dict[TermKey, NewTerm] = field(default_factory=dict)
    notes: list[str] = field(default_factory=list)
    features: list[tuple[Reference, dict[str, Any]]] = field(default_factory=list)
    names: list[NamedPlant] = field(default_factory=list)
    claims: list[Telling] = field(default_factory=list)
    links: list[Telling] = field(default_factory=list)

    @property
    def is_empty(self) -> bool:
        """Whether nothing would be written."""
        return not any((self.landing, self.informants, self.plants, self.features, self.names, self.claims, self.links))
