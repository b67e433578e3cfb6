"""The indices counted straight from their definitions with sets of tuples: slow, plain, and written apart from the application.

A row is a dict with informant, event, taxon ("" for undetermined), category ("" uncoded, "none_named" asked), use, basis, stance.
"""

from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping
from typing import Any

Row = Mapping[str, str]


def brute(rows: Iterable[Row], roster: Mapping[str, str], *, unit: str, bases: set[str], kinds: set[str]) -> dict[str, Any]:
    """`roster`: informant -> holder | source. Values by name of taxon or category; None where undefined."""
    informants = {who for who, kind in roster.items() if kind in kinds}
    present = [row for row in rows if row["informant"] in informants and row["taxon"]]
    counted = [
        row
        for row in present
        if row["category"] not in ("", "none_named") and row["basis"] in bases and row["stance"] == "affirms"
    ]
    n = len(informants)
    key = ("informant", "taxon", "category") if unit == "category" else ("informant", "taxon", "category", "use")
    reports = {tuple(row[one] for one in key) for row in counted}
    taxa = {row["taxon"] for row in counted}
    result: dict[str, Any] = {"N": n, "taxa": {}, "categories": {}}
    for taxon in taxa:
        of_taxon = {one for one in reports if one[1] == taxon}
        tellers = {one[0] for one in of_taxon}
        uses = {(row["informant"], row["category"], row["use"]) for row in counted if row["taxon"] == taxon}
        result["taxa"][taxon] = {
            "UR": len(of_taxon),
            "FC": len(tellers),
            "NU": len({one[2:] for one in of_taxon}),
            "RFC": len(tellers) / n if n else None,
            "CI": len(of_taxon) / n if n else None,
            "UV": len(uses) / n if n else None,
            "UVA": _school_a(
                [row for row in present if row["taxon"] == taxon], [row for row in counted if row["taxon"] == taxon]
            ),
        }
    for category in {row["category"] for row in counted}:
        nur = len({one for one in reports if one[2] == category})
        nt = len({one[1] for one in reports if one[2] == category})
        result["categories"][category] = {"Nur": nur, "Nt": nt, "ICF": (nur - nt) / (nur - 1) if nur > 1 else None}
    return result


def _school_a(asked: list[Row], counted: list[Row]) -> float:
    """Phillips & Gentry: for each informant the uses of an event, averaged over the events; then averaged over those asked."""
    events: dict[str, set[str]] = defaultdict(set)
    for row in asked:
        events[row["informant"]].add(row["event"])
    total = 0.0
    for informant, days in events.items():
        named = [
            len({(row["category"], row["use"]) for row in counted if row["informant"] == informant and row["event"] == day})
            for day in days
        ]
        total += sum(named) / len(days)
    return total / len(events)


def brute_further(rows: list[Row], roster: Mapping[str, str], *, bases: set[str]) -> dict[str, Any]:
    """The other indices of the taxa and categories, over holders, a report being (informant, taxon, category)."""
    informants = {who for who, kind in roster.items() if kind == "holder"}
    told = [row for row in rows if row["informant"] in informants and row["taxon"] and row["basis"] in bases
            and row["category"] not in ("", "none_named") and row["stance"] == "affirms"]  # fmt: skip
    reports = {(row["informant"], row["taxon"], row["category"]) for row in told}
    uses = {(row["informant"], row["taxon"], row["category"], row["use"]) for row in told}
    n, taxa = len(informants), sorted({taxon for _who, taxon, _what in reports})
    nc, potential = len({what for _who, _taxon, what in reports}), len({one[2:] for one in uses})
    fc = {taxon: len({who for who, other, _what in reports if other == taxon}) for taxon in taxa}
    nu = {taxon: len({what for _who, other, what in reports if other == taxon}) for taxon in taxa}
    nu_use = {taxon: len({one[2:] for one in uses if one[1] == taxon}) for taxon in taxa}
    result: dict[str, Any] = {"taxa": {}, "categories": {}}
    for taxon in taxa:
        own = [one for one in reports if one[1] == taxon]
        by_category, by_informant = Counter(what for _w, _t, what in own), Counter(who for who, _t, _what in own)
        ur = len(own)
        result["taxa"][taxon] = {
            "CV": nu[taxon] / nc * fc[taxon] / n * ur / n,
            "CV_use": nu_use[taxon] / potential * fc[taxon] / n * len([one for one in uses if one[1] == taxon]) / n,
            "RI": (fc[taxon] / max(fc.values()) + nu[taxon] / max(nu.values())) / 2,
            "FL": 100 * max(by_category.values()) / fc[taxon],
            "UD": 1 / sum((count / ur) ** 2 for count in by_category.values()),
            "ID": 1 / sum((count / ur) ** 2 for count in by_informant.values()),
            "UC": 2 * fc[taxon] / n - 1,
        }
    for category in {what for _who, _taxon, what in reports}:
        by_taxon = Counter(taxon for _who, taxon, what in reports if what == category)
        events = {(row["informant"], row["taxon"], row["event"]) for row in told if row["category"] == category}
        nur, nt = len(events), len(by_taxon)
        result["categories"][category] = {
            "SD": 1 / sum((count / by_taxon.total()) ** 2 for count in by_taxon.values()),
            "ICF_event": (nur - nt) / (nur - 1) if nur > 1 else None,
            "informants": len({who for who, _taxon, what in reports if what == category}),
        }
    return result
