"""Everything that is computed of one tally beside its indices: sufficiency, groups, free lists, flora, uncertainty."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from tender_ledger.core.flora.overuse import FamilyUse, family_use, species_of_a_flora, used_species
from tender_ledger.core.freelists.salience import Salience, salience
from tender_ledger.core.groups.grouping import Pair, by_community, compare, told_by_group
from tender_ledger.core.indices.reckoning import Reckoning
from tender_ledger.core.messages import InputRefused, Problem
from tender_ledger.core.resampling.bootstrap import Bootstrap, bootstrap
from tender_ledger.core.sampling.incidence import Incidences, incidences
from tender_ledger.core.tally.counting import Tally


@dataclass(frozen=True)
class Parts:
    """The parts that were asked for; the others are None or empty. `sampling_of` is by community."""

    tally: Tally | None = None
    sampling: Incidences | None = None
    sampling_of: Mapping[str, Incidences] = field(default_factory=dict)
    pairs: Sequence[Pair] = ()
    salience: Salience | None = None
    overuse: FamilyUse | None = None
    uncertainty: Bootstrap | None = None


def parts_of(tally: Tally, r: Reckoning, *, lists: Sequence[Sequence[str]] | None = None, flora: Mapping[str, int] | None = None,
             category: str = "", replicates: int | str = 0, seed: int = 1) -> Parts:  # fmt: skip
    """Compute the parts; `replicates` is a number of resamples, `exact`, or 0 for none. `category` restricts the over-use.

    Raises InputRefused as the parts do, and for a category that the tally has not.
    """
    people = tally.table.informants
    grouping = by_community(tally)
    told = told_by_group(tally, grouping)
    of = {name: incidences(tally, "taxa", grouping.members(at)) for at, name in enumerate(grouping.names)}
    pairs = [compare(tally, told, one, other, seed=seed)
             for one in range(len(grouping.names)) for other in range(one + 1, len(grouping.names))]  # fmt: skip
    if category and category not in r.categories:
        raise InputRefused(Problem("No row is coded in this category.", "flora category", category, ", ".join(r.categories)))
    return Parts(
        tally,
        sampling=incidences(tally),
        sampling_of=of if people.communities else {},
        pairs=pairs,
        salience=None if lists is None else salience(lists),
        overuse=None if flora is None else family_use(flora, used_species(r, species_of_a_flora(tally), category)),
        uncertainty=bootstrap(tally, replicates=0 if replicates == "exact" else int(replicates), seed=seed,
                              exact=replicates == "exact", exact_means=replicates == "exact") if replicates else None,
    )  # fmt: skip
