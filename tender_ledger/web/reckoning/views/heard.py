"""Has enough been heard: the listening curve."""

from collections.abc import Mapping
from typing import Any

from flask import g

from tender_ledger.core.terms import Purpose
from tender_ledger.figures.plots import Curve, listening_curve
from tender_ledger.formats.tables import Column, Table
from tender_ledger.operations import analyses
from tender_ledger.web.reckoning.asked import Asked
from tender_ledger.web.reckoning.contents import Block, Content, Names
from tender_ledger.web.shared.words import gettext as _
from tender_ledger.web.shared.words import ngettext

THINGS = {"taxa": _("plants"), "uses": _("specific uses"), "citations": _("plants for categories")}


def heard(one: Asked, purpose: Purpose, _names: Names) -> Content:
    """The listening curve, for plants, specific uses, and plants for categories."""
    answer = analyses.listening(g.scope, one.rules, group=one.group, purpose=purpose)
    heading = _("Has enough been heard")
    lede = _("Each curve says how much is expected to be heard from so many holders, chosen among those who were heard.")
    if answer.body is None:
        return Content(heading, lede, waits=answer)
    return Content(heading, lede, [_listened(things, answer.body[things]) for things in THINGS])


def _listened(things: str, found: Mapping[str, Any]) -> Block:
    what = THINGS[things]
    words = {
        "title": _("Listening curve, %(what)s", what=what),
        "x": _("holders heard"),
        "y": what,
        "says": _(
            "%(s)s heard from %(t)s holders, the curve expected of fewer, with 95 %% of it.", s=found["S_obs"], t=found["T"]
        ),
    }
    figure = listening_curve(Curve(what, found["at"], found["curve"], found["band"]), words) if found["T"] else None
    row = {**found, "things": what, "wanted_text": found["wanted"]}
    columns = [
        Column("things", _("heard"), "text"),
        Column("T", _("holders"), "count"),
        Column("S_obs", _("so far"), "count"),
        Column("Q1", _("by one only"), "count"),
        Column("Q2", _("by two"), "count"),
        Column("chao2_bias_corrected", "Chao2", "tenth"),
        Column("jackknife1", _("jackknife"), "tenth"),
        Column("coverage", _("coverage"), "share"),
        Column("wanted", _("still wanted"), "count", _("holders more for 95 % coverage")),
    ]
    put = {"T": found["T"], "Q_1": found["Q1"], "Q_2": found["Q2"], "U": found["U"], "S": found["S_obs"]}
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
    explains = {key: lambda _row: put for key in ("chao2_bias_corrected", "jackknife1", "coverage", "wanted")}
    return Block(
        things,
        what[:1].upper() + what[1:],
        figure,
        Table(things, words["says"], columns, [row], subject="things"),
        [wanted],
        cautions,
        explains=explains,
        data=_points(words["says"], found),
    )


def _points(caption: str, found: Mapping[str, Any]) -> Table:
    """The points of the curve with the ends of its band."""
    rows = [
        {"holders": at, "expected": value, "low": value - 1.96 * error, "high": value + 1.96 * error}
        for at, value, error in zip(found["at"], found["curve"], found["band"], strict=True)
    ]
    columns = [Column("holders", _("holders"), "count"), Column("expected", _("expected")), Column("low", "2.5 %"),
               Column("high", "97.5 %")]  # fmt: skip
    return Table("points", caption, columns, rows, subject="holders")
