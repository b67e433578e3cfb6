"""The groups one by one, in a plane and as a tree."""

from collections.abc import Callable, Mapping, Sequence
from functools import partial
from typing import Any

from flask import url_for

from tender_ledger.figures.plots import plane, tree
from tender_ledger.formats.tables import Column, Table
from tender_ledger.operations.disclosure.audience import Audience
from tender_ledger.web.reckoning.asked import carried
from tender_ledger.web.reckoning.contents import Apart, Block, Link, Names, Row
from tender_ledger.web.reckoning.views.intervals import ends_of, pair_of
from tender_ledger.web.shared.words import gettext as _
from tender_ledger.web.shared.words import ngettext

BehindGroups = Callable[..., Mapping[str, Any]]


def each_group(body: Mapping[str, Any], shown: Names, by: str, behind: BehindGroups, audience: Audience) -> Block:
    """N, plants and reports of every group."""
    rows = [
        {
            "group": label,
            "name": name,
            "n": body["n"][at],
            "taxa": body["taxa"][at],
            "own": body["own"][at],
            "ur": body["ur"][at] if audience.sees_all(name) else None,
        }
        for name, label in shown.items()
        for at in [body["names"].index(name)]
    ]
    columns = [
        Column("group", _("group"), "text"),
        Column("n", "N", "count", explains="groupn"),
        Column("taxa", _("plants told"), "count", explains="grouptaxa"),
        Column("own", _("by it alone"), "count"),
        Column("ur", _("reports"), "count", explains="groupur"),
    ]

    def told(row: Row) -> list[Link]:
        ci = body["ci"][row["name"]]
        return [_plant(taxon, ci[taxon]) for taxon in sorted(ci, key=lambda taxon: (-ci[taxon], taxon))]

    def alone(row: Row) -> list[Link]:
        others = {taxon for name, ci in body["ci"].items() if name != row["name"] for taxon in ci}
        return [link for link in told(row) if link.name not in others]

    table = Table("groups", _("Groups of holders"), columns, rows, subject="group", links=_pages(shown, by))
    return Block(
        "groups",
        _("The groups"),
        table=table,
        sentences=[] if audience.is_public else _left_out(body, by),
        cautions=_in_several(body, by),
        apart={
            "groupn": lambda row: Apart({"N": row["n"]}),
            "grouptaxa": lambda row: Apart({"S": row["taxa"]}, told(row)),
            "own": lambda row: Apart({"n": row["own"]}, alone(row)),
            "groupur": lambda row: Apart({"sum_s": row["ur"]}, others=[(_("reports per holder"), row["ur"] / row["n"])]),
        },
        behind=lambda row: behind(row["name"]),
    )


def _plant(taxon: str, ci: float) -> Link:
    return Link(taxon, f"CI {ci:.2f}", url_for("reckoning.show", margin=f"ci:{taxon}", **carried()), is_taxon=True)


def _pages(shown: Names, by: str) -> dict[str, str]:
    """Where a group has a page of its own: the reckoning of a community."""
    if by != "community":
        return {}
    kept = {name: value for name, value in carried().items() if name != "group"}
    return {label: url_for("reckoning.show", group=name, **kept) for name, label in shown.items()}


def _left_out(body: Mapping[str, Any], by: str) -> list[str]:
    said = [_("Groups are of those who are shown: too few others are counted to be told apart.")] if body["shown_alone"] else []
    if body["none"] and by == "occupation":
        said.append(
            ngettext(
                "%(num)s holder is in no group: the occupation is not on record, or fewer than %(least)s have it.",
                "%(num)s holders are in no group: the occupation is not on record, or fewer than %(least)s have it.",
                body["none"],
                least=body["least"],
            )
        )
    elif body["none"]:
        said.append(
            ngettext(
                "%(num)s holder is in no group: it is not on record.",
                "%(num)s holders are in no group: it is not on record.",
                body["none"],
            )
        )
    if body["untested"]:
        said.append(
            ngettext(
                "%(num)s pair more is not tested; set fewer groups apart.",
                "%(num)s pairs more are not tested; set fewer groups apart.",
                body["untested"],
            )
        )
    return said


def _in_several(body: Mapping[str, Any], by: str) -> list[str]:
    if not body["both"]:
        return []
    kept = _("Who told in both periods stands in each with what was told then.") if by == "period" else _(
        "Who told in encounters of several kinds stands in each with what was told there.")  # fmt: skip
    return [
        kept
        + " "
        + ngettext(
            "Tests take the same holder for another person: %(num)s stands twice, so p is only a guide.",
            "Tests take the same holder for another person: %(num)s stand more than once, so p is only a guide.",
            body["both"],
        )
    ]


def drawn_groups(body: Mapping[str, Any], shown: Names, by: str, behind: BehindGroups) -> list[Block]:
    """The groups in a plane with their distances, and as a tree; nothing where there are but two."""
    names, labels = list(shown), list(shown.values())
    if len(labels) < 3:
        return []
    pages = _pages(shown, by)
    links = [pages.get(label, "") or url_for("reckoning.analysis", view="groups", by=by, margin=f"groupn:groups:{label}")
             for label in labels]  # fmt: skip
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
        "says": _(
            "Average linkage: groups that tell alike are joined first; beside a knot, in how many resamples they are joined so."
        ),
        "again": _("joined so in"),
    }
    between = {frozenset((pair["first"], pair["second"])): pair["ends"].get("bray") for pair in body["pairs"]}
    ends = {(name, at): between.get(frozenset((name, other))) for name in names for at, other in enumerate(names)}
    rows = [
        {
            "group": label,
            "name": name,
            **{f"to_{at}": body["distances"][place][at] for at in range(len(labels))},
            **{key: end for at in range(len(labels)) for key, end in ends_of(f"to_{at}", ends[name, at]).items()},
        }
        for place, (name, label) in enumerate(shown.items())
    ]

    def distance(row: Row, at: int) -> Apart:
        made = [Link(label, f"{row[f'to_{other}']:.3f}") for other, label in enumerate(labels)]
        return Apart(made_of=made, ends=pair_of(ends[row["name"], at]))

    columns = [
        Column("group", "", "text"),
        *(Column(f"to_{at}", label, explains=f"bray/{at}", ends=True) for at, label in enumerate(labels)),
    ]
    lost = (
        [_("The plane cannot show %(share)s %% of the distances.", share=f"{100 * body['negative']:.0f}")]
        if body["negative"] > 0.05
        else []
    )
    return [
        Block(
            "plane",
            _("In a plane"),
            plane(labels, body["points"], words, links),
            Table("distances", _("Bray-Curtis distances on CI"), columns, rows, subject="group", links=pages),
            lost,
            apart={f"bray/{at}": partial(distance, at=at) for at in range(len(labels))},
            behind=lambda row: behind(row["name"]),
        ),
        Block(
            "tree",
            _("As a tree"),
            tree(labels, body["merges"], body["order"], joined, links, _joins(body, names, by), body["joined_again"]),
            data=_merges(body, labels),
        ),
    ]


def _joins(body: Mapping[str, Any], names: Sequence[str], by: str) -> list[str]:
    """What each join of the tree leads to: the pair in full where it joins two groups, else the pairs of all."""
    found = []
    for one, other, _height, _size in body["merges"]:
        two = max(int(one), int(other)) < len(names)
        pair = "|".join(names[int(at)] for at in sorted((one, other))) if two else None
        found.append(
            url_for("reckoning.analysis", view="groups", by=by, pair=pair, _anchor="pair" if two else "pairs", **carried())
        )
    return found


def _merges(body: Mapping[str, Any], labels: Sequence[str]) -> Table:
    """The joins of the tree in their order: what was joined, and at which distance."""
    names = [*labels]
    rows = []
    for (one, other, height, size), again in zip(body["merges"], body["joined_again"], strict=True):
        rows.append({"first": names[int(one)], "second": names[int(other)], "height": height, "groups": size, "again": again})
        names.append(f"{names[int(one)]} + {names[int(other)]}")
    columns = [Column("first", _("first"), "text"), Column("second", _("second"), "text"), Column("height", _("distance")),
               Column("groups", _("groups"), "count"), Column("again", _("joined in so many resamples"), "share")]  # fmt: skip
    return Table("joins", _("Joins of the tree"), columns, rows, subject="first")
