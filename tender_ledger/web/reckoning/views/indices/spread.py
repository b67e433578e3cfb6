"""How evenly plants were told: over uses, over informants, and by how many of everybody."""

import numpy as np

from tender_ledger.formats.tables import Column, Table
from tender_ledger.web.reckoning.contents import Apart, Block, Link, Row
from tender_ledger.web.reckoning.views.indices.counted import Counted
from tender_ledger.web.shared.words import gettext as _


def spread(counted: Counted) -> Block:
    """UD, UE, ID, IE and UC."""
    r = counted.r
    reports = np.asarray(r.ur_by_category, dtype=np.float64)
    told = np.maximum(r.counts.nu_category, 1)
    rows = counted.rows({
        "ud": r.ud, "ue": r.ud / told, "id": r.id, "ie": r.id / np.maximum(r.fc, 1), "uc": r.uc, "rfc": r.rfc,
        "ur": r.ur, "fc": r.fc, "nu": r.counts.nu_category, "by_category": (reports**2).sum(axis=1), "squares": r.counts.squares,
    })  # fmt: skip
    rows = [
        row
        for row in rows
        if all(
            counted.audience.sees_use(row["taxon"], r.categories[at], counted.group)
            for at in np.flatnonzero(reports[r.taxa.index(row["taxon"])])
        )
    ]
    columns = [
        Column("taxon", _("plant"), "taxon"),
        Column("ud", "UD"),
        Column("ue", "UE", ends=True),
        Column("id", "ID", ends=True),
        Column("ie", "IE"),
        Column("uc", "UC", ends=True),
    ]

    def by_category(row: Row) -> list[Link]:
        own = reports[r.taxa.index(row["taxon"])]
        told = [(r.categories[at], float(own[at])) for at in np.argsort(-own, kind="stable") if own[at]]
        return [Link(counted.labels.get(code, code), f"{ur:g} / {row['ur']:g} = {ur / row['ur']:.3f}") for code, ur in told]

    def ud(row: Row) -> Apart:
        others = [(_("UE over NU"), row["ue"]), (_("UE over NC"), row["ud"] / r.nc if r.nc else None)]
        return Apart({"UR": row["ur"], "S": row["by_category"]}, by_category(row), others)  # fmt: skip

    def ue(row: Row) -> Apart:
        others = [(_("UE over NC"), row["ud"] / r.nc if r.nc else None)]
        put = {"UD": f"{row['ud']:.3f}", "NU": row["nu"]}
        return Apart(put, by_category(row), others, counted.ends("taxa", "ue", row["taxon"]))

    def diversity_of_informants(row: Row) -> Apart:
        others = [(_("IE over FC"), row["ie"]), (_("IE over N"), row["id"] / r.n if r.n else None)]
        return Apart({"UR": row["ur"], "S": row["squares"]}, (), others, counted.ends("taxa", "id", row["taxon"]))

    def ie(row: Row) -> Apart:
        over_n = row["id"] / r.n if r.n else None
        return Apart({"ID": f"{row['id']:.3f}", "FC": row["fc"]}, (), [(_("IE over N"), over_n)])

    def uc(row: Row) -> Apart:
        return Apart({"FC": row["fc"], "N": r.n}, (), [("RFC", row["rfc"])], counted.ends("taxa", "uc", row["taxon"]))

    return Block(
        "spread",
        _("How evenly it was told"),
        table=Table("spread", _("Diversity and consensus"), columns, rows, subject="taxon"),
        apart={"ud": ud, "ue": ue, "id": diversity_of_informants, "ie": ie, "uc": uc},
        behind=counted.behind,
    )
