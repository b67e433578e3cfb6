"""What is computed of a study beside its indices: uncertainty, sufficiency, groups, holders, lists, parts.

Each is asked for by members for what may be counted, or, with `purpose` published, for what may leave the study. The answers
are plain JSON values, kept while they stand; what takes long is computed beside the request.
"""

import math
from collections.abc import Callable, Collection, Mapping
from datetime import date
from typing import Any

import numpy as np

from tender_ledger.core.freelists.salience import category_bias, salience
from tender_ledger.core.groups.grouping import Grouping, compare, distances_between, told_by_group, who_told
from tender_ledger.core.groups.ordination import average_tree, principal_coordinates
from tender_ledger.core.indices.informants import informant_counts
from tender_ledger.core.indices.parts import shares_told
from tender_ledger.core.indices.ranking import RANKED_FROM
from tender_ledger.core.knowledge import MEASURES, difference_between, measures, seriated, tie_of_ranks
from tender_ledger.core.resampling.bootstrap import bootstrap
from tender_ledger.core.resampling.drawing import MOST_EXACT, number_of_resamples
from tender_ledger.core.rules import CountingRules
from tender_ledger.core.sampling.accumulation import curve_band, expected_curve, informants_for
from tender_ledger.core.sampling.incidence import THINGS, incidences
from tender_ledger.core.sampling.richness import chao2_bias_corrected, chao2_classic
from tender_ledger.core.tally.counting import Tally, count
from tender_ledger.core.tally.table import Bools
from tender_ledger.core.terms import Purpose, Scope
from tender_ledger.formats.result_parts import free_lists_part, number, pair_part, sampling_part
from tender_ledger.operations.computing import Computed, Progress, computed
from tender_ledger.operations.errors import NotFound
from tender_ledger.storage.database import snapshot
from tender_ledger.storage.queries import results
from tender_ledger.storage.queries.informants import informant_facts, lists_to_weigh
from tender_ledger.storage.queries.tally import read_table

REPLICATES, SEED = 1000, 1
GROUPINGS = ("community", "gender", "age", "occupation", "kind", "period")
AGES = ((0, 30, "under_30"), (30, 50, "30_to_49"), (50, 70, "50_to_69"), (70, 200, "70_and_over"))
_MOST_PAIRS = 10  # pairs of groups that are tested; more are set side by side without tests


def _tally(scope: Scope, rules: CountingRules, *, told: bool = False) -> Tally:
    with snapshot():
        return count(read_table(scope, rules, told=told), rules)


def _among(tally: Tally, group: str) -> Bools:
    """The informants of a community, or everybody with ""."""
    people = tally.table.informants
    if not group:
        return np.ones(len(people), dtype=bool)
    if group not in people.communities:
        raise NotFound(f"community {group}")
    return people.community == people.communities.index(group)


def _numbers(values: Any) -> list[float | None]:
    return [number(float(value)) for value in values]


def uncertainty(scope: Scope, rules: CountingRules, *, group: str = "", purpose: Purpose = Purpose.COUNTED,
                replicates: int = REPLICATES, seed: int = SEED, again: bool = False) -> Computed:  # fmt: skip
    """Intervals and rank bands of RFC, CI and UV by taxon, and intervals of ICF by category, of a community or of all."""
    scope = scope.for_purpose(purpose)

    def work(progress: Progress) -> dict[str, Any]:
        tally = _tally(scope, rules)
        among = _among(tally, group)
        counted = np.bincount(tally.citations.among(tally.counted & among).taxon, minlength=len(tally.taxa.names))
        tellers = _tellers(tally, among)
        progress(1, 3)
        few = number_of_resamples(int((tally.counted & among).sum())) <= MOST_EXACT and rules.resample == "all"
        found = bootstrap(tally, replicates=replicates, seed=seed, among=among, ranked=tellers >= RANKED_FROM, exact=few,
                          further=True)  # fmt: skip
        progress(2, 3)
        told = np.flatnonzero(counted)
        taxa = {
            tally.taxa.names[at]: {
                name: [number(one.low[at]), number(one.high[at]), number(one.bootstrap_error[at]),
                       number(one.jackknife_error[at]),
                       float(found.bands[name].in_first[at]), int(found.bands[name].low[at]), int(found.bands[name].high[at])]
                for name, one in found.taxa.items()
            }
            for at in told
        }  # fmt: skip
        icf = found.categories
        categories = {
            name: {"low": number(icf.low[at]), "high": number(icf.high[at]), "mean": number(icf.mean[at]),
                   "undefined": float(icf.undefined[at]), "jackknife": number(icf.jackknife_error[at])}
            for at, name in enumerate(tally.table.categories)
        }  # fmt: skip
        exact = all(one.exact for one in found.taxa.values())
        further = {
            name: {tally.taxa.names[at]: [number(low[at]), number(high[at])] for at in told}
            for name, (low, high) in found.further.items()
        }
        said = {"n": found.n, "replicates": found.replicates, "seed": found.seed, "exact_means": exact, "enumerated": few}
        return {**said, "taxa": taxa, "categories": categories, "further": further}

    size = results.size_of(scope)
    seconds = 0.2 + replicates * (size["informants"] * size["plants"] * 4 + size["plants"] * 400) / 4e10
    options = {"group": group, "replicates": replicates, "seed": seed}
    return computed(scope, "uncertainty", rules, options, work, seconds=seconds * 3, again=again)


def _tellers(tally: Tally, among: Bools) -> Any:
    told = who_told(tally)[tally.counted & among]
    return told.sum(axis=0)


def listening(scope: Scope, rules: CountingRules, *, group: str = "", purpose: Purpose = Purpose.COUNTED) -> Computed:
    """For taxa, specific uses and citations: the expected curve with its band, richness, coverage, holders still wanted."""
    scope = scope.for_purpose(purpose)

    def work(progress: Progress) -> dict[str, Any]:
        tally = _tally(scope, rules)
        among = _among(tally, group)
        body: dict[str, Any] = {}
        for at, things in enumerate(THINGS):
            progress(at, len(THINGS))
            found = incidences(tally, things, among)
            best = chao2_classic(found) if found.q2 else chao2_bias_corrected(found)
            wanted = informants_for(found)
            steps = np.unique(np.linspace(1, max(found.units, 1), min(found.units, 120)).astype(np.int64))
            curve, band = expected_curve(found), curve_band(found, best.value)
            body[things] = {
                **{key: value for key, value in sampling_part(found).items() if not key.endswith(("curve", "MaoTau"))},
                "at": steps.tolist(), "curve": _numbers(curve[steps - 1]), "band": _numbers(band[steps - 1]),
                "wanted": wanted.more, "why": wanted.why,
            }  # fmt: skip
        return body

    size = results.size_of(scope)
    return computed(scope, "listening", rules, {"group": group}, work, seconds=size["informants"] ** 2 / 2e7)


def count_calls(tell: Callable[[int], None]) -> Callable[[], None]:
    """A function that tells, at every twentieth call, how often it was called."""
    calls = iter(range(10**9))

    def step() -> None:
        done = next(calls)
        if done % 20 == 0:
            tell(done)

    return step


def grouping_of(tally: Tally, facts: Mapping[str, Mapping[str, Any]], by: str, day: date, since: date | None) -> Grouping:
    """The informants by community, gender, age class on the day, kind of first encounter, or first met before a day or since."""
    of: Callable[[Mapping[str, Any]], str] = {
        "community": lambda one: one["community"] or "",
        "gender": lambda one: one["gender"],
        "age": lambda one: _age_class(one["born"], day),
        "occupation": lambda one: one["occupation"],
        "kind": lambda one: one["kind"],
        "period": lambda one: "" if since is None else "since" if one["met"] >= since else "before",
    }[by]
    named = [of(facts[code]) if code in facts else "" for code in tally.table.informants.codes]
    there = [name for name, counted in zip(named, tally.counted, strict=True) if counted and name and name != "unstated"]
    order = [code for _low, _high, code in AGES] if by == "age" else ["before", "since"] if by == "period" else sorted(set(there))
    names = tuple(name for name in order if name in there)
    return Grouping(names, np.array([names.index(name) if name in names else -1 for name in named], dtype=np.int64))


def _age_class(born: int | None, day: date) -> str:
    if born is None:
        return ""
    age = day.year - born
    return next((code for low, high, code in AGES if low <= age < high), "")


def groups(scope: Scope, rules: CountingRules, *, by: str = "community", since: date | None = None,
           purpose: Purpose = Purpose.COUNTED, seed: int = SEED, again: bool = False) -> Computed:  # fmt: skip
    """Groups of informants beside one another: N, taxa, distances, coordinates, tree, and every pair with its tests."""
    if by not in GROUPINGS:
        raise NotFound(f"grouping {by}")
    scope = scope.for_purpose(purpose)

    def work(progress: Progress) -> dict[str, Any]:
        tally = _tally(scope, rules)
        grouping = grouping_of(tally, informant_facts(scope), by, scope.day, since)
        told = told_by_group(tally, grouping)
        distances = distances_between(told)
        points, tree = principal_coordinates(distances), average_tree(distances)
        names = grouping.names
        wanted = [(one, other) for one in range(len(names)) for other in range(one + 1, len(names))]
        pairs, whole = [], min(len(wanted), _MOST_PAIRS) * len(tally.taxa.names)
        for at, (one, other) in enumerate(wanted[:_MOST_PAIRS]):
            steps = count_calls(lambda done, at=at: progress(at * len(tally.taxa.names) + done, whole))  # type: ignore[misc]
            pair = compare(tally, told, one, other, seed=seed, step=steps)
            pairs.append({"first": names[one], "second": names[other], "n": list(pair.n), "left_out": pair.permanova.left_out,
                          "why": pair.permanova.why, **pair_part(pair)})  # fmt: skip
        shared = told.told
        return {
            "names": list(names), "n": told.n.tolist(), "taxa": shared.sum(axis=1).tolist(), "ur": _numbers(told.ur.sum(axis=1)),
            "own": [int((shared[at] & ~np.delete(shared, at, axis=0).any(axis=0)).sum()) for at in range(len(names))],
            "distances": distances.tolist(), "points": points.points.tolist(), "axes": points.shares.tolist(),
            "negative": points.negative, "merges": [list(one) for one in tree.merges], "order": tree.order.tolist(),
            "fc": dict(zip(tally.taxa.names, _tellers(tally, np.ones(len(tally.counted), dtype=bool)).tolist(), strict=True)),
            "ci": {name: {tally.taxa.names[at]: float(told.ci[group, at]) for at in np.flatnonzero(told.told[group])}
                   for group, name in enumerate(names)},
            "pairs": pairs, "untested": max(len(wanted) - _MOST_PAIRS, 0), "seed": seed,
            "none": int((tally.counted & (grouping.of_informant < 0)).sum()),
        }  # fmt: skip

    size = results.size_of(scope)
    seconds = size["plants"] * max(size["informants"], 1) ** 1.5 / 4e5 + size["informants"] ** 2 / 2e4
    options = {"by": by, "since": str(since or ""), "seed": seed}
    return computed(scope, "groups", rules, options, work, seconds=seconds, again=again)


def knowledge(scope: Scope, rules: CountingRules, *, purpose: Purpose = Purpose.COUNTED, seed: int = SEED) -> Computed:
    """What holders know, against age and years in the place, and by gender and community, each with a test.

    Rows of single holders hold only those whom the viewer may see; tests take everybody counted.
    """
    scope = scope.for_purpose(purpose)

    tally = _tally(scope, rules)
    facts = informant_facts(scope)
    people = tally.table.informants
    counted = [int(at) for at in np.flatnonzero(tally.counted & ~people.is_source) if people.codes[at] in facts]
    found = {name: np.asarray(column)[counted] for name, column in measures(informant_counts(tally)).items()}
    own = [facts[people.codes[at]] for at in counted]
    ages = [None if one["born"] is None else scope.day.year - one["born"] for one in own]
    ties = computed(
        scope, "ties", rules, {"seed": seed}, lambda _progress: _ties(found, own, ages, seed), seconds=0.5
    )  # fmt: skip - the same for every member, and short: dealings of one column
    holders = [
        {"code": people.codes[at], "community": one["community"], "gender": one["gender"], "age": ages[place],
         "years": one["years"], "shown": bool(one["shown"]), **{name: number(float(found[name][place])) for name in found}}
        for place, (at, one) in enumerate(zip(counted, own, strict=True))
    ]  # fmt: skip
    return Computed({"n": len(counted), "seed": seed, "ties": ties.body, "holders": holders})


def _ties(found: Mapping[str, Any], own: list[dict[str, Any]], ages: list[int | None], seed: int) -> dict[str, Any]:
    """Every measure of knowledge against age and years in the place, and between genders and communities."""
    age, years = (np.array([np.nan if one is None else one for one in column], dtype=np.float64)
                  for column in (ages, [one["years"] for one in own]))  # fmt: skip
    ties: dict[str, Any] = {}
    for name in MEASURES:
        values = np.asarray(found[name], dtype=np.float64)
        ties[name] = {"age": _tie(tie_of_ranks(age, values, seed=seed)), "years": _tie(tie_of_ranks(years, values, seed=seed))}
        for by in ("gender", "community"):
            codes = _codes([one[by] or "" for one in own])
            ties[name][by] = _tie(difference_between(values, codes, seed=seed))
    return ties


def _tie(found: Any) -> dict[str, Any]:
    return {"value": number(found.value), "p": number(found.p), "n": found.n, "drawn": found.drawn}


def _codes(names: list[str]) -> Any:
    known = sorted({name for name in names if name and name != "unstated"})
    return np.array([known.index(name) if name in known else -1 for name in names], dtype=np.int64)


def matrix(scope: Scope, rules: CountingRules, *, purpose: Purpose = Purpose.COUNTED) -> Computed:
    """Who told of what, (holders, taxa), both in the order of their first axis; only holders whom the viewer may see."""
    scope = scope.for_purpose(purpose)

    tally = _tally(scope, rules)
    facts = informant_facts(scope)
    people = tally.table.informants
    shown = [int(at) for at in np.flatnonzero(tally.counted) if facts.get(people.codes[at], {}).get("shown")]
    told = who_told(tally)[shown]
    taxa = np.flatnonzero(told.any(axis=0))
    told = told[:, taxa]
    first, second = seriated(told)
    return Computed({
        "holders": [people.codes[shown[at]] for at in first], "taxa": [tally.taxa.names[taxa[at]] for at in second],
        "cells": [np.flatnonzero(told[at][second]).tolist() for at in first], "hidden": int(tally.counted.sum()) - len(shown),
    })  # fmt: skip


def list_salience(scope: Scope, *, group: str = "", members: Collection[str] = (),
                  purpose: Purpose = Purpose.COUNTED) -> dict[str, Any]:  # fmt: skip
    """The salience of the items of the study's free lists, of a community or of all; counts of lists by length.

    With `members`, items of one kind, also B: whether lists name them early (1) or late (0), the mean over the lists that have
    some and not only them. Every list counts. An item is told only where a list that the viewer may see has it: it is
    somebody's words.
    """
    lists = [one for one in lists_to_weigh(scope.for_purpose(purpose)) if group in ("", one["community"])]
    found = salience([one["items"] or [] for one in lists])
    told = {item for one in lists if one["shown"] for item in one["items"] or []}
    body = free_lists_part(found)
    body["items"] = {item: value for item, value in body["items"].items() if item in told}
    bias = [category_bias(one["items"] or [], dict.fromkeys(members, True)) for one in lists] if members else []
    defined = [one for one in bias if not math.isnan(one)]
    body |= {"bias": sum(defined) / len(defined) if defined else None, "bias_lists": len(defined)}
    return {**body, "lengths": sorted((int(length) for length in found.lengths), reverse=True)}


def parts_and_preparations(scope: Scope, rules: CountingRules, *, purpose: Purpose = Purpose.COUNTED) -> Computed:
    """Shares of parts and of preparations, by category and by community; counts are (informant, taxon, category, label)."""
    scope = scope.for_purpose(purpose)

    def work(_progress: Progress) -> dict[str, Any]:
        tally = _tally(scope, rules, told=True)
        body: dict[str, Any] = {}
        for name, listed in (("parts", tally.table.parts), ("preparations", tally.table.preparations)):
            for by in ("category", "community"):
                found = shares_told(tally, listed, by, tally.counted)
                kept = np.flatnonzero(found.counts.any(axis=1))
                body[f"{name}_by_{by}"] = {"of": [found.of[at] for at in kept], "labels": list(found.labels),
                                           "counts": found.counts[kept].tolist()}  # fmt: skip
        return body

    size = results.size_of(scope)
    return computed(scope, "parts", rules, {}, work, seconds=size["reports"] / 2e5)
