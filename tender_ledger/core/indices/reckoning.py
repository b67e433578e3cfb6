"""A reckoning: every index of one tally, for the whole study and for each community with its own N."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np
import numpy.typing as npt

from tender_ledger.core.indices.agreement import CategoryCounts, category_counts, informant_consensus
from tender_ledger.core.indices.composite import cultural_value, relative_importance, relative_importance_of_properties
from tender_ledger.core.indices.diversity import from_sums, inverse_simpson, use_consensus
from tender_ledger.core.indices.fidelity import Popularity, fidelity_level, relative_popularity
from tender_ledger.core.indices.importance import (
    TaxonCounts,
    over_own,
    share_of_informants,
    taxon_counts,
    use_value_of_those_asked,
)
from tender_ledger.core.messages import StatisticalWarning
from tender_ledger.core.rules import CountingRules
from tender_ledger.core.tally.counting import Tally
from tender_ledger.core.tally.table import Bools, Ints

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Reckoning:
    """The computed values of one group of informants under one set of rules.

    Columns of taxa and categories are parallel to `taxa` and `categories`, which hold all of the analysis; those that
    this group never told have counts of 0 (`told` marks the others). NaN means undefined; `why_*` says the reason.
    """

    rules: CountingRules
    n: int
    reporting: int
    taxa: tuple[str, ...]
    family: tuple[str, ...]
    categories: tuple[str, ...]
    counts: TaxonCounts
    category_counts: CategoryCounts
    askings_recorded: bool
    rows: int
    warnings: tuple[StatisticalWarning, ...] = ()
    by_community: Mapping[str, "Reckoning"] = field(default_factory=dict)
    uses_told: int = 0  # distinct specific uses of the whole analysis
    rpl_threshold: int = 0  # T of the relative popularity as the reader gave it; 0: fitted

    @property
    def by_use(self) -> bool:
        return self.rules.unit != "category"

    @cached_property
    def ur(self) -> Ints | Floats:
        """UR in the unit of the rules; a fraction only where they share mixtures."""
        return self.ur_by_category.sum(axis=1)

    @property
    def ur_by_category(self) -> Ints | Floats:
        return self.counts.weighed_by_category

    @property
    def fc(self) -> Ints:
        return self.counts.fc

    @cached_property
    def nu(self) -> Ints:
        return self.counts.nu_use if self.by_use else self.counts.nu_category

    @cached_property
    def rfc(self) -> Floats:
        return share_of_informants(self.fc, self.n)

    @cached_property
    def ci(self) -> Floats:
        return share_of_informants(self.ur, self.n)

    @cached_property
    def ci_components(self) -> Floats:
        return share_of_informants(self.ur_by_category, self.n)

    @cached_property
    def uv_all(self) -> Floats:
        """The use value over all N informants (school B)."""
        return share_of_informants(self.counts.weighed_uses, self.n)

    @cached_property
    def uv_told(self) -> Floats:
        """The use value over those who told (school C), at least 1 wherever it is defined."""
        return over_own(self.counts.weighed_uses, self.fc)

    @cached_property
    def uv_asked(self) -> Floats:
        """The use value over those asked (school A), computed whether or not askings without a use were recorded."""
        return use_value_of_those_asked(self.counts)

    @cached_property
    def cv(self) -> Floats:
        """The cultural value: by categories, or by specific uses where these are the unit."""
        return cultural_value(self.nu, self.uses_told if self.by_use else self.nc, self.fc, self.n, self.ur)

    @cached_property
    def ri(self) -> Floats:
        return relative_importance(self.fc, self.nu)

    @cached_property
    def ri_properties(self) -> Floats:
        return relative_importance_of_properties(self.counts.nu_category, self.counts.nu_use)

    @cached_property
    def fl_by_category(self) -> Floats:
        """FL of every taxon for every category, shape (taxa, categories); 0 where the category was not told of it."""
        return fidelity_level(self.counts.ur_by_category, self.fc)

    @cached_property
    def fl(self) -> Floats:
        """FL for the main purpose: the main category, or the main specific use where these are the unit."""
        if self.by_use:
            return fidelity_level(self.counts.main_use_informants, self.fc)
        return fidelity_level(self.counts.ur_by_category.max(axis=1, initial=0), self.fc)

    @cached_property
    def popularity(self) -> Popularity:
        return relative_popularity(self.counts.nu_use, self.fc, self.rpl_threshold)

    @cached_property
    def rop(self) -> Floats:
        """ROP = FL * RPL, in [0, 100]. Friedman et al. 1986, J Ethnopharmacol 16:275-287."""
        return self.fl * self.popularity.rpl

    @cached_property
    def ud(self) -> Floats:
        return inverse_simpson(self.ur_by_category)

    @cached_property
    def id(self) -> Floats:
        return from_sums(self.ur, self.counts.squares)

    @cached_property
    def uc(self) -> Floats:
        return use_consensus(self.fc, self.n)

    @cached_property
    def sd(self) -> Floats:
        """SD of every category: how evenly its reports spread over taxa."""
        return inverse_simpson(self.ur_by_category, axis=0)

    @property
    def nur(self) -> Ints:
        return self.category_counts.nur

    @property
    def nt(self) -> Ints:
        return self.category_counts.nt

    @cached_property
    def icf(self) -> Floats:
        return informant_consensus(self.nur, self.nt)

    @cached_property
    def told(self) -> Bools:
        """The taxa that this group told a counted use of."""
        return self.counts.fc > 0

    @cached_property
    def nc(self) -> int:
        """NC: the protocol's number of categories where the rules give one, else the categories observed."""
        return self.rules.nc or int((self.category_counts.nt > 0).sum())

    def why_no_threshold(self) -> str:
        """Why RPL and ROP are undefined, or ""."""
        return "" if self.popularity.threshold else "All taxa were told by equally many, so no threshold can be found."

    def why_no_icf(self, category: int) -> str:
        """Why ICF is undefined for a category, or "" where it is defined."""
        nur = int(self.nur[category])
        if nur == 1:
            return "One use report only: 0/0 is no agreement and no disagreement."
        return "No use report counts in this category." if nur == 0 else ""

    def why_no_uv_asked(self) -> str:
        """Why the use value of those asked is not shown, or "" where it is."""
        if self.askings_recorded:
            return ""
        return "Nobody is on record as asked without naming a use, so those asked cannot be told from those who named one."

    def why_no_share(self) -> str:
        """Why a value over N is undefined, or ""."""
        return "" if self.n else "N is 0: nobody is counted under these rules."


def reckon(tally: Tally, *, communities: bool = True) -> Reckoning:
    """Compute every index of the tally; with `communities`, also for each community with its own N."""
    whole = _reckon_among(tally, np.ones(len(tally.counted), dtype=bool), tally.warnings)
    if not communities:
        return whole
    people = tally.table.informants
    parts = {
        code: _reckon_among(tally, people.community == at, ())
        for at, code in enumerate(people.communities)
        if tally.rules.communities is None or code in tally.rules.communities
    }
    return replace(whole, by_community=parts)


def _reckon_among(tally: Tally, among: Bools, warnings: tuple[StatisticalWarning, ...]) -> Reckoning:
    counts = taxon_counts(tally, among)
    kept = tally.kept & among[tally.table.informant]
    present = np.zeros(len(among), dtype=bool)
    present[tally.uses_informant] = True
    return Reckoning(
        rules=tally.rules,
        n=int((tally.counted & among).sum()),
        reporting=int((present & among).sum()),
        taxa=tally.taxa.names,
        family=tally.taxa.family,
        categories=tally.table.categories,
        counts=counts,
        category_counts=category_counts(tally, counts, among),
        askings_recorded=tally.none_named > 0,
        rows=int(kept.sum()),
        warnings=warnings,
        uses_told=int((np.bincount(tally.uses_use) > 0).sum()),
    )
