"""How often a taxon was told: UR, FC, NU, RFC, CI and the use value in its schools."""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tender_ledger.core.tally.counting import Tally
from tender_ledger.core.tally.table import Bools, Ints

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class TaxonCounts:
    """Counts a taxon, each of shape (taxa,), and by category of shape (taxa, categories)."""

    ur_by_category: Ints
    ur_use_by_category: Ints
    fc: Ints
    nu_use: Ints
    n_asked: Ints
    mean_uses_asked: Floats

    @property
    def ur(self) -> Ints:
        return self.ur_by_category.sum(axis=1)

    @property
    def ur_use(self) -> Ints:
        return self.ur_use_by_category.sum(axis=1)

    @property
    def nu_category(self) -> Ints:
        return (self.ur_by_category > 0).sum(axis=1)


def taxon_counts(tally: Tally, among: Bools) -> TaxonCounts:
    """Count per taxon, among the informants flagged.

    UR: distinct (informant, taxon, category); UR_use: distinct (informant, taxon, use); FC: informants with at least
    one report of the taxon; NU_use: its distinct uses; n_asked: informants who were asked about it, the ones who knew
    no use included; mean_uses_asked: the sum over them of UV_is = sum of uses over events / number of events.
    An empty tally gives zeros. Source: Tardio & Pardo-de-Santayana 2008, Econ Bot 62:24-39 (UR, FC, NU).
    """
    taxa, categories = len(tally.taxa.names), len(tally.table.categories)
    cited, used, asked = among[tally.citations_informant], among[tally.uses_informant], among[tally.asked_informant]
    taxon, category = tally.citations_taxon[cited], tally.citations_category[cited]
    informant = tally.citations_informant[cited]
    new = np.ones(len(taxon), dtype=bool)
    new[1:] = (taxon[1:] != taxon[:-1]) | (informant[1:] != informant[:-1])
    per_pair = np.bincount(tally.use_events_pair, minlength=len(tally.asked_taxon)) / tally.asked_events
    return TaxonCounts(
        ur_by_category=_cross(taxon, category, taxa, categories),
        ur_use_by_category=_cross(tally.uses_taxon[used], tally.uses_category[used], taxa, categories),
        fc=np.bincount(taxon[new], minlength=taxa),
        nu_use=_distinct_uses(tally, used, taxa),
        n_asked=np.bincount(tally.asked_taxon[asked], minlength=taxa),
        mean_uses_asked=np.bincount(tally.asked_taxon[asked], weights=per_pair[asked], minlength=taxa).astype(np.float64),
    )


def _cross(rows: Ints, columns: Ints, n_rows: int, n_columns: int) -> Ints:
    flat = np.bincount(rows * n_columns + columns, minlength=n_rows * n_columns)
    return flat.reshape(n_rows, n_columns)


def _distinct_uses(tally: Tally, used: Bools, taxa: int) -> Ints:
    n_uses = max(len(tally.table.uses.labels), 1)
    keys = np.sort(tally.uses_taxon[used] * n_uses + tally.uses_use[used])
    new = np.ones(len(keys), dtype=bool)
    new[1:] = keys[1:] != keys[:-1]
    return np.bincount(keys[new] // n_uses, minlength=taxa)


def share_of_informants(counts: Ints, n: int) -> Floats:
    """counts / N, elementwise; NaN where N is 0 (undefined, not 0).

    With FC this is RFC_s = FC_s / N in [0, 1]; with UR it is CI_s = sum_u sum_i UR_sui / N in [0, NC], and with UR by
    category its components. With the distinct uses of an informant it is the use value of school B,
    UV_s = sum_i U_is / N. Sources: Tardio & Pardo-de-Santayana 2008, Econ Bot 62:24-39 (RFC, CI); Rossato, Leitao-Filho
    & Begossi 1999, Econ Bot 53:387-395 (UV, all events of an informant pooled).
    Misleads when many of the N were never asked about the taxon.
    """
    values: Floats = np.divide(counts, n) if n else np.full(np.shape(counts), np.nan)
    return values


def use_value_of_those_asked(counts: TaxonCounts) -> Floats:
    """UV_s = sum_i UV_is / n_s, UV_is = sum over events of U_is / n_is; n_s are the informants asked about s.

    Shape (taxa,); NaN where nobody was asked. Source: Phillips & Gentry 1993, Econ Bot 47:15-32.
    Misleads when nobody was recorded as asked without naming a use: n_s is then FC, and the value at least 1.
    """
    asked = counts.n_asked
    return np.divide(counts.mean_uses_asked, asked, out=np.full(len(asked), np.nan), where=asked > 0)
