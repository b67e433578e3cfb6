"""Pages and files of the views beside the tables of indices."""

import textwrap
from dataclasses import replace
from typing import Any

from flask import Response as Answer
from flask import abort, g, render_template, request, url_for
from werkzeug.wrappers import Response

from tender_ledger.core.indices.working import SYMBOLS
from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Purpose
from tender_ledger.formats.isolation import isolated
from tender_ledger.formats.printing import print_pdf
from tender_ledger.formats.tables import table_csv, table_html, table_xlsx, written
from tender_ledger.operations import computing
from tender_ledger.operations.disclosure.audience import MEMBERS, Audience
from tender_ledger.operations.disclosure.publishing import STAYS_TRIED_OUT, give_out
from tender_ledger.operations.disclosure.splits import minimum_of
from tender_ledger.operations.errors import Refused
from tender_ledger.operations.publishing import COMMUNITY_STAYS
from tender_ledger.operations.reckoning import parts_told, reckon_study
from tender_ledger.storage.queries import people, studies
from tender_ledger.storage.queries import reckoned as reckoned_queries
from tender_ledger.web.reckoning.asked import Asked, asked, carried, categories
from tender_ledger.web.reckoning.contents import Block, Content
from tender_ledger.web.reckoning.routes import reckoning
from tender_ledger.web.reckoning.views import VIEWS
from tender_ledger.web.reckoning.views.groups import GROUPINGS
from tender_ledger.web.reckoning.views.holders import MEASURES
from tender_ledger.web.reckoning.workings import taken_apart
from tender_ledger.web.shared.chosen import chosen_words
from tender_ledger.web.shared.fonts import font_files
from tender_ledger.web.shared.kept_spread import kept_spread
from tender_ledger.web.shared.looks import LOOKS
from tender_ledger.web.shared.mathml import mathml, symbol
from tender_ledger.web.shared.past_counts import shows_past_counts
from tender_ledger.web.shared.rules_sentence import rules_parts, rules_sentence
from tender_ledger.web.shared.spread import done, opened
from tender_ledger.web.shared.words import gettext as _

_MEDIA = {
    "data": "text/csv", "svg": "image/svg+xml", "pdf": "application/pdf", "csv": "text/csv", "html": "text/html",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
}  # fmt: skip


_OPTIONS = ("by", "since", "pair", "measure", "t", "index", "flora", "category")
_NAMES = ", ".join(VIEWS)


def _asked() -> tuple[Asked, dict[str, str]]:
    names = people.community_names(g.scope)
    return asked(request.args, names), names


def _content(view: str, one: Asked, names: dict[str, str], audience: Audience) -> Content:
    build = VIEWS[view][1]
    if view != "parts":
        return build(one, audience, names)
    labels = {code: choice.label for code, choice in categories().items()}
    labels |= {row["code"]: row["label"] for row in parts_told(g.scope)}
    methods = {row["code"]: row["label"] for row in studies.terms(g.scope.study_id, "method")}
    return build(one, audience, names, {**methods, **labels})


@reckoning.get(f"/<any({_NAMES}):view>")
@shows_past_counts()
def analysis(view: str) -> str:
    """A view with its figures and tables; the margin says how the number that is open came about."""
    return kept_spread("reckoning/analysis.html", lambda: _view(view))


def _view(view: str) -> tuple[str, dict[str, Any]]:
    """The template of the margin and the context of a view."""
    one, names = _asked()
    content = _content(view, one, names, MEMBERS)
    kind, about = opened()
    context: dict[str, Any] = {
        "view": view, "views": VIEWS, "content": content, "asked": one, "rules": one.rules, "rules_words": rules_parts(one.rules),
        "communities": names, "groupings": GROUPINGS, "measures": MEASURES,
        "mathml": mathml, "symbol": symbol, "symbols": SYMBOLS, "categories": categories(), "margin_group": one.group,
        "carried": carried, "written": written, "file_at": _file_address(view),
        "minimum": minimum_of(g.scope), "stays": _why_it_stays(one, content),
    }  # fmt: skip
    if view in ("overuse", "lists"):
        context |= {"floras": reckoned_queries.floras(g.scope), "used_in": categories()}
    template, found = taken_apart(content, one, kind, about) or ("reckoning/_about_view.html", {})
    context |= found
    if kind == "csi" and context.get("taxon"):
        context["scoring"] = _scoring(one, context["taxon"])
    return template, context


def _file_address(view: str) -> Any:
    kept = {
        **carried(),
        **{name: request.args[name] for name in _OPTIONS if name in request.args},
    }
    return lambda block, kind: url_for("reckoning.analysis_file", view=view, block=block, kind=kind, **kept)


def _scoring(one: Asked, taxon: str) -> list[dict[str, Any]]:
    """The categories told of a taxon, each with the scores it has."""
    r = reckon_study(g.scope, one.rules).result
    kept = {row["category"]: row for row in reckoned_queries.scores(g.scope) if row["taxon"] == taxon}
    labels = {code: choice.label for code, choice in categories().items()}
    at = r.taxa.index(taxon) if taxon in r.taxa else -1
    told = [code for place, code in enumerate(r.categories) if at >= 0 and r.counts.ur_by_category[at, place]]
    return [{"code": code, "label": labels.get(code, code), "scores": kept.get(code, {})} for code in told]


@reckoning.get(f"/<any({_NAMES}):view>/<block>.<any(svg, pdf, csv, xlsx, html, data):kind>")
def analysis_file(view: str, block: str, kind: str) -> Answer:
    """A figure or a table as a file, computed within the terms of publication, its cells chosen as those of every file."""
    g.member.require(Right.EXPORT)
    one, names = _asked()
    audience = give_out(g.scope, one.rules)
    if not audience.sees_community(one.group):
        raise Refused({"group": COMMUNITY_STAYS})
    content = _content(view, one, names, audience)
    if why := _why_it_stays(one, content):
        raise Refused({"view": why})
    found = content.block(block)
    if found is not None and found.stays:
        raise Refused({"view": found.stays})
    if content.waits is not None:
        abort(503, description=_("It is being computed. Try once more in a while."))
    held = {"svg": "figure", "pdf": "figure", "data": "data"}.get(kind, "table")
    if found is None or found.single or getattr(found, held) is None:
        abort(404)
    name = f"{view}-{block}-data.csv" if kind == "data" else f"{view}-{block}.{kind}"
    return Answer(_file(found, content, one, names, kind, audience), mimetype=_MEDIA[kind],
                  headers={"Content-Disposition": f'attachment; filename="{name}"'})  # fmt: skip


def _why_it_stays(one: Asked, content: Content) -> str:
    """Why nothing of a view is given out; "" where something is."""
    return content.stays or (STAYS_TRIED_OUT if one.tried_out else "")


def _file(block: Block, content: Content, one: Asked, names: dict[str, str], kind: str, audience: Audience) -> bytes:
    caption = _caption(content, one, names, audience)
    if kind in ("svg", "pdf") and block.figure:
        wide = int(max(block.figure.width, 700) / 6.4)  # letters of a line that stay on the sheet
        lines = [line for said in caption for line in textwrap.wrap(said, wide)]
        svg = render_template("reckoning/drawing_file.svg", drawing=block.figure, caption=lines, looks=LOOKS)
        if kind == "svg":
            return svg.encode()
        sheet = render_template("reckoning/drawing_print.html", svg=svg, drawing=block.figure, lines=len(lines))
        return isolated(print_pdf, sheet, font_files())
    table = block.data if kind == "data" else block.table
    if table is None:
        abort(404)
    if kind in ("csv", "data"):
        return table_csv(table)
    table = replace(table, notes=[*table.notes, *block.sentences, *caption])
    return table_xlsx(table) if kind == "xlsx" else table_html(table)


def _caption(content: Content, one: Asked, names: dict[str, str], audience: Audience) -> list[str]:
    """What every file says of itself: how it was counted, where, how holders were chosen, the seed, the day."""
    where = names.get(one.group, "")
    counted = content.n
    if counted is None:
        reckoned = reckon_study(g.scope, one.rules, purpose=Purpose.PUBLISHED)
        counted = reckoned.n_of.get(one.group, reckoned.result.n)
    seed = [_("Seed %(seed)s.", seed=content.seed)] if content.seed is not None else []
    chosen = chosen_words(studies.choice_of_holders(g.scope))
    return [
        f"{content.heading}{f', {where}' if where else ''}. {rules_sentence(one.rules)}",
        " ".join([f"N = {counted}, {chosen}.", *seed, f"{g.scope.day:%-d %B %Y}.",
                  _("What fewer than %(n)s holders stand behind is left out, and what would tell it.", n=audience.minimum)]),
        _("How often it was told, not how well it works. It is no advice to treat, eat or gather."),
    ]  # fmt: skip


@reckoning.post("/computation/<int:number>/cancel")
def cancel_computation(number: int) -> Response:
    """Let a computation under way go."""
    computing.cancel(g.scope, number)
    back = request.form.get("view", "")
    address = url_for("reckoning.analysis", view=back) if back in VIEWS else url_for("reckoning.show")
    if back == "give-back":
        address = url_for("giveback.show")
    return done(_("Let go; nothing of it was kept."), address)
