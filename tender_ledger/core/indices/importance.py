"""How often a taxon was told: UR, FC, NU, RFC, CI and the use value in its schools."""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tender_ledger.core.tally.counting import Keys, Tally
from tender_ledger.core.tally.table import Bools, Ints

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class TaxonCounts:
    """Counts a taxon, each of shape (taxa,), and by category of shape (taxa, categories).

    `reports_by_category` are in the unit of the rules, whole and as they weigh; the latter differ only where the rules share
    mixtures. `ur_by_category` are distinct (informant, taxon, category), `ur_use_by_category` distinct specific uses;
    `event_*` are the same by event. `squares` is the sum over informants of their reports of the taxon, squared;
    `main_use` the specific use that most informants give (a code, of equals the first by name), `main_use_ties` how many do so.
    """

    reports_by_category: Ints
    weighed_by_category: Ints | Floats
    ur_by_category: Ints
    ur_use_by_category: Ints
    weighed_uses: Ints | Floats
    fc: Ints
    nu_use: Ints
    n_asked: Ints
    mean_uses_asked: Floats
    mean_categories_asked: Floats
    event_citations: Ints
    event_uses: Ints
    squares: Ints | Floats
    main_use: Ints
    main_use_informants: Ints
    main_use_ties: Ints

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
    citations, uses, reports = (keys.among(among) for keys in (tally.citations, tally.uses, tally.reports))
    by_category = cross(citations, taxa, categories)
    by_use = cross(uses, taxa, categories)
    whole = {id(citations): by_category, id(uses): by_use}.get(id(reports))
    headline = cross(reports, taxa, categories) if whole is None else whole
    asked = among[tally.asked_informant]
    citation_events, use_events = tally.citation_events.among(among), tally.use_events.among(among)
    by_specific_use = _by_specific_use(tally, among, taxa)
    main_use, main_informants, ties = _main_uses(tally, by_specific_use)
    return TaxonCounts(
        reports_by_category=headline,
        weighed_by_category=headline if reports.weight is None else cross(reports, taxa, categories, reports.weight),
        ur_by_category=by_category,
        ur_use_by_category=by_use,
        weighed_uses=by_use.sum(axis=1) if uses.weight is None else np.bincount(uses.taxon, uses.weight, taxa),
        fc=np.bincount(citations.taxon[firsts_of_pairs(citations)], minlength=taxa),
        nu_use=(by_specific_use > 0).sum(axis=1),
        n_asked=np.bincount(tally.asked_taxon[asked], minlength=taxa),
        mean_uses_asked=_sums(tally.asked_taxon[asked], tally.mean_uses_of_asked[asked], taxa),
        mean_categories_asked=_sums(tally.asked_taxon[asked], tally.mean_categories_of_asked[asked], taxa),
        event_citations=np.bincount(citation_events.taxon, minlength=taxa),
        event_uses=np.bincount(use_events.taxon, minlength=taxa),
        squares=sums_of_squares(reports, taxa),
        main_use=main_use,
        main_use_informants=main_informants,
        main_use_ties=ties,
    )


def firsts_of_pairs(keys: Keys) -> Bools:
    """Where keys, in their order, come to another (taxon, informant)."""
    first = np.ones(len(keys), dtype=bool)
    first[1:] = (keys.taxon[1:] != keys.taxon[:-1]) | (keys.informant[1:] != keys.informant[:-1])
    return first


def sums_of_squares(keys: Keys, taxa: int) -> Ints | Floats:
    """Per taxon the sum over informants of their keys of it, squared: the bottom of the diversity of informants."""
    if not len(keys):
        return np.zeros(taxa, dtype=np.int64)
    starts = np.flatnonzero(firsts_of_pairs(keys))
    return np.bincount(keys.taxon[starts], weights=per_pair(keys, starts) ** 2, minlength=taxa)


def per_pair(keys: Keys, starts: Ints) -> Ints | Floats:
    """The keys of each (taxon, informant), as they weigh, from the places where the pairs start."""
    if not len(keys):
        return np.zeros(0, dtype=np.int64)
    return np.diff(starts, append=len(keys)) if keys.weight is None else np.add.reduceat(keys.weight, starts)


def _sums(taxon: Ints, values: Floats, taxa: int) -> Floats:
    return np.bincount(taxon, weights=values, minlength=taxa).astype(np.float64)


def _by_specific_use(tally: Tally, among: Bools, taxa: int) -> Ints:
    """Informants by taxon and specific use, shape (taxa, uses)."""
    n_uses = max(len(tally.table.uses.labels), 1)
    keys = tally.uses_taxon * n_uses + tally.uses_use
    return np.bincount(keys if among.all() else keys[among[tally.uses_informant]], minlength=taxa * n_uses).reshape(taxa, n_uses)


def _main_uses(tally: Tally, informants: Ints) -> tuple[Ints, Ints, Ints]:
    """Of every taxon the specific use that most informants give, how many give it, and how many uses as many give."""
    uses, categories = tally.table.uses, tally.table.categories
    named = [f"{categories[category]}/{label}" for category, label in zip(uses.category, uses.labels, strict=True)]
    order = np.array(sorted(range(informants.shape[1]), key=lambda at: named[at] if named else ""), dtype=np.int64)
    informants = informants[:, order]
    most = informants.max(axis=1, initial=0)
    return order[informants.argmax(axis=1)] if len(informants) else most, most, (informants == most[:, None]).sum(axis=1)


def cross(keys: Keys, taxa: int, categories: int, weight: Floats | None = None) -> Ints:
    """The keys by taxon and category, shape (taxa, categories); with a weight, its sums."""
    flat = np.bincount(keys.taxon * categories + keys.category, weights=weight, minlength=taxa * categories)
    return flat.reshape(taxa, categories)


def share_of_informants(counts: Ints | Floats, n: int) -> Floats:
    """counts / N, elementwise; NaN where N is 0 (undefined, not 0).

    With FC this is RFC_s = FC_s / N in [0, 1]; with UR it is CI_s = sum_u sum_i UR_sui / N in [0, NC], and with UR by
    category its components. With the distinct uses of an informant it is the use value of school B,
    UV_s = sum_i U_is / N. Sources: Tardio & Pardo-de-Santayana 2008, Econ Bot 62:24-39 (RFC, CI); Rossato, Leitao-Filho
    & Begossi 1999, Econ Bot 53:387-395 (UV, all events of an informant pooled).
    Misleads when many of the N were never asked about the taxon.
    """
    values: Floats = np.divide(counts, n) if n else np.full(np.shape(counts), np.nan)
    return values


def over_own(counts: Ints | Floats, own: Ints) -> Floats:
    """counts / own, elementwise; NaN where own is 0. With UR_use and FC it is the use value over those who told (school C)."""
    return np.divide(counts, own, out=np.full(np.shape(counts), np.nan), where=own > 0)


def use_value_of_those_asked(counts: TaxonCounts) -> Floats:
    """UV_s = sum_i UV_is / n_s, UV_is = sum over events of U_is / n_is; n_s are the informants asked about s.

    Shape (taxa,); NaN where nobody was asked. Source: Phillips & Gentry 1993, Econ Bot 47:15-32.
    Misleads when nobody was recorded as asked without naming a use: n_s is then FC, and the value at least 1.
    """
    return over_own(counts.mean_uses_asked, counts.n_asked)
