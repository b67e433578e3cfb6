"""Families of a flora that are told of more, or less, than their size would have it."""

import math
from collections.abc import Callable, Mapping, Sequence
from typing import Any

from flask import g, request, url_for

from tender_ledger.core.flora.overuse import PRIOR, FamilyUse
from tender_ledger.core.messages import InputRefused
from tender_ledger.figures.plots import Family, families_of_a_flora
from tender_ledger.formats.tables import Column, Table
from tender_ledger.operations.disclosure.audience import Audience
from tender_ledger.operations.floras import over_and_under_use
from tender_ledger.storage.queries.reckoned import floras
from tender_ledger.web.reckoning.asked import Asked, carried
from tender_ledger.web.reckoning.contents import Apart, Block, Content, Link, Names, Row
from tender_ledger.web.shared.words import gettext as _
from tender_ledger.web.shared.words import ngettext


def overuse(one: Asked, audience: Audience, _names: Names) -> Content:
    """The families of the chosen flora by four methods, of all uses or of one category."""
    heading = _("Families told of more, or less, than their size")
    known = floras(g.scope)
    chosen = next((flora for flora in known if str(flora["id"]) == request.args.get("flora")), known[0] if known else None)
    if chosen is None:
        return Content(heading, "", empty=_("Bring in a flora below: a table of its families with their numbers of species."))
    category = one.selection.category
    lede = _("Species told of, against the species of %(flora)s.", flora=chosen["name"])
    try:
        found, taxa = over_and_under_use(g.scope, one.rules, chosen, category=category, purpose=audience.purpose)
    except InputRefused as refused:
        return Content(heading, lede, empty=" ".join(str(problem) for problem in refused.problems))
    total, used = found.totals
    words = {
        "title": heading,
        "x": _("species of the family in the flora"),
        "y": _("species told of"),
        "says": _("Families by size and use; what the imprecise bounds call over- or under-used is named."),
    }
    drawn = [
        Family(
            name,
            int(found.flora[at]),
            int(found.used[at]),
            found.imprecise_call[at],
            url_for("reckoning.show", family=name, **carried()),
        )
        for at, name in enumerate(found.families)
        if audience.sees_family(name)
    ]
    figure = families_of_a_flora(drawn, found.imprecise_total, (found.slope, found.intercept), words)
    said = [
        _("%(used)s of %(total)s species are told of.", used=used, total=total),
        *([chosen["cited"]] if chosen["cited"] else []),
    ]
    cautions = []
    if found.not_in_flora and not audience.is_public:
        named = ", ".join(name or _("no family on record") for name in found.not_in_flora)
        cautions.append(
            ngettext(
                "%(num)s told family is not in this flora and stands in no test: %(named)s.",
                "%(num)s told families are not in this flora and stand in no test: %(named)s.",
                len(found.not_in_flora),
                named=named,
            )
        )
    if audience.is_public:
        said.append(_("Cells count species, not holders; families of which too few told are left out."))
    return Content(
        heading,
        lede,
        [
            Block(
                "families",
                "",
                figure,
                _table(found, audience),
                said,
                cautions,
                apart=_apart(found, taxa),
                behind=lambda row: {"family": row["family"], "category": category},
            )
        ],
        stays=_("Families by the uses of one category stay here: those of all uses are given out.") if category else "",
    )


def _apart(found: FamilyUse, taxa: Mapping[str, Sequence[str]]) -> dict[str, Callable[[Row], Apart]]:
    """What the numbers of a family are made of: its told species, and the whole flora beside it."""
    total, used = found.totals

    def species(row: Row) -> list[Link]:
        return [Link(taxon, "", url_for("reckoning.show", margin=f"ur:{taxon}", **carried()), is_taxon=True)
                for taxon in taxa.get(row["family"], ())]  # fmt: skip

    def residual(row: Row) -> Apart:
        at = found.families.index(row["family"])
        put = {"x": row["used"], "n": row["flora"], "a": f"{found.intercept:.3f}", "b": f"{found.slope:.3f}",
               "s": f"{found.residual_sd:.3f}"}  # fmt: skip
        reach = found.reach_of_alike
        others: list[tuple[str, float | str | None]] = [(_("residual, not standardised"), float(found.residual[at]))]
        if not math.isnan(reach):
            others.append((_("95 % of families used like the rest"), f"−{reach:.2f} {_('to')} {reach:.2f}"))
        return Apart(put, species(row), others)

    def binomial(row: Row) -> Apart:
        at = found.families.index(row["family"])
        others = [
            (_("by doubling the smaller tail"), float(found.doubled[at])),
            (_("one-sided, as few or fewer"), float(found.lower[at])),
            (_("one-sided, as many or more"), float(found.upper[at])),
        ]
        return Apart({"n": row["flora"], "X_total": used, "n_total": total}, species(row), others)

    def adjusted(row: Row) -> Apart:
        return Apart({"m": len(found.families)}, (), [("p", row["binomial"]), (_("Holm"), row["holm"]), (_("B.-H."), row["bh"])])

    def beta(row: Row) -> Apart:
        whole = [Link(_("the whole flora"), f"{found.beta_total[0]:.3f} {_('to')} {found.beta_total[1]:.3f}")]
        imprecise = [(_("imprecise, from"), row["imprecise"]), (_("imprecise, to"), row["imprecise_high"])]
        return Apart({"x": row["used"], "n": row["flora"]}, [*whole, *species(row)], imprecise,
                     (row["beta"], row["beta_high"]), how=_("95 % of the posterior"))  # fmt: skip

    def imprecise(row: Row) -> Apart:
        whole = [Link(_("the whole flora"), f"{found.imprecise_total[0]:.3f} {_('to')} {found.imprecise_total[1]:.3f}")]
        precise = [(_("Bayes, from"), row["beta"]), (_("Bayes, to"), row["beta_high"])]
        return Apart({"x": row["used"], "n": row["flora"], "s": PRIOR}, [*whole, *species(row)], precise,
                     (row["imprecise"], row["imprecise_high"]), how=_("the bounds of all priors"))  # fmt: skip

    return {
        "used": lambda row: Apart({"x": row["used"]}, species(row)),
        "inflora": lambda row: Apart({"n": row["flora"]}, species(row)),
        "residual": residual, "binomial": binomial, "holm": adjusted, "bh": adjusted, "beta": beta, "imprecise": imprecise,
    }  # fmt: skip


def _table(found: FamilyUse, audience: Audience) -> Table:
    calls = {"over": _("over"), "under": _("under"), "no": "–"}
    rows: list[dict[str, Any]] = [
        {
            "family": name,
            "flora": int(found.flora[at]),
            "used": int(found.used[at]),
            "residual": float(found.standardised[at]),
            "binomial": float(found.small_p[at]),
            "holm": float(found.p_holm[at]),
            "bh": float(found.p_bh[at]),
            "beta": float(found.beta_low[at]),
            "beta_high": float(found.beta_high[at]),
            "beta_call": calls[found.beta_call[at]],
            "imprecise": float(found.imprecise_low[at]),
            "imprecise_high": float(found.imprecise_high[at]),
            "imprecise_call": calls[found.imprecise_call[at]],
        }
        for at, name in enumerate(found.families)
        if audience.sees_family(name)
    ]
    rows.sort(key=lambda row: (-row["used"], row["family"]))
    columns = [
        Column("family", _("family"), "text"),
        Column("used", _("told of"), "count"),
        Column("flora", _("in the flora"), "count", explains="inflora"),
        Column("residual", _("residual"), "decimal", _("standardised residual of the regression")),
        Column("binomial", "p", "p", _("two-sided binomial")),
        Column("holm", _("Holm"), "p"),
        Column("bh", _("B.-H."), "p"),
        Column("beta", _("Bayes from")),
        Column("beta_high", _("to"), explains="beta"),
        Column("beta_call", _("call"), "text"),
        Column("imprecise", _("imprecise from")),
        Column("imprecise_high", _("to"), explains="imprecise"),
        Column("imprecise_call", _("call"), "text"),
    ]
    return Table("families", _("Families of the flora and their told species"), columns, rows, subject="family")
