"""The result document: a reckoning as plain JSON values, undefined values as null with a warning that says why."""

from typing import Any

import numpy as np

from tender_ledger.core.analysis import Parts
from tender_ledger.core.indices.agreement import informant_consensus
from tender_ledger.core.indices.composite import cultural_value, relative_importance
from tender_ledger.core.indices.diversity import evenness, inverse_simpson
from tender_ledger.core.indices.families import family_values
from tender_ledger.core.indices.fidelity import fidelity_level, relative_popularity
from tender_ledger.core.indices.importance import over_own, share_of_informants
from tender_ledger.core.indices.informants import informant_counts
from tender_ledger.core.indices.reckoning import Reckoning
from tender_ledger.core.messages import StatisticalWarning
from tender_ledger.core.sampling.incidence import Incidences
from tender_ledger.core.tally.counting import Tally
from tender_ledger.formats.result_parts import (
    free_lists_part,
    number,
    overuse_part,
    pair_part,
    sampling_part,
    uncertainty_part,
)

_NONE = Parts()


def result_document(reckoning: Reckoning, parts: Parts = _NONE) -> dict[str, Any]:
    """The values under the key names of the format; a part that was not computed is absent."""
    tally = parts.tally
    communities: dict[str, Any] = {
        code: _community(part, parts.sampling_of.get(code)) for code, part in reckoning.by_community.items()
    }
    document: dict[str, Any] = {
        "totals": _totals(reckoning, tally),
        "taxa": _taxa(reckoning, tally),
        "categories": _categories(reckoning),
        "families": _families(reckoning),
        "communities": {"by_community": communities},
        "conventions": reckoning.rules.to_json(),
        "warnings": [vars(w) for w in (*reckoning.warnings, *undefined_values(reckoning, parts))],
    }
    if tally is not None:
        document["informants"] = _informants(tally)
    if parts.pairs:
        document["communities"]["pairs"] = {f"{pair.first} | {pair.second}": pair_part(pair) for pair in parts.pairs}
    if parts.sampling is not None:
        document["sampling"] = sampling_part(parts.sampling)
    if parts.salience is not None:
        document["free_lists"] = free_lists_part(parts.salience)
    if parts.overuse is not None:
        document["overuse"] = overuse_part(parts.overuse)
    if parts.uncertainty is not None:
        document["uncertainty"] = uncertainty_part(parts.uncertainty, reckoning)
    return document


def _totals(r: Reckoning, tally: Tally | None) -> dict[str, Any]:
    told = int(r.told.sum())
    diversity = float(inverse_simpson(r.ur))
    found: dict[str, Any] = {
        "N": r.n,
        "NC": r.nc,
        "UR": _plain(r.ur.sum()),
        "UR_use": int(r.counts.ur_use.sum()),
        "UR_event_category": int(r.counts.event_citations.sum()),
        "UR_event_use": int(r.counts.event_uses.sum()),
        "SD_total": number(diversity),
        "SE_total": number(diversity / told if told else np.nan),
        "informants_reporting": r.reporting,
        "rows_with_a_use": r.rows,
        "taxa": told,
    }
    return found if tally is None else {**found, "UR_use_part": len(tally.use_parts())}


def _plain(value: Any) -> int | float:
    """A count as a whole number, and as it is only where mixtures are shared."""
    return int(value) if float(value).is_integer() else float(value)


def _taxa(r: Reckoning, tally: Tally | None) -> dict[str, Any]:
    columns, by_category = _columns_of_taxa(r, tally), r.counts.ur_by_category
    found = {}
    for at in np.flatnonzero(r.told):
        told = np.flatnonzero(r.ur_by_category[at])
        values = {key: number(column[at]) if column.dtype.kind == "f" else int(column[at]) for key, column in columns.items()}
        found[r.taxa[at]] = {
            "family": r.family[at],
            "UR": _plain(r.ur[at]),
            "UR_by_category": {r.categories[c]: _plain(r.ur_by_category[at, c]) for c in told},
            "CI_components": {r.categories[c]: number(r.ci_components[at, c]) for c in told},
            "FL_category_all": {r.categories[c]: number(r.fl_by_category[at, c]) for c in np.flatnonzero(r.fl_by_category[at])},
            "FL_category_purpose": min(r.categories[c] for c in np.flatnonzero(by_category[at] == by_category[at].max())),
            **({"FL_use_purpose": _use(tally, int(r.counts.main_use[at]))} if tally is not None else {}),
            **values,
        }
    return found


def _use(tally: Tally, use: int) -> str:
    uses = tally.table.uses
    return f"{tally.table.categories[uses.category[use]]}/{uses.labels[use]}"


def _columns_of_taxa(r: Reckoning, tally: Tally | None) -> dict[str, Any]:
    counts, fc, n = r.counts, r.fc, r.n
    popularity = relative_popularity(counts.nu_use, fc, r.rpl_threshold)
    over_max = fc / max(int(fc.max(initial=0)), 1)
    fl_category = fidelity_level(counts.ur_by_category.max(axis=1, initial=0), fc)
    fl_use = fidelity_level(counts.main_use_informants, fc)
    ud, diversity = r.ud, r.id
    columns = {
        "UR_use": counts.ur_use,
        "UR_event_category": counts.event_citations,
        "UR_event_use": counts.event_uses,
        "FC": fc,
        "NU_category": counts.nu_category,
        "NU_use": counts.nu_use,
        "n_asked": counts.n_asked,
        "RFC": r.rfc,
        "CI": r.ci,
        "UV_simple_use": r.uv_all,
        "UV_simple_category": share_of_informants(counts.ur, n),
        "UV_simple_use_over_FC": r.uv_told,
        "UV_PG_use_ns": r.uv_asked,
        "UV_PG_use_N": share_of_informants(counts.mean_uses_asked, n),
        "UV_PG_category_ns": over_own(counts.mean_categories_asked, counts.n_asked),
        "UV_PG_category_N": share_of_informants(counts.mean_categories_asked, n),
        "CV_category": cultural_value(counts.nu_category, r.nc, fc, n, r.ur),
        "CV_use": cultural_value(counts.nu_use, r.uses_told, fc, n, r.uv_all * n),
        "RI_pardo_category": relative_importance(fc, counts.nu_category),
        "RI_pardo_use": relative_importance(fc, counts.nu_use),
        "RI_bennett_prance_0_2": r.ri_properties,
        "RI_bennett_prance_0_100": r.ri_properties * 50,
        "FL_category": fl_category,
        "FL_use": fl_use,
        "RPL_breakpoint": popularity.rpl,
        "RPL_over_max": over_max,
        "ROP_category_breakpoint": fl_category * popularity.rpl,
        "ROP_use_breakpoint": fl_use * popularity.rpl,
        "ROP_category_over_max": fl_category * over_max,
        "UD": ud,
        "UE_over_NU": evenness(ud, counts.nu_category),
        "UE_over_NC": ud / r.nc if r.nc else ud,
        "ID": diversity,
        "IE_over_FC": evenness(diversity, fc),
        "IE_over_N": share_of_informants(diversity, n),
        "use_consensus": r.uc,
        "RPL_threshold": np.full(len(fc), popularity.threshold),
    }
    if tally is not None:
        columns["UR_use_part"] = np.bincount(tally.use_parts().taxon, minlength=len(fc))
    return columns


def _categories(r: Reckoning) -> dict[str, Any]:
    counts, total = r.category_counts, float(r.ur.sum())
    sd = r.sd
    with np.errstate(invalid="ignore", divide="ignore"):
        columns = {
            "Nur": r.nur,
            "Nt": r.nt,
            "ICF": r.icf,
            "ICF_all_N_variant": (r.nur - r.nt) / r.nur,
            "Nur_use": counts.nur_use,
            "ICF_use": informant_consensus(counts.nur_use, r.nt),
            "Nur_event": counts.nur_event,
            "ICF_event": informant_consensus(counts.nur_event, r.nt),
            "SD": sd,
            "SE": sd / r.nt,
            "informants": counts.informants,
            "share_of_UR": r.ur_by_category.sum(axis=0) / total,
        }
    return {
        r.categories[at]: {
            key: number(column[at]) if column.dtype.kind == "f" else int(column[at]) for key, column in columns.items()
        }
        for at in np.flatnonzero(r.nt)
    }


def _families(r: Reckoning) -> dict[str, Any]:
    found = family_values(r)
    return {
        name: {"taxa": int(found.taxa[at]), "UR": _plain(found.ur[at]), "CI_sum": number(found.ci_sum[at]),
               "FUV_simple_use": number(found.fuv_all[at]), "FUV_PG_use_ns": number(found.fuv_asked[at])}
        for at, name in enumerate(found.names)
    }  # fmt: skip


def _informants(tally: Tally) -> dict[str, Any]:
    """Everybody counted, by code; the table's own file, never a published one."""
    counts, people = informant_counts(tally), tally.table.informants
    sd, se = counts.sd, counts.se
    return {
        people.codes[at]: {
            "community": people.communities[people.community[at]] if people.community[at] >= 0 else "",
            "UR": _plain(counts.ur[at]), "UR_use": int(counts.uses[at]), "taxa": int(counts.taxa[at]),
            "categories": int(counts.categories[at]), "events": int(counts.events[at]),
            "SD": number(sd[at]), "SE": number(se[at]),
        }
        for at in np.flatnonzero(tally.counted)
    }  # fmt: skip


def _community(r: Reckoning, found: Incidences | None) -> dict[str, Any]:
    kept = ("UR", "FC", "NU_category", "RFC", "CI", "UV_simple_use")
    taxa = {name: {key: values[key] for key in kept} for name, values in _taxa(r, None).items()}
    part = {"N": r.n, "taxa": taxa, "categories": _categories(r)}
    return part if found is None else {**part, "sampling": sampling_part(found)}


def undefined_values(r: Reckoning, parts: Parts = _NONE) -> list[StatisticalWarning]:
    """One warning for each value that is null, with the reason."""
    reasons = ((r.categories[at], r.why_no_icf(int(at))) for at in np.flatnonzero(r.nt))
    told = [StatisticalWarning("undefined", f"categories.{name}.ICF", reason) for name, reason in reasons if reason]
    if r.why_no_share():
        told.append(StatisticalWarning("undefined", "taxa", r.why_no_share()))
    if r.why_no_uv_asked():
        told.append(StatisticalWarning("no_askings", "taxa.UV_PG_use_ns", r.why_no_uv_asked()))
    if r.told.any() and r.why_no_threshold():
        told.append(StatisticalWarning("undefined", "taxa.RPL_breakpoint", r.why_no_threshold()))
    if r.told.any() and r.popularity.no_plateau:
        told.append(
            StatisticalWarning("no_plateau", "taxa.RPL_breakpoint", "The number of uses does not level off: T is the highest FC.")
        )
    if parts.sampling is not None and parts.sampling.units == 1:
        told.append(StatisticalWarning("one_informant", "sampling", "One informant says nothing about how many more it takes."))
    if parts.sampling is not None and parts.sampling.observed and not parts.sampling.q2:
        told.append(
            StatisticalWarning(
                "undefined", "sampling.chao2_classic", "No taxon was told by exactly two: see the bias-corrected form."
            )
        )
    if parts.overuse is not None and parts.overuse.not_in_flora:
        named = ", ".join(name or "(no family)" for name in parts.overuse.not_in_flora)
        told.append(
            StatisticalWarning("not_in_flora", "overuse", f"Families that were told and that the flora has not: {named}.")
        )
    undefined = [(f"communities.pairs.{one.first} | {one.second}.permanova", one.permanova.why) for one in parts.pairs]
    return [*told, *(StatisticalWarning("undefined", where, why) for where, why in undefined if why)]
