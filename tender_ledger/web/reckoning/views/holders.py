"""What holders know, and who told of what."""

from collections.abc import Mapping, Sequence
from typing import Any

from flask import g, request, url_for

from tender_ledger.core.publication import MINIMUM_HOLDERS
from tender_ledger.core.terms import Purpose
from tender_ledger.figures.plots import Person, by_measure, named_by
from tender_ledger.formats.tables import Column, Table
from tender_ledger.operations import analyses
from tender_ledger.web.reckoning.asked import Asked
from tender_ledger.web.reckoning.contents import Block, Content, Names
from tender_ledger.web.shared.words import gettext as _
from tender_ledger.web.shared.words import ngettext

MOST_CELLS = 20_000  # of a matrix that is drawn mark by mark; a larger one is painted
MEASURES = {
    "taxa": _("plants"),
    "citations": _("plants for categories"),
    "uses": _("plants for specific uses"),
    "categories": _("use categories"),
}


def holders(one: Asked, purpose: Purpose, names: Names) -> Content:
    """What holders know, against their age and years in the place, and between genders and communities."""
    answer = analyses.knowledge(g.scope, one.rules, purpose=purpose)
    body = answer.body or {}
    measure = request.args.get("measure", "taxa")
    measure = measure if measure in MEASURES else "taxa"
    heading = _("What holders know")
    lede = _(
        "Knowledge is counted as it was told: %(measure)s. A point is a holder; open it for what was told.",
        measure=MEASURES[measure],
    )
    if not body.get("holders"):
        return Content(heading, lede, empty=_("Nobody is counted under these rules yet."))
    blocks = [_knowledge(body, measure, axis, purpose) for axis in ("age", "years")]
    ties = [
        {"measure": MEASURES[name], **{f"{by}_{part}": found[by][part] for by in found for part in ("value", "p", "n")}}
        for name, found in body["ties"].items()
    ]
    columns = [
        Column("measure", _("knowledge of"), "text"),
        *(
            column
            for by, label in (("age", _("age")), ("years", _("years in the place")))
            for column in (Column(f"{by}_value", f"ρ, {label}"), Column(f"{by}_p", "p", "p"), Column(f"{by}_n", "n", "count"))
        ),
        Column("gender_value", _("H, gender")),
        Column("gender_p", "p", "p"),
        Column("community_value", _("H, community")),
        Column("community_p", "p", "p"),
    ]
    tested = Table("tests", _("What holders know beside who they are"), columns, ties, subject="measure")
    blocks.append(
        Block(
            "tests",
            _("Tests"),
            table=tested,
            sentences=[
                _(
                    "p from 9,999 dealings of the labels, seed %(seed)s. ρ is a rank correlation, H sets groups side by side.",
                    seed=body["seed"],
                )
            ],
        )
    )
    return Content(heading, lede, [*blocks, _each_holder(body, names)], seed=body["seed"], n=body["n"])


def _knowledge(body: Mapping[str, Any], measure: str, axis: str, purpose: Purpose) -> Block:
    label = _("age, years") if axis == "age" else _("years in the place")
    known = [one for one in body["holders"] if one[axis] is not None]
    if purpose is Purpose.PUBLISHED:
        people = _in_classes(known, axis, measure)
    else:
        people = [
            Person(one["code"], one[axis], one[measure], url_for("people.holder", code=one["code"]))
            for one in known
            if one["shown"]
        ]
    tie = body["ties"][measure][axis]
    words = {
        "title": _("%(measure)s told by %(axis)s", measure=MEASURES[measure].capitalize(), axis=label),
        "x": label,
        "y": MEASURES[measure],
        "says": _("Each point is a holder by %(axis)s and what was told.", axis=label),
    }
    said = (
        [_("ρ = %(r)s, p = %(p)s, n = %(n)s.", r=f"{tie['value']:.2f}", p=f"{tie['p']:.3f}", n=tie["n"])]
        if tie["value"] is not None
        else [_("No correlation: too few holders are on record with it, or all are alike.")]
    )
    if purpose is Purpose.PUBLISHED:
        said.append(_("Means of classes of ten years with at least %(n)s holders.", n=MINIMUM_HOLDERS))
    points = [{"class": one.label, "middle": one.x, "mean": one.y, "holders": one.size} for one in people]
    columns = [Column("class", label, "text"), Column("middle", _("middle"), "count"), Column("mean", MEASURES[measure]),
               Column("holders", _("holders"), "count")]  # fmt: skip
    data = Table("points", words["title"], columns, points, subject="class")
    return Block(axis, _("By %(axis)s", axis=label), by_measure(people, words) if people else None, sentences=said,
                 data=data if people else None)  # fmt: skip


def _in_classes(known: Sequence[Mapping[str, Any]], axis: str, measure: str) -> list[Person]:
    """Classes of ten years that hold enough holders, each as one point at its middle."""
    classes: dict[int, list[float]] = {}
    for one in known:
        classes.setdefault(int(one[axis]) // 10, []).append(one[measure])
    return [
        Person(f"{10 * at}–{10 * at + 9}", 10 * at + 5, sum(values) / len(values), size=len(values))
        for at, values in sorted(classes.items())
        if len(values) >= MINIMUM_HOLDERS
    ]


def _each_holder(body: Mapping[str, Any], names: Names) -> Block:
    rows = [{**one, "community": names.get(one["community"] or "", "")} for one in body["holders"] if one["shown"]]
    columns = [
        Column("code", _("holder"), "text"),
        Column("community", _("community"), "text"),
        Column("age", _("age, years"), "count"),
        Column("years", _("years in the place"), "count"),
        *(Column(name, label, "count") for name, label in MEASURES.items()),
        Column("sd", "SD"),
    ]
    rows.sort(key=lambda row: (-row["taxa"], row["code"]))
    links = {row["code"]: url_for("people.holder", code=row["code"]) for row in rows}
    table = Table("holders", _("What each holder told"), columns, rows, subject="code", links=links)
    return Block("each", _("Each holder"), table=table, single=True)


def matrix(one: Asked, purpose: Purpose, _names: Names) -> Content:
    """Who told of what, ordered so that what belongs together stands together."""
    body = analyses.matrix(g.scope, one.rules, purpose=purpose).body or {}
    heading = _("Who told of what")
    lede = _("Rows are holders, columns plants, both ordered by reciprocal averaging: whoever tells alike stands close together.")
    if not body.get("taxa"):
        return Content(heading, lede, empty=_("Nobody whom you may see told of a plant that counts."))
    links = {code: url_for("people.holder", code=code) for code in body["holders"]}
    words = {"title": heading, "says": _("%(n)s holders by %(s)s plants.", n=len(body["holders"]), s=len(body["taxa"]))}
    hidden = (
        [ngettext("%(num)s more is counted and not shown.", "%(num)s more are counted and not shown.", body["hidden"])]
        if body["hidden"]
        else []
    )
    large = len(body["holders"]) * len(body["taxa"]) > MOST_CELLS
    figure = None if large else named_by(body["holders"], body["taxa"], body["cells"], words, links)
    canvas = {key: body[key] for key in ("holders", "taxa", "cells")} if large else None
    said = [words["says"], *hidden]
    return Content(heading, lede, [Block("matrix", "", figure, sentences=said, single=True, canvas=canvas)])
