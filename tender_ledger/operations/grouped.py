"""Groups of informants beside one another: by who they are, or by the encounters in which they told.

Whoever told in encounters of several kinds, or before a day and since, stands in each of these groups with what was told there.
"""

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

import numpy as np

from tender_ledger.core.groups.grouping import Grouping, compare, distances_between, told_by_group, who_told
from tender_ledger.core.groups.ordination import average_tree, joins_found_again, principal_coordinates
from tender_ledger.core.indices.agreement import category_counts
from tender_ledger.core.indices.importance import taxon_counts
from tender_ledger.core.indices.ranking import PER_INFORMANT
from tender_ledger.core.resampling.pairs import ResampledGroup, difference_ends, gap_ends, resampled_distances, resampled_group
from tender_ledger.core.rules import CountingRules
from tender_ledger.core.tally.counting import Tally, count
from tender_ledger.core.tally.table import Bools
from tender_ledger.core.terms import Purpose, Scope
from tender_ledger.formats.result_parts import named_ends, number, pair_part
from tender_ledger.operations import effort
from tender_ledger.operations.computing import Computed, Progress, computed
from tender_ledger.operations.disclosure.splits import (
    AGES,
    age_class,
    counting_scope,
    minimum_of,
    period_of,
    split_scope,
)
from tender_ledger.operations.errors import NotFound
from tender_ledger.storage.database import snapshot
from tender_ledger.storage.queries import results
from tender_ledger.storage.queries.informants import informant_facts, tellings
from tender_ledger.storage.queries.tally import read_table, read_table_in_parts

SEED = 1
OF_HOLDERS = ("community", "gender", "age", "occupation")
OF_ENCOUNTERS = ("kind", "period")
GROUPINGS = (*OF_HOLDERS, *OF_ENCOUNTERS)
MOST_PAIRS = 45  # pairs of groups that are tested: those of ten groups


@dataclass(frozen=True)
class Grouped:
    """A tally with its informants in groups.

    `told_in` are the encounters of each unit where these make the groups (else None), `codes` the informant of each unit;
    `both` is how many informants stand in several groups, `purpose` of what the groups are made.
    """

    tally: Tally
    grouping: Grouping
    codes: tuple[str, ...]
    told_in: Mapping[str, frozenset[int]] | None = None
    both: int = 0
    purpose: Purpose = Purpose.COUNTED


def grouped(scope: Scope, rules: CountingRules, by: str, since: date | None) -> Grouped:
    """The tally of the study with its informants in groups. `scope` says already what may be counted.

    Groups by encounters take each informant apart into what was told in the encounters of each group. Where few are hidden
    they are of what is shown alone. Raises NotFound for what there is no grouping by.
    """
    if by not in GROUPINGS:
        raise NotFound(f"grouping {by}")
    scope = split_scope(scope, by, since=since)
    if by in OF_HOLDERS:
        with snapshot():
            tally = count(read_table(scope, rules), rules)
        grouping = _by_holder(tally, informant_facts(scope), by, scope)
        return Grouped(tally, grouping, tally.table.informants.codes, purpose=scope.purpose)
    with snapshot():
        found = [one | {"group": _group_of(one, by, since)} for one in tellings(scope)]
        table, units = read_table_in_parts(scope, rules, {one["encounter"]: one["group"] for one in found},
                                           {(one["informant"], one["group"]) for one in found})  # fmt: skip
        tally = count(table, rules)
    order = ("before", "since") if by == "period" else sorted({group for _code, group in units})
    counted = {group for (_code, group), here in zip(units, tally.counted, strict=True) if here}
    names = tuple(name for name in order if name in counted)
    places = np.array([names.index(group) if group in names else -1 for _code, group in units], dtype=np.int64)
    codes = tuple(code for code, _group in units)
    here = [code for code, there in zip(codes, tally.counted, strict=True) if there]
    of = {group: frozenset(one["encounter"] for one in found if one["group"] == group) for group in names}
    return Grouped(tally, Grouping(names, places), codes, of, len(here) - len(set(here)), scope.purpose)


def _group_of(telling: Mapping[str, Any], by: str, since: date | None) -> str:
    if by == "kind":
        return str(telling["kind"])
    return period_of(telling["day"], since)


def _by_holder(tally: Tally, facts: Mapping[str, Mapping[str, Any]], by: str, scope: Scope) -> Grouping:
    of: Callable[[Mapping[str, Any]], str] = {
        "community": lambda one: one["community"] or "",
        "gender": lambda one: one["gender"],
        "age": lambda one: age_class(one["born"], scope.day),
        "occupation": lambda one: one["occupation"],
    }[by]
    named = [of(facts[code]) if code in facts else "" for code in tally.table.informants.codes]
    times = Counter(name for name, counted in zip(named, tally.counted, strict=True) if counted)
    least = minimum_of(scope) if by == "occupation" else 1  # words about one or two could be about somebody who may not be shown
    there = {name for name, number in times.items() if name and name != "unstated" and number >= least}
    order = [code for _low, _high, code in AGES] if by == "age" else sorted(there)
    names = tuple(name for name in order if name in there)
    return Grouping(names, np.array([names.index(name) if name in names else -1 for name in named], dtype=np.int64))


def behind_groups(scope: Scope, rules: CountingRules, by: str, since: date | None, *names: str) -> dict[str, Any]:
    """Whose reports, and of which encounters, lie behind numbers of these groups, in the words of `reports_behind`."""
    found = grouped(counting_scope(scope), rules, by, since)
    wanted = [at for at, name in enumerate(found.grouping.names) if name in names]
    codes = frozenset(code for code, group in zip(found.codes, found.grouping.of_informant, strict=True) if group in wanted)
    if found.told_in is None:
        return {"informants": codes, "purpose": found.purpose}
    return {
        "informants": codes,
        "purpose": found.purpose,
        "encounters": frozenset().union(*(found.told_in[found.grouping.names[at]] for at in wanted)),
    }


def groups(scope: Scope, rules: CountingRules, *, by: str = "community", since: date | None = None,
           purpose: Purpose = Purpose.COUNTED, seed: int = SEED, again: bool = False) -> Computed:  # fmt: skip
    """Groups of informants beside one another: N, taxa, distances, coordinates, tree, and every pair with its tests."""
    scope = counting_scope(scope, purpose)
    if by not in GROUPINGS:
        raise NotFound(f"grouping {by}")

    def work(progress: Progress) -> dict[str, Any]:
        found = grouped(scope, rules, by, since)
        tally, grouping = found.tally, found.grouping
        told = told_by_group(tally, grouping)
        distances = distances_between(told)
        points, tree = principal_coordinates(distances), average_tree(distances)
        names, taxa = grouping.names, len(tally.taxa.names)
        wanted = [(one, other) for one in range(len(names)) for other in range(one + 1, len(names))]
        resampled = resampled_groups(found, ("ci",), seed)
        pairs, whole = [], min(len(wanted), MOST_PAIRS) * taxa
        for at, (one, other) in enumerate(wanted[:MOST_PAIRS]):
            pair = compare(tally, told, one, other, seed=seed, step=_steps(progress, at * taxa, whole))
            fit = pair.permanova
            ends = {"difference": difference_ends(resampled[one], resampled[other]), "permanova": fit.f_ends, "r2": fit.r2_ends}
            pairs.append({
                "first": names[one], "second": names[other], "n": list(pair.n), "left_out": fit.left_out, "why": fit.why,
                **pair_part(pair), "ends": {name: list(two) for name, two in ends.items() if two},
                "difference_ends": named_ends(gap_ends(resampled[one], resampled[other], "ci"), tally.taxa.names,
                                              {taxon.taxon for taxon in pair.taxa}),
                "icf_ends": named_ends(gap_ends(resampled[one], resampled[other], "icf"), tally.table.categories),
                "means": [float(told.ur[group].sum() / told.n[group]) for group in (one, other)],
            })  # fmt: skip
        shared = told.told
        unit, taxon = np.nonzero(who_told(tally) & tally.counted[:, None])
        person = np.unique(np.array(found.codes, dtype=str), return_inverse=True)[1]
        people = np.unique(person[unit] * np.int64(max(taxa, 1)) + taxon)  # each once, in however many groups they stand
        fc = np.bincount(people % max(taxa, 1), minlength=taxa)
        return {
            "names": list(names), "n": told.n.tolist(), "taxa": shared.sum(axis=1).tolist(),
            "ur": [number(float(one)) for one in told.ur.sum(axis=1)],
            "own": [int((shared[at] & ~np.delete(shared, at, axis=0).any(axis=0)).sum()) for at in range(len(names))],
            "distances": distances.tolist(), "points": points.points.tolist(), "axes": points.shares.tolist(),
            "negative": points.negative, "merges": [list(one) for one in tree.merges], "order": tree.order.tolist(),
            "fc": dict(zip(tally.taxa.names, fc.tolist(), strict=True)),
            "ci": {name: {tally.taxa.names[at]: float(told.ci[group, at]) for at in np.flatnonzero(told.told[group])}
                   for group, name in enumerate(names)},
            "ci_ends": {name: named_ends(resampled[group].ends("ci"), tally.taxa.names,
                                         {tally.taxa.names[at] for at in np.flatnonzero(told.told[group])})
                        for group, name in enumerate(names)},
            "icf_ends": {name: named_ends(resampled[group].ends("icf"), tally.table.categories)
                         for group, name in enumerate(names)},
            "joined_again": [number(share) for share in joins_found_again(tree, resampled_distances(resampled))],
            "agreement": {name: agreement_among(tally, grouping.members(at)) for at, name in enumerate(names)},
            "pairs": pairs, "untested": max(len(wanted) - MOST_PAIRS, 0), "seed": seed, "both": found.both,
            "least": minimum_of(scope), "shown_alone": found.purpose is not scope.purpose,
            "none": int((tally.counted & (grouping.of_informant < 0)).sum()),
        }  # fmt: skip

    options = {"by": by, "since": str(since or ""), "seed": seed}
    return computed(scope, "groups", rules, options, work, seconds=lambda: effort.of_groups(results.size_of(scope)), again=again)


def resampled_groups(found: Grouped, indices: Sequence[str], seed: int, names: Sequence[str] = ()) -> list[ResampledGroup]:
    """Every group in its resamples with these indices, or the groups of these names in their order, each drawn by itself."""
    seeds = np.random.SeedSequence(seed).generate_state(len(found.grouping.names))
    wanted = [found.grouping.names.index(name) for name in names or found.grouping.names]
    return [resampled_group(found.tally, found.grouping.members(at), indices, seed=int(seeds[at])) for at in wanted]


def sides(scope: Scope, rules: CountingRules, first: str, second: str, *, purpose: Purpose = Purpose.COUNTED,
          seed: int = SEED, begin: bool = False, again: bool = False) -> Computed:  # fmt: skip
    """The 95 % ends of the differences between two communities, of RFC, CI and UV by taxon and of ICF by category.

    Where it takes long it is begun only with `begin`."""
    scope = counting_scope(scope, purpose)

    def work(_progress: Progress) -> dict[str, Any]:
        found = grouped(scope, rules, "community", None)
        one, other = resampled_groups(found, PER_INFORMANT, seed, (first, second))
        ends = {index: named_ends(gap_ends(one, other, index), found.tally.taxa.names) for index in PER_INFORMANT}
        return {**ends, "icf": named_ends(gap_ends(one, other, "icf"), found.tally.table.categories), "seed": seed}

    return computed(scope, "sides", rules, {"first": first, "second": second, "seed": seed}, work, again=again,
                    begin=begin or again, seconds=lambda: effort.of_uncertainty(results.size_of(scope), 1000))  # fmt: skip


def agreement_among(tally: Tally, members: Bools) -> dict[str, list[int]]:
    """Nur, Nt and the informants of every category that the group told something for."""
    among = members & tally.counted
    counts = category_counts(tally, taxon_counts(tally, among), among)
    return {code: [int(counts.nur[at]), int(counts.nt[at]), int(counts.informants[at])]
            for at, code in enumerate(tally.table.categories) if counts.nur[at]}  # fmt: skip


def _steps(progress: Progress, before: int, whole: int) -> Callable[[], None]:
    """Counts taxa, and tells at every twentieth."""
    calls = iter(range(10**9))

    def step() -> None:
        done = next(calls)
        if done % 20 == 0:
            progress(before + done, whole)

    return step
