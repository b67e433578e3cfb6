"""Which taxon a plant is counted as: the rules about undetermined, genus-level and infraspecific plants."""

import re
from dataclasses import dataclass, replace

import numpy as np

from tender_ledger.core.rules import CountingRules
from tender_ledger.core.tally.table import Ints, Plants

UNDETERMINED = "(undetermined)"
QUALIFIER = re.compile(r"\b(cf|aff)\.?\s+")
BELOW_SPECIES = frozenset({"infraspecific", "subspecies", "variety", "form"})


@dataclass(frozen=True)
class CountedTaxa:
    """The taxa of an analysis in alphabetical order, and for every plant its place among them (-1: not counted)."""

    names: tuple[str, ...]
    family: tuple[str, ...]
    of_plant: Ints


def counted_taxa(plants: Plants, rules: CountingRules) -> CountedTaxa:
    """Assign every plant its counted taxon under the rules. A genus is never made a species unless the rules say so."""
    plants = _unqualified(plants)
    species = {name for name, rank in zip(plants.taxon, plants.rank, strict=True) if name and rank == "species"}
    chosen = [_name(plants, at, rules, species) for at in range(len(plants))]
    names = tuple(sorted({name for name in chosen if name}))
    place = {name: at for at, name in enumerate(names)}
    family = {name: plants.family[at] for at, name in reversed(list(enumerate(chosen))) if name}
    codes = np.array([place.get(name, -1) for name in chosen], dtype=np.int64)
    return CountedTaxa(names, tuple(family[name] for name in names), codes)


def _name(plants: Plants, at: int, rules: CountingRules, species: set[str]) -> str:
    name, rank, qualifier = plants.taxon[at], plants.rank[at], plants.qualifier[at]
    if not name:
        return _undetermined(plants.labels[at], rules)
    if qualifier and rules.qualified != "as_taxon":
        genus, _, rest = name.partition(" ")
        return "" if rules.qualified == "drop" else f"{genus} {qualifier} {rest}".strip()
    if rank == "genus" and rules.genus_level != "own_taxon":
        own = sorted(s for s in species if s.split()[0] == name.split()[0])
        return own[0] if rules.genus_level == "merge_if_single" and len(own) == 1 else _kept_genus(name, rules)
    if rank in BELOW_SPECIES and rules.infraspecific == "lump":
        return species_of(name)
    return name


def _unqualified(plants: Plants) -> Plants:
    """The plants with cf. or aff. out of their names, each in the column of its own."""
    own = plants.qualifier or ("",) * len(plants)
    found = [QUALIFIER.search(name) for name in plants.taxon]
    qualifier = tuple(old or (f"{hit[1]}." if hit else "") for old, hit in zip(own, found, strict=True))
    names = tuple(QUALIFIER.sub("", name) if hit else name for name, hit in zip(plants.taxon, found, strict=True))
    return replace(plants, taxon=names, qualifier=qualifier)


def _kept_genus(name: str, rules: CountingRules) -> str:
    return "" if rules.genus_level == "drop" else name


def _undetermined(label: str, rules: CountingRules) -> str:
    if rules.undetermined == "drop":
        return ""
    return label if rules.undetermined == "each_own" and label else UNDETERMINED


def species_of(name: str) -> str:
    """The species part of an infraspecific name; the sign of a hybrid stays with it."""
    words = name.split()
    return " ".join(words[:3] if len(words) > 2 and words[1] in {"×", "x"} else words[:2])
