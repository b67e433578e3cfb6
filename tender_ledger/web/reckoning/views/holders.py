"""What holders know, and who told of what."""

import re
from collections.abc import Mapping
from typing import Any

import numpy as np
from flask import g, request, url_for

from tender_ledger.core.knowledge import median_ends
from tender_ledger.figures.plots import InGroup, Person, by_group, by_measure, named_by
from tender_ledger.formats.tables import Column, Table
from tender_ledger.operations import analyses
from tender_ledger.operations.disclosure.audience import Audience
from tender_ledger.web.reckoning.asked import Asked, carried
from tender_ledger.web.reckoning.contents import Apart, Block, Content, Names, Row
from tender_ledger.web.reckoning.views.groups import GROUP_NAMES
from tender_ledger.web.reckoning.views.intervals import ends_in, ends_of
from tender_ledger.web.shared.words import gettext as _
from tender_ledger.web.shared.words import ngettext

MOST_CELLS = 20_000  # of a matrix that is drawn mark by mark; a larger one is painted
# Few numbers of a group give back what single holders told: three quartiles of three holders are the three.
SHOWN_ALONE = _("It is of those who are shown: too few others are counted to be told apart.")
STAYS = _("It sets holders apart by who they are, so it is given out as no file; the tests below are.")
MEASURES = {
    "taxa": _("plants"),
    "citations": _("plants for categories"),
    "uses": _("plants for specific uses"),
    "categories": _("use categories"),
}


def holders(one: Asked, audience: Audience, names: Names) -> Content:
    """What holders know, against their age and years in the place, and between genders and communities."""
    answer = analyses.knowledge(g.scope, one.rules, purpose=audience.purpose)
    body = answer.body or {}
    measure = request.args.get("measure", "taxa")
    measure = measure if measure in MEASURES else "taxa"
    heading = _("What holders know")
    lede = _(
        "Knowledge is counted as it was told: %(measure)s. A point is a holder; open it for what was told.",
        measure=MEASURES[measure],
    )
    if body.get("shown_alone"):
        lede = f"{lede} {SHOWN_ALONE}"
    if not body.get("holders"):
        return Content(heading, lede, empty=_("Nobody is counted under these rules yet."))
    blocks = [_knowledge(body, measure, axis) for axis in ("age", "years")]
    blocks += [_groups_apart(body, measure, by, names) for by in ("gender", "community")]
    blocks += [_tests(body), _each_holder(body, names)]
    return Content(heading, lede, blocks, seed=body["seed"], n=body["n"])


def _groups_apart(body: Mapping[str, Any], measure: str, by: str, names: Names) -> Block:
    """What holders know, group beside group, with the quartiles of each."""
    known = names if by == "community" else GROUP_NAMES
    of: dict[str, list[Mapping[str, Any]]] = {}
    for one in body["holders"]:
        if one[by] and one[by] != "unstated":
            of.setdefault(one[by], []).append(one)
    rows: list[dict[str, Any]] = []
    groups = []
    for name, people in sorted(of.items(), key=lambda item: known.get(item[0], item[0])):
        told = [float(one[measure]) for one in people]
        low, middle, high = (float(one) for one in np.percentile(told, (25, 50, 75)))
        label = known.get(name, name)
        rows.append({"group": label, "name": name, "holders": len(people), "median": middle, "first": low, "third": high,
                     **ends_of("median", median_ends(told))})  # fmt: skip
        shown = [
            Person(one["code"], 0, one[measure], url_for("people.holder", code=one["code"])) for one in people if one["shown"]
        ]
        link = url_for("reckoning.analysis", view="groups", by=by, **carried())
        groups.append(InGroup(label, shown, (low, middle, high), link))
    label = {"gender": _("gender"), "community": _("community")}[by]
    title = _("%(measure)s told by %(axis)s", measure=MEASURES[measure].capitalize(), axis=label)
    words = {"title": title, "y": MEASURES[measure],
             "says": _("A dot is a holder; the line is the median, the bar lies between the quartiles.")}  # fmt: skip
    tie = body["ties"][measure][by]
    said = [words["says"]]
    if tie["value"] is not None:
        said.append(_("H = %(value)s, p %(p)s, n = %(n)s.", **_tie_in_words(tie)))
    columns = [Column("group", label, "text"), Column("holders", _("holders"), "count", explains="groupn"),
               Column("median", _("median"), "tenth", ends=True),
               Column("first", _("1st quartile"), "tenth", explains="quartile/first"),
               Column("third", _("3rd quartile"), "tenth", explains="quartile/third")]  # fmt: skip

    def median(row: Row) -> Apart:
        return Apart({"m": row["median"]}, ends=ends_in(row, "median"), how=_("95 % by the order of the holders"))

    def behind(row: Row) -> Mapping[str, Any]:
        return {"informants": frozenset(one["code"] for one in of[row["name"]])}

    return Block(
        by,
        _("By %(axis)s", axis=label),
        by_group(groups, words) if groups else None,
        Table(by, title, columns, rows, subject="group"),
        said,
        stays=STAYS,
        apart={
            "groupn": lambda row: Apart({"N": row["holders"]}),
            "median": median,
            "quartile/first": lambda row: Apart({"q": row["first"]}, others=[(_("median"), row["median"])]),
            "quartile/third": lambda row: Apart({"q": row["third"]}, others=[(_("median"), row["median"])]),
        },
        behind=behind,
    )


def _tie_in_words(tie: Mapping[str, Any]) -> dict[str, Any]:
    """The value with its 95 % interval where it has one, p and n, as a sentence says them."""
    value = _short(tie["value"])
    if tie["ends"] is not None:
        low, high = (_short(end) for end in tie["ends"])
        value = f"{value} ({low} {_('to')} {high})"
    return {"value": value, "p": "< 0.001" if tie["p"] < 0.001 else f"= {tie['p']:.3f}", "n": tie["n"]}


def _short(value: float) -> str:
    """With two decimals and a proper minus."""
    return f"{value:.2f}".replace("-", "−")


def _tests(body: Mapping[str, Any]) -> Block:
    """Each measure of knowledge against age and years in the place, and between genders and communities."""
    against = {"age": _("age"), "years": _("years in the place"), "gender": _("gender"), "community": _("community")}
    rows: list[dict[str, Any]] = [
        {"what": f"{MEASURES[measure]}, {against[by]}", "key": "tie" if by in ("age", "years") else "between",
         "sign": "ρ" if by in ("age", "years") else "H", **{name: tie[name] for name in ("value", "p", "n")},
         **ends_of("value", tie["ends"])}
        for measure, ties in body["ties"].items() for by, tie in ties.items()
    ]  # fmt: skip
    columns = [
        Column("what", _("knowledge of, beside"), "text"),
        Column("sign", "", "text"),
        Column("value", _("value"), explains="row", ends=True),
        Column("p", "p", "p", explains="row"),
        Column("n", "n", "count", explains="paired"),
    ]

    def tie(row: Row) -> Apart:
        return Apart({"r": f"{row['value']:.3f}", "B": "9999"}, (), [("p", row["p"])], ends_in(row, "value"))

    def between(row: Row) -> Apart:
        return Apart(
            {"n": row["n"]}, (), [("p", row["p"])], ends_in(row, "value"), how=_("95 % by leaving out each holder in turn")
        )

    return Block(
        "tests",
        _("Tests"),
        table=Table("tests", _("What holders know beside who they are"), columns, rows, subject="what"),
        sentences=[
            _(
                "p from 9,999 dealings of the labels, seed %(seed)s. ρ is a rank correlation, H sets groups side by side. "
                "The line under ρ spans 95 %% of the resamples, that under H comes from leaving out each holder in turn.",
                seed=body["seed"],
            )
        ],
        apart={"tie": tie, "between": between, "paired": lambda row: Apart({"n": row["n"]})},
        behind=lambda _row: {},
    )


def _knowledge(body: Mapping[str, Any], measure: str, axis: str) -> Block:
    label = _("age, years") if axis == "age" else _("years in the place")
    known = [one for one in body["holders"] if one[axis] is not None]
    people = [
        Person(one["code"], one[axis], one[measure], url_for("people.holder", code=one["code"])) for one in known if one["shown"]
    ]
    tie = body["ties"][measure][axis]
    words = {
        "title": _("%(measure)s told by %(axis)s", measure=MEASURES[measure].capitalize(), axis=label),
        "x": label,
        "y": MEASURES[measure],
        "says": _("Each point is a holder by %(axis)s and what was told.", axis=label),
    }
    said = (
        [_("ρ = %(value)s, p %(p)s, n = %(n)s.", **_tie_in_words(tie))]
        if tie["value"] is not None
        else [_("No correlation: too few holders are on record with it, or all are alike.")]
    )
    return Block(axis, _("By %(axis)s", axis=label), by_measure(people, words) if people else None, sentences=said, stays=STAYS)


def _each_holder(body: Mapping[str, Any], names: Names) -> Block:
    rows = [{**one, "community": names.get(one["community"] or "", "")} for one in body["holders"] if one["shown"]]
    columns = [
        Column("code", _("holder"), "text"),
        Column("community", _("community"), "text"),
        Column("age", _("age, years"), "count"),
        Column("years", _("years in the place"), "count"),
        *(Column(name, label, "count", explains=f"{name}of") for name, label in MEASURES.items()),
        Column("sd", "SD", explains="sdof"),
    ]
    rows.sort(key=lambda row: (-row["taxa"], row["code"]))
    links = {row["code"]: url_for("people.holder", code=row["code"]) for row in rows}
    table = Table("holders", _("What each holder told"), columns, rows, subject="code", links=links)

    def others(row: Row) -> Apart:
        return Apart(others=[*((label, row[name]) for name, label in MEASURES.items()), ("SD", row["sd"])])

    return Block(
        "each",
        _("Each holder"),
        table=table,
        single=True,
        apart={f"{name}of": others for name in (*MEASURES, "sd")},
        behind=lambda row: {"informants": frozenset([row["code"]])},
    )


def matrix(one: Asked, audience: Audience, _names: Names) -> Content:
    """Who told of what, ordered so that what belongs together stands together."""
    body = analyses.matrix(g.scope, one.rules, purpose=audience.purpose).body or {}
    heading = _("Who told of what")
    lede = _("Rows are holders, columns plants, both ordered by reciprocal averaging: whoever tells alike stands close together.")
    if not body.get("taxa"):
        return Content(heading, lede, empty=_("Nobody whom you may see told of a plant that counts."))
    words = {"title": heading, "says": _("%(n)s holders by %(s)s plants.", n=len(body["holders"]), s=len(body["taxa"]))}
    hidden = (
        [ngettext("%(num)s more is counted and not shown.", "%(num)s more are counted and not shown.", body["hidden"])]
        if body["hidden"]
        else [_("Not everybody who is counted is shown.")]
        if body["hidden"] is None
        else []
    )
    large = len(body["holders"]) * len(body["taxa"]) > MOST_CELLS
    figure = None if large else named_by(body["holders"], body["taxa"], body["cells"], words, _told_by)
    canvas = {**{key: body[key] for key in ("holders", "taxa", "cells")}, "ledger": url_for("ledger.show")} if large else None
    said = [words["says"], *hidden]
    return Content(heading, lede, [Block("matrix", "", figure, sentences=said, single=True, canvas=canvas)])


def _told_by(code: str, taxon: str) -> str:
    """The reports in the ledger of a holder, of a taxon, or of both; a plant without a name by its number."""
    if not taxon:
        return url_for("people.holder", code=code)
    asked: dict[str, Any] = {"plant" if re.fullmatch(r"P-\d+", taxon) else "taxon": taxon, "informant": code or None}
    return url_for("ledger.show", **asked)
