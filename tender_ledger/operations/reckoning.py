"""Reckoning a study, and the working of one number down to its reports."""

import json
import time
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from tender_ledger.core.indices.packing import pack, unpack
from tender_ledger.core.indices.reckoning import Reckoning, reckon
from tender_ledger.core.indices.rule_comparison import RulesCompared, compare_rules
from tender_ledger.core.indices.selection import Selected, Selection, select
from tender_ledger.core.messages import InputRefused, Problem
from tender_ledger.core.rules import CountingRules
from tender_ledger.core.tally.counting import Tally, count
from tender_ledger.core.tally.table import Bools, Listed, Plants
from tender_ledger.core.tally.taxa import counted_taxa
from tender_ledger.core.terms import Purpose, Scope
from tender_ledger.operations.computing import digest_of, finish, recount
from tender_ledger.operations.disclosure.splits import counting_scope, minimum_of, split_scope
from tender_ledger.storage.database import snapshot
from tender_ledger.storage.queries import plants, reports, results, studies
from tender_ledger.storage.queries.kept import kept_body
from tender_ledger.storage.queries.tally import (
    PLANT_COLUMNS,
    assemble,
    read_columns,
    read_labels,
    read_table,
    scheme_counted,
    with_parts_told,
)

ALL = Selection()


@dataclass(frozen=True)
class StudyReckoning:
    """The computed values with the revision of the study they were computed at, and what of them a filter shows.

    `n_of` is N by community; the reckoning of a kept community is brought when it is asked for. `tally` is what was counted,
    where it was counted for this request and not kept.
    """

    result: Reckoning
    revision: int
    n_of: Mapping[str, int]
    selected: Selected | None = None
    tally: Tally | None = None


def reckon_study(scope: Scope, rules: CountingRules, *, purpose: Purpose = Purpose.COUNTED, selection: Selection = ALL,
                 group: Sequence[str] = ()) -> StudyReckoning:  # fmt: skip
    """Compute every index from one snapshot. The same for every member: it asks what may be counted, not what is shown.

    Where too few are hidden to be told apart it is of what is shown alone, in all or where communities are taken apart.

    A selection, among the communities of `group` where there are some, says what is shown; it changes no value.
    """
    scope = counting_scope(scope, purpose)
    kept = None if selection else _kept(scope, rules)
    if kept is not None:
        return kept
    begun = time.monotonic()
    with snapshot():
        revision = studies.study(scope)["revision"]
        tally = whole = count(read_table(scope, rules, with_ids=True), rules)
        apart = split_scope(scope, "community")
        if apart.purpose is not scope.purpose:
            tally = count(read_table(apart, rules, with_ids=bool(selection.part)), rules)
        with_part = reports.reports_with_part(scope, selection.part) if selection.part else None
    result = reckon(whole)
    if tally is not whole:
        result = replace(result, by_community=reckon(tally).by_community)
    n_of = {code: part.n for code, part in result.by_community.items()}
    if not selection:
        _keep(scope, rules, revision, result, time.monotonic() - begun)
        return StudyReckoning(result, revision, n_of, tally=whole)
    people = tally.table.informants
    among = np.array([people.communities[code] in group if code >= 0 else False for code in people.community], dtype=bool)
    if not group and not selection.community:
        tally, people = whole, whole.table.informants
    chosen = select(tally, selection, with_part=with_part, among=among if group else None)
    return StudyReckoning(result, revision, n_of, chosen)


_WHOLE = "reckoning"


class _KeptCommunities(Mapping[str, Reckoning]):
    """The kept reckonings of the communities, each read when it is asked for."""

    def __init__(self, scope: Scope, rules: CountingRules, codes: Sequence[str]) -> None:
        self.scope, self.rules, self.codes = scope, rules, codes

    def __getitem__(self, code: str) -> Reckoning:
        if code not in self.codes:
            raise KeyError(code)
        digest = digest_of(self.scope, _WHOLE, self.rules, {"community": code})
        found = results.kept_results(self.scope, [digest]).bodies
        return unpack(found[digest], self.rules) if found else reckon_study(
            self.scope, self.rules, purpose=self.scope.purpose).result.by_community[code]  # fmt: skip

    def __iter__(self) -> Iterator[str]:
        return iter(self.codes)

    def __len__(self) -> int:
        return len(self.codes)


def _kept(scope: Scope, rules: CountingRules) -> StudyReckoning | None:
    digests = [digest_of(scope, _WHOLE, rules, {"part": part}) for part in ("whole", "communities")]
    kept = results.kept_results(scope, digests)
    if not kept.bodies:
        return None
    if kept.is_due:
        recount(scope, _WHOLE, rules, {"part": "whole"}, digests[0])
    finish(digests[0])
    found = kept.bodies
    said = json.loads(found[digests[1]])
    communities = _KeptCommunities(scope, rules, list(said["n"]))
    whole = replace(unpack(found[digests[0]], rules), by_community=communities)
    return StudyReckoning(whole, said["revision"], said["n"])


def _keep(scope: Scope, rules: CountingRules, revision: int, r: Reckoning, seconds: float) -> None:
    said = {"revision": revision, "n": {code: part.n for code, part in r.by_community.items()}}
    bodies = {digest_of(scope, _WHOLE, rules, {"part": "whole"}): pack(r),
              digest_of(scope, _WHOLE, rules, {"part": "communities"}): json.dumps(said).encode()}  # fmt: skip
    for code, part in r.by_community.items():
        bodies[digest_of(scope, _WHOLE, rules, {"community": code})] = pack(part)
    results.keep_results(scope, revision, bodies, seconds=seconds)
    finish(digest_of(scope, _WHOLE, rules, {"part": "whole"}))


def parts_told(scope: Scope) -> list[dict[str, Any]]:
    """The parts that reports which may be counted tell of, by label."""
    counted = counting_scope(scope)
    found = kept_body(counted, f"parts told {counted.purpose}", lambda: {"parts": reports.parts_in_use(counted)})
    return list(found["parts"])


@dataclass(frozen=True)
class Behind:
    """The reports behind a count: those the viewer may see, how many more were counted but are not shown, and whether enough
    holders told those for their number to be said."""

    counted: int
    shown: list[dict[str, Any]]
    number_is_said: bool = True

    @property
    def hidden(self) -> int:
        return self.counted - len(self.shown)


def reports_behind(
    scope: Scope,
    rules: CountingRules,
    *,
    taxon: str = "",
    family: str = "",
    category: str = "",
    community: str = "",
    informants: Collection[str] | None = None,
    encounters: Collection[int] | None = None,
    names: tuple[str, str] | None = None,
    purpose: Purpose = Purpose.COUNTED,
) -> Behind:
    """The reports that count under the rules for a taxon, a family, a category, a community, or any of them together.

    `informants` are codes: what anybody else told is left out, and so is what was told elsewhere than in `encounters`. `names`
    are (parts or preparations, a code, or "" for any): only what names it. `purpose` is that of what the number was made of.
    """
    with snapshot():
        counted = split_scope(scope.for_purpose(purpose), *(["community"] if community else []))
        labels = read_labels(counted, rules)
        wanted = None if rules.mixtures == "own_taxon" else _plants_of(labels, rules, taxon)
        columns = read_columns(counted, rules, plant_ids=wanted, with_ids=True)
        if encounters is not None:
            there = np.isin(columns["encounter"], sorted(encounters))
            columns = {name: column[there] for name, column in columns.items()}
        table = assemble(columns, labels)
        tally = count(with_parts_told(counted, table) if names else table, rules)
        table = tally.table
        keep = tally.kept.copy()
        if taxon:
            at = tally.taxa.names.index(taxon) if taxon in tally.taxa.names else -2
            keep &= tally.taxa.of_plant[table.plant] == at
        if family:
            keep &= np.array([one == family for one in tally.taxa.family] + [False])[tally.taxa.of_plant[table.plant]]
        if category:
            keep &= table.category == (table.categories.index(category) if category in table.categories else -9)
        if community:
            known = table.informants.communities
            keep &= table.informants.community[table.informant] == (known.index(community) if community in known else -9)
        if informants is not None:
            keep &= np.array([code in informants for code in table.informants.codes], dtype=bool)[table.informant]
        if names:
            keep &= _naming(table.parts if names[0] == "parts" else table.preparations, names[1], len(table))
        rows = table.row if table.row is not None else np.empty(0, dtype=np.int64)
        ids = sorted({int(one) for one in rows[keep]})
        shown = reports.reports_by_id(scope, ids)
        hidden = set(ids) - {one["id"] for one in shown}
        tellers = {int(one) for one in table.informant[keep][np.isin(rows[keep], sorted(hidden))]}
        return Behind(len(ids), shown, len(tellers) >= minimum_of(scope))


def _naming(listed: Listed | None, code: str, rows: int) -> Bools:
    """The rows that name a part or a preparation, or with "" any."""
    found = np.zeros(rows, dtype=bool)
    if listed is not None and (not code or code in listed.labels):
        found[listed.row if not code else listed.row[listed.code == listed.labels.index(code)]] = True
    return found


def _plants_of(labels: dict[str, Any], rules: CountingRules, taxon: str) -> list[int] | None:
    if not taxon:
        return None
    plants = Plants(*(tuple(one[key] for one in labels["plants"]) for key in PLANT_COLUMNS))
    taxa = counted_taxa(plants, rules)
    at = taxa.names.index(taxon) if taxon in taxa.names else -2
    return [labels["plants"][place]["id"] for place in np.flatnonzero(taxa.of_plant == at)]


def taxa_of_category(scope: Scope, rules: CountingRules, category: str, *, purpose: Purpose = Purpose.COUNTED) -> frozenset[str]:
    """The taxa that a counted report of the category tells of."""
    r = reckon_study(scope, rules, purpose=purpose).result
    at = r.categories.index(category) if category in r.categories else -1
    return frozenset(r.taxa[one] for one in np.flatnonzero(r.counts.ur_by_category[:, at])) if at >= 0 else frozenset()


def taxon_facts(scope: Scope) -> dict[str, dict[str, str]]:
    """What a table says of a counted taxon beside its numbers: authorship, and the local name told most often for its plants.

    It is of what the viewer may see, and kept for the viewer until something is written.
    """
    return kept_body(scope, f"taxon facts {scope.purpose}", lambda: _taxon_facts(scope))


def _taxon_facts(scope: Scope) -> dict[str, dict[str, str]]:
    facts: dict[str, dict[str, str]] = {}
    most: dict[str, int] = {}
    for plant in plants.plants(scope):
        taxon = plant["accepted"] or plant["taxon"]
        if not taxon:
            continue
        fact = facts.setdefault(taxon, {"authorship": plant["accepted_authorship"] or plant["authorship"] or "", "name": ""})
        if plant["names"] and plant["names"][0]["attested"] >= most.get(taxon, 0):
            most[taxon] = plant["names"][0]["attested"]
            fact["name"] = plant["names"][0]["name"]
    return facts


@dataclass(frozen=True)
class SideBySide:
    """Two sets of rules over the study as it stands, and of the reports that only one counts those the viewer may see."""

    compared: RulesCompared
    only_first: Behind
    only_second: Behind


def rules_side_by_side(scope: Scope, first: CountingRules, second: CountingRules, index: str, *,
                       purpose: Purpose = Purpose.COUNTED) -> SideBySide:  # fmt: skip
    """Count the study by both rules from one snapshot. Refused where they count by unlike schemes: nothing could be matched."""
    counted = counting_scope(scope, purpose)
    with snapshot():
        schemes = [scheme_counted(counted, rules) for rules in (first, second)]
        if schemes[0] != schemes[1]:
            raise InputRefused(Problem("Rules that count by unlike schemes have no category in common.", "rules.scheme",
                                       schemes[1], schemes[0]))  # fmt: skip
        wide = second.with_(own_bases=first.basis, level="subcategory" if _finer(first, second) else "category",
                            secondary_codes="count" if "count" in (first.secondary_codes, second.secondary_codes) else "ignore",
                            unit="use_part" if "use_part" in (first.unit, second.unit) else "use")  # fmt: skip
        compared = compare_rules(read_table(counted, wide, with_ids=True), first, second, index)
        shown = scope.for_purpose(Purpose.SHOWN)
        seen = [_seen_of(shown, [int(one) for one in ids]) for ids in (compared.only_first, compared.only_second)]
    return SideBySide(compared, *seen)


def _seen_of(shown: Scope, ids: list[int]) -> Behind:
    found = reports.reports_by_id(shown, ids)
    hidden = sorted(set(ids) - {one["id"] for one in found})
    return Behind(len(ids), found, reports.number_of_tellers(shown, hidden) >= minimum_of(shown))


def _finer(first: CountingRules, second: CountingRules) -> bool:
    return first.level != "category" or second.level != "category"
