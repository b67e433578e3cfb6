"""How often the intervals of analyses beyond the indices hold what they estimate: sampling, groups, correlations, free lists.

`python -m tests.simulation.analysis_intervals` computes the second table of docs/methods/uncertainty.md. Shapes, numbers of
informants and the estimand (the mean of the estimate over studies of as many) are those of `tests.simulation.intervals`. Two
differ: the estimand of a median is the median of 200,000 informants, that of coverage the share of all mentions that the things
told in that study make up.
"""

import sys
from collections.abc import Callable, Mapping

import numpy as np
import numpy.typing as npt

from tender_ledger.core.freelists.salience import mean_bias, salience, salience_ends
from tender_ledger.core.groups.likeness import spearman
from tender_ledger.core.groups.permanova import permanova
from tender_ledger.core.knowledge import difference_between, median_ends, tie_of_ranks
from tender_ledger.core.resampling.drawing import draw
from tender_ledger.core.sampling.accumulation import coverage_ends, curve_ends, expected_curve
from tender_ledger.core.sampling.incidence import Incidences
from tests.simulation.intervals import HOLDERS, SEEDS, SHAPES, SPECIES, SPREAD, Floats, Held

STUDIES, OF_ESTIMAND = 300, 2000
POPULATION = 200_000
LABELS = {"smith": "Smith’s S", "sutrop": "Sutrop’s index", "mean": "mean position"}
THINGS = 200  # so many that not all are told
THINGS_OF: Mapping[str, Floats] = {  # how likely a holder who knows as much as most tells of each
    "even": np.full(THINGS, 0.06),
    "skewed": 0.6 * np.arange(1, THINGS + 1) ** -0.8,
    "steep": 0.7 * np.exp(-np.arange(1, THINGS + 1) / 25) + 0.01,
}
Study = dict[str, Floats]  # estimates of a study by name; NaN where undefined
Bools = npt.NDArray[np.bool_]


def citations(likely: Floats, n: int, rng: np.random.Generator, knows: Floats | None = None) -> Bools:
    """Which of the things, told as likely as given, each of n informants tells of, shape (n, things)."""
    knows = knowledge(n, rng) if knows is None else knows
    return rng.random((n, len(likely))) < np.minimum(0.97, knows[:, None] * likely)


def knowledge(n: int, rng: np.random.Generator) -> Floats:
    """How much each informant knows, the mean being 1."""
    return np.minimum(rng.gamma(1 / SPREAD**2, SPREAD**2, n), 2.5)


def incidences_of(cited: Bools) -> Incidences:
    y = cited.sum(axis=0)
    columns = [(cited & (y == k if k else True)).sum(axis=1) for k in range(max(int(y.max(initial=0)), 3) + 1)]
    return Incidences(y[y > 0], len(cited), np.stack(columns, axis=1))


def _single(value: float | None) -> Floats:
    return np.array([np.nan if value is None else value], dtype=np.float64)


def _pair(ends: tuple[float, float] | None) -> tuple[Floats, Floats]:
    return (_single(None), _single(None)) if ends is None else (_single(ends[0]), _single(ends[1]))


def coverage_of_sampling(shape: str, n: int, *, studies: int = STUDIES, of_estimand: int = OF_ESTIMAND) -> Held:
    """The expected curve at four places, and coverage, whose estimand is the share of mentions of what was told in that study."""
    rng, likely = np.random.default_rng(SEEDS[shape, n] + 1), THINGS_OF[shape]
    at = np.array([n // 4, n // 2, 3 * n // 4, n]) - 1

    def estimates() -> Study:
        return {"curve": expected_curve(incidences_of(citations(likely, n, rng)))[at]}

    truth, held = _mean(estimates, of_estimand), Held()
    for _number in range(studies):
        cited = citations(likely, n, rng)
        found = incidences_of(cited)
        low, high = curve_ends(found)
        held.add("expected curve", low[at], high[at], truth["curve"])
        heard = _single(float(likely[cited.any(axis=0)].sum() / likely.sum()))
        held.add("coverage", *_pair(coverage_ends(found)), heard)
    return held


def _mean(estimates: Callable[[], Study], studies: int) -> Study:
    """The mean of every estimate over the studies in which it is defined."""
    drawn = [estimates() for _number in range(studies)]
    return {name: np.nanmean([one[name] for one in drawn], axis=0) for name in drawn[0]}


def coverage_of_groups(shape: str, n: int, *, studies: int = STUDIES, of_estimand: int = OF_ESTIMAND) -> Held:
    """R2 and F of two groups that know the species otherwise, H of what informants of three groups know, a group's median."""
    rng = np.random.default_rng(SEEDS[shape, n] + 2)
    order = np.where(rng.random(SPECIES) < 0.5, np.arange(SPECIES), rng.permutation(SPECIES))
    halves, thirds = np.arange(n) % 2, np.arange(n) % 3
    more = np.array([0.8, 1.0, 1.3])[thirds]

    def study() -> tuple[Bools, Floats]:
        cited = citations(SHAPES[shape], n, rng)
        cited[halves == 1] = cited[halves == 1][:, order]
        return cited, citations(SHAPES[shape], n, rng, knowledge(n, rng) * more).sum(axis=1).astype(np.float64)

    def estimates() -> Study:
        cited, known = study()
        test = permanova(cited, halves, drawn=1, most_exact=0)
        return {"R2": _single(test.r2), "F": _single(test.f), "H": _single(difference_between(known, thirds, drawn=1).value)}

    truth, held = _mean(estimates, of_estimand), Held()
    truth["median"] = _single(float(np.median(citations(SHAPES[shape], POPULATION, rng).sum(axis=1))))
    for _number in range(studies):
        cited, known = study()
        test = permanova(cited, halves, drawn=1, most_exact=0)
        held.add("R2", *_pair(test.r2_ends), truth["R2"])
        held.add("F", *_pair(test.f_ends), truth["F"])
        held.add("H", *_pair(difference_between(known, thirds, drawn=1).ends), truth["H"])
        held.add("median", *_pair(median_ends(citations(SHAPES[shape], n, rng).sum(axis=1))), truth["median"])
    return held


def coverage_of_correlations(shape: str, n: int, *, studies: int = STUDIES, of_estimand: int = OF_ESTIMAND) -> Held:
    """Spearman's correlation of how many species informants tell with their age, of which they know more."""
    rng = np.random.default_rng(SEEDS[shape, n] + 3)

    def study() -> tuple[Floats, Floats]:
        age = rng.integers(18, 85, n).astype(np.float64)
        cited = citations(SHAPES[shape], n, rng, knowledge(n, rng) * (0.5 + age / 100))
        return age, cited.sum(axis=1).astype(np.float64)

    truth, held = _mean(lambda: {"rho": _single(spearman(*study()))}, of_estimand), Held()
    for number in range(studies):
        held.add("correlation with age", *_pair(tie_of_ranks(*study(), drawn=1, seed=number).ends), truth["rho"])
    return held


def coverage_of_lists(shape: str, n: int, *, studies: int = STUDIES, of_estimand: int = OF_ESTIMAND) -> Held:
    """Salience, mean positions and category bias of n free lists that name the likelier items earlier."""
    rng = np.random.default_rng(SEEDS[shape, n] + 4)
    likely = SHAPES[shape]
    items = [f"item {at:02}" for at in range(SPECIES)]
    place = {item: at for at, item in enumerate(items)}
    category = {item: at % 3 == 0 for item, at in place.items()}

    def lists() -> list[list[str]]:
        named = citations(SHAPES[shape], n, rng)
        early = -np.log(rng.random((n, SPECIES))) / likely / np.where(np.arange(SPECIES) % 3 == 0, 1.5, 1.0)
        order = np.argsort(early, axis=1, kind="stable")
        return [[items[at] for at in row if there[at]] for row, there in zip(order, named, strict=True)]

    def estimates() -> Study:
        free = lists()
        found = salience(free)
        at = [place[item] for item in found.items]
        values = {"smith": found.smith_s(n), "sutrop": found.sutrop(n), "mean": found.mean_position}
        whole = {name: np.full(SPECIES, np.nan if name == "mean" else 0.0) for name in values}
        for name, value in values.items():
            whole[name][at] = value
        return {**whole, "bias": _single(mean_bias(free, category).value)}

    truth, held = _mean(estimates, of_estimand), Held()
    for number in range(studies):
        free = lists()
        drawn = draw(np.zeros(n, dtype=np.int64), 300, number)
        for name, ends in salience_ends(free, drawn).items():
            for item, (low, high) in ends.items():
                held.add(LABELS[name], np.array([low]), np.array([high]), truth[name][[place[item]]])
        held.add("category bias", *_pair(mean_bias(free, category).ends), truth["bias"])
    return held


PARTS = (coverage_of_sampling, coverage_of_groups, coverage_of_correlations, coverage_of_lists)


def main(say: Callable[[str], object] = print) -> None:
    """Print the table, a row an estimate, a column a shape and a number of informants."""
    columns, shares = [], dict[str, dict[str, float]]()
    for shape in SHAPES:
        for n in HOLDERS:
            columns.append(f"{shape}, {n}")
            for part in PARTS:
                for name, share in part(shape, n).shares().items():
                    shares.setdefault(name, {})[columns[-1]] = share
            print(columns[-1], "done", file=sys.stderr)
    say(f"| interval of, % held | {' | '.join(columns)} |")
    say(f"|---|{'---|' * len(columns)}")
    for name, row in shares.items():
        say(f"| {name} | {' | '.join(f'{100 * row[at]:.1f}' if at in row else '–' for at in columns)} |")


if __name__ == "__main__":
    main()
