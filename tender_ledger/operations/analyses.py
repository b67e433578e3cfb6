"""What is computed of a study beside its indices: uncertainty, sufficiency, holders, lists, parts.

Each is asked for by members for what may be counted, or, with `purpose` published, for what may leave the study. The answers
are plain JSON values, kept while they stand; what takes long is computed beside the request.
"""

from collections.abc import Collection, Mapping, Sequence
from itertools import product
from typing import Any, Literal

import numpy as np

from tender_ledger.core.freelists.salience import category_bias, closed_up, mean_bias, salience, salience_ends
from tender_ledger.core.groups.grouping import who_told
from tender_ledger.core.indices.informants import informant_counts
from tender_ledger.core.indices.parts import shares_ends, shares_told
from tender_ledger.core.indices.ranking import RANKED_FROM
from tender_ledger.core.knowledge import MEASURES, difference_between, measures, seriated, tie_of_ranks
from tender_ledger.core.resampling.bootstrap import Bootstrap, bootstrap
from tender_ledger.core.resampling.drawing import MOST_EXACT, draw, number_of_resamples
from tender_ledger.core.resampling.jackknife import Ends
from tender_ledger.core.rules import CountingRules
from tender_ledger.core.sampling.accumulation import coverage_ends, curve_ends, expected_curve, informants_for
from tender_ledger.core.sampling.incidence import THINGS, incidences
from tender_ledger.core.tally.counting import Tally, count
from tender_ledger.core.tally.table import Bools
from tender_ledger.core.terms import Purpose, Scope
from tender_ledger.formats.result_parts import free_lists_part, named_ends, number, sampling_part
from tender_ledger.operations import effort
from tender_ledger.operations.computing import Computed, Progress, computed, digest_of
from tender_ledger.operations.disclosure.splits import (
    counting_scope,
    minimum_of,
    split_scope,
    with_enough_hidden,
)
from tender_ledger.operations.errors import NotFound
from tender_ledger.storage.database import snapshot
from tender_ledger.storage.queries import results
from tender_ledger.storage.queries.informants import informant_facts, lists_to_weigh
from tender_ledger.storage.queries.kept import kept_body
from tender_ledger.storage.queries.tally import read_table

REPLICATES, SEED = 1000, 1
_SHARED_BY = ("category", "community", "taxon")


def _tally(scope: Scope, rules: CountingRules, *, told: bool = False, group: str = "") -> Tally:
    """The tally of the study, or to take a community out of: then, where few are hidden, of what is shown alone."""
    with snapshot():
        return count(read_table(split_scope(scope, "community") if group else scope, rules, told=told), rules)


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
    """Intervals and rank bands of RFC, CI and UV by taxon, and intervals of ICF by category, of a community or of all; and of
    those of the other indices that have any."""
    scope = counting_scope(scope, purpose)
    options: dict[str, Any] = {"group": group, "replicates": replicates, "seed": seed}
    return computed(scope, "uncertainty", rules, options, lambda progress: _uncertain(scope, rules, options, progress),
                    seconds=lambda: effort.of_uncertainty(results.size_of(scope), replicates), again=again)  # fmt: skip


def ends_of_values(scope: Scope, rules: CountingRules, *, group: str = "", purpose: Purpose = Purpose.COUNTED,
                   begin: bool = False, again: bool = False) -> Computed:  # fmt: skip
    """Of `uncertainty` the ends alone, to nine digits, of rfc, ci, uv and uva by index and taxon, and of icf by category: little
    to compute and to read.

    Where it takes long it is begun only with `begin`.
    """
    scope = counting_scope(scope, purpose)
    options: dict[str, Any] = {"group": group, "replicates": REPLICATES, "seed": SEED}

    def work(progress: Progress) -> dict[str, Any]:
        tally, told, found, _few = _resampled(scope, rules, options, progress, "asked")
        named = {name: named_ends(two, tally.taxa.names, told) for name, two in found.shown.taxa.items()}
        named["icf"] = named_ends(found.shown.categories["icf"], tally.table.categories)
        return {name: {of: [float(f"{end:.9g}") for end in two] for of, two in one.items()} for name, one in named.items()}

    return computed(scope, "ends", rules, options, work, again=again, begin=begin or again,
                    seconds=lambda: effort.of_uncertainty(results.size_of(scope), REPLICATES))  # fmt: skip


def _resampled(scope: Scope, rules: CountingRules, options: Mapping[str, Any], progress: Progress,
               further: Literal["asked", "all"]) -> tuple[Tally, frozenset[str], Bootstrap, bool]:  # fmt: skip
    """The tally of the study, the names of the taxa told in the group, its resamples, and whether all of them were enumerated.
    Ranks are taken where all indices are."""
    tally = _tally(scope, rules, group=options["group"])
    among = _among(tally, options["group"])
    told = np.unique(tally.citations.among(tally.counted & among).taxon)
    ranked = (_tellers(tally, among) >= RANKED_FROM) & (further == "all")
    progress(1, 3)
    few = number_of_resamples(int((tally.counted & among).sum())) <= MOST_EXACT and rules.resample == "all"
    found = bootstrap(tally, replicates=options["replicates"], seed=options["seed"], among=among, ranked=ranked, exact=few,
                      further=further)  # fmt: skip
    progress(2, 3)
    return tally, frozenset(tally.taxa.names[at] for at in told), found, few


def _uncertain(scope: Scope, rules: CountingRules, options: Mapping[str, Any], progress: Progress) -> dict[str, Any]:
    tally, told, found, few = _resampled(scope, rules, options, progress, "all")
    taxa = {
        taxon: {
            name: [*_pair(found.shown.taxa[name], at), number(one.bootstrap_error[at]),
                   number(one.jackknife_error[at]),
                   float(found.bands[name].in_first[at]), int(found.bands[name].low[at]), int(found.bands[name].high[at])]
            for name, one in found.taxa.items()
        }
        for at, taxon in enumerate(tally.taxa.names) if taxon in told
    }  # fmt: skip
    icf = found.categories
    categories = {
        name: dict(zip(("low", "high"), _pair(found.shown.categories["icf"], at), strict=True))
        | {"jackknife": number(icf.jackknife_error[at])}
        for at, name in enumerate(tally.table.categories)
    }  # fmt: skip
    more = found.shown
    further = {
        "taxa": _ends(more.taxa, tally.taxa.names), "categories": _ends(more.categories, tally.table.categories),
        "families": _ends(more.families, more.names),
    }  # fmt: skip
    return {"n": found.n, "replicates": found.replicates, "seed": found.seed, "enumerated": few,
            "taxa": taxa, "categories": categories, "further": further}  # fmt: skip


def _pair(ends: Ends, at: int) -> list[float | None]:
    return [number(ends[0][at]), number(ends[1][at])]


def _ends(found: Mapping[str, Ends], names: Sequence[str]) -> dict[str, dict[str, list[float]]]:
    """The ends of the intervals by index and by what they are of, where there are any."""
    return {index: named_ends(ends, names) for index, ends in found.items()}


def _tellers(tally: Tally, among: Bools) -> Any:
    told = who_told(tally)[tally.counted & among]
    return told.sum(axis=0)


def listening(scope: Scope, rules: CountingRules, *, group: str = "", purpose: Purpose = Purpose.COUNTED) -> Computed:
    """For taxa, specific uses and citations: the expected curve with its band, richness, coverage, holders still wanted."""
    scope = counting_scope(scope, purpose)

    def work(progress: Progress) -> dict[str, Any]:
        tally = _tally(scope, rules, group=group)
        among = _among(tally, group)
        body: dict[str, Any] = {}
        for at, things in enumerate(THINGS):
            progress(at, len(THINGS))
            found = incidences(tally, things, among)
            wanted = informants_for(found)
            steps = np.unique(np.linspace(1, max(found.units, 1), min(found.units, 120)).astype(np.int64))
            curve, (low, high) = expected_curve(found), curve_ends(found)
            body[things] = {
                **{key: value for key, value in sampling_part(found).items() if not key.endswith(("curve", "MaoTau"))},
                "at": steps.tolist(), "curve": _numbers(curve[steps - 1]),
                "low": _numbers(low[steps - 1]), "high": _numbers(high[steps - 1]),
                "coverage_ends": coverage_ends(found), "wanted": wanted.more, "why": wanted.why,
                **_told_by_few(tally, things, tally.counted & among),
            }  # fmt: skip
        return body

    return computed(
        scope, "listening", rules, {"group": group}, work, seconds=lambda: effort.of_listening(results.size_of(scope))
    )


def _told_by_few(tally: Tally, things: str, among: Bools) -> dict[str, list[list[str]]]:
    """The taxa, or the taxa with their category, that one or two informants told; specific uses are words, and stay unnamed."""
    if things == "uses":
        return {}
    cited = tally.citations.among(among)
    wide = len(tally.table.categories) if things == "citations" else 1
    pairs = np.unique(cited.informant * np.int64(len(tally.taxa.names) * wide) + cited.taxon * wide
                      + (cited.category if things == "citations" else 0))  # fmt: skip
    informants = np.bincount(pairs % max(len(tally.taxa.names) * wide, 1), minlength=len(tally.taxa.names) * wide)

    def named(at: int) -> list[str]:
        taxon, category = divmod(at, wide)
        return [tally.taxa.names[taxon], tally.table.categories[category] if things == "citations" else ""]

    return {key: [named(int(at)) for at in np.flatnonzero(informants == number)] for key, number in (("ones", 1), ("twos", 2))}


def knowledge(scope: Scope, rules: CountingRules, *, purpose: Purpose = Purpose.COUNTED, seed: int = SEED) -> Computed:
    """What holders know, against age and years in the place, and by gender and community, each with a test.

    Rows of single holders hold only those whom the viewer may see; tests take everybody counted, or, where too few of them are
    hidden, everybody shown.
    """
    whole = counting_scope(scope, purpose)
    scope = split_scope(whole, "community", "gender", "age", "years")

    def holders() -> dict[str, Any]:
        found, own, ages, codes = _known_by_holders(scope, rules)
        each = [
            {
                "code": code,
                "community": one["community"],
                "gender": one["gender"],
                "age": ages[place],
                "years": one["years"],
                "shown": bool(one["shown"]),
                **{name: number(float(found[name][place])) for name in found},
            }
            for place, (code, one) in enumerate(zip(codes, own, strict=True))
        ]
        return {"holders": each}

    def work(_progress: Progress) -> dict[str, Any]:
        found, own, ages, _codes = _known_by_holders(scope, rules)
        return _ties(found, own, ages, seed)

    options = {"seed": seed}
    ties = computed(scope, "ties", rules, options, work, seconds=lambda: effort.of_ties(results.size_of(scope)))
    of_each = kept_body(scope, f"knowledge {digest_of(scope, 'knowledge', rules, {})}", holders)["holders"]
    return Computed(
        {
            "n": len(of_each),
            "seed": seed,
            "shown_alone": scope is not whole,
            "ties": ties.body,
            "holders": of_each,
        }
    )


def _known_by_holders(
    scope: Scope, rules: CountingRules
) -> tuple[dict[str, Any], list[dict[str, Any]], list[int | None], list[str]]:
    """Of every holder who is counted, in one order: the measures of knowledge by name, facts, age, code."""
    tally = _tally(scope, rules)
    facts = informant_facts(scope)
    people = tally.table.informants
    counted = [int(at) for at in np.flatnonzero(tally.counted & ~people.is_source) if people.codes[at] in facts]
    found = {name: np.asarray(column)[counted] for name, column in measures(informant_counts(tally)).items()}
    own = [facts[people.codes[at]] for at in counted]
    ages = [None if one["born"] is None else scope.day.year - one["born"] for one in own]
    return found, own, ages, [people.codes[at] for at in counted]


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
    ends = None if found.ends is None else list(found.ends)
    return {"value": number(found.value), "p": number(found.p), "n": found.n, "drawn": found.drawn, "ends": ends}


def _codes(names: list[str]) -> Any:
    known = sorted({name for name in names if name and name != "unstated"})
    return np.array([known.index(name) if name in known else -1 for name in names], dtype=np.int64)


def matrix(scope: Scope, rules: CountingRules, *, purpose: Purpose = Purpose.COUNTED) -> Computed:
    """Who told of what, (holders, taxa), both in the order of their first axis; only holders whom the viewer may see.

    How many are hidden is None where they are too few to be counted.
    """
    scope = counting_scope(scope, purpose)

    def compute() -> dict[str, Any]:
        tally = _tally(scope, rules)
        facts = informant_facts(scope)
        people = tally.table.informants
        shown = [int(at) for at in np.flatnonzero(tally.counted) if facts.get(people.codes[at], {}).get("shown")]
        told = who_told(tally)[shown]
        taxa = np.flatnonzero(told.any(axis=0))
        told = told[:, taxa]
        first, second = seriated(told)
        hidden = int(tally.counted.sum()) - len(shown)
        return {
            "holders": [people.codes[shown[at]] for at in first],
            "taxa": [tally.taxa.names[taxa[at]] for at in second],
            "cells": [np.flatnonzero(told[at][second]).tolist() for at in first],
            "hidden": hidden if hidden == 0 or hidden >= minimum_of(scope) else None,
        }

    return Computed(kept_body(scope, f"matrix {digest_of(scope, 'matrix', rules, {})}", compute))


def list_salience(scope: Scope, *, group: str = "", members: Collection[str] = (),
                  purpose: Purpose = Purpose.COUNTED) -> dict[str, Any]:  # fmt: skip
    """The salience of the items of the study's free lists, of a community or of all, with intervals; counts of lists by length.

    `of` says in which of the lists that the viewer may see each item stands: whose, in which encounter, in which place of how
    many.

    With `members`, items of one kind, also B: whether lists name them early (1) or late (0), the mean over the lists that have
    some and not only them. Every list counts. An item is told only where a list that the viewer may see has it: it is
    somebody's words.
    """
    asked = split_scope(scope.for_purpose(purpose), *(["community"] if group else []))
    lists = with_enough_hidden(scope, [one for one in lists_to_weigh(asked) if group in ("", one["community"])])
    found = salience([one["items"] or [] for one in lists])
    told = {item for one in lists if one["shown"] for item in one["items"] or []}
    body = free_lists_part(found)
    body["items"] = {item: value for item, value in body["items"].items() if item in told}
    drawn = draw(np.zeros(len(lists), dtype=np.int64), REPLICATES, SEED) if lists else None
    if drawn is not None:
        body["ends"] = {name: {item: list(two) for item, two in ends.items() if item in told}
                        for name, ends in salience_ends([one["items"] or [] for one in lists], drawn).items()}  # fmt: skip
    body["of"] = _standing_in([one for one in lists if one["shown"]])
    if drawn is not None and members:
        chosen = dict.fromkeys(members, True)
        bias = mean_bias([one["items"] or [] for one in lists], chosen)
        each = [{**one, "bias": number(category_bias(one["items"] or [], chosen))} for one in lists if one["shown"]]
        body["bias"] = {"value": number(bias.value), "lists": bias.lists, "ends": bias.ends,
                        "of": [one for one in each if one["bias"] is not None]}  # fmt: skip
    return {**body, "lengths": sorted((int(length) for length in found.lengths), reverse=True)}


def _standing_in(lists: Sequence[Mapping[str, Any]]) -> dict[str, list[dict[str, Any]]]:
    found: dict[str, list[dict[str, Any]]] = {}
    for one in lists:
        items = closed_up(one["items"] or [])
        for rank, item in enumerate(items, 1):
            found.setdefault(item, []).append({"informant": one["informant"], "encounter": one["encounter"], "place": rank,
                                               "length": len(items)})  # fmt: skip
    return found


def parts_and_preparations(scope: Scope, rules: CountingRules, *, purpose: Purpose = Purpose.COUNTED) -> Computed:
    """Shares of parts and of preparations, by category, community and taxon; counts are (informant, taxon, category, label)."""
    scope = counting_scope(scope, purpose)

    def work(_progress: Progress) -> dict[str, Any]:
        body: dict[str, Any] = {}
        tallies = {by: _tally(scope, rules, told=True, group=by if by == "community" else "") for by in _SHARED_BY}
        for name, by in product(("parts", "preparations"), _SHARED_BY):
            tally = tallies[by]
            listed = tally.table.parts if name == "parts" else tally.table.preparations
            found = shares_told(tally, listed, by, tally.counted)
            low, high = shares_ends(tally, listed, by)
            kept = np.flatnonzero(found.counts.any(axis=1))
            body[f"{name}_by_{by}"] = {
                "of": [found.of[at] for at in kept],
                "labels": list(found.labels),
                "counts": found.counts[kept].tolist(),
                "told_by": found.informants[kept].tolist(),
                "low": [_numbers(one) for one in low[kept]],
                "high": [_numbers(one) for one in high[kept]],
            }
        return body

    return computed(scope, "parts", rules, {}, work, seconds=lambda: effort.of_parts(results.number_of_reports(scope)))
