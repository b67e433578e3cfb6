"""The use ladder as it leaves the study: its cells chosen as those of every file."""

from collections.abc import Sequence
from dataclasses import dataclass

from tender_ledger.core.indices.ranking import ranked_in_a_ladder, ranks, values_of_taxa
from tender_ledger.core.indices.reckoning import Reckoning
from tender_ledger.core.indices.selection import Selection
from tender_ledger.core.rights import Right
from tender_ledger.core.rules import CountingRules
from tender_ledger.core.terms import Purpose, Scope
from tender_ledger.operations.disclosure.audience import Audience
from tender_ledger.operations.disclosure.publishing import give_out
from tender_ledger.operations.errors import NotFound, Refused
from tender_ledger.operations.reckoning import ALL, reckon_study


@dataclass(frozen=True)
class PublishedShares:
    """The categories of a taxon that are shown, the most told first, and what is left of its reports."""

    named: tuple[tuple[str, int], ...]
    merged: int


@dataclass(frozen=True)
class PublishedTaxon:
    """A taxon that may be published: its rank (0: stands apart), value, counts, and categories with hidden ones merged."""

    taxon: str
    family: str
    rank: int
    value: float
    reports: int
    told_by: int
    shares: PublishedShares


@dataclass(frozen=True)
class PublishedLadder:
    """A use ladder as it may leave the study: N of those who may be published, and how many taxa were left out, None where a
    filter says which taxa are asked for. `minimum` is that of holders behind a number."""

    index: str
    n: int
    taxa: tuple[PublishedTaxon, ...]
    left_out: int | None
    minimum: int


def publish_ladder(scope: Scope, rules: CountingRules, index: str, *, group: str = "",
                   selection: Selection = ALL) -> PublishedLadder:  # fmt: skip
    """The ladder of a group ("" is the whole study) by an index, the highest first; equals in alphabetical order.

    A selection picks among the taxa that are shown, by what is shown of them. Refused for rules that are not in force and for
    a community that may not be told apart.
    """
    scope.viewer.require(Right.EXPORT)
    groups: Sequence[str] = (group,) if group else ()
    r = _of_group(reckon_study(scope, rules, purpose=Purpose.PUBLISHED, group=groups).result, group)
    audience = give_out(scope, rules)
    if not audience.sees_community(group):
        raise Refused({"group": COMMUNITY_STAYS})
    values = values_of_taxa(r)[index]
    told = [at for at in range(len(r.taxa)) if r.told[at]]
    published = [at for at in told if audience.sees_taxon(r.taxa[at], group) and _is_asked_for(r, at, group, selection, audience)]
    standing = ranked_in_a_ladder(r)
    places = ranks(values[[at for at in published if standing[at]]])
    rank = dict(zip([at for at in published if standing[at]], places.tolist(), strict=True))
    ordered = sorted(published, key=lambda at: (rank.get(at, 0) == 0, -values[at], r.taxa[at]))
    taxa = tuple(
        PublishedTaxon(r.taxa[at], r.family[at], rank.get(at, 0), float(values[at]), int(r.ur[at]), int(r.fc[at]),
                       _shares(r, at, group, audience))
        for at in ordered
    )  # fmt: skip
    return PublishedLadder(index, r.n, taxa, None if selection else len(told) - len(taxa), audience.minimum)


COMMUNITY_STAYS = (
    "Too few holders may be published here, or too few are left of the others without them. Where it is a community, take out "
    "the whole study."
)


def _of_group(result: Reckoning, group: str) -> Reckoning:
    if group and group not in result.by_community:
        raise NotFound(f"community {group}")
    return result.by_community[group] if group else result


def _is_asked_for(r: Reckoning, at: int, group: str, selection: Selection, audience: Audience) -> bool:
    """Whether a taxon meets the filter by what is shown of it: what is hidden is not found by asking for it."""
    taxon = r.taxa[at]
    if selection.family and r.family[at] != selection.family:
        return False
    if selection.category:
        place = r.categories.index(selection.category) if selection.category in r.categories else -1
        if place < 0 or not r.ur_by_category[at][place] or not audience.sees_use(taxon, selection.category, group):
            return False
    if selection.part and not audience.tells_part("parts", selection.part, "taxon", taxon):
        return False
    return not selection.community or audience.tells_taxon(taxon, selection.community)


def _shares(r: Reckoning, at: int, group: str, audience: Audience) -> PublishedShares:
    told = [(code, int(number)) for code, number in zip(r.categories, r.ur_by_category[at].tolist(), strict=True) if number]
    named = [one for one in told if audience.sees_use(r.taxa[at], one[0], group)]
    named.sort(key=lambda one: (-one[1], one[0]))
    return PublishedShares(tuple(named), sum(number for _code, number in told) - sum(number for _code, number in named))
