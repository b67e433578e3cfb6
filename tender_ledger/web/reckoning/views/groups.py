"""Groups of holders beside one another."""

import re
from collections.abc import Mapping, Sequence
from datetime import date
from typing import Any

from flask import g, request, url_for

from tender_ledger.core.publication import MINIMUM_HOLDERS
from tender_ledger.core.terms import Purpose
from tender_ledger.figures.plots import Point, against, plane, tree
from tender_ledger.formats.tables import Column, Table
from tender_ledger.operations import analyses
from tender_ledger.web.reckoning.asked import Asked
from tender_ledger.web.reckoning.contents import Block, Content, Names
from tender_ledger.web.shared.words import gettext as _
from tender_ledger.web.shared.words import ngettext

GROUPINGS = {
    "community": _("community"),
    "gender": _("gender"),
    "age": _("age"),
    "occupation": _("occupation"),
    "kind": _("kind of first encounter"),
    "period": _("when first met"),
}
GROUP_NAMES = {
    "under_30": _("under 30"),
    "30_to_49": _("30 to 49"),
    "50_to_69": _("50 to 69"),
    "70_and_over": _("70 and over"),
    "woman": _("women"),
    "man": _("men"),
    "other": _("other genders"),
    "before": _("before"),
    "since": _("since"),
    "interview": _("interview"),
    "walk": _("walk"),
    "demonstration": _("demonstration"),
    "group": _("group"),
    "reading": _("reading"),
}


def groups(one: Asked, purpose: Purpose, names: Names) -> Content:
    """Groups of holders beside one another, by whatever they are set in groups by."""
    by = request.args.get("by", "community")
    by = by if by in GROUPINGS else "community"
    since = _since(request.args.get("since", ""))
    answer = analyses.groups(g.scope, one.rules, by=by, since=since, purpose=purpose, again="again" in request.args)
    heading = _("Groups of holders by %(by)s", by=GROUPINGS[by])
    lede = _("Each group has its own N and its own maxima. Tests deal the labels of holders anew, the silent ones too.")
    if by == "period" and since is None:
        return Content(heading, lede, empty=_("Say from which day on a holder belongs to the second group."))
    if answer.body is None:
        return Content(heading, lede, waits=answer)
    body = answer.body
    if len(body["names"]) < 2:
        return Content(
            heading,
            lede,
            empty=_("There are no two groups with somebody in them. Record what sets holders apart on their pages."),
        )
    known = {"community": names, "occupation": {}}.get(by, GROUP_NAMES)
    labels = [known.get(name, name) for name in body["names"]]
    shown = dict(zip(body["names"], labels, strict=True))
    blocks = [_each_group(body, labels, purpose), *_drawn_groups(body, labels, by)]
    blocks += [block for pair in body["pairs"] for block in _pair(pair, body, shown, purpose)]
    if body["untested"]:
        blocks.append(
            Block(
                "untested",
                "",
                sentences=[
                    ngettext(
                        "%(num)s pair more is not tested; set fewer groups apart.",
                        "%(num)s pairs more are not tested; set fewer groups apart.",
                        body["untested"],
                    )
                ],
            )
        )
    return Content(heading, lede, blocks, seed=body["seed"], n=sum(body["n"]))


def _since(text: str) -> date | None:
    try:
        return date.fromisoformat(text)
    except ValueError:
        return None


def _each_group(body: Mapping[str, Any], labels: Sequence[str], purpose: Purpose) -> Block:
    rows = [
        {"group": label, "n": body["n"][at], "taxa": body["taxa"][at], "own": body["own"][at], "ur": body["ur"][at]}
        for at, label in enumerate(labels)
        if purpose is not Purpose.PUBLISHED or body["n"][at] >= MINIMUM_HOLDERS
    ]
    columns = [
        Column("group", _("group"), "text"),
        Column("n", "N", "count"),
        Column("taxa", _("plants told"), "count"),
        Column("own", _("by it alone"), "count"),
        Column("ur", _("reports"), "count"),
    ]
    left = (
        [
            ngettext(
                "%(num)s holder is in no group: it is not on record.",
                "%(num)s holders are in no group: it is not on record.",
                body["none"],
            )
        ]
        if body["none"]
        else []
    )
    return Block(
        "groups", _("The groups"), table=Table("groups", _("Groups of holders"), columns, rows, subject="group"), sentences=left
    )


def _drawn_groups(body: Mapping[str, Any], labels: Sequence[str], by: str) -> list[Block]:
    if len(labels) < 3:
        return []
    links = [url_for("reckoning.show", group=name) for name in body["names"]] if by == "community" else []
    axis = _("axis %(at)s, %(share)s %%")
    words = {
        "title": _("Groups in a plane"),
        "x": axis % {"at": 1, "share": f"{100 * body['axes'][0]:.0f}"},
        "y": axis % {"at": 2, "share": f"{100 * body['axes'][1]:.0f}"},
        "says": _("Principal coordinates of Bray-Curtis distances on CI: groups that tell alike lie close together."),
    }
    joined = {
        "title": _("Groups as a tree"),
        "x": _("Bray-Curtis distance on CI"),
        "says": _("Average linkage: groups that tell alike are joined first."),
    }
    rows = [
        {"group": label, **{f"to_{at}": body["distances"][place][at] for at in range(len(labels))}}
        for place, label in enumerate(labels)
    ]
    table = Table(
        "distances",
        _("Bray-Curtis distances on CI"),
        [Column("group", "", "text"), *(Column(f"to_{at}", label) for at, label in enumerate(labels))],
        rows,
        subject="group",
    )
    lost = (
        [_("The plane cannot show %(share)s %% of the distances.", share=f"{100 * body['negative']:.0f}")]
        if body["negative"] > 0.05
        else []
    )
    return [
        Block("plane", _("In a plane"), plane(labels, body["points"], words, links), table, lost),
        Block("tree", _("As a tree"), tree(labels, body["merges"], body["order"], joined), data=_merges(body, labels)),
    ]


def _merges(body: Mapping[str, Any], labels: Sequence[str]) -> Table:
    """The joins of the tree in their order: what was joined, and at which distance."""
    names = [*labels]
    rows = []
    for one, other, height, size in body["merges"]:
        rows.append({"first": names[int(one)], "second": names[int(other)], "height": height, "groups": size})
        names.append(f"{names[int(one)]} + {names[int(other)]}")
    columns = [Column("first", _("first"), "text"), Column("second", _("second"), "text"), Column("height", _("distance")),
               Column("groups", _("groups"), "count")]  # fmt: skip
    return Table("joins", _("Joins of the tree"), columns, rows, subject="first")


_FIRST = 15  # plants on the page; all of them are in the file


def _pair(pair: Mapping[str, Any], body: Mapping[str, Any], shown: Names, purpose: Purpose) -> list[Block]:
    """Two groups: how alike they are, with tests, and the plants that tell them apart."""
    if purpose is Purpose.PUBLISHED and min(pair["n"]) < MINIMUM_HOLDERS:
        return []
    fc = body["fc"]
    sides = [body["ci"][pair[side]] for side in ("first", "second")]
    both = {taxon: (sides[0].get(taxon, 0.0), sides[1].get(taxon, 0.0)) for taxon in sorted({*sides[0], *sides[1]})
            if purpose is not Purpose.PUBLISHED or fc[taxon] >= MINIMUM_HOLDERS}  # fmt: skip
    heading = _("%(one)s and %(two)s", one=shown[pair["first"]], two=shown[pair["second"]])
    slug = re.sub(r"[^0-9a-z]+", "-", f"{pair['first']}-{pair['second']}".lower()).strip("-") or "pair"
    columns = [Column("what", _("measure"), "text"), Column("value", _("value")), Column("p", "p", "p")]
    left = ngettext(
        "PERMANOVA leaves out %(num)s holder who told nothing.",
        "PERMANOVA leaves out %(num)s holders who told nothing.",
        pair["left_out"],
    )
    sentences = [pair["why"] or left] if pair["why"] or pair["left_out"] else []
    put = {"c": pair["shared"], "A": pair["A"], "B": pair["B"]}
    about = Table(slug, heading, columns, _measures_of(pair), subject="what")
    taxa = [
        {
            "taxon": taxon,
            "difference": one["CI_difference"],
            "p": one.get("p_exact", one.get("p")),
            "p_holm": one["p_holm"],
            "p_bh": one["p_bh"],
        }
        for taxon, one in pair["species_CI_permutation"].items()
        if purpose is not Purpose.PUBLISHED or fc[taxon] >= MINIMUM_HOLDERS
    ]
    taxa.sort(key=lambda row: (row["p"] is None, row["p"] or 0, -abs(row["difference"] or 0), row["taxon"]))
    apart = Table(
        f"{slug}-plants",
        _("Difference of CI between %(pair)s", pair=heading),
        [
            Column("taxon", _("plant"), "taxon"),
            Column("difference", _("CI, difference")),
            Column("p", "p", "p"),
            Column("p_holm", _("p, Holm"), "p"),
            Column("p_bh", _("p, Benjamini-Hochberg"), "p"),
        ],
        taxa if purpose is Purpose.PUBLISHED else taxa[:_FIRST],
        subject="taxon",
    )
    rest = len(taxa) - len(apart.rows)
    more = [ngettext("%(num)s plant more, less different, is in the file.",
                     "%(num)s plants more, less different, are in the file.", rest)] if rest else []  # fmt: skip
    points = [Point(taxon, one, other, url_for("reckoning.show", margin=f"ci:{taxon}")) for taxon, (one, other) in both.items()]
    drawn = {"title": _("CI in %(pair)s", pair=heading), "x": _("CI in %(group)s", group=shown[pair["first"]]),
             "y": _("CI in %(group)s", group=shown[pair["second"]]),
             "says": _("Each point is a plant by its CI in both groups; on the line they are equal.")}  # fmt: skip
    explains = {"jaccard": lambda _row: put, "sorensen": lambda _row: put}
    return [
        Block(slug, heading, against(points, drawn) if points else None, table=about, sentences=sentences, explains=explains),
        Block(f"{slug}-plants", _("Plants that tell %(pair)s apart", pair=heading), table=apart, sentences=more),
    ]


def _measures_of(pair: Mapping[str, Any]) -> list[dict[str, Any]]:
    test = pair["permanova_jaccard_informants"]
    dealt = _("all %(num)s relabellings") if "p_exact" in test else _("%(num)s relabellings drawn")
    how = _("all relabellings counted") if "UR_per_informant_p_exact" in pair else _("relabellings drawn")
    told = _("Jaccard; plants %(a)s and %(b)s, both %(c)s", a=pair["A"], b=pair["B"], c=pair["shared"])
    return [
        {"what": told, "key": "jaccard", "value": pair["jaccard"]},
        {"what": _("Sørensen"), "key": "sorensen", "value": pair["sorensen"]},
        {"what": _("Bray-Curtis distance on CI"), "key": "bray", "value": pair["bray_curtis_CI"]},
        {"what": _("rank correlation of CI, shared plants"), "key": "spearman", "value": pair["spearman_CI_shared"]},
        {"what": _("rank correlation of CI, plants of either"), "key": "spearman", "value": pair["spearman_CI_union"]},
        {
            "what": _("reports per holder, difference; %(how)s", how=how),
            "key": "permuted",
            "value": pair["UR_per_informant_difference"],
            "p": pair.get("UR_per_informant_p_exact", pair.get("UR_per_informant_p")),
        },
        {
            "what": _("PERMANOVA, F; ") + dealt % {"num": test["relabellings"]},
            "key": "permanova",
            "value": test["F"],
            "p": test.get("p_exact", test.get("p")),
        },
    ]
