"""The parts of the result document beside the indices: sampling, free lists, over-use, pairs of groups, uncertainty."""

from collections.abc import Collection, Sequence
from typing import Any

import numpy as np

from tender_ledger.core.consensus.model import Consensus
from tender_ledger.core.flora.overuse import FamilyUse
from tender_ledger.core.freelists.salience import Salience
from tender_ledger.core.groups.grouping import Pair
from tender_ledger.core.groups.permuting import Test
from tender_ledger.core.indices.reckoning import Reckoning
from tender_ledger.core.resampling.bootstrap import Bootstrap, Intervals
from tender_ledger.core.sampling.accumulation import coverage, coverage_curve, coverage_simple, expected_curve
from tender_ledger.core.sampling.incidence import Incidences
from tender_ledger.core.sampling.richness import (
    Estimate,
    chao2_bias_corrected,
    chao2_classic,
    chao2_without_factor,
    jackknife1,
    jackknife2,
)


def number(value: float) -> float | None:
    """A plain JSON number at full precision; None for a value that is undefined or endless."""
    return float(value) if np.isfinite(value) else None


def _numbers(values: Any) -> list[float | None]:
    return [number(value) for value in values]


def _interval(low: float, high: float) -> list[float] | None:
    return None if np.isnan(low) or np.isnan(high) else [float(low), float(high)]


def named_ends(ends: tuple[Any, Any], names: Sequence[str], among: Collection[str] | None = None) -> dict[str, list[float]]:
    """Both ends of an interval by name, where there is one; of the names `among` these alone."""
    return {name: [float(low), float(high)] for name, low, high in zip(names, *ends, strict=True)
            if not np.isnan(low) and (among is None or name in among)}  # fmt: skip


def sampling_part(found: Incidences) -> dict[str, Any]:
    """Accumulation, richness and coverage of taxa."""
    classic, corrected, first = chao2_classic(found), chao2_bias_corrected(found), jackknife1(found)
    return {
        "T": found.units, "S_obs": found.observed, "U": found.u, "Q1": found.q1, "Q2": found.q2,
        **_estimate("chao2_classic", classic), **_estimate("chao2_bias_corrected", corrected),
        "chao2_1987_no_factor": number(chao2_without_factor(found)),
        "jackknife1": number(first.value), "jackknife1_SE": number(first.error), "jackknife2": number(jackknife2(found)),
        "coverage": number(coverage(found)), "coverage_good_turing_simple": number(coverage_simple(found)),
        "coverage_curve": _numbers(coverage_curve(found)), "curve_MaoTau": _numbers(expected_curve(found)),
    }  # fmt: skip


def _estimate(key: str, found: Estimate) -> dict[str, Any]:
    interval = None if found.interval is None else list(found.interval)
    return {key: number(found.value), f"{key}_SE": number(found.error), f"{key}_CI95_log": interval}


def free_lists_part(found: Salience) -> dict[str, Any]:
    """Salience of every item, over all lists and over those with an item."""
    columns = {
        "frequency": found.frequency, "mean_position": found.mean_position,
        "smith_S_N_all": found.smith_s(found.n_all), "smith_S_N_lists": found.smith_s(found.n_lists),
        "sutrop_N_all": found.sutrop(found.n_all), "sutrop_N_lists": found.sutrop(found.n_lists),
    }  # fmt: skip
    items = {
        item: {key: int(column[at]) if key == "frequency" else number(column[at]) for key, column in columns.items()}
        for at, item in enumerate(found.items)
    }
    return {"N_all": found.n_all, "N_lists": found.n_lists, "items": items}


def overuse_part(found: FamilyUse) -> dict[str, Any]:
    """Every family of the flora by the four methods."""
    total_flora, total_used = found.totals
    families = {
        name: {
            "flora": int(found.flora[at]), "used": int(found.used[at]),
            "moerman_residual": number(found.residual[at]), "standardised_residual": number(found.standardised[at]),
            "binomial_lower": number(found.lower[at]), "binomial_upper": number(found.upper[at]),
            "binomial_two_sided_small_p": number(found.small_p[at]), "binomial_two_sided_doubled": number(found.doubled[at]),
            "binomial_holm": number(found.p_holm[at]), "binomial_bh": number(found.p_bh[at]),
            "beta_95": _interval(found.beta_low[at], found.beta_high[at]), "beta_call": found.beta_call[at],
            "imprecise_95": _interval(found.imprecise_low[at], found.imprecise_high[at]),
            "imprecise_call": found.imprecise_call[at],
        }
        for at, name in enumerate(found.families)
    }  # fmt: skip
    return {
        "families": families, "slope": number(found.slope), "intercept": number(found.intercept),
        "residual_SD": number(found.residual_sd), "total_flora": total_flora, "total_used": total_used,
        "beta_total_95": list(found.beta_total), "imprecise_total_95": list(found.imprecise_total),
        "used_families_not_in_flora": sorted(found.not_in_flora),
    }  # fmt: skip


def pair_part(pair: Pair) -> dict[str, Any]:
    """Two communities: likeness, and tests with p_exact where every relabelling was counted, else p with their number."""
    per, fit = pair.ur_per_informant, pair.permanova
    permanova = {"F": number(fit.f), "R2": number(fit.r2), "p_exact" if fit.exact else "p": number(fit.p),
                 "relabellings": fit.relabellings}  # fmt: skip
    return {
        "A": pair.a, "B": pair.b, "shared": pair.shared, "shared_with_same_category": pair.shared_with_same_category,
        "jaccard": number(pair.jaccard), "sorensen": number(pair.sorensen), "jaccard_citations": number(pair.jaccard_citations),
        "bray_curtis_CI": number(pair.bray_curtis_ci), "bray_curtis_UR": number(pair.bray_curtis_ur),
        "spearman_CI_shared": number(pair.spearman_shared), "spearman_CI_union": number(pair.spearman_union),
        "UR_per_informant_difference": number(per.difference),
        **{f"UR_per_informant_{key}": value for key, value in _p(per).items()},
        "permanova_jaccard_informants": permanova,
        "species_CI_permutation": {
            one.taxon: {"CI_difference": number(one.test.difference), **_p(one.test), "p_holm": number(one.p_holm),
                        "p_bh": number(one.p_bh)}
            for one in pair.taxa
        },
    }  # fmt: skip


def _p(test: Test) -> dict[str, Any]:
    kind = "p_exact" if test.exact else "p"
    return {kind: number(test.p), f"{kind}_doubled": number(test.p_doubled)}


def uncertainty_part(found: Bootstrap, r: Reckoning) -> dict[str, Any]:
    """Intervals of RFC, CI and UV of every told taxon, and of ICF of every told category: `interval95` is the one that is shown,
    `percentile95` that of the resamples."""
    names = {"CI": "ci", "RFC": "rfc", "UV_simple_use": "uv"}
    taxa = {
        r.taxa[at]: {
            key: _of_taxon(found.taxa[name], int(at)) | {"interval95": _interval(*(end[at] for end in found.shown.taxa[name]))}
            for key, name in names.items()
        }
        for at in np.flatnonzero(r.told)
    }
    icf = found.categories
    categories = {
        r.categories[at]: {
            "ICF": number(icf.estimate[at]),
            "interval95": _interval(*(end[at] for end in found.shown.categories["icf"])),
            "percentile95": _interval(icf.low[at], icf.high[at]),
            "mean_of_resamples": number(icf.mean[at]), "jackknife_SE": number(icf.jackknife_error[at]),
            "share_of_resamples_undefined": float(icf.undefined[at]), "method": found.method,
        }
        for at in np.flatnonzero(r.nt)
    }  # fmt: skip
    return {"taxa": taxa, "categories": categories}


def _of_taxon(found: Intervals, at: int) -> dict[str, Any]:
    return {"estimate": number(found.estimate[at]), "percentile95": _interval(found.low[at], found.high[at]),
            "bootstrap_SE": number(found.bootstrap_error[at]), "jackknife_SE": number(found.jackknife_error[at])}  # fmt: skip


def consensus_document(found: Consensus) -> dict[str, Any]:
    """A cultural consensus analysis; the key is absent where the fit fails, and `warnings` say why."""
    competence = found.competence
    return {
        "informants": len(found.answers.informants), "questions": len(found.answers.questions),
        "alternatives": found.answers.alternatives,
        "competence": dict(zip(found.answers.informants, competence.tolist(), strict=True)),
        "mean_competence": float(competence.mean()), "sd_competence": float(competence.std(ddof=1)),
        "negative_competences": found.negative, "eigenvalues": found.eigenvalues.tolist(),
        "eigenvalue_ratio": number(found.ratio), "fits_3_to_1": found.fits,
        "residual_sum_of_squares": found.squares,
        **({"answer_key": [{"answer": one.answer, "posterior": number(one.posterior), "posteriors": dict(one.posteriors),
                            "majority": one.majority} for one in found.key]} if found.fits else {}),
        "warnings": [{"code": "no_fit", "where": "answer_key", "message": reason} for reason in found.refused],
    }  # fmt: skip
