"""The working of one number: its formula's kind, the counts put in, what else is said of the same thing, when it misleads."""

from dataclasses import dataclass

import numpy as np

from tender_ledger.core.indices.agreement import informant_consensus, without_each
from tender_ledger.core.indices.reckoning import Reckoning

TAXON_INDICES = ("ur", "fc", "nu", "rfc", "ci", "uv", "uva")
CATEGORY_INDICES = ("nur", "nt", "icf")

SYMBOLS = {"ur": "UR", "fc": "FC", "nu": "NU", "rfc": "RFC", "ci": "CI", "uv": "UV (all)", "uva": "UV (asked)",
           "nur": "Nur", "nt": "Nt", "icf": "ICF"}  # fmt: skip
NAMES = {
    "ur": "use reports", "fc": "informants who told of it", "nu": "use categories told", "rfc": "relative frequency of citation",
    "ci": "cultural importance index", "uv": "use value over everybody counted", "uva": "use value over those asked",
    "nur": "use reports in the category", "nt": "taxa told for it", "icf": "informant consensus factor",
}  # fmt: skip
SOURCES = {
    "ur": "Tardío & Pardo-de-Santayana 2008, Econ Bot 62:24–39", "fc": "Tardío & Pardo-de-Santayana 2008, Econ Bot 62:24–39",
    "nu": "Tardío & Pardo-de-Santayana 2008, Econ Bot 62:24–39", "rfc": "Tardío & Pardo-de-Santayana 2008, Econ Bot 62:24–39",
    "ci": "Tardío & Pardo-de-Santayana 2008, Econ Bot 62:24–39",
    "uv": "Rossato, Leitão-Filho & Begossi 1999, Econ Bot 53:387–395",
    "uva": "Phillips & Gentry 1993, Econ Bot 47:15–32",
    "nur": "Trotter & Logan 1986", "nt": "Trotter & Logan 1986",
    "icf": "Trotter & Logan 1986; Heinrich et al. 1998, Soc Sci Med 47:1859–1871",
}  # fmt: skip
MISLEADS = {
    "ur": "Misleads when some plants were asked about in every encounter and others never: it counts what was said.",
    "fc": "Misleads when many holders were never asked about the plant.",
    "nu": "Misleads when categories are of unlike width: one broad category hides many uses.",
    "rfc": "Misleads when many of the N were never asked about the plant: not asked and not known look the same.",
    "ci": "Misleads when many of the N were never asked about the plant; it grows with the number of categories.",
    "uv": "Misleads when one talkative holder names many uses: a few people can lift it far.",
    "uva": "Misleads when it was not recorded who was asked without naming a use: those asked are then only those who told.",
    "nur": "Misleads between categories of unlike width.",
    "nt": "Misleads when undetermined plants are left out: the category then looks more agreed upon.",
    "icf": "Misleads between categories of different Nur: for equal agreement it rises with Nur. Read it beside Nur and Nt.",
}


@dataclass(frozen=True)
class Working:
    """One number, taken apart. `value` is NaN where it is undefined, and `why_not` then says the reason.

    `terms` are the counts of the numerator with their categories (codes); `top` and `bottom` are the whole numerator and
    denominator (`bottom` None: the number is a count). `others` holds the values of other measures of the same thing, by name,
    `tellers` how many informants told a use of a taxon that counts. `makes` and `breaks` are the taxa without which ICF would
    be lowest and highest, with that value.
    """

    kind: str
    subject: str
    value: float
    top: float
    bottom: int | None
    terms: tuple[tuple[str, int], ...] = ()
    others: tuple[tuple[str, float], ...] = ()
    tellers: int = 0
    why_not: str = ""
    makes: tuple[tuple[str, float], ...] = ()
    breaks: tuple[tuple[str, float], ...] = ()


def working_of_taxon(r: Reckoning, taxon: str, kind: str) -> Working | None:
    """The working of an index of a taxon; None for a taxon or an index that the reckoning has not."""
    if taxon not in r.taxa or kind not in TAXON_INDICES:
        return None
    at = r.taxa.index(taxon)
    terms = tuple(
        (r.categories[c], int(r.ur_by_category[at, c])) for c in np.argsort(-r.ur_by_category[at]) if r.ur_by_category[at, c]
    )
    n, fc, ur = r.n, int(r.fc[at]), int(r.ur[at])
    uses, asked = int(r.counts.ur_use[at]), int(r.counts.n_asked[at])
    top, bottom, value = {
        "ur": (ur, None, ur),
        "fc": (fc, None, fc),
        "nu": (int(r.nu[at]), None, int(r.nu[at])),
        "rfc": (fc, n, r.rfc[at]),
        "ci": (ur, n, r.ci[at]),
        "uv": (uses, n, r.uv_all[at]),
        "uva": (float(r.counts.mean_uses_asked[at]), asked, r.uv_asked[at] if r.askings_recorded else np.nan),
    }[kind]
    why = r.why_no_uv_asked() if kind == "uva" else r.why_no_share() if bottom is not None else ""
    others = (
        ("RFC", r.rfc[at]),
        ("RFC over those who told something", fc / r.reporting if r.reporting else np.nan),
        ("CI", r.ci[at]),
        (SYMBOLS["uv"], r.uv_all[at]),
        ("UV (told)", r.uv_told[at]),
        (SYMBOLS["uva"], r.uv_asked[at] if r.askings_recorded else np.nan),
        ("UV (asked) over N", r.counts.mean_uses_asked[at] / n if n else np.nan),
    )
    return Working(
        kind=kind,
        subject=taxon,
        value=float(value),
        top=float(top),
        bottom=bottom,
        terms=terms if kind in ("ur", "ci") else (),
        others=tuple((name, float(v)) for name, v in others if name != SYMBOLS[kind]),
        why_not=why,
        tellers=fc,
    )


def working_of_category(r: Reckoning, category: str, kind: str) -> Working | None:
    """The working of an index of a use category; `top` and `bottom` of ICF are Nur and Nt, since both stand in it twice."""
    if category not in r.categories or kind not in CATEGORY_INDICES:
        return None
    at = r.categories.index(category)
    nur, nt = int(r.nur[at]), int(r.nt[at])
    value, why = {"nur": (nur, ""), "nt": (nt, ""), "icf": (r.icf[at], r.why_no_icf(at))}[kind]
    terms = tuple(
        (r.taxa[t], int(r.ur_by_category[t, at])) for t in np.argsort(-r.ur_by_category[:, at]) if r.ur_by_category[t, at]
    )
    top, bottom = (nt, None) if kind == "nt" else (nur, nt if kind == "icf" else None)
    makes, breaks = _make_or_break(r, at) if kind == "icf" and not why else ((), ())
    others = _other_units(r, at) if kind == "icf" else ()
    return Working(kind, category, float(value), float(top), bottom, terms, others, why_not=why, makes=makes, breaks=breaks)


def _other_units(r: Reckoning, at: int) -> tuple[tuple[str, float], ...]:
    """ICF of a category in the units that the rules do not count, and in the form that divides by Nur."""
    counts = r.category_counts
    units = (
        ("ICF by category", counts.nur_category),
        ("ICF by specific use", counts.nur_use),
        ("ICF by event", counts.nur_event),
    )
    own = "ICF by event" if r.rules.repeat == "each_event" else f"ICF by {r.rules.unit.replace('use', 'specific use')}"
    found = [(name, float(informant_consensus(nur, counts.nt)[at])) for name, nur in units if name != own]
    nur, nt = int(r.nur[at]), int(r.nt[at])
    return (*found, ("(Nur − Nt) / Nur", (nur - nt) / nur if nur else np.nan), ("SD", float(r.sd[at])))


def _make_or_break(r: Reckoning, at: int) -> tuple[tuple[tuple[str, float], ...], tuple[tuple[str, float], ...]]:
    """The three taxa that do most for the agreement in a category, and the three that do most against it."""
    without = without_each(r.counts.reports_by_category)[:, at]
    told = [int(one) for one in np.flatnonzero(~np.isnan(without))]
    told.sort(key=lambda one: (without[one], r.taxa[one]))
    makes = tuple((r.taxa[one], float(without[one])) for one in told[:3] if without[one] < r.icf[at])
    breaks = tuple((r.taxa[one], float(without[one])) for one in told[::-1][:3] if without[one] > r.icf[at])
    return makes, breaks
