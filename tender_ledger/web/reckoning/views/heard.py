"""Has enough been heard: the listening curve."""

from collections.abc import Callable, Mapping
from typing import Any

from flask import g, url_for

from tender_ledger.figures.plots import Curve, listening_curve
from tender_ledger.formats.tables import Column, Table
from tender_ledger.operations import analyses
from tender_ledger.operations.disclosure.audience import Audience
from tender_ledger.web.reckoning.asked import Asked, carried, categories
from tender_ledger.web.reckoning.contents import Apart, Block, Content, Link, Names, Row
from tender_ledger.web.reckoning.views.intervals import ends_of, pair_of
from tender_ledger.web.shared.words import gettext as _
from tender_ledger.web.shared.words import ngettext

THINGS = {"taxa": _("plants"), "uses": _("specific uses"), "citations": _("plants for categories")}


def heard(one: Asked, audience: Audience, _names: Names) -> Content:
    """The listening curve, for plants, specific uses, and plants for categories."""
    answer = analyses.listening(g.scope, one.rules, group=one.group, purpose=audience.purpose)
    heading = _("Has enough been heard")
    lede = _("Each curve says how much is expected to be heard from so many holders, chosen among those who were heard.")
    if answer.body is None:
        return Content(heading, lede, waits=answer)
    return Content(heading, lede, [_listened(things, answer.body[things], one.group) for things in THINGS])


def _listened(things: str, found: Mapping[str, Any], group: str) -> Block:
    what = THINGS[things]
    words = {
        "title": _("Listening curve, %(what)s", what=what),
        "x": _("holders heard"),
        "y": what,
        "says": _(
            "%(s)s heard from %(t)s holders, the curve expected of fewer, with 95 %% of it.", s=found["S_obs"], t=found["T"]
        ),
    }
    curve = Curve(what, found["at"], found["curve"], found["low"], found["high"])
    figure = listening_curve(curve, words, url_for("ledger.show", community=group or None)) if found["T"] else None
    row = {**found, "things": what, **ends_of("coverage", found["coverage_ends"])}
    columns = [
        Column("things", _("heard"), "text"),
        Column("T", _("holders"), "count", explains="heard"),
        Column("S_obs", _("so far"), "count", explains="sofar"),
        Column("Q1", _("by one only"), "count", explains="q1"),
        Column("Q2", _("by two"), "count", explains="q2"),
        Column("chao2_bias_corrected", "Chao2", "tenth", explains="chao2"),
        Column("jackknife1", _("jackknife"), "tenth", explains="jack1"),
        Column("coverage", _("coverage"), "share", ends=True),
        Column("wanted", _("still wanted"), "count", _("holders more for 95 % coverage")),
    ]
    wanted = (
        found["why"]
        if found["wanted"] is None
        else (
            _("95 % coverage is reached.")
            if not found["wanted"]
            else ngettext(
                "%(num)s holder more is expected to bring 95 %% coverage.",
                "%(num)s holders more are expected to bring 95 %% coverage.",
                found["wanted"],
            )
        )
    )
    cautions = [_("One holder says nothing about how many more it takes.")] if found["T"] == 1 else []
    return Block(
        things,
        what[:1].upper() + what[1:],
        figure,
        Table(things, words["says"], columns, [row], subject="things"),
        [wanted],
        cautions,
        apart=_apart(found),
        behind=lambda _row: {"community": group},
        data=_points(words["says"], found),
    )


def _apart(found: Mapping[str, Any]) -> dict[str, Callable[[Row], Apart]]:
    """What each number of the row is made of, and what other estimators make of the same."""
    put = {"T": found["T"], "Q_1": found["Q1"], "Q_2": found["Q2"], "U": found["U"], "S": found["S_obs"]}
    labels = {code: choice.label for code, choice in categories().items()}
    by = {"ones": _("told by one"), "twos": _("told by two")}

    def things(key: str) -> list[Link]:
        """Put together where they are opened: of a large study they are thousands."""
        return [_thing(taxon, labels.get(category, category) or by[key]) for taxon, category in found.get(key, ())]

    chao, jack = found["chao2_bias_corrected"], found["jackknife1"]
    more = [
        (_("Chao2, classic"), found["chao2_classic"]),
        (_("Chao2 of 1987, without its factor"), found["chao2_1987_no_factor"]),
        (_("second-order jackknife"), found["jackknife2"]),
    ]
    simple = [(_("Good’s coverage, 1 − Q₁ / U"), found["coverage_good_turing_simple"])]
    so_far = [(_("coverage so far"), found["coverage"]), *simple]
    return {
        "heard": lambda _row: Apart({"T": found["T"]}),
        "sofar": lambda _row: Apart({"S": found["S_obs"]}, others=[("Chao2", chao), (_("jackknife"), jack)]),
        "q1": lambda _row: Apart({"Q_1": found["Q1"]}, things("ones")),
        "q2": lambda _row: Apart({"Q_2": found["Q2"]}, things("twos")),
        "chao2": lambda _row: Apart(
            put,
            things("ones"),
            [(_("its standard error"), found["chao2_bias_corrected_SE"]), *more, (_("jackknife"), jack)],
        ),
        "jack1": lambda _row: Apart(
            put, things("ones"), [(_("its standard error"), found["jackknife1_SE"]), ("Chao2", chao), *more]
        ),
        "coverage": lambda _row: Apart(
            put, things("ones"), simple, pair_of(found["coverage_ends"]), how=_("95 % by leaving out each holder in turn")
        ),
        "wanted": lambda _row: Apart(put, things("ones"), so_far),
    }


def _thing(taxon: str, said: str) -> Link:
    return Link(taxon, said, url_for("reckoning.show", margin=f"ur:{taxon}", **carried()), is_taxon=True)


def _points(caption: str, found: Mapping[str, Any]) -> Table:
    """The points of the curve with the ends of its band."""
    rows = [
        {"holders": at, "expected": value, "low": low, "high": high}
        for at, value, low, high in zip(found["at"], found["curve"], found["low"], found["high"], strict=True)
    ]
    columns = [Column("holders", _("holders"), "count"), Column("expected", _("expected")), Column("low", "2.5 %"),
               Column("high", "97.5 %")]  # fmt: skip
    return Table("points", caption, columns, rows, subject="holders")
