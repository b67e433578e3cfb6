"""The computations against general-purpose reference libraries, each named with the version the figures were checked with.

scipy 1.17.1 (rank correlation, distances, binomial and beta), scikit-bio 0.7.4 (PERMANOVA, PCoA, inverse Simpson, Chao2),
statsmodels 0.15.0 (regression residuals, adjusted p). Data are drawn from seeded generators.
"""

import math

import numpy as np
import pytest
import scipy.optimize
import scipy.stats
import skbio
import statsmodels.api
from scipy.cluster.hierarchy import linkage
from scipy.spatial.distance import braycurtis, jaccard, squareform
from skbio.diversity.alpha import chao1, inv_simpson
from statsmodels.stats.multitest import multipletests

from tender_ledger.core.consensus.model import answers_of, consensus, keyed_answers, minres
from tender_ledger.core.flora.overuse import beta_bounds, binomial_tails, family_use, imprecise_bounds, regression
from tender_ledger.core.groups import likeness
from tender_ledger.core.groups.ordination import average_tree, principal_coordinates
from tender_ledger.core.groups.permanova import jaccard_distances, permanova
from tender_ledger.core.groups.permuting import benjamini_hochberg, difference_of_means, holm
from tender_ledger.core.indices.diversity import inverse_simpson
from tender_ledger.core.resampling.means import PerInformant, exact_ends
from tender_ledger.core.sampling.incidence import Incidences
from tender_ledger.core.sampling.richness import chao2_bias_corrected, chao2_without_factor

SEEDS = range(8)


@pytest.mark.parametrize("seed", SEEDS)
def test_rank_correlation_with_ties(seed: int):
    x, y = np.random.default_rng(seed).integers(0, 5, (2, 12)) / 7
    assert likeness.spearman(x, y) == pytest.approx(scipy.stats.spearmanr(x, y).statistic, abs=1e-12)
    np.testing.assert_array_equal(likeness.midranks(x), scipy.stats.rankdata(x))


@pytest.mark.parametrize("seed", SEEDS)
def test_likeness_of_two_groups(seed: int):
    rng = np.random.default_rng(seed)
    x, y = rng.integers(0, 4, (2, 20))
    assert likeness.bray_curtis(x, y) == pytest.approx(braycurtis(x, y), abs=1e-12)
    assert likeness.jaccard(x > 0, y > 0) == pytest.approx(1 - jaccard(x > 0, y > 0), abs=1e-12)
    j = likeness.jaccard(x > 0, y > 0)
    assert likeness.sorensen(x > 0, y > 0) == pytest.approx(2 * j / (1 + j), abs=1e-12)


def told(seed: int, n: int = 12, taxa: int = 9) -> np.ndarray:
    matrix = np.random.default_rng(seed).random((n, taxa)) < 0.4
    matrix[:, 0] = True
    return matrix


@pytest.mark.parametrize("seed", SEEDS)
def test_permanova(seed: int):
    matrix, groups = told(seed), np.array([0] * 5 + [1] * 4 + [2] * 3)
    found = permanova(matrix, groups, drawn=1999, seed=seed)
    distances = jaccard_distances(matrix)
    theirs = skbio.stats.distance.permanova(skbio.DistanceMatrix(distances), [str(one) for one in groups], permutations=1999)
    assert found.f == pytest.approx(theirs["test statistic"], rel=1e-10)
    assert found.p == pytest.approx(theirs["p-value"], abs=0.05)
    for one in range(3):
        assert distances[one, one + 4] == pytest.approx(jaccard(matrix[one], matrix[one + 4]), abs=1e-12)


@pytest.mark.parametrize("seed", SEEDS)
def test_principal_coordinates_and_the_tree(seed: int):
    distances = jaccard_distances(told(seed))
    found = principal_coordinates(distances, axes=2)
    theirs = skbio.stats.ordination.pcoa(skbio.DistanceMatrix(distances), method="eigh", dimensions=2)
    np.testing.assert_allclose(np.abs(found.points), np.abs(theirs.samples.to_numpy()[:, :2]), atol=1e-8)
    heights = sorted(height for _a, _b, height, _size in average_tree(distances).merges)
    np.testing.assert_allclose(heights, sorted(linkage(squareform(distances, checks=False), "average")[:, 2]), atol=1e-12)


@pytest.mark.parametrize("seed", SEEDS)
def test_diversity_and_richness(seed: int):
    rng = np.random.default_rng(seed)
    counts = rng.integers(1, 9, 10)
    assert float(inverse_simpson(counts)) == pytest.approx(inv_simpson(counts), rel=1e-12)
    y = rng.integers(1, 5, 15)
    found = Incidences(y, 40, np.zeros((40, 4), dtype=int))
    if found.q2:
        assert chao2_without_factor(found) == pytest.approx(chao1(y, bias_corrected=False), rel=1e-12)
    a = 39 / 40
    expected = found.observed + a * (chao1(y, bias_corrected=True) - found.observed)
    assert chao2_bias_corrected(found).value == pytest.approx(expected, rel=1e-12)


@pytest.mark.parametrize(("x", "n", "used", "total"), [(0, 60, 6, 153), (2, 20, 6, 153), (5, 9, 40, 300), (9, 9, 100, 200)])
def test_binomial_tails_and_beta_bounds(x: int, n: int, used: int, total: int):
    lower, upper, small = binomial_tails(x, n, used, total)
    p = used / total
    assert lower == pytest.approx(scipy.stats.binom.cdf(x, n, p), rel=1e-10)
    assert upper == pytest.approx(scipy.stats.binom.sf(x - 1, n, p), rel=1e-10)
    assert small == pytest.approx(scipy.stats.binomtest(x, n, p).pvalue, rel=1e-10)
    low, high = (float(end[0]) for end in beta_bounds(np.array([x + 1]), np.array([n - x + 1])))
    assert (low, high) == pytest.approx(scipy.stats.beta.ppf([0.025, 0.975], x + 1, n - x + 1), rel=1e-10)
    # the beta quantile by its tie to the binomial, in whole numbers: P(Beta(x+1, n-x+1) <= q) = P(Bin(n+1, q) >= x+1)
    assert sum(math.comb(n + 1, k) * low**k * (1 - low) ** (n + 1 - k) for k in range(x + 1, n + 2)) == pytest.approx(0.025)
    bounds = [float(end[0]) for end in imprecise_bounds(np.array([x]), np.array([n]))]
    assert bounds[0] == pytest.approx(scipy.stats.beta.ppf(0.025, x, n - x + 4) if x else 0.0)
    assert bounds[1] == pytest.approx(scipy.stats.beta.ppf(0.975, x + 4, n - x) if x < n else 1.0)


@pytest.mark.parametrize("seed", SEEDS)
def test_regression_residuals(seed: int):
    rng = np.random.default_rng(seed)
    n = rng.integers(3, 60, 9)
    x = rng.binomial(n, 0.2)
    slope, intercept, sd, residual, standardised = regression(n, x)
    theirs = statsmodels.api.OLS(x, statsmodels.api.add_constant(n)).fit()
    assert (intercept, slope) == pytest.approx(tuple(theirs.params), rel=1e-9)
    assert sd == pytest.approx(math.sqrt(theirs.mse_resid), rel=1e-9)
    np.testing.assert_allclose(residual, theirs.resid, atol=1e-9)
    np.testing.assert_allclose(standardised, theirs.get_influence().resid_studentized_internal, atol=1e-9)
    found = family_use({f"F{at}": int(one) for at, one in enumerate(n)}, {f"F{at}": int(one) for at, one in enumerate(x)})
    np.testing.assert_allclose(found.residual, theirs.resid, atol=1e-9)


@pytest.mark.parametrize("seed", SEEDS)
def test_adjusted_p(seed: int):
    p = np.round(np.random.default_rng(seed).random(11), 2)
    np.testing.assert_allclose(holm(p), multipletests(p, method="holm")[1], atol=1e-12)
    np.testing.assert_allclose(benjamini_hochberg(p), multipletests(p, method="fdr_bh")[1], atol=1e-12)
    assert np.isnan(holm(np.array([0.2, math.nan]))[1])
    assert holm(np.array([0.2, math.nan]))[0] == 0.2


@pytest.mark.parametrize("seed", SEEDS)
@pytest.mark.parametrize("size", [3, 5, 7])
def test_all_relabellings_are_counted(seed: int, size: int):
    rng = np.random.default_rng(seed)
    values = rng.integers(0, 6, 10) * (rng.random(10) < 0.7)
    first = np.arange(10) < size
    found = difference_of_means(values, first)
    theirs = scipy.stats.permutation_test(
        (values[first], values[~first]), lambda x, y: np.mean(x) - np.mean(y), n_resamples=np.inf)  # fmt: skip
    assert found.exact
    assert found.relabellings == math.comb(10, size)
    assert found.difference == pytest.approx(theirs.statistic)
    assert found.p_doubled == pytest.approx(theirs.pvalue, abs=1e-12)  # scipy doubles the smaller tail
    drawn = difference_of_means(values + 0.5, first, seed=seed)  # no whole numbers, so relabellings are drawn
    assert not drawn.exact
    assert drawn.p == pytest.approx(found.p, abs=0.02)


def test_the_share_of_citing_informants_is_binomial():
    # RFC* is exactly Binomial(N, RFC) / N: its ends are the binomial's quantiles.
    for n, fc in ((8, 6), (40, 3), (121, 60)):
        values = PerInformant(np.zeros(fc, dtype=int), np.arange(fc), np.ones(fc, dtype=int), 1, n)
        low, high = exact_ends(values, np.zeros(n, dtype=int))
        assert (low[0] * n, high[0] * n) == pytest.approx(tuple(scipy.stats.binom.ppf([0.025, 0.975], n, fc / n)))


def test_competences_are_least_squares():
    # Hand-worked: M* .63, .56, .72 give .7, .9, .8. Else no other D has a smaller sum of squares (scipy's least_squares).
    matches = np.array([[9, 0.63, 0.56], [0.63, 9, 0.72], [0.56, 0.72, 9]])
    np.testing.assert_allclose(minres(matches), [0.7, 0.9, 0.8], atol=1e-10)
    rng = np.random.default_rng(4)
    d = rng.random(9) * 0.8 + 0.1
    noisy = np.outer(d, d) + rng.normal(0, 0.05, (9, 9))
    noisy = (noisy + noisy.T) / 2
    above = np.triu_indices(9, 1)
    best = scipy.optimize.least_squares(lambda one: noisy[above] - np.outer(one, one)[above], np.full(9, 0.5), xtol=1e-15,
                                        ftol=1e-15, gtol=1e-15)  # fmt: skip
    np.testing.assert_allclose(minres(noisy), best.x, atol=1e-6)


def test_two_cultures_are_refused_and_not_averaged():
    one, other = "ABABABABABABABAB", "BABABABABABABABA"
    rng = np.random.default_rng(1)
    given = [[key if rng.random() < 0.95 else "AB"[at % 2] for at, key in enumerate(one)] for _ in range(5)]
    given += [[key if rng.random() < 0.95 else "AB"[at % 2] for at, key in enumerate(other)] for _ in range(5)]
    found = consensus(answers_of([f"I{at}" for at in range(10)], [f"q{at}" for at in range(16)], given, 2))
    assert not found.fits
    assert found.key == ()
    assert any("answer against" in reason or "two cultures" in reason for reason in found.refused)


def test_the_key_by_hand():
    # D .7, .9, .8 answer yes, no, yes with L = 2: .85 * .05 * .90 = .03825 against .15 * .95 * .10 = .01425: P(yes) = .7286.
    answers = answers_of(["A", "B", "C"], ["q"], [["yes"], ["no"], ["yes"]], 2)
    key = keyed_answers(answers, np.array([0.7, 0.9, 0.8]))[0]
    assert (key.answer, key.majority) == ("yes", "yes")
    assert key.posterior == pytest.approx(0.03825 / (0.03825 + 0.01425))
