"""Indices of use categories and of families."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from flask import url_for

from tender_ledger.core.indices.families import family_values
from tender_ledger.core.indices.working import working_of_category
from tender_ledger.formats.tables import Column, Table
from tender_ledger.web.reckoning.asked import carried
from tender_ledger.web.reckoning.contents import Apart, Block, Link, Row
from tender_ledger.web.reckoning.views.indices.counted import Counted
from tender_ledger.web.reckoning.views.intervals import ends_of
from tender_ledger.web.shared.words import gettext as _


def agreement(counted: Counted) -> Block:
    """Nur, Nt and ICF of every category, the plants that make or break it, and how evenly its reports spread over plants."""
    r, counts = counted.r, counted.r.category_counts
    audience, group = counted.audience, counted.group
    there = [int(at) for at in np.flatnonzero(r.nt > 0) if audience.sees_category(r.categories[at], group)]
    found = (counted.sure or {"categories": {}})["categories"]
    rows: list[dict[str, Any]] = []
    for at in sorted(there, key=lambda at: (-r.nur[at], r.categories[at])):
        code = r.categories[at]
        ends = {key: end for name in ("sd", "se")
                for key, end in ends_of(name, counted.ends("categories", name, code)).items()}  # fmt: skip
        rows.append({
            "category": counted.labels.get(code, code), "code": code, "nur": int(r.nur[at]), "nt": int(r.nt[at]),
            "icf": float(r.icf[at]), "icf_low": found.get(code, {}).get("low"), "icf_high": found.get(code, {}).get("high"),
            "informants": int(counts.informants[at]), "sd": float(r.sd[at]), "se": float(r.sd[at] / r.nt[at]), **ends,
            **_make_or_break(counted, code),
        })  # fmt: skip
    columns = [
        Column("category", _("use category"), "text"),
        Column("nur", "Nur", "count"),
        Column("nt", "Nt", "count"),
        Column("icf", "ICF", ends=True),
        Column("informants", _("told by"), "count", explains="toldby"),
        Column("sd", "SD", ends=True),
        Column("se", "SE", ends=True),
        Column("makes", _("plants that make it"), "text"),
        Column("breaks", _("plants that break it"), "text"),
    ]

    def sd(row: Row) -> Apart:
        return Apart({}, _shares(counted, row["code"]), [("SE", row["se"]), ("ICF", row["icf"])],
                     counted.ends("categories", "sd", row["code"]))  # fmt: skip

    def se(row: Row) -> Apart:
        return Apart({"SD": f"{row['sd']:.3f}", "Nt": row["nt"]}, (), [("SD", row["sd"]), ("ICF", row["icf"])],
                     counted.ends("categories", "se", row["code"]))  # fmt: skip

    return Block(
        "agreement",
        _("Agreement by use category"),
        table=Table("agreement", _("Informant consensus"), columns, rows, subject="category"),
        apart={"sd": sd, "se": se},
        behind=counted.behind,
    )


def _shares(counted: Counted, code: str) -> list[Link]:
    """The taxa told for a category with their shares of its reports."""
    own = np.asarray(counted.r.ur_by_category[:, counted.r.categories.index(code)], dtype=np.float64)
    return [Link(taxon := counted.r.taxa[at], f"{own[at]:g} / {own.sum():g} = {own[at] / own.sum():.3f}",
                 url_for("reckoning.show", margin=f"ur:{taxon}", **carried()), is_taxon=True)
            for at in np.argsort(-own, kind="stable") if own[at]]  # fmt: skip


def _make_or_break(counted: Counted, code: str) -> Mapping[str, str]:
    working = working_of_category(counted.r, code, "icf")
    sides = {"makes": working.makes, "breaks": working.breaks} if working else {}
    sees = counted.audience.sees_use
    return {
        side: ", ".join(taxon for taxon, _value in told if sees(taxon, code, counted.group)) or "–"
        for side, told in sides.items()
    }


def families(counted: Counted) -> Block:
    """The family use values, over everybody and over those asked."""
    r = counted.r
    found = family_values(r)
    audience, group = counted.audience, counted.group
    all_asked = {
        name: all(audience.sees_asked(taxon, group) for taxon, family in zip(r.taxa, r.family, strict=True) if family == name)
        for name in found.names
    }
    asked = found.fuv_asked if r.askings_recorded else np.full(len(found.names), np.nan)
    rows: list[dict[str, Any]] = [
        {"family": name, "taxa": int(found.taxa[at]), "ur": float(found.ur[at]), "fuv": float(found.fuv_all[at]),
         "fuva": float(asked[at]) if all_asked[name] else None, "ci": float(found.ci_sum[at]),
         **ends_of("fuv", counted.ends("families", "fuv", name))}
        for at, name in enumerate(found.names) if audience.sees_family(name, group)
    ]  # fmt: skip
    rows.sort(key=lambda row: (-row["fuv"], row["family"]))
    columns = [
        Column("family", _("family"), "text"),
        Column("taxa", _("cited species"), "count", explains="cited"),
        Column("ur", "UR", "count", explains="familyur"),
        Column("fuv", _("FUV (all)"), ends=True),
        Column("fuva", _("FUV (asked)")),
    ]

    def of_species(values: Any, row: Row) -> list[Link]:
        mine = [at for at in np.flatnonzero(r.told) if r.family[at] == row["family"]]
        return [Link(r.taxa[at], f"{values[at]:.3f}".removesuffix(".000"),
                     url_for("reckoning.show", margin=f"uv:{r.taxa[at]}", **carried()), is_taxon=True)
                for at in sorted(mine, key=lambda at: (-values[at], r.taxa[at]))]  # fmt: skip

    def fuv(row: Row) -> Apart:
        others = [(_("FUV (asked)"), row["fuva"]), (_("sum of CI"), row["ci"])]
        return Apart({"n": row["taxa"], "sum_s": f"{row['fuv'] * row['taxa']:.3f}"}, of_species(r.uv_all, row), others,
                     counted.ends("families", "fuv", row["family"]))  # fmt: skip

    def fuva(row: Row) -> Apart:
        others = [(_("FUV (all)"), row["fuv"]), (_("sum of CI"), row["ci"])]
        put = {"n": row["taxa"], "sum_s": f"{row['fuva'] * row['taxa']:.3f}"}
        return Apart(put, of_species(r.uv_asked, row), others)

    return Block(
        "families",
        _("Families"),
        table=Table("families", _("Family use values"), columns, rows, subject="family"),
        apart={"fuv": fuv, "fuva": fuva, "familyur": lambda row: Apart({}, of_species(r.ur, row)),
               "cited": lambda row: Apart({}, of_species(r.ur, row))},
        behind=counted.behind,
    )  # fmt: skip
