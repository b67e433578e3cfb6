"""What waits for a decision: rules over what was recorded, each with its reason and what settles it."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date


@dataclass(frozen=True)
class PlantFacts:
    """A plant as the rules see it: its number, scientific name ("" undetermined), local names, and how many reports it has."""

    number: int
    taxon: str = ""
    names: tuple[str, ...] = ()
    reports: int = 0


@dataclass(frozen=True)
class ReportFacts:
    """A report as the rules see it, in codes; `methods` holds those of its steps too, `internal` says that it is taken."""

    id: int
    informant: str
    plant: int
    taxon: str = ""
    encounter: int = 0
    category: str = ""
    purpose: str = ""
    parts: tuple[str, ...] = ()
    methods: tuple[str, ...] = ()
    applications: tuple[str, ...] = ()
    stage: str = ""
    basis: str = "unstated"
    stance: str = "affirms"
    outcome: str = "unstated"
    dose: str = ""
    words: str = ""
    note: str = ""


@dataclass(frozen=True)
class HolderFacts:
    """A holder who told something: whether an agreement is on file, the day one ended, the year of birth, None where not said."""

    code: str
    on_file: bool
    ended_on: date | None = None
    born: int | None = None
    reports: int = 0


@dataclass(frozen=True)
class EncounterFacts:
    """An encounter: its days, where it was, and who told there."""

    number: int
    first: date | None = None
    last: date | None = None
    latitude: float | None = None
    longitude: float | None = None
    tellers: tuple[str, ...] = ()


@dataclass(frozen=True)
class Caution:
    """A caution on record: the taxon or genus it is about, and where said the part, stage and preparation; what may happen, and
    who says so; `asks` is the code of the method that takes the harm away, "" where none is known."""

    id: int
    taxon: str
    kind: str
    harm: str
    source: str
    part: str = ""
    stage: str = ""
    method: str = ""
    asks: str = ""

    @property
    def poisonous(self) -> bool:
        return self.kind in POISONOUS


POISONOUS = frozenset({"poisonous_part", "poisonous_raw", "poisonous_stage", "dose_limit"})


@dataclass(frozen=True)
class Facts:
    """Everything that the rules look at, on one day; the region is where the communities are (latitude, longitude)."""

    day: date
    plants: Sequence[PlantFacts] = ()
    reports: Sequence[ReportFacts] = ()
    holders: Sequence[HolderFacts] = ()
    encounters: Sequence[EncounterFacts] = ()
    cautions: Sequence[Caution] = ()
    region: Sequence[tuple[float, float]] = ()


@dataclass(frozen=True)
class Item:
    """Something that waits: the rule, what it is about (`about` is stable and names the records), the reason in words, and what
    is to be looked at: (kind, number or code) of plants, reports, holders, encounters."""

    rule: str
    about: str
    reason: str
    records: tuple[tuple[str, int | str], ...] = field(default=())
