"""A grouping of informants, and two of its groups beside one another with their tests."""

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tender_ledger.core.groups.likeness import bray_curtis, jaccard, sorensen, spearman
from tender_ledger.core.groups.permanova import Permanova, permanova
from tender_ledger.core.groups.permuting import Test, benjamini_hochberg, difference_of_means, holm
from tender_ledger.core.indices.importance import cross, firsts_of_pairs, per_pair
from tender_ledger.core.indices.informants import informant_counts
from tender_ledger.core.tally.counting import Tally
from tender_ledger.core.tally.table import Bools, Ints

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Grouping:
    """The group of every informant (a code into `names`, -1: none), for instance its community."""

    names: tuple[str, ...]
    of_informant: Ints

    def members(self, group: int) -> Bools:
        return self.of_informant == group


def by_community(tally: Tally) -> Grouping:
    """The communities in which somebody is counted."""
    people = tally.table.informants
    there = [at for at in range(len(people.communities)) if (tally.counted & (people.community == at)).any()]
    place = np.full(len(people.communities) + 1, -1, dtype=np.int64)
    place[there] = np.arange(len(there))
    return Grouping(tuple(people.communities[at] for at in there), place[people.community])


@dataclass(frozen=True)
class TaxonTest:
    """The difference of a taxon's CI between two groups, tested; adjusted for all taxa of the pair."""

    taxon: str
    test: Test
    p_holm: float
    p_bh: float


@dataclass(frozen=True)
class Pair:
    """Two groups of one analysis. Letters are totals: A and B the taxa of each, `shared` those of both.

    NaN where undefined: fewer than two shared taxa have no rank correlation, groups that tell nothing no likeness.
    """

    first: str
    second: str
    n: tuple[int, int]
    a: int
    b: int
    shared: int
    shared_with_same_category: int
    jaccard: float
    sorensen: float
    jaccard_citations: float
    bray_curtis_ci: float
    bray_curtis_ur: float
    spearman_shared: float
    spearman_union: float
    ur_per_informant: Test
    permanova: Permanova
    taxa: tuple[TaxonTest, ...]


@dataclass(frozen=True)
class Told:
    """What every group told: CI over its own N and UR by taxon, shape (groups, taxa), and by taxon and category."""

    grouping: Grouping
    n: Ints
    ur: Ints | Floats
    by_category: Ints

    @property
    def ci(self) -> Floats:
        return np.divide(self.ur, self.n[:, None], out=np.zeros(self.ur.shape), where=self.n[:, None] > 0)

    @property
    def told(self) -> Bools:
        return np.asarray(self.by_category.any(axis=2))


def told_by_group(tally: Tally, grouping: Grouping) -> Told:
    """Count what each group told, each over its own N."""
    taxa, categories = len(tally.taxa.names), len(tally.table.categories)
    n, ur, by_category = [], [], []
    for group in range(len(grouping.names)):
        members = tally.counted & grouping.members(group)
        reports = tally.reports.among(members)
        n.append(int(members.sum()))
        ur.append(np.bincount(reports.taxon, reports.weight, taxa))
        by_category.append(cross(tally.citations.among(members), taxa, categories))
    shape = (len(n), taxa)
    return Told(grouping, np.array(n, dtype=np.int64), np.array(ur).reshape(shape),
                np.array(by_category, dtype=np.int64).reshape(*shape, categories))  # fmt: skip


def compare(tally: Tally, told: Told, first: int, second: int, *, seed: int = 1, step: Callable[[], None] = lambda: None) -> Pair:
    """Everything about two groups; tests relabel the counted informants of the two, the silent among them.

    `step` is called taxon by taxon, for whoever wants to know that it goes on, or to end it by raising.
    """
    x, y = told.told[first], told.told[second]
    shared, either = x & y, x | y
    ci = told.ci
    members = [tally.counted & told.grouping.members(group) for group in (first, second)]
    people = np.flatnonzero(members[0] | members[1])
    in_first = members[0][people]
    counts = informant_counts(tally)
    names = told.grouping.names
    return Pair(
        names[first], names[second], (int(told.n[first]), int(told.n[second])), int(x.sum()), int(y.sum()), int(shared.sum()),
        shared_with_same_category=int((np.minimum(told.by_category[first], told.by_category[second]).any(axis=1)).sum()),
        jaccard=jaccard(x, y), sorensen=sorensen(x, y),
        jaccard_citations=jaccard(told.by_category[first].ravel() > 0, told.by_category[second].ravel() > 0),
        bray_curtis_ci=bray_curtis(ci[first], ci[second]), bray_curtis_ur=bray_curtis(told.ur[first], told.ur[second]),
        spearman_shared=spearman(ci[first][shared], ci[second][shared]),
        spearman_union=spearman(ci[first][either], ci[second][either]),
        ur_per_informant=difference_of_means(counts.ur[people], in_first, seed=seed),
        permanova=permanova(who_told(tally)[people], np.where(in_first, 0, 1), seed=seed),
        taxa=_taxon_tests(tally, people, in_first, np.flatnonzero(either), seed, step),
    )  # fmt: skip


def who_told(tally: Tally) -> Bools:
    """(informants, taxa): who told of what."""
    told = np.zeros((len(tally.table.informants), len(tally.taxa.names)), dtype=bool)
    told[tally.citations.informant, tally.citations.taxon] = True
    return told


def _taxon_tests(tally: Tally, people: Ints, in_first: Bools, taxa: Ints, seed: int,
                 step: Callable[[], None]) -> tuple[TaxonTest, ...]:  # fmt: skip
    reports = tally.reports
    starts = np.flatnonzero(firsts_of_pairs(reports))
    values = per_pair(reports, starts)
    taxon, informant = reports.taxon[starts], reports.informant[starts]
    edges = np.searchsorted(taxon, np.arange(len(tally.taxa.names) + 1))
    tests = []
    for at in taxa:
        step()
        own = np.zeros(len(tally.table.informants), dtype=values.dtype)
        part = slice(edges[at], edges[at + 1])
        own[informant[part]] = values[part]
        tests.append(difference_of_means(own[people], in_first, seed=seed))
    p = np.array([test.p for test in tests], dtype=np.float64)
    return tuple(TaxonTest(tally.taxa.names[at], test, float(one), float(other))
                 for at, test, one, other in zip(taxa, tests, holm(p), benjamini_hochberg(p), strict=True))  # fmt: skip


def distances_between(told: Told) -> Floats:
    """Bray-Curtis distances of CI between all groups, (groups, groups); groups that tell nothing are 1 from any other."""
    ci, groups = told.ci, len(told.n)
    found = np.zeros((groups, groups))
    for one in range(groups):
        for other in range(one):
            value = bray_curtis(ci[one], ci[other])
            found[one, other] = found[other, one] = 1.0 if math.isnan(value) else value
    return found
