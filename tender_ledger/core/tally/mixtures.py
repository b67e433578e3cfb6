"""Remedies of several plants: each plant whole, all of them as one taxon of their own, or each with its share."""

from dataclasses import replace

import numpy as np
import numpy.typing as npt

from tender_ledger.core.tally.table import Bools, Ints, UseReportTable
from tender_ledger.core.tally.taxa import CountedTaxa

MIXTURE = "(mixture)"  # the family of a mixture that is counted as a taxon
Floats = npt.NDArray[np.float64]


def mixtures_as_taxa(table: UseReportTable, taxa: CountedTaxa) -> tuple[UseReportTable, CountedTaxa]:
    """The table with the rows of a mixture under a plant of its own, named by its components in alphabetical order.

    Carriers and correctives are no components. A mixture of which a component is not counted is not counted; one of a
    single taxon is that taxon.
    """
    groups = _groups(table)
    if groups is None:
        return table, taxa
    rows, group = groups
    plant = table.plant.copy()
    found = [_component_names(taxa, table.plant[rows[group == one]]) for one in range(int(group.max()) + 1)]
    names = sorted({name for name in found if name} | set(taxa.names))
    place = {name: at for at, name in enumerate(names)}
    family = dict(zip(taxa.names, taxa.family, strict=True))
    base = len(table.plants)
    plant[rows] = base + group
    moved = np.array([place[name] for name in taxa.names] + [-1], dtype=np.int64)
    of_plant = np.concatenate([moved[taxa.of_plant], np.array([place.get(name, -1) for name in found], dtype=np.int64)])
    return replace(table, plant=plant), CountedTaxa(tuple(names), tuple(family.get(name, MIXTURE) for name in names), of_plant)


def shares_of_mixtures(table: UseReportTable, taxa: CountedTaxa) -> Floats | None:
    """The weight of every row: 1/k for a component of a mixture of k taxa, else 1; None where there is no mixture."""
    groups = _groups(table)
    if groups is None:
        return None
    rows, group = groups
    taxon = taxa.of_plant[table.plant[rows]]
    component = np.where(taxon >= 0, taxon, len(taxa.names) + table.plant[rows])
    distinct = np.unique(np.stack([group, component], axis=1), axis=0)
    k = np.bincount(distinct[:, 0])
    weights = np.ones(len(table))
    weights[rows] = 1 / k[group]
    return weights


def _groups(table: UseReportTable) -> tuple[Ints, Ints] | None:
    """The rows that tell a component of a mixture, and the number of their mixture; None where there are none."""
    if table.mixture is None:
        return None
    mixed: Bools = table.mixture > 0
    if table.minor_role is not None:
        mixed = mixed & ~table.minor_role
    rows = np.flatnonzero(mixed)
    if not len(rows):
        return None
    keys = np.stack([table.informant[rows], table.mixture[rows]], axis=1)
    return rows, np.unique(keys, axis=0, return_inverse=True)[1].reshape(-1)


def _component_names(taxa: CountedTaxa, plants: Ints) -> str:
    codes = np.unique(taxa.of_plant[plants])
    return "" if codes[0] < 0 else " + ".join(taxa.names[code] for code in codes)
