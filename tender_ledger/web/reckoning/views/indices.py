"""Every index of species, categories and families as tables that can be taken out, with the numbers behind each."""

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np
from flask import g, request, url_for

from tender_ledger.core.indices.families import family_values
from tender_ledger.core.indices.fidelity import popularity_line
from tender_ledger.core.indices.reckoning import Reckoning
from tender_ledger.core.indices.working import working_of_category
from tender_ledger.core.publication import MINIMUM_HOLDERS
from tender_ledger.core.terms import Purpose
from tender_ledger.figures.plots import Point, leveling_off
from tender_ledger.formats.tables import Column, Table
from tender_ledger.operations import analyses
from tender_ledger.operations.reckoned import cultural_significance
from tender_ledger.operations.reckoning import reckon_study
from tender_ledger.web.reckoning.asked import Asked, categories
from tender_ledger.web.reckoning.contents import Block, Content, Names
from tender_ledger.web.shared.words import gettext as _
from tender_ledger.web.shared.words import ngettext

Row = Mapping[str, Any]


def indices(one: Asked, purpose: Purpose, _names: Names) -> Content:
    """All indices of a community, or of the study, with intervals where they are computed."""
    heading = _("All indices")
    reckoned = reckon_study(g.scope, one.rules, purpose=purpose)
    if one.group and one.group not in reckoned.n_of:
        return Content(heading, "", empty=_("Nobody of this community is counted."))
    r = reckoned.result.by_community[one.group] if one.group else reckoned.result
    r = replace(r, rpl_threshold=_threshold())
    lede = _("N = %(n)s, NC = %(nc)s. A dash is undefined; open a number for its formula and the counts put in.", n=r.n, nc=r.nc)
    if not r.told.any():
        return Content(heading, lede, empty=_("Nothing counts under these rules yet."))
    sure = analyses.uncertainty(g.scope, one.rules, group=one.group, purpose=purpose, again="again" in request.args)
    least = MINIMUM_HOLDERS if purpose is Purpose.PUBLISHED else 1
    taxa = [int(at) for at in np.flatnonzero(r.told & (r.fc >= least))]
    taxa.sort(key=lambda at: (-r.ci[at], r.taxa[at]))
    known = {code: choice.label for code, choice in categories().items()}
    blocks = [
        _importance(r, taxa, sure.body),
        _composite(r, taxa, sure.body),
        _fidelity(r, taxa, known, sure.body),
        _spread(r, taxa, sure.body),
        _agreement(r, least, sure.body, known),
        _families(r),
    ]
    return Content(heading, lede, blocks, waits=sure if sure.body is None else None, seed=analyses.SEED, n=r.n)


def _threshold() -> int:
    text = request.args.get("t", "")
    return int(text) if text.isascii() and text.isdigit() and 0 < int(text) < 10**6 else 0


def _rows(taxa: list[int], r: Reckoning, columns: Mapping[str, Any]) -> list[dict[str, Any]]:
    return [{"taxon": r.taxa[at], **{key: float(column[at]) for key, column in columns.items()}} for at in taxa]


def _ends(rows: list[dict[str, Any]], sure: Mapping[str, Any] | None, names: tuple[str, ...]) -> list[dict[str, Any]]:
    """The rows with the ends of the intervals, as one text each: “0.12–0.34”, or a dash where there is none."""
    found = (sure or {}).get("further", {})
    for row in rows:
        for name in names:
            low, high = found.get(name, {}).get(row["taxon"], (None, None))
            places = 1 if name == "fl" else 2
            row[f"{name}_ends"] = "–" if low is None else f"{low:.{places}f} to {high:.{places}f}".replace("-", "−")
    return rows


def _importance(r: Reckoning, taxa: list[int], sure: Mapping[str, Any] | None) -> Block:
    asked = r.uv_asked if r.askings_recorded else np.full(len(r.taxa), np.nan)
    rows = _rows(
        taxa,
        r,
        {
            "ur": r.ur,
            "fc": r.fc,
            "nu": r.nu,
            "rfc": r.rfc,
            "ci": r.ci,
            "uv": r.uv_all,
            "uvt": r.uv_told,
            "uva": asked,
            "uses": r.counts.weighed_uses,
        },
    )
    ends = {"rfc": "RFC", "ci": "CI", "uv": "UV"}
    for row in rows:
        for name in ends:
            found = (sure or {"taxa": {}})["taxa"].get(row["taxon"], {}).get(name, [None, None])
            row |= {f"{name}_low": found[0], f"{name}_high": found[1]}
    with_ends = [
        column
        for name, label in ends.items()
        for column in (Column(name, label), Column(f"{name}_low", "2.5 %"), Column(f"{name}_high", "97.5 %"))
    ]
    columns = [
        Column("taxon", _("plant"), "taxon"),
        Column("ur", "UR", "count"),
        Column("fc", "FC", "count"),
        Column("nu", "NU", "count"),
        *with_ends,
        Column("uvt", _("UV (told)")),
        Column("uva", _("UV (asked)")),
    ]
    explains = {"uvt": lambda row: {"FC": row["fc"]}}
    return Block(
        "importance",
        _("How often it was told"),
        table=Table("importance", _("Use values"), columns, rows, subject="taxon"),
        sentences=[_("2.5 % and 97.5 % are the ends of 95 % of the resamples of whole holders.")],
        cautions=_without_width(rows),
        explains=explains,
    )


def _without_width(rows: list[dict[str, Any]]) -> list[str]:
    flat = sum(row["rfc_low"] is not None and row["rfc_low"] == row["rfc_high"] for row in rows)
    return [ngettext("The interval of %(num)s plant has no width, since all holders told alike of it: that is no certainty.",
                     "The intervals of %(num)s plants have no width, since all holders told alike of them: that is no certainty.",
                     flat)] if flat else []  # fmt: skip


def _composite(r: Reckoning, taxa: list[int], sure: Mapping[str, Any] | None) -> Block:
    rows = _rows(
        taxa,
        r,
        {
            "cv": r.cv,
            "ri": r.ri,
            "rip": r.ri_properties,
            "fc": r.fc,
            "nu": r.nu,
            "ur": r.ur,
            "nuc": r.counts.nu_category,
            "nt": r.counts.nu_use,
        },
    )
    _ends(rows, sure, ("cv", "ri"))
    significance = cultural_significance(g.scope, r)
    for row in rows:
        row["csi"] = significance[row["taxon"]][0] if row["taxon"] in significance else None
    columns = [
        Column("taxon", _("plant"), "taxon"),
        Column("cv", "CV"),
        Column("cv_ends", "95 %", "text"),
        Column("csi", "CSI", "tenth"),
        Column("ri", "RI"),
        Column("ri_ends", "95 %", "text"),
        Column("rip", _("RI (properties)")),
    ]
    nc = r.uses_told if r.by_use else r.nc
    most = {"FC_max": int(r.fc.max(initial=0)), "NU_max": int(r.nu.max(initial=0))}
    tops = {"NUC_max": int(r.counts.nu_category.max(initial=0)), "NT_max": int(r.counts.nu_use.max(initial=0))}
    return Block(
        "composite",
        _("Made of several counts"),
        table=Table("composite", _("Composite indices"), columns, rows, subject="taxon"),
        explains={
            "cv": lambda row: {"NU": row["nu"], "NC": nc, "FC": row["fc"], "N": r.n, "UR": row["ur"]},
            "csi": lambda row: {"FC": row["fc"], "FC_max": most["FC_max"]},
            "ri": lambda row: {"FC": row["fc"], "NU": row["nu"], **most},
            "rip": lambda row: {"NUC": row["nuc"], "NT": row["nt"], **tops},
        },
    )


def _fidelity(r: Reckoning, taxa: list[int], known: Mapping[str, str], sure: Mapping[str, Any] | None) -> Block:
    top = r.counts.ur_by_category.max(axis=1, initial=0)
    rows = _rows(
        taxa,
        r,
        {
            "fl": r.fl,
            "rpl": r.popularity.rpl,
            "rop": r.rop,
            "fc": r.fc,
            "main": r.counts.main_use_informants if r.by_use else top,
        },
    )
    for row, at in zip(rows, taxa, strict=True):
        tied = [r.categories[c] for c in np.flatnonzero(r.counts.ur_by_category[at] == top[at])]
        row["purpose"] = ", ".join(sorted(known.get(code, code) for code in tied))
    columns = [
        Column("taxon", _("plant"), "taxon"),
        Column("purpose", _("main category"), "text"),
        Column("fc", "FC", "count"),
        Column("fl", "FL", "tenth"),
        Column("fl_ends", "95 %", "text"),
        Column("rpl", "RPL"),
        Column("rop", "ROP", "tenth"),
    ]
    _ends(rows, sure, ("fl",))
    popularity = r.popularity
    said = (
        [
            _(
                "T = %(t)s informants, %(how)s.",
                t=popularity.threshold,
                how=_("fitted by least squares") if popularity.fitted else _("as it was set"),
            )
        ]
        if popularity.threshold
        else [r.why_no_threshold()]
    )
    words = {"title": _("Uses by tellers"), "x": _("FC, informants who told of it"), "y": _("specific uses"),
             "says": _("Each point is a plant; the line rises to T and is level from there.")}  # fmt: skip
    points = [Point(r.taxa[at], float(r.fc[at]), float(r.counts.nu_use[at]), url_for("reckoning.show", margin=f"fc:{r.taxa[at]}"))
              for at in taxa]  # fmt: skip
    line_of = popularity_line(r.counts.nu_use, r.fc, popularity.threshold)
    cautions = [_("The number of uses does not level off: T is the highest FC.")] if popularity.no_plateau else []
    return Block(
        "fidelity",
        _("Fidelity and popularity"),
        leveling_off(points, popularity.threshold, line_of, words),
        table=Table("fidelity", _("Fidelity"), columns, rows, subject="taxon"),
        sentences=said,
        cautions=cautions,
        explains={
            "fl": lambda row: {"I_p": row["main"], "FC": row["fc"]},
            "rpl": lambda row: {"FC": row["fc"], "T": popularity.threshold},
            "rop": lambda row: {"FL": f"{row['fl']:.1f}", "RPL": f"{row['rpl']:.3f}"},
        },
    )


def _spread(r: Reckoning, taxa: list[int], sure: Mapping[str, Any] | None) -> Block:
    by_category = (np.asarray(r.ur_by_category, dtype=np.float64) ** 2).sum(axis=1)
    told = np.maximum(r.counts.nu_category, 1)
    rows = _rows(
        taxa,
        r,
        {
            "ud": r.ud,
            "ue": r.ud / told,
            "id": r.id,
            "ie": r.id / np.maximum(r.fc, 1),
            "uc": r.uc,
            "ur": r.ur,
            "fc": r.fc,
            "nu": r.counts.nu_category,
            "by_category": by_category,
            "squares": r.counts.squares,
        },
    )
    _ends(rows, sure, ("ud", "id", "uc"))
    columns = [
        Column("taxon", _("plant"), "taxon"),
        Column("ud", "UD"),
        Column("ud_ends", "95 %", "text"),
        Column("ue", "UE"),
        Column("id", "ID"),
        Column("id_ends", "95 %", "text"),
        Column("ie", "IE"),
        Column("uc", "UC"),
        Column("uc_ends", "95 %", "text"),
    ]
    return Block(
        "spread",
        _("How evenly it was told"),
        table=Table("spread", _("Diversity and consensus"), columns, rows, subject="taxon"),
        explains={
            "ud": lambda row: {"UR": row["ur"], "S": row["by_category"]},
            "ue": lambda row: {"UD": f"{row['ud']:.3f}", "NU": row["nu"]},
            "id": lambda row: {"UR": row["ur"], "S": row["squares"]},
            "ie": lambda row: {"ID": f"{row['id']:.3f}", "FC": row["fc"]},
            "uc": lambda row: {"FC": row["fc"], "N": r.n},
        },
    )


def _agreement(r: Reckoning, least: int, sure: Mapping[str, Any] | None, known: Mapping[str, str]) -> Block:
    counts = r.category_counts
    there = [int(at) for at in np.flatnonzero((r.nt > 0) & (counts.informants >= least))]
    found = (sure or {"categories": {}})["categories"]
    rows: list[dict[str, Any]] = [
        {
            "category": known.get(r.categories[at], r.categories[at]),
            "nur": int(r.nur[at]),
            "nt": int(r.nt[at]),
            "icf": float(r.icf[at]),
            "low": found.get(r.categories[at], {}).get("low"),
            "high": found.get(r.categories[at], {}).get("high"),
            "informants": int(counts.informants[at]),
            "sd": float(r.sd[at]),
            "se": float(r.sd[at] / r.nt[at]),
            **_make_or_break(r, at, least),
        }
        for at in sorted(there, key=lambda at: (-r.nur[at], r.categories[at]))
    ]
    columns = [
        Column("category", _("use category"), "text"),
        Column("nur", "Nur", "count"),
        Column("nt", "Nt", "count"),
        Column("icf", "ICF"),
        Column("low", "2.5 %"),
        Column("high", "97.5 %"),
        Column("informants", _("told by"), "count"),
        Column("sd", "SD"),
        Column("se", "SE"),
        Column("makes", _("plants that make it"), "text"),
        Column("breaks", _("plants that break it"), "text"),
    ]
    return Block(
        "agreement",
        _("Agreement by use category"),
        table=Table("agreement", _("Informant consensus"), columns, rows, subject="category"),
    )


def _make_or_break(r: Reckoning, at: int, least: int) -> dict[str, str]:
    working = working_of_category(r, r.categories[at], "icf")
    fc = dict(zip(r.taxa, r.fc.tolist(), strict=True))
    sides = {"makes": working.makes, "breaks": working.breaks} if working else {}
    return {side: ", ".join(taxon for taxon, _value in told if fc[taxon] >= least) or "–" for side, told in sides.items()}


def _families(r: Reckoning) -> Block:
    found = family_values(r)
    asked = found.fuv_asked if r.askings_recorded else np.full(len(found.names), np.nan)
    rows: list[dict[str, Any]] = [
        {
            "family": name,
            "taxa": int(found.taxa[at]),
            "ur": float(found.ur[at]),
            "fuv": float(found.fuv_all[at]),
            "fuva": float(asked[at]),
            "sum": float(found.fuv_all[at] * found.taxa[at]),
        }
        for at, name in enumerate(found.names)
    ]
    rows.sort(key=lambda row: (-row["fuv"], row["family"]))
    columns = [
        Column("family", _("family"), "text"),
        Column("taxa", _("cited species"), "count"),
        Column("ur", "UR", "count"),
        Column("fuv", _("FUV (all)")),
        Column("fuva", _("FUV (asked)")),
    ]
    return Block(
        "families",
        _("Families"),
        table=Table("families", _("Family use values"), columns, rows, subject="family"),
        explains={"fuv": lambda row: {"n": row["taxa"]}},
    )
