"""The tables of a frozen reckoning."""

from collections.abc import Mapping, Sequence
from typing import Any

from tender_ledger.core.rules import CountingRules
from tender_ledger.formats.tables import Column, Table
from tender_ledger.operations.disclosure.audience import MEMBERS, Audience
from tender_ledger.operations.freezing import Moved
from tender_ledger.web.reckoning.asked import categories
from tender_ledger.web.reckoning.contents import Apart, Block, Content, Row, Standing
from tender_ledger.web.reckoning.views.intervals import ends_of, pair_of
from tender_ledger.web.shared.words import gettext as _


def frozen_blocks(
    body: Mapping[str, Any] | None, moved: Sequence[Moved], rules: CountingRules, *, audience: Audience = MEMBERS
) -> Content:
    """What moved since, and the values of plants and use categories as they were frozen; nothing where they are withheld."""
    if body is None:
        return Content("", "")
    blocks = [_values(body, audience), _agreement(body, audience)]
    return Content("", "", [_moved(body, moved, rules), *blocks] if moved else blocks, n=body["totals"]["N"])


def _behind(row: Row) -> Mapping[str, Any]:
    return {"taxon": row["taxon"]} if "taxon" in row else {"category": row["code"]}


def _moved(body: Mapping[str, Any], moved: Sequence[Moved], rules: CountingRules) -> Block:
    rows: list[dict[str, Any]] = []
    for one in moved:
        before, after = one.before or (None, None), one.after or (None, None)
        rows.append({"taxon": one.taxon, "ur": before[0], "ci": before[1], "ur_now": after[0], "ci_now": after[1]})
    columns = [
        Column("taxon", _("plant"), "taxon"),
        Column("ur", _("UR then"), "count", explains="urthen"),
        Column("ci", _("CI then"), explains="cithen"),
        Column("ur_now", _("UR today"), "count", explains="today_ur"),
        Column("ci_now", _("CI today"), explains="today_ci"),
    ]
    today = {f"today_{kind}": (lambda row, kind=kind: Standing(kind, row["taxon"], rules, "")) for kind in ("ur", "ci")}
    table = Table("moved", _("What moved since"), columns, rows, subject="taxon")
    return Block("moved", _("Plants that moved"), table=table, apart={**_apart(body), **today}, behind=_behind)


def _values(body: Mapping[str, Any], audience: Audience) -> Block:
    sure = body["uncertainty"]["taxa"]
    rows = [
        {"taxon": taxon, "ur": one["UR"], "fc": one["FC"], "rfc": one["RFC"], "ci": one["CI"], "uv": one["UV_simple_use"],
         **ends_of("rfc", sure[taxon]["RFC"].get("interval95")), **ends_of("ci", sure[taxon]["CI"].get("interval95")),
         **ends_of("uv", sure[taxon]["UV_simple_use"].get("interval95"))}
        for taxon, one in sorted(body["taxa"].items(), key=lambda item: (-(item[1]["CI"] or 0), item[0]))
        if audience.sees_taxon(taxon)
    ]  # fmt: skip
    columns = [
        Column("taxon", _("plant"), "taxon"),
        Column("ur", "UR", "count", explains="urthen"),
        Column("fc", "FC", "count", explains="fcthen"),
        Column("rfc", "RFC", explains="rfcthen", ends=True),
        Column("ci", "CI", explains="cithen", ends=True),
        Column("uv", "UV", explains="uvthen", ends=True),
    ]
    table = Table("values", _("Plants as frozen"), columns, rows, subject="taxon")
    return Block("values", _("Plants as frozen"), table=table, apart=_apart(body), behind=_behind)


def _apart(body: Mapping[str, Any]) -> dict[str, Any]:
    """The numbers of a plant by the counts that were frozen with them."""
    n, sure = body["totals"]["N"], body["uncertainty"]["taxa"]

    def taken(key: str, put: Mapping[str, str]) -> Any:
        def apart(row: Row) -> Apart:
            one = body["taxa"].get(row["taxon"], {})
            counts = {sign: n if name == "N" else one[name] for sign, name in put.items()} if one else {}
            others = [
                (_("CV"), one.get("CV_category")),
                (_("RI"), one.get("RI_pardo_category")),
                (_("FL"), one.get("FL_category")),
            ]
            ends = sure.get(row["taxon"], {}).get(key, {}).get("interval95")
            return Apart(counts, (), others if one else (), pair_of(ends))

        return apart

    return {
        "urthen": taken("", {"sum_u": "UR"}),
        "fcthen": taken("", {"FC": "FC"}),
        "rfcthen": taken("RFC", {"FC": "FC", "N": "N"}),
        "cithen": taken("CI", {"sum_u": "UR", "N": "N"}),
        "uvthen": taken("UV_simple_use", {"sum_i": "UR_use", "N": "N"}),
    }


def _agreement(body: Mapping[str, Any], audience: Audience) -> Block:
    sure, labels = body["uncertainty"]["categories"], {code: choice.label for code, choice in categories().items()}
    rows = [
        {"category": labels.get(code, code), "code": code, "nur": one["Nur"], "nt": one["Nt"], "icf": one["ICF"],
         **ends_of("icf", sure.get(code, {}).get("interval95"))}
        for code, one in sorted(body["categories"].items(), key=lambda item: (-item[1]["Nur"], item[0]))
        if audience.sees_category(code)
    ]  # fmt: skip
    columns = [
        Column("category", _("use category"), "text"),
        Column("nur", "Nur", "count", explains="nurthen"),
        Column("nt", "Nt", "count", explains="ntthen"),
        Column("icf", "ICF", explains="icfthen", ends=True),
    ]

    def icf(row: Row) -> Apart:
        one = body["categories"][row["code"]]
        others = [(_("ICF by specific use"), one.get("ICF_use")), ("(Nur − Nt) / Nur", one.get("ICF_all_N_variant"))]
        return Apart({"Nur": row["nur"], "Nt": row["nt"]}, (), others, pair_of(sure.get(row["code"], {}).get("interval95")))

    apart = {"icfthen": icf, "nurthen": lambda row: Apart({"sum_s": row["nur"]}), "ntthen": lambda row: Apart({"Nt": row["nt"]})}
    table = Table("categories", _("Use categories as frozen"), columns, rows, subject="category")
    return Block("categories", _("Use categories as frozen"), table=table, apart=apart, behind=_behind)
