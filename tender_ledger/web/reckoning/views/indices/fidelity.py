"""Fidelity and popularity: the main purpose of a plant, and the number of tellers from which its uses level off."""

import numpy as np
from flask import url_for

from tender_ledger.core.indices.fidelity import fidelity_level, popularity_line
from tender_ledger.figures.drawing import Drawing
from tender_ledger.figures.plots import Point, leveling_off
from tender_ledger.formats.tables import Column, Table
from tender_ledger.web.reckoning.asked import carried
from tender_ledger.web.reckoning.contents import Apart, Block, Link, Row
from tender_ledger.web.reckoning.views.indices.counted import Counted
from tender_ledger.web.shared.words import gettext as _


def fidelity(counted: Counted) -> Block:
    """FL, RPL with its threshold drawn, ROP."""
    r, popularity = counted.r, counted.r.popularity
    top = r.counts.ur_by_category.max(axis=1, initial=0)
    highest = int(r.fc.max(initial=0))
    by_other = fidelity_level(top if r.by_use else r.counts.main_use_informants, r.fc)
    rows = counted.rows({"fl": r.fl, "rpl": popularity.rpl, "rop": r.rop, "fc": r.fc, "other": by_other, "ur": r.ur,
                         "main": r.counts.main_use_informants if r.by_use else top})  # fmt: skip
    hidden = []
    for row, at in zip(rows, counted.taxa, strict=True):
        tied = [r.categories[c] for c in np.flatnonzero(r.counts.ur_by_category[at] == top[at])]
        row["purpose"] = ", ".join(sorted(counted.labels.get(code, code) for code in tied))
        if not all(counted.audience.sees_use(row["taxon"], code, counted.group) for code in tied):
            hidden.append(row)
        own = r.counts.ur_by_category[at]
        row["by_category"] = [(r.categories[c], int(own[c])) for c in np.argsort(-own, kind="stable") if own[c]]
    rows = [row for row in rows if row not in hidden]
    columns = [
        Column("taxon", _("plant"), "taxon"),
        Column("purpose", _("main category"), "text"),
        Column("fc", "FC", "count"),
        Column("fl", "FL", "tenth"),
        Column("rpl", "RPL"),
        Column("rop", "ROP", "tenth"),
    ]
    how = _("fitted by least squares") if popularity.fitted else _("as it was set")
    said = _("T = %(t)s informants, %(how)s.", t=popularity.threshold, how=how) if popularity.threshold else r.why_no_threshold()
    cautions = [_("The number of uses does not level off: T is the highest FC.")] if popularity.no_plateau else []

    def fl(row: Row) -> Apart:
        made = [Link(counted.labels.get(code, code), _("%(k)s of %(n)s", k=number, n=f"{row['fc']:.0f}"))
                for code, number in row["by_category"]]  # fmt: skip
        other = _("FL by category") if r.by_use else _("FL by specific use")
        return Apart({"I_p": row["main"], "FC": row["fc"]}, made, [(other, row["other"])])  # fmt: skip

    def rpl(row: Row) -> Apart:
        others = [
            (_("RPL over the highest FC"), row["fc"] / highest),
            (_("RPL, T half the highest"), min(2 * row["fc"] / highest, 1)),
        ]
        return Apart({"FC": row["fc"], "T": popularity.threshold}, (), others)

    def rop(row: Row) -> Apart:
        put = {"FL": f"{row['fl']:.1f}", "RPL": f"{row['rpl']:.3f}"}
        return Apart(put, (), [(_("ROP by RPL over the highest FC"), row["fl"] * row["fc"] / highest)])  # fmt: skip

    return Block(
        "fidelity",
        _("Fidelity and popularity"),
        _leveling(counted),
        table=Table("fidelity", _("Fidelity"), columns, rows, subject="taxon"),
        sentences=[said],
        cautions=cautions,
        apart={"fl": fl, "rpl": rpl, "rop": rop},
        behind=counted.behind,
    )


def _leveling(counted: Counted) -> Drawing:
    r, threshold = counted.r, counted.r.popularity.threshold
    words = {"title": _("Uses by tellers"), "x": _("FC, informants who told of it"), "y": _("specific uses"),
             "says": _("Each point is a plant; the line rises to T and is level from there.")}  # fmt: skip
    points = [Point(r.taxa[at], float(r.fc[at]), float(r.counts.nu_use[at]),
                    url_for("reckoning.show", margin=f"fc:{r.taxa[at]}", **carried())) for at in counted.taxa]  # fmt: skip
    return leveling_off(points, threshold, popularity_line(r.counts.nu_use, r.fc, threshold), words)
