"""The columnar use-report table: what computation takes, wherever the rows came from."""

from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from tender_ledger.core.rules import BASES

Ints = npt.NDArray[Any]  # of integers; which width is the platform's affair
Bools = npt.NDArray[np.bool_]

NONE_NAMED = -2  # category code of a row that says: asked about this plant, no use named
UNSPECIFIED = "unspecified"  # the code of a part or a preparation that was not said: no row lists it
UNCODED = -1  # category code of a row whose category is not yet known


@dataclass(frozen=True)
class Informants:
    """Everybody the study may count, also the silent: parallel columns, one place an informant.

    `community` is a code into `communities` (-1: none); `is_source` marks written or recorded sources.
    """

    codes: tuple[str, ...]
    community: Ints
    is_source: Bools
    communities: tuple[str, ...]

    def __len__(self) -> int:
        return len(self.codes)


@dataclass(frozen=True)
class Plants:
    """The plants that reports point at: parallel columns. `taxon` is "" where a plant is undetermined."""

    labels: tuple[str, ...]
    taxon: tuple[str, ...]
    rank: tuple[str, ...]
    family: tuple[str, ...]
    qualifier: tuple[str, ...] = ()  # cf. or aff., "" where there is none; empty: nowhere
    foreign: tuple[bool, ...] = ()  # grown here and native elsewhere, so that no flora of the place holds them; empty: none

    def __len__(self) -> int:
        return len(self.labels)


@dataclass(frozen=True)
class Uses:
    """Specific uses, each within its category: (category, label) is the key, sorted by category."""

    category: Ints
    labels: tuple[str, ...]


@dataclass(frozen=True)
class Listed:
    """What rows tell several of, such as parts: pairs of a row's place and a code into `labels`. Rows may have none."""

    row: Ints
    code: Ints
    labels: tuple[str, ...]


@dataclass(frozen=True)
class UseReportTable:
    """Rows of reports as integer codes, with the label tables the codes point into.

    Columns of length n: informant, event, plant, category (see NONE_NAMED, UNCODED), use (-1 where no category),
    basis (a code into `bases`), stance, outcome (codes into `rules.STANCES`, `OUTCOMES`). Optional columns are None where
    the rows do not carry them: currency, mixture (0: none; else the remedy of the row's informant), minor_role (carrier or
    corrective), by_animal (what an animal does of itself), scheme, subcategory (-1: none), secondary (the code is a further
    one of its report), parts and preparations, row (identities).
    """

    informants: Informants
    plants: Plants
    categories: tuple[str, ...]
    uses: Uses
    events: int
    informant: Ints
    event: Ints
    plant: Ints
    category: Ints
    use: Ints
    basis: Ints
    stance: Ints
    outcome: Ints
    currency: Ints | None = None
    mixture: Ints | None = None
    minor_role: Bools | None = None
    by_animal: Bools | None = None
    scheme: Ints | None = None
    schemes: tuple[str, ...] = ()
    subcategory: Ints | None = None
    subcategories: tuple[str, ...] = ()
    secondary: Bools | None = None
    parts: Listed | None = None
    preparations: Listed | None = None
    row: Ints | None = None
    roster_given: bool = True
    terms_partial: bool = False  # whether terms keep some reports of counted informants out
    bases: tuple[str, ...] = BASES

    def __len__(self) -> int:
        return len(self.informant)
