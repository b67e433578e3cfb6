"""What each informant told: taxa, uses, categories, and how evenly over the taxa."""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tender_ledger.core.indices.diversity import evenness, from_sums
from tender_ledger.core.indices.importance import firsts_of_pairs, per_pair
from tender_ledger.core.tally.counting import Tally
from tender_ledger.core.tally.table import Ints

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class InformantCounts:
    """Counts an informant, each of shape (informants,), the silent with zeros.

    `ur` in the unit of the rules; `citations` are distinct (taxon, category), `uses` distinct (taxon, specific use);
    `squares` the sum over taxa of its reports, squared; `events` those in which it stands, whatever the rules leave out.
    """

    ur: Ints | Floats
    citations: Ints
    uses: Ints
    taxa: Ints
    categories: Ints
    events: Ints
    squares: Ints | Floats

    @property
    def sd(self) -> Floats:
        """SD_i = UR_i^2 / sum over taxa of UR_is^2; NaN for the silent. Byg & Balslev 2001, Biodivers Conserv 10:951-970."""
        return from_sums(self.ur, self.squares)

    @property
    def se(self) -> Floats:
        return evenness(self.sd, self.taxa)


def informant_counts(tally: Tally) -> InformantCounts:
    """Count per informant; one that tells the same thing of a taxon twice is counted once, as everywhere."""
    people, reports = len(tally.table.informants), tally.reports
    starts = np.flatnonzero(firsts_of_pairs(reports))
    who = reports.informant[starts]
    told = np.zeros((people, len(tally.table.categories)), dtype=bool)
    told[reports.informant, reports.category] = True
    ur = np.bincount(reports.informant, reports.weight, people)
    return InformantCounts(
        ur=ur,
        citations=np.bincount(tally.citations.informant, minlength=people),
        uses=np.bincount(tally.uses.informant, minlength=people),
        taxa=np.bincount(who, minlength=people),
        categories=told.sum(axis=1),
        events=tally.events_of_informant,
        squares=np.bincount(who, per_pair(reports, starts) ** 2, people),
    )
