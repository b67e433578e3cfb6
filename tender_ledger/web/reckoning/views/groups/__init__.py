"""Groups of holders beside one another."""

from collections.abc import Mapping
from datetime import date
from typing import Any

from flask import g, request

from tender_ledger.operations import grouped
from tender_ledger.operations.disclosure.audience import Audience
from tender_ledger.web.reckoning.asked import Asked
from tender_ledger.web.reckoning.contents import Content, Names
from tender_ledger.web.reckoning.views.groups.each import drawn_groups, each_group
from tender_ledger.web.reckoning.views.groups.in_full import pair_in_full
from tender_ledger.web.reckoning.views.groups.pairs import all_pairs, slug_of
from tender_ledger.web.shared.words import gettext as _

GROUPINGS = {
    "community": _("community"),
    "gender": _("gender"),
    "age": _("age"),
    "occupation": _("occupation"),
    "kind": _("kind of encounter"),
    "period": _("when it was told"),
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


def groups(one: Asked, audience: Audience, names: Names) -> Content:
    """Groups of holders beside one another, by whatever they are set in groups by, and two of them in full."""
    by = request.args.get("by", "community")
    by = by if by in GROUPINGS else "community"
    since = _since(request.args.get("since", ""))
    heading = _("Groups of holders by %(by)s", by=GROUPINGS[by])
    lede = _("Each group has its own N and its own maxima. Tests deal the labels of holders anew, the silent ones too.")
    if by == "period" and since is None:
        return Content(heading, lede, empty=_("Say from which day on what was told belongs to the second period."))
    answer = grouped.groups(g.scope, one.rules, by=by, since=since, purpose=audience.purpose, again="again" in request.args)
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
    shown = {name: known.get(name, name) for name in body["names"]}
    if by == "period" and since:
        shown = {name: f"{label} {since:%-d %B %Y}" for name, label in shown.items()}

    def behind(*groups: str) -> Mapping[str, Any]:
        return grouped.behind_groups(g.scope, one.rules, by, since, *groups)

    stays = (
        ""
        if by == "community"
        else _(
            "Groups by %(by)s stay here: files set communities apart, "
            "and beside them a second way of grouping would tell of few.",
            by=GROUPINGS[by],
        )
    )
    apart = {name for name in body["names"] if by != "community" or audience.sees_community(name)}
    shown = {name: label for name, label in shown.items() if name in apart}
    pairs = [pair for pair in body["pairs"] if {pair["first"], pair["second"]} <= apart]
    chosen = next((pair for pair in pairs if slug_of(pair) == request.args.get("pair")), pairs[0] if pairs else None)
    blocks = [each_group(body, shown, by, behind, audience)]
    if apart == set(body["names"]):
        blocks += drawn_groups(body, shown, by, behind)
    if len(pairs) > 1:
        blocks.append(all_pairs(pairs, body, shown, behind))
    if chosen:
        blocks += pair_in_full(chosen, body, shown, behind, audience)
    return Content(heading, lede, blocks, stays=stays, seed=body["seed"], n=sum(body["n"]) - body["both"])


def _since(text: str) -> date | None:
    try:
        return date.fromisoformat(text)
    except ValueError:
        return None
