"""Indices made of several counts."""

from tender_ledger.core.indices.composite import cultural_value
from tender_ledger.core.terms import Scope
from tender_ledger.formats.tables import Column, Table
from tender_ledger.operations.scores import cultural_significance
from tender_ledger.web.reckoning.contents import Apart, Block, Link, Row
from tender_ledger.web.reckoning.views.indices.counted import Counted
from tender_ledger.web.shared.words import gettext as _


def composite(counted: Counted, scope: Scope) -> Block:
    """CV, CSI of da Silva where a plant's uses were scored, RI in both schools."""
    r, c = counted.r, counted.r.counts
    other_nu, other_nc = (c.nu_category, r.nc) if r.by_use else (c.nu_use, r.uses_told)
    rows = counted.rows({
        "cv": r.cv, "ri": r.ri, "rip": r.ri_properties, "fc": r.fc, "nu": r.nu, "ur": r.ur, "nuc": c.nu_category, "nt": c.nu_use,
        "ci": r.ci, "rfc": r.rfc, "cv_other": cultural_value(other_nu, other_nc, r.fc, r.n, r.ur if r.by_use else c.ur_use),
    })  # fmt: skip
    significance = cultural_significance(scope, r)

    for row in rows:
        row["csi"] = significance[row["taxon"]][0] if row["taxon"] in significance else None
    columns = [
        Column("taxon", _("plant"), "taxon"),
        Column("cv", "CV"),
        Column("csi", "CSI", "tenth"),
        Column("ri", "RI"),
        Column("rip", _("RI (properties)")),
    ]
    nc = r.uses_told if r.by_use else r.nc
    fc_max, nu_max = int(r.fc.max(initial=0)), int(r.nu.max(initial=0))
    nuc_max, nt_max = int(c.nu_category.max(initial=0)), int(c.nu_use.max(initial=0))

    def cv(row: Row) -> Apart:
        put = {"NU": row["nu"], "NC": nc, "FC": row["fc"], "N": r.n, "UR": row["ur"]}
        other = _("CV by categories") if r.by_use else _("CV by specific uses")
        made = [Link("NU / NC", f"{row['nu'] / nc:.3f}"), Link("FC / N", f"{row['rfc']:.3f}"),
                Link("UR / N", f"{row['ci']:.3f}")] if nc and r.n else []  # fmt: skip
        return Apart(put, made, [(other, row["cv_other"]), ("CI", row["ci"]), ("RFC", row["rfc"])])  # fmt: skip

    def ri(row: Row) -> Apart:
        put = {"FC": row["fc"], "NU": row["nu"], "FC_max": fc_max, "NU_max": nu_max}
        made = [Link("FC / FCmax", f"{row['fc'] / fc_max:.3f}"), Link("NU / NUmax", f"{row['nu'] / nu_max:.3f}")]
        return Apart(put, made, [(_("RI (properties)"), row["rip"]), ("CI", row["ci"])])  # fmt: skip

    def rip(row: Row) -> Apart:
        put = {"NUC": row["nuc"], "NT": row["nt"], "NUC_max": nuc_max, "NT_max": nt_max}
        made = [Link("NUC / NUCmax", f"{row['nuc'] / nuc_max:.3f}"), Link("NT / NTmax", f"{row['nt'] / nt_max:.3f}")]
        others = [("RI", row["ri"]), (_("of 100 instead of 2"), row["rip"] * 50)]
        return Apart(put, made, others)

    def csi(row: Row) -> Apart:
        scores = significance[row["taxon"]][1] if row["taxon"] in significance else []
        told = [code for at, code in enumerate(r.categories) if c.ur_by_category[r.taxa.index(row["taxon"]), at]]
        made = [Link(counted.labels.get(code, code), f"{i} · {e} · {f} = {i * e * f}")
                for code, (i, e, f) in zip(told, scores, strict=False)]  # fmt: skip
        put = {"FC": row["fc"], "FC_max": fc_max, "sum_u": sum(i * e * f for i, e, f in scores)}
        return Apart(put if scores else {}, made, [("CI", row["ci"]), ("CV", row["cv"])])

    return Block(
        "composite",
        _("Made of several counts"),
        table=Table("composite", _("Composite indices"), columns, rows, subject="taxon"),
        apart={"cv": cv, "csi": csi, "ri": ri, "rip": rip},
        behind=counted.behind,
    )
