"""Figures and tables that leave the study: computed within the terms of publication, with small cells held back."""

from collections.abc import Sequence
from dataclasses import dataclass

from tender_ledger.core.indices.ranking import ranked_in_a_ladder, ranks, values_of_taxa
from tender_ledger.core.indices.reckoning import Reckoning
from tender_ledger.core.indices.selection import Selection
from tender_ledger.core.publication import MINIMUM_HOLDERS, PublishedShares, publish_shares
from tender_ledger.core.rights import Right
from tender_ledger.core.rules import CountingRules
from tender_ledger.core.terms import Purpose, Scope
from tender_ledger.operations.errors import NotFound
from tender_ledger.operations.reckoning import ALL, reckon_study


@dataclass(frozen=True)
class PublishedTaxon:
    """A taxon that may be published: its rank (0: stands apart), value, counts, and categories with small ones merged."""

    taxon: str
    family: str
    rank: int
    value: float
    reports: int
    told_by: int
    shares: PublishedShares


@dataclass(frozen=True)
class PublishedLadder:
    """A use ladder as it may leave the study: N of those who may be published, and how many taxa were left out."""

    index: str
    n: int
    taxa: tuple[PublishedTaxon, ...]
    left_out: int


def publish_ladder(scope: Scope, rules: CountingRules, index: str, *, group: str = "",
                   selection: Selection = ALL) -> PublishedLadder:  # fmt: skip
    """The ladder of a group ("" is the whole study) by an index, the highest first; equals in alphabetical order.

    Taxa that fewer than MINIMUM_HOLDERS holders told are left out, whatever the rules count as an informant.
    """
    scope.viewer.require(Right.EXPORT)
    groups: Sequence[str] = (group,) if group else ()
    reckoned = reckon_study(scope, rules, purpose=Purpose.PUBLISHED, selection=selection, group=groups)
    r = _of_group(reckoned.result, group)
    holders = r
    if rules.informant_kinds != ("holder",):
        only_holders = reckon_study(scope, rules.with_(informant_kinds=["holder"]), purpose=Purpose.PUBLISHED)
        holders = _of_group(only_holders.result, group)
    told_by_holders = dict(zip(holders.taxa, holders.fc.tolist(), strict=True))
    values = values_of_taxa(r)[index]
    shown = r.told if reckoned.selected is None else r.told & reckoned.selected.taxa
    published = [at for at in range(len(r.taxa)) if shown[at] and told_by_holders.get(r.taxa[at], 0) >= MINIMUM_HOLDERS]
    standing = ranked_in_a_ladder(r)
    places = ranks(values[[at for at in published if standing[at]]])
    rank = dict(zip([at for at in published if standing[at]], places.tolist(), strict=True))
    ordered = sorted(published, key=lambda at: (rank.get(at, 0) == 0, -values[at], r.taxa[at]))
    taxa = tuple(
        PublishedTaxon(r.taxa[at], r.family[at], rank.get(at, 0), float(values[at]), int(r.ur[at]), int(r.fc[at]),
                       _shares(r, at, holders))
        for at in ordered
    )  # fmt: skip
    return PublishedLadder(index, r.n, taxa, int(shown.sum()) - len(taxa))


def _of_group(result: Reckoning, group: str) -> Reckoning:
    if group and group not in result.by_community:
        raise NotFound(f"community {group}")
    return result.by_community[group] if group else result


def _shares(r: Reckoning, at: int, holders: Reckoning) -> PublishedShares:
    there = holders.taxa.index(r.taxa[at])
    told = dict(zip(holders.categories, holders.counts.ur_by_category[there].tolist(), strict=True))
    return publish_shares(dict(zip(r.categories, r.ur_by_category[at].tolist(), strict=True)), told)
