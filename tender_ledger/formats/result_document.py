"""The result document: a reckoning as plain JSON values, undefined values as null with a warning that says why."""

from typing import Any

import numpy as np

from tender_ledger.core.indices.agreement import informant_consensus
from tender_ledger.core.indices.reckoning import Reckoning
from tender_ledger.core.messages import StatisticalWarning


def result_document(reckoning: Reckoning) -> dict[str, Any]:
    """The values of this version under the key names of the format; parts of later versions are absent."""
    communities = {code: _community(part) for code, part in reckoning.by_community.items()}
    return {
        "totals": _totals(reckoning),
        "taxa": _taxa(reckoning),
        "categories": _categories(reckoning),
        "communities": {"by_community": communities},
        "conventions": reckoning.rules.to_json(),
        "warnings": [vars(w) for w in (*reckoning.warnings, *undefined_values(reckoning))],
    }


def _totals(r: Reckoning) -> dict[str, Any]:
    return {
        "N": r.n,
        "NC": r.nc,
        "UR": int(r.ur.sum()),
        "UR_use": int(r.counts.ur_use.sum()),
        "informants_reporting": r.reporting,
        "rows_with_a_use": r.rows,
        "taxa": int(r.told.sum()),
    }


def _taxa(r: Reckoning) -> dict[str, Any]:
    return {r.taxa[at]: _taxon(r, int(at)) for at in np.flatnonzero(r.told)}


def _taxon(r: Reckoning, at: int) -> dict[str, Any]:
    told = np.flatnonzero(r.ur_by_category[at])
    return {
        "family": r.family[at],
        "UR": int(r.ur[at]),
        "UR_by_category": {r.categories[c]: int(r.ur_by_category[at, c]) for c in told},
        "UR_use": int(r.counts.ur_use[at]),
        "FC": int(r.fc[at]),
        "NU_category": int(r.counts.nu_category[at]),
        "NU_use": int(r.counts.nu_use[at]),
        "RFC": number(r.rfc[at]),
        "CI": number(r.ci[at]),
        "CI_components": {r.categories[c]: number(r.ci_components[at, c]) for c in told},
        "UV_simple_use": number(r.uv_all[at]),
        "UV_simple_category": number(r.counts.ur[at] / r.n if r.n else np.nan),
        "UV_PG_use_ns": number(r.uv_asked[at]),
        "n_asked": int(r.counts.n_asked[at]),
    }


def _categories(r: Reckoning) -> dict[str, Any]:
    return {r.categories[at]: _category(r, int(at)) for at in np.flatnonzero(r.nt)}


def _category(r: Reckoning, at: int) -> dict[str, Any]:
    nur_use, nt = r.category_counts.nur_use[at], r.nt[at]
    return {
        "Nur": int(r.nur[at]),
        "Nt": int(nt),
        "ICF": number(r.icf[at]),
        "Nur_use": int(nur_use),
        "ICF_use": number(float(informant_consensus(nur_use, nt))),
    }


def _community(r: Reckoning) -> dict[str, Any]:
    kept = ("UR", "FC", "NU_category", "RFC", "CI", "UV_simple_use")
    taxa = {name: {key: values[key] for key in kept} for name, values in _taxa(r).items()}
    return {"N": r.n, "taxa": taxa, "categories": _categories(r)}


def undefined_values(r: Reckoning) -> list[StatisticalWarning]:
    """One warning for each value that is null, with the reason."""
    reasons = ((r.categories[at], r.why_no_icf(int(at))) for at in np.flatnonzero(r.nt))
    told = [StatisticalWarning("undefined", f"categories.{name}.ICF", reason) for name, reason in reasons if reason]
    if r.why_no_share():
        told.append(StatisticalWarning("undefined", "taxa", r.why_no_share()))
    if r.why_no_uv_asked():
        told.append(StatisticalWarning("no_askings", "taxa.UV_PG_use_ns", r.why_no_uv_asked()))
    return told


def number(value: float) -> float | None:
    """A plain JSON number at full precision; None for an undefined value."""
    return None if np.isnan(value) else float(value)
