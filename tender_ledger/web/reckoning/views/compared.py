"""Two sets of counting rules side by side, and what between them did it."""

from collections.abc import Mapping, Sequence
from typing import Any

from flask import g, request, url_for

from tender_ledger.core.indices.rule_comparison import Shifted
from tender_ledger.core.indices.working import SYMBOLS
from tender_ledger.formats.tables import Column, Table
from tender_ledger.operations import analyses
from tender_ledger.operations.disclosure.audience import Audience
from tender_ledger.operations.disclosure.publishing import STAYS_TRIED_OUT
from tender_ledger.operations.reckoning import Behind, rules_side_by_side
from tender_ledger.web.reckoning.asked import LADDER_INDICES, Asked, categories
from tender_ledger.web.reckoning.contents import Apart, Block, Content, Names, Row, Standing
from tender_ledger.web.reckoning.views.intervals import Ends, ends_of
from tender_ledger.web.shared.rules_sentence import choice_words, rules_sentence
from tender_ledger.web.shared.words import gettext as _
from tender_ledger.web.shared.words import ngettext

_SHOWN = 200


def compare(one: Asked, audience: Audience, _names: Names) -> Content:
    """The rules in force beside those of the address: choices, ranks and values, and the reports that only one counts."""
    heading = _("Two sets of rules side by side")
    if not one.tried_out:
        return Content(
            heading,
            _("In force:") + f" {rules_sentence(one.in_force)}",
            empty=_(
                "Choose rules to set beside those in force: open the rules in the first line of a table, or take a saved set."
            ),
        )
    index = request.args.get("index", "ci")
    index = index if index in LADDER_INDICES else "ci"
    found = rules_side_by_side(g.scope, one.in_force, one.rules, index, purpose=audience.purpose)
    compared = found.compared
    lede = _("First: %(first)s Second: %(second)s", first=rules_sentence(one.in_force), second=rules_sentence(one.rules))
    choices = [
        {"choice": key.replace("_", " "), "first": choice_words(first), "second": choice_words(second)}
        for key, first, second in compared.choices
    ]
    said = [
        _(
            "N is %(first)s and %(second)s, UR %(a)s and %(b)s.",
            first=compared.first.n,
            second=compared.second.n,
            a=f"{compared.first.ur.sum():g}",
            b=f"{compared.second.ur.sum():g}",
        )
    ]
    by_choice = Table(
        "choices",
        _("What differs between the rules"),
        [Column("choice", _("choice"), "text"), Column("first", _("first"), "text"), Column("second", _("second"), "text")],
        choices,
        subject="choice",
    )
    again = "again" in request.args
    spans = [analyses.ends_of_values(g.scope, rules, purpose=audience.purpose, begin=True, again=again)
             for rules in (one.in_force, one.rules)]  # fmt: skip

    def ends_by(name: str) -> Sequence[Mapping[str, Ends]]:
        return [(found.body or {}).get(name, {}) for found in spans]

    labels = {code: choice.label for code, choice in categories().items()}
    blocks: list[Block | None] = [
        Block("choices", _("Choices"), table=by_choice, sentences=said),
        Block(
            "plants",
            _("Plants, by %(index)s", index=SYMBOLS[index]),
            table=_shifts("plants", _("plant"), "taxon", compared.taxa, {}, ends_by(index)),
            **_values_apart(one, index),
        ),
        Block(
            "categories",
            _("Use categories, by ICF"),
            table=_shifts("categories", _("use category"), "text", compared.categories, labels, ends_by("icf")),
            **_values_apart(one, "icf"),
        ),
    ]
    blocks += [
        _reports("first", found.only_first),
        _reports("second", found.only_second),
    ]
    waits = next((found for found in spans if found.body is None), None)
    return Content(heading, lede, [block for block in blocks if block is not None], waits=waits, stays=STAYS_TRIED_OUT)


def _values_apart(one: Asked, index: str) -> dict[str, Any]:
    """How the values and ranks of a row came about, by each of the two sets of rules."""

    def ranks(row: Row, which: str = "first") -> Apart:
        values = [(_("first"), row["first"]), (_("second"), row["second"])]
        return Apart({"r": row[f"{which}_rank"], "r_1": row["first_rank"], "r_2": row["second_rank"]}, others=values)

    return {
        "apart": {index: lambda row: Standing(index, row["code"], one.rules, ""),
                  "first": lambda row: Standing(index, row["code"], one.in_force, ""),
                  "second": lambda row: Standing(index, row["code"], one.rules, ""),
                  "rank/first": ranks, "rank/second": lambda row: ranks(row, "second"), "shift": ranks},
        "behind": lambda row: {"taxon" if index != "icf" else "category": row["code"]},
    }  # fmt: skip


def _shifts(name: str, label: str, kind: str, shifted: tuple[Shifted, ...], labels: Mapping[str, str],
            ends: Sequence[Mapping[str, Ends]]) -> Table:  # fmt: skip
    columns = [
        Column("what", label, kind),
        Column("first", _("first"), ends=True),
        Column("second", _("second"), ends=True),
        Column("first_rank", _("rank"), "count", explains="rank/first"),
        Column("second_rank", _("rank"), "count", explains="rank/second"),
        Column("shift", _("places moved, − is up"), "count"),
    ]
    rows = [
        {
            "what": labels.get(one.taxon, one.taxon),
            "code": one.taxon,
            "first": one.first,
            "second": one.second,
            "first_rank": one.first_rank or None,
            "second_rank": one.second_rank or None,
            "shift": one.shift,
            **ends_of("first", ends[0].get(one.taxon)),
            **ends_of("second", ends[1].get(one.taxon)),
        }
        for one in shifted
    ]
    return Table(name, label, columns, rows, subject="what")


def _reports(which: str, behind: Behind) -> Block | None:
    if not behind.counted:
        return None
    heading = _("Reports that only the first counts") if which == "first" else _("Reports that only the second counts")
    rows = [
        {
            "report": f"{one['informant']}, {one['category'] or _('no category')}",
            "plant": one["field_number"],
            "id": one["id"],
            "words": one["words"],
        }
        for one in behind.shown[:_SHOWN]
    ]
    said = [ngettext("%(num)s report.", "%(num)s reports.", behind.counted)]
    if behind.hidden and behind.number_is_said:
        said.append(
            ngettext(
                "%(num)s of them is not shown under its terms.", "%(num)s of them are not shown under their terms.", behind.hidden
            )
        )
    elif behind.hidden:
        said.append(_("Not all of them are shown under their terms."))
    if len(behind.shown) > _SHOWN:
        said.append(_("The first %(num)s are shown.", num=_SHOWN))
    links = {str(row["id"]): url_for("reports.report", report=row["id"]) for row in rows}
    columns = [Column("report", _("report"), "text"), Column("plant", _("plant"), "text"), Column("words", _("words"), "text")]
    return Block(
        f"only-{which}",
        heading,
        table=Table(f"only-{which}", heading, columns, rows, subject="id", links=links),
        sentences=said,
        single=True,
    )
