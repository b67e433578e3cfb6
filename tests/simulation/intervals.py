"""How often the intervals that are shown hold what they estimate, in invented studies whose holders are drawn from a known model.

`python -m tests.simulation.intervals` computes the table of docs/methods/uncertainty.md: shapes, numbers of holders and seeds are
those below. The estimand is the mean of the estimate over studies of as many holders drawn in the same way; where an estimate is
undefined in some of them, over the others.
"""

import sys
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from tender_ledger.core.consensus.model import Answers, Consensus, consensus
from tender_ledger.core.consensus.resampled import consensus_ends
from tender_ledger.core.indices.parts import shares_ends, shares_told
from tender_ledger.core.indices.ranking import RANKED_FROM, ranks
from tender_ledger.core.resampling.bootstrap import Bootstrap, bootstrap, per_informant, resampled_agreement
from tender_ledger.core.resampling.drawing import Resamples
from tender_ledger.core.resampling.further import further_values
from tender_ledger.core.resampling.intervals import HELD_BY_TAXON
from tender_ledger.core.resampling.pairs import ResampledGroup, difference_ends, gap_ends, resampled_group
from tender_ledger.core.rules import BASES, OUTCOMES, CountingRules
from tender_ledger.core.tally.counting import Tally, count
from tender_ledger.core.tally.table import Informants, Listed, Plants, UseReportTable, Uses

Floats = npt.NDArray[np.float64]
SPECIES, CATEGORIES, USES, FAMILIES, PARTS = 40, 5, 3, 8, 4
SHAPES: Mapping[str, Floats] = {  # how likely a holder who knows as much as most tells of each species
    "even": np.full(SPECIES, 0.25),
    "skewed": 0.7 * np.arange(1, SPECIES + 1) ** -0.7,
    "steep": 0.9 * np.exp(-np.arange(1, SPECIES + 1) / 8) + 0.01,
}
HOLDERS = (15, 30, 60)
SEEDS: Mapping[tuple[str, int], int] = {(shape, n): 100 * at + n for at, shape in enumerate(SHAPES, 1) for n in HOLDERS}
STUDIES, OF_ESTIMAND = 300, 2000
SPREAD = 0.5  # the standard deviation of how much holders know, their mean being 1
_NAMES = tuple(f"Genus species{at:02}" for at in range(SPECIES))


@dataclass(frozen=True)
class Model:
    """What holders tell: of each species how likely, for which categories, as which uses, by which part."""

    told: Floats
    categories: Floats
    uses: Floats
    parts: Floats


def model(shape: str, rng: np.random.Generator) -> Model:
    categories = np.minimum(1, 1.3 * rng.dirichlet(np.full(CATEGORIES, 0.6), SPECIES))
    uses = rng.dirichlet(np.full(USES, 0.7), (SPECIES, CATEGORIES))
    return Model(SHAPES[shape], categories, uses, rng.dirichlet(np.ones(PARTS), SPECIES))


def study(of: Model, n: int, rng: np.random.Generator) -> Tally:
    """A study of n holders drawn from the model, counted by the usual rules."""
    knows = np.minimum(rng.gamma(1 / SPREAD**2, SPREAD**2, n), 2.5)
    told = rng.random((n, SPECIES)) < np.minimum(0.97, knows[:, None] * of.told)
    who, species, category = np.nonzero((rng.random((n, SPECIES, CATEGORIES)) < of.categories) & told[:, :, None])
    twice = rng.random(len(who)) < 0.3  # a second use in the same category
    who, species, category = (np.concatenate([one, one[twice]]) for one in (who, species, category))
    use = _drawn(of.uses[species, category], rng)
    rows = np.arange(len(who))
    none = np.zeros(len(who), dtype=np.int64)
    alone = np.zeros(n, dtype=np.int64)
    return count(
        UseReportTable(
            Informants(tuple(f"H{at:03}" for at in range(n)), alone, alone.astype(bool), ("X",)),
            Plants(_NAMES, _NAMES, ("species",) * SPECIES, tuple(f"Family {at % FAMILIES}" for at in range(SPECIES))),
            tuple(f"c{at}" for at in range(CATEGORIES)),
            Uses(np.repeat(np.arange(CATEGORIES), USES), tuple(f"u{at}" for at in range(CATEGORIES * USES))),
            1, who, none, species, category, category * USES + use, none + BASES.index("own"), none,
            none + OUTCOMES.index("unstated"), parts=Listed(rows, _drawn(of.parts[species], rng), tuple("abcd")),
        ),
        CountingRules(),
    )  # fmt: skip


def _drawn(shares: Floats, rng: np.random.Generator) -> npt.NDArray[np.int64]:
    above = rng.random(len(shares))[:, None] > np.cumsum(shares, axis=1)
    return np.asarray(np.minimum(above.sum(axis=1), shares.shape[1] - 1))


def estimates(tally: Tally) -> dict[str, Floats]:
    """Every estimate of a study by its name; those of taxa as long as SPECIES, 0 or NaN for what nobody told."""
    n = tally.n
    once = Resamples(np.ones((1, n), dtype=np.float32), None, "as it is")
    number = np.arange(n)
    place = [_NAMES.index(name) for name in tally.taxa.names]
    found = further_values(tally, once, tally.counted, number)
    values: dict[str, Floats] = {}
    for name, one in per_informant(tally, tally.counted, number).items():
        values[name] = np.zeros(SPECIES)
        values[name][place] = one.sums() / n
    for name in HELD_BY_TAXON:
        if name not in values:
            values[name] = np.full(SPECIES, np.nan)
            values[name][place] = found.taxa[name][0]
    values["icf"] = resampled_agreement(tally, tally.counted, number, once)[0]
    values |= {name: one[0] for name, one in found.categories.items()}
    values["fuv"] = np.full(FAMILIES, np.nan)
    values["fuv"][[int(name[-1]) for name in found.names]] = found.families["fuv"][0]
    assert tally.table.parts is not None
    shares = shares_told(tally, tally.table.parts, "category", tally.counted)
    values["parts"] = _by_category(shares.of, shares.counts[:, :PARTS] / shares.counts[:, :PARTS].sum(axis=1, keepdims=True))
    return values


def _by_category(of: tuple[str, ...], shares: Floats) -> Floats:
    found = np.full((CATEGORIES, PARTS), np.nan)
    found[[int(name[-1]) for name in of]] = shares
    return found.ravel()


def intervals(tally: Tally, found: Bootstrap) -> dict[str, tuple[Floats, Floats]]:
    """Both ends of every interval that is shown, in the shape of its estimates; NaN where there is none."""
    place = [_NAMES.index(name) for name in tally.taxa.names]
    ends: dict[str, tuple[Floats, Floats]] = {}
    for name, two in found.shown.taxa.items():
        wide = tuple(np.full(SPECIES, np.nan) for _end in two)
        for end, values in zip(wide, two, strict=True):
            end[place] = values
        ends[name] = (wide[0], wide[1])
    ends |= found.shown.categories
    fuv = tuple(np.full(FAMILIES, np.nan) for _end in range(2))
    for end, values in zip(fuv, found.shown.families["fuv"], strict=True):
        end[[int(name[-1]) for name in found.shown.names]] = values
    ends["fuv"] = (fuv[0], fuv[1])
    assert tally.table.parts is not None
    low, high = shares_ends(tally, tally.table.parts, "category")
    of = shares_told(tally, tally.table.parts, "category", tally.counted).of
    ends["parts"] = (_by_category(of, low[:, :PARTS]), _by_category(of, high[:, :PARTS]))
    return ends


@dataclass
class Held:
    """How many intervals there were by the name of the estimate, and how many held their estimand."""

    shown: dict[str, int] = field(default_factory=dict)
    held: dict[str, int] = field(default_factory=dict)

    def add(self, name: str, low: Floats, high: Floats, truth: Floats) -> None:
        there = ~np.isnan(low) & ~np.isnan(truth)
        holds = (low - 1e-9 <= truth) & (truth <= high + 1e-9) & there
        self.shown[name] = self.shown.get(name, 0) + int(there.sum())
        self.held[name] = self.held.get(name, 0) + int(holds.sum())

    def shares(self) -> dict[str, float]:
        """The share that held, by name, of what had at least 50 intervals."""
        return {name: self.held[name] / number for name, number in self.shown.items() if number >= 50}


def mean_estimates(of: Model, n: int, rng: np.random.Generator, studies: int) -> dict[str, Floats]:
    """The estimands: means over studies in which an estimate is defined."""
    sums: dict[str, Floats] = {}
    times: dict[str, Floats] = {}
    for _study in range(studies):
        for name, values in estimates(study(of, n, rng)).items():
            there = ~np.isnan(values)
            sums[name] = sums.get(name, 0) + np.where(there, values, 0)
            times[name] = times.get(name, 0) + there
    with np.errstate(invalid="ignore", divide="ignore"):
        return {name: sums[name] / times[name] for name in sums}


def coverage_of_indices(shape: str, n: int, *, studies: int = STUDIES, of_estimand: int = OF_ESTIMAND) -> Held:
    """The intervals of indices, of shares of parts and the bands of ranks, in studies of n holders."""
    rng = np.random.default_rng(SEEDS[shape, n])
    of = model(shape, rng)
    truth, held = mean_estimates(of, n, rng, of_estimand), Held()
    for number in range(studies):
        tally = study(of, n, rng)
        told = np.unique(tally.citations.taxon * n + tally.citations.informant)
        tellers = np.bincount(told // n, minlength=len(tally.taxa.names))
        ranked = tellers >= RANKED_FROM
        found = bootstrap(tally, replicates=300, seed=number, exact_means=False, ranked=ranked, further="all")
        for name, (low, high) in intervals(tally, found).items():
            held.add(name, low, high, truth[name])
        _ranks(tally, found, ranked, truth, held)
    return held


def _ranks(tally: Tally, found: Bootstrap, ranked: npt.NDArray[np.bool_], truth: Mapping[str, Floats], held: Held) -> None:
    """The rank of a species by its estimand among those that are ranked, against its band."""
    place = np.array([_NAMES.index(name) for name in tally.taxa.names])
    for name in ("rfc", "ci", "uv"):
        true = ranks(truth[name][place][ranked]).astype(np.float64)
        band = found.bands[name]
        held.add(f"rank by {name}", band.low[ranked].astype(float), band.high[ranked].astype(float), true)


def coverage_of_pairs(shape: str, n: int, *, studies: int = STUDIES, of_estimand: int = OF_ESTIMAND) -> Held:
    """The intervals of differences between two groups of n and 2n holders, who know the species otherwise."""
    rng = np.random.default_rng(SEEDS[shape, n] + 50)
    one = model(shape, rng)
    other = Model(0.4 * one.told + 0.6 * rng.permutation(one.told), one.categories, one.uses, one.parts)
    truth = [mean_estimates(of, size, rng, of_estimand) for of, size in ((one, n), (other, 2 * n))]
    reports = [float(np.nansum(found["ci"])) for found in truth]
    held = Held()
    for _number in range(studies):
        groups: list[tuple[Tally, ResampledGroup]] = []
        for of, size in ((one, n), (other, 2 * n)):
            tally = study(of, size, rng)
            groups.append((tally, resampled_group(tally, tally.counted, ())))
        for name, low, high, true in _gaps(groups, truth):
            held.add(f"difference in {name}", low, high, true)
        ends = difference_ends(groups[0][1], groups[1][1])
        assert ends is not None
        held.add("difference in reports a holder", *(np.array([end]) for end in ends), np.array([reports[0] - reports[1]]))
    return held


def _gaps(groups: list[tuple[Tally, ResampledGroup]], truth: list[dict[str, Floats]]
          ) -> Iterator[tuple[str, Floats, Floats, Floats]]:  # fmt: skip
    whole = [tuple(_NAMES.index(name) for name in tally.taxa.names) for tally, _group in groups]
    if whole[0] == whole[1] == tuple(range(SPECIES)):  # the same taxa in both, as in one tally
        for index in ("rfc", "ci", "uv"):
            yield index, *gap_ends(groups[0][1], groups[1][1], index), truth[0][index] - truth[1][index]
    yield "icf", *gap_ends(groups[0][1], groups[1][1], "icf"), truth[0]["icf"] - truth[1]["icf"]


def coverage_of_competences(questions: int, *, informants: int = 20, studies: int = 100, of_estimand: int = 400) -> Held:
    """Competences of informants who know 35 to 90 % of the answers to questions with two answers each."""
    rng = np.random.default_rng(questions)
    knows = rng.uniform(0.35, 0.9, informants)

    def analysed() -> Consensus:
        key = rng.integers(0, 2, questions)
        known = rng.random((informants, questions)) < knows[:, None]
        given = np.where(known, key[None, :], rng.integers(0, 2, (informants, questions)))
        names = (tuple(f"H{at}" for at in range(informants)), tuple(f"q{at}" for at in range(questions)))
        return consensus(Answers(*names, given, (("no", "yes"),) * questions, 2))

    truth, held = np.mean([analysed().competence for _study in range(of_estimand)], axis=0), Held()
    for number in range(studies):
        ends = consensus_ends(analysed(), replicates=300, seed=number)
        held.add("competence", ends.low, ends.high, truth)
        held.add("mean competence", *(np.array([end]) for end in ends.mean), np.array([truth.mean()]))
    return held


def main(say: Callable[[str], object] = print) -> None:
    """Print the table, a row an estimate, a column a shape and a number of holders."""
    columns, found = [], dict[str, dict[str, float]]()
    for shape in SHAPES:
        for n in HOLDERS:
            columns.append(f"{shape}, {n}")
            held = coverage_of_indices(shape, n).shares() | coverage_of_pairs(shape, n).shares()
            for name, share in held.items():
                found.setdefault(name, {})[columns[-1]] = share
            print(columns[-1], "done", file=sys.stderr)
    say(f"| interval of | {' | '.join(columns)} |")
    say(f"|---|{'---|' * len(columns)}")
    for name, shares in found.items():
        cells = [f"{shares[one]:.3f}" if one in shares else "–" for one in columns]
        say(f"| {name} | {' | '.join(cells)} |")
    for questions in (40, 60, 80):
        shares = coverage_of_competences(questions).shares()
        say(f"{questions} questions: " + ", ".join(f"{name} {share:.3f}" for name, share in shares.items()))


if __name__ == "__main__":
    main()
