"""One pair of groups in full: how alike they are, the plants that tell them apart, their agreement by use category."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from flask import url_for

from tender_ledger.core.indices.agreement import informant_consensus
from tender_ledger.figures.plots import Point, against
from tender_ledger.formats.tables import Column, Table
from tender_ledger.operations.disclosure.audience import Audience
from tender_ledger.web.reckoning.asked import carried, categories
from tender_ledger.web.reckoning.contents import Apart, Block, Names, Row
from tender_ledger.web.reckoning.views.groups.each import BehindGroups
from tender_ledger.web.reckoning.views.groups.pairs import heading_of, measure_apart, p_of
from tender_ledger.web.reckoning.views.intervals import ends_of, pair_of
from tender_ledger.web.shared.words import gettext as _
from tender_ledger.web.shared.words import ngettext

_FIRST = 15  # plants on the page; all of them are in the file


def pair_in_full(
    pair: Mapping[str, Any], body: Mapping[str, Any], shown: Names, behind: BehindGroups, audience: Audience
) -> list[Block]:
    """Two groups: how alike they are, with tests, and the plants that tell them apart."""
    heading = heading_of(pair, shown)
    whole = all(audience.sees_all(pair[side]) for side in ("first", "second"))
    rows = [row for row in _measures_of(pair) if whole or row["of"] != "difference"]
    columns = [Column("what", _("measure"), "text"), Column("value", _("value"), explains="row", ends=True),
               Column("p", "p", "p", explains="row")]  # fmt: skip
    left = ngettext(
        "PERMANOVA leaves out %(num)s holder who told nothing.",
        "PERMANOVA leaves out %(num)s holders who told nothing.",
        pair["left_out"],
    )
    said = [
        _(
            "The line under a difference is its 95 % interval; measures of likeness have none, since none held them in invented "
            "groups. "
            "The line under F comes from leaving out each holder in turn."
        )
    ]
    said += [pair["why"] or left] if pair["why"] or pair["left_out"] else []
    kinds = {row["key"] for row in rows}
    apart = {kind: (lambda row, kind=kind: measure_apart(pair, kind, body, shown, row["of"])) for kind in kinds}
    return [
        Block(
            "pair",
            heading,
            _figure(pair, body, shown, audience),
            Table("pair", heading, columns, rows, subject="what"),
            said,
            apart=apart,
            behind=lambda _row: behind(pair["first"], pair["second"]),
        ),
        _plants_apart(pair, body, heading, behind, audience),
        _agreement(pair, body, heading, behind, audience),
    ]


def _sees_both(pair: Mapping[str, Any], taxon: str, audience: Audience) -> bool:
    """Whether what both groups told of a taxon is shown."""
    return all(audience.sees_taxon(taxon, pair[side]) for side in ("first", "second"))


def _figure(pair: Mapping[str, Any], body: Mapping[str, Any], shown: Names, audience: Audience) -> Any:
    first, second = (body["ci"][pair[side]] for side in ("first", "second"))
    taxa = [taxon for taxon in sorted({*first, *second}) if _sees_both(pair, taxon, audience)]
    links = {taxon: url_for("reckoning.show", margin=f"ci:{taxon}", **carried()) for taxon in taxa}
    points = [Point(taxon, first.get(taxon, 0.0), second.get(taxon, 0.0), links[taxon]) for taxon in taxa]
    words = {"title": _("CI in %(pair)s", pair=heading_of(pair, shown)), "x": _("CI: %(group)s", group=shown[pair["first"]]),
             "y": _("CI: %(group)s", group=shown[pair["second"]]),
             "says": _("Each point is a plant by its CI in both groups; on the line they are equal.")}  # fmt: skip
    return against(points, words) if points else None


def _plants_apart(
    pair: Mapping[str, Any], body: Mapping[str, Any], heading: str, behind: BehindGroups, audience: Audience
) -> Block:
    first, second = (body["ci"][pair[side]] for side in ("first", "second"))
    taxa: list[dict[str, Any]] = [
        {"taxon": taxon, "first": first.get(taxon, 0.0), "second": second.get(taxon, 0.0), "difference": one["CI_difference"],
         **ends_of("difference", pair["difference_ends"].get(taxon)),
         **{key: end for side in ("first", "second")
            for key, end in ends_of(side, body["ci_ends"][pair[side]].get(taxon)).items()},
         "p": p_of(one), "holm": one["p_holm"], "bh": one["p_bh"],
         "doubled": one.get("p_exact_doubled", one.get("p_doubled"))}
        for taxon, one in pair["species_CI_permutation"].items()
        if _sees_both(pair, taxon, audience)
    ]  # fmt: skip
    taxa.sort(key=lambda row: (row["p"] is None, row["p"] or 0, -abs(row["difference"] or 0), row["taxon"]))
    columns = [
        Column("taxon", _("plant"), "taxon"),
        Column("first", _("CI, first"), explains="difference", ends=True),
        Column("second", _("CI, second"), explains="difference", ends=True),
        Column("difference", _("difference"), ends=True),
        Column("p", "p", "p", explains="difference"),
        Column("holm", _("p, Holm"), "p"),
        Column("bh", _("p, Benjamini-Hochberg"), "p"),
    ]
    rows = taxa if audience.is_public else taxa[:_FIRST]
    rest = len(taxa) - len(rows)
    more = [ngettext("%(num)s plant more, less different, is in the file.",
                     "%(num)s plants more, less different, are in the file.", rest)] if rest else []  # fmt: skip

    def difference(row: Row) -> Apart:
        n = pair["n"]
        put = {"UR_1": f"{row['first'] * n[0]:g}", "N_1": n[0], "UR_2": f"{row['second'] * n[1]:g}", "N_2": n[1]}
        return Apart(
            put,
            (),
            [("p", row["p"]), (_("p by doubling the smaller tail"), row["doubled"])],
            pair_of(pair["difference_ends"].get(row["taxon"])),
        )

    def adjusted(row: Row) -> Apart:
        return Apart(
            {"m": len(taxa)}, (), [("p", row["p"]), (_("p, Holm"), row["holm"]), (_("p, Benjamini-Hochberg"), row["bh"])]
        )

    return Block(
        "pair-plants",
        _("Plants that tell %(pair)s apart", pair=heading),
        table=Table("pair-plants", _("Difference of CI between %(pair)s", pair=heading), columns, rows, subject="taxon"),
        sentences=more,
        apart={"difference": difference, "holm": adjusted, "bh": adjusted},
        behind=lambda row: {**behind(pair["first"], pair["second"]), "taxon": row["taxon"]},
    )


def _agreement(pair: Mapping[str, Any], body: Mapping[str, Any], heading: str, behind: BehindGroups, audience: Audience) -> Block:
    """Nur, Nt and ICF of both groups by use category."""
    labels = {code: choice.label for code, choice in categories().items()}
    sides = [body["agreement"][pair[side]] for side in ("first", "second")]
    rows: list[dict[str, Any]] = []
    for code in sorted({*sides[0], *sides[1]}):
        (nur, nt, _told), (nur_2, nt_2, _told_2) = (side.get(code, [0, 0, 0]) for side in sides)
        if not all(audience.sees_category(code, pair[side]) for side in ("first", "second")):
            continue
        icf, icf_2 = informant_consensus(np.array([nur, nur_2]), np.array([nt, nt_2])).tolist()
        ends = {"icf": body["icf_ends"][pair["first"]], "icf_2": body["icf_ends"][pair["second"]], "icfgap": pair["icf_ends"]}
        rows.append({"category": labels.get(code, code), "code": code, "nur": nur, "nt": nt, "icf": icf, "nur_2": nur_2,
                     "nt_2": nt_2, "icf_2": icf_2, "icfgap": icf - icf_2,
                     **{name: end for key, of in ends.items() for name, end in ends_of(key, of.get(code)).items()}})  # fmt: skip
    rows.sort(key=lambda row: (-row["nur"] - row["nur_2"], row["category"]))
    columns = [
        Column("category", _("use category"), "text"),
        *(Column(f"{key}{side}", f"{label}, {which}", kind, explains="icfgap", ends=key == "icf")
          for side, which in (("", _("first")), ("_2", _("second")))
          for key, label, kind in (("nur", "Nur", "count"), ("nt", "Nt", "count"), ("icf", "ICF", "decimal"))),
        Column("icfgap", _("difference of ICF"), ends=True),
    ]  # fmt: skip

    def gap(row: Row) -> Apart:
        put = {"Nur_1": row["nur"], "Nt_1": row["nt"], "Nur_2": row["nur_2"], "Nt_2": row["nt_2"]}
        others = [(_("ICF, first"), row["icf"]), (_("ICF, second"), row["icf_2"])]
        return Apart(put, (), others, pair_of(pair["icf_ends"].get(row["code"])))

    return Block(
        "pair-categories",
        _("Agreement in %(pair)s", pair=heading),
        table=Table("pair-categories", _("Informant consensus in %(pair)s", pair=heading), columns, rows, subject="category"),
        apart={"icfgap": gap},
        behind=lambda row: {**behind(pair["first"], pair["second"]), "category": row["code"]},
    )


def _measures_of(pair: Mapping[str, Any]) -> list[dict[str, Any]]:
    test = pair["permanova_jaccard_informants"]
    dealt = _("all %(num)s relabellings") if "p_exact" in test else _("%(num)s relabellings drawn")
    how = _("all relabellings counted") if "UR_per_informant_p_exact" in pair else _("relabellings drawn")
    told = _("Jaccard; plants %(a)s and %(b)s, both %(c)s", a=pair["A"], b=pair["B"], c=pair["shared"])
    rows: list[dict[str, Any]] = [
        {"what": told, "key": "jaccard", "value": pair["jaccard"], "of": "jaccard"},
        {"what": _("Sørensen"), "key": "sorensen", "value": pair["sorensen"], "of": "sorensen"},
        {"what": _("Bray-Curtis distance on CI"), "key": "bray", "value": pair["bray_curtis_CI"], "of": "bray"},
        {"what": _("rank correlation of CI, shared plants"), "key": "spearman", "value": pair["spearman_CI_shared"],
         "of": "spearman_shared"},
        {"what": _("rank correlation of CI, plants of either"), "key": "spearman", "value": pair["spearman_CI_union"],
         "of": "spearman_union"},
        {"what": _("reports per holder, difference; %(how)s", how=how), "key": "permuted", "of": "difference",
         "value": pair["UR_per_informant_difference"], "p": p_of(pair, "UR_per_informant_p")},
        {"what": _("PERMANOVA, F; ") + dealt % {"num": test["relabellings"]}, "key": "permanova", "of": "permanova",
         "value": test["F"], "p": p_of(test)},
    ]  # fmt: skip
    for row in rows:
        row |= ends_of("value", pair["ends"].get(row["of"]))
    return rows
