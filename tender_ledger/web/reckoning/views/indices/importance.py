"""How often plants were told: the counts and use values in their schools."""

from typing import Any

import numpy as np

from tender_ledger.formats.tables import Column, Table
from tender_ledger.web.reckoning.contents import Apart, Block, Row
from tender_ledger.web.reckoning.views.indices.counted import Counted
from tender_ledger.web.reckoning.views.intervals import ends_of
from tender_ledger.web.shared.words import gettext as _
from tender_ledger.web.shared.words import ngettext

_SURE = {"rfc": "RFC", "ci": "CI", "uv": "UV"}


def importance(counted: Counted) -> Block:
    """UR, FC, NU, RFC, CI, and the use value over everybody, those who told, and those asked."""
    r = counted.r
    asked = r.uv_asked if r.askings_recorded else np.full(len(r.taxa), np.nan)
    rows = counted.rows({"ur": r.ur, "fc": r.fc, "nu": r.nu, "rfc": r.rfc, "ci": r.ci, "uv": r.uv_all, "uvt": r.uv_told,
                         "uva": asked, "uses": r.counts.weighed_uses})  # fmt: skip
    for row in rows:
        for name in _SURE:
            found = (counted.sure or {"taxa": {}})["taxa"].get(row["taxon"], {}).get(name)
            row |= ends_of(name, found[:2] if found else None)
        row |= ends_of("uva", counted.ends("taxa", "uva", row["taxon"]) if r.askings_recorded else None)
        if not counted.audience.sees_asked(row["taxon"], counted.group):
            row |= {"uva": None, **ends_of("uva", None)}
    columns = [
        Column("taxon", _("plant"), "taxon"),
        Column("ur", "UR", "count"),
        Column("fc", "FC", "count"),
        Column("nu", "NU", "count"),
        *(Column(name, label, ends=True) for name, label in _SURE.items()),
        Column("uvt", _("UV (told)"), ends=True),
        Column("uva", _("UV (asked)"), ends=True),
    ]

    def told(row: Row) -> Apart:
        uses = row["uses"]
        return Apart({"sum_i": uses, "FC": row["fc"]}, others=_schools(row, "uvt"),
                     ends=counted.ends("taxa", "uvt", row["taxon"]))  # fmt: skip

    return Block(
        "importance",
        _("How often it was told"),
        table=Table("importance", _("Use values"), columns, rows, subject="taxon"),
        sentences=[
            _(
                "The line under a value is its 95 % interval; its ends stand in the margin and the files. Of plants that "
                "fewer than five tell, and of values that no interval held in invented studies (CV, CSI, RI, FL, RPL, ROP, UD, "
                "IE, FUV of those asked), there is none."
            )
        ],
        cautions=_without_width(rows),
        apart={"uvt": told},
        behind=counted.behind,
    )


def _schools(row: Row, but: str) -> list[tuple[str, float | None]]:
    """The use values of a row by all schools but one, with CI, which counts categories as uses."""
    named = {"uv": _("UV (all)"), "uvt": _("UV (told)"), "uva": _("UV (asked)"), "ci": "CI", "rfc": "RFC"}
    return [(label, row[key]) for key, label in named.items() if key != but]


def _without_width(rows: list[dict[str, Any]]) -> list[str]:
    flat = sum(row["rfc_low"] is not None and row["rfc_low"] == row["rfc_high"] for row in rows)
    return [ngettext("The interval of %(num)s plant has no width, since all holders told alike of it: that is no certainty.",
                     "The intervals of %(num)s plants have no width, since all holders told alike of them: that is no certainty.",
                     flat)] if flat else []  # fmt: skip
