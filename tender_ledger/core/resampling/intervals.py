"""The 95 % intervals that are shown: each informant is left out in turn, since a drawing twice hides what one alone told.

Every index is taken on the scale on which its interval holds what it estimates, its expected value in a study of as many
informants chosen in the same way, in 92 to 98 % of invented studies (docs/methods/uncertainty.md); an index on which none
does has no interval. Of a taxon that fewer than RANKED_FROM tell nothing can be said.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
import numpy.typing as npt

from tender_ledger.core.indices.ranking import RANKED_FROM
from tender_ledger.core.resampling.drawing import Resamples
from tender_ledger.core.resampling.further import Further, asked_values, further_values
from tender_ledger.core.resampling.jackknife import (
    Ends,
    each_left_out,
    ends_around,
    ends_of_logs,
    ends_of_shares,
    jackknife_errors,
)
from tender_ledger.core.resampling.means import PerInformant
from tender_ledger.core.tally.counting import Tally
from tender_ledger.core.tally.table import Bools, Ints

Floats = npt.NDArray[np.float64]
# What no interval holds: it rests on a maximum, on a fitted threshold, or on how many kinds were told at all.
WITHOUT = ("cf", "cv", "ri", "rip", "fl", "rpl", "rop", "ud", "ie", "fuva")
HELD_BY_TAXON = ("rfc", "ci", "uv", "uc", "ue", "id", "uvt", "uva")


@dataclass(frozen=True)
class ShownIntervals:
    """The ends by the short name of an index: of taxa (HELD_BY_TAXON), of categories (icf, sd, se), of families (fuv), whose
    names are `names`. Arrays as long as the taxa, categories or families; NaN where there is no interval."""

    taxa: Mapping[str, Ends] = field(default_factory=dict)
    categories: Mapping[str, Ends] = field(default_factory=dict)
    families: Mapping[str, Ends] = field(default_factory=dict)
    names: tuple[str, ...] = ()


def mean_ends(values: PerInformant, tellers: Ints) -> Ends:
    """The ends of a mean over informants, by taxon: its jackknife error is that of a mean; NaN where too few tell of it."""
    mean = values.sums() / values.n if values.n else np.full(values.taxa, np.nan)
    return _of_enough(ends_around(mean, values.standard_errors()[1], within=(0.0, np.inf)), tellers)


def agreement_ends(estimate: Floats, errors: Floats) -> Ends:
    """The ends of ICF by category from its jackknife errors; NaN where one informant left out leaves it undefined."""
    return ends_around(estimate, errors, within=(-np.inf, 1.0))


def tellers_of(values: PerInformant) -> Ints:
    """How many informants tell of each taxon, from what each adds to RFC."""
    return np.bincount(values.taxon, minlength=values.taxa)


def further_ends(tally: Tally, drawn: Resamples, counted: Bools, number: Ints, tellers: Ints,
                 wanted: Literal["asked", "all"]) -> ShownIntervals:  # fmt: skip
    """The ends of the other indices: of uva alone where those of the asked are wanted, else of all that have any.

    `number` gives every informant's place among the counted; `drawn` are resamples of them, for SE alone. Empty where it would
    take too long.
    """
    n = int(counted.sum())
    left = each_left_out(n)
    if wanted == "asked":
        asked, less = (asked_values(tally, one, counted, number) for one in (_everybody(n), left))
        if asked is None or less is None:
            return ShownIntervals()
        return ShownIntervals({"uva": _of_enough(ends_of_logs(asked[0], less, tellers), tellers)})
    whole, without, again = (further_values(tally, one, counted, number) for one in (_everybody(n), left, drawn))
    if not whole.taxa or not without.taxa:
        return ShownIntervals()
    return ShownIntervals(
        {name: _of_enough(ends, tellers) for name, ends in _of_taxa(whole, without, tellers).items()},
        _of_categories(whole, without, again),
        {"fuv": ends_of_logs(whole.families["fuv"][0], without.families["fuv"])},
        whole.names,
    )


def _everybody(n: int) -> Resamples:
    return Resamples(np.ones((1, n), dtype=np.float32), None, "everybody once")


def _of_taxa(whole: Further[Floats], without: Further[Floats], tellers: Ints) -> dict[str, Ends]:
    values, left = {name: one[0] for name, one in whole.taxa.items()}, without.taxa
    around = {name: ends_around(values[name], jackknife_errors(left[name])) for name in ("uc", "id")}
    shares = {"ue": ends_of_shares(values["ue"], left["ue"], tellers=tellers)}
    logs = {name: ends_of_logs(values[name], left[name], tellers) for name in ("uvt", "uva")}
    return {**around, **shares, **logs}


def _of_categories(whole: Further[Floats], without: Further[Floats], drawn: Further[Floats]) -> dict[str, Ends]:
    found = {"sd": ends_of_logs(whole.categories["sd"][0], without.categories["sd"])}
    if drawn.categories:
        with np.errstate(invalid="ignore"):
            errors = drawn.categories["se"].std(axis=0, ddof=1) if len(drawn.categories["se"]) > 1 else np.nan
        found["se"] = ends_around(whole.categories["se"][0], np.asarray(errors), within=(0.0, 1.0))
    return found


def _of_enough(ends: Ends, tellers: Ints) -> Ends:
    enough = tellers >= RANKED_FROM
    return np.where(enough, ends[0], np.nan), np.where(enough, ends[1], np.nan)
