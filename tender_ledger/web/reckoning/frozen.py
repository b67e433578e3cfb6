"""Frozen reckonings: frozen, opened with what moved since, taken out, let go."""

from dataclasses import replace

from flask import Response as Answer
from flask import abort, g, request, url_for
from werkzeug.wrappers import Response

from tender_ledger.core.indices.working import SYMBOLS
from tender_ledger.core.rights import Right
from tender_ledger.formats.tables import written
from tender_ledger.operations import freezing
from tender_ledger.operations.errors import Refused
from tender_ledger.storage.queries import people
from tender_ledger.storage.queries import reckoned as queries
from tender_ledger.web.reckoning.asked import asked, categories
from tender_ledger.web.reckoning.pages import page_context, page_of, table_file
from tender_ledger.web.reckoning.routes import reckoning
from tender_ledger.web.reckoning.views.frozen import frozen_blocks
from tender_ledger.web.reckoning.workings import taken_apart
from tender_ledger.web.shared.act_names import ACTS
from tender_ledger.web.shared.answers import Page
from tender_ledger.web.shared.forms import LedgerForm
from tender_ledger.web.shared.mathml import mathml, symbol
from tender_ledger.web.shared.rules_sentence import rules_sentence
from tender_ledger.web.shared.spread import done, opened, spread
from tender_ledger.web.shared.words import gettext as _


@reckoning.get("/frozen")
def list_frozen() -> Page:
    """The frozen reckonings of the study, and the form that freezes the one of the address."""
    return _frozen()


def _frozen(refused: str = "", status: int = 200) -> Page:
    return page_of("reckoning/frozen.html", view="frozen", found=queries.frozen(g.scope), refused=refused,
                 typed=request.form.get("name", ""), status=status)  # fmt: skip


@reckoning.post("/frozen")
def freeze() -> Page:
    """Freeze the reckoning by the rules of the address."""
    names = people.community_names(g.scope)
    g.member.require(Right.SET_RULES)
    try:
        number = freezing.freeze_reckoning(g.scope, asked(request.args, names).rules, request.form.get("name", ""))
    except Refused as refused:
        return _frozen(" ".join(refused.errors.values()), 422)
    return done(_("The reckoning is frozen."), url_for("reckoning.open_frozen", number=number))


@reckoning.get("/frozen/<int:number>")
def open_frozen(number: int) -> str:
    """A frozen reckoning, what moved since, and by what acts; the margin takes a number apart."""
    found = freezing.open_frozen(g.scope, number)
    content = frozen_blocks(found.body, found.moved, found.rules)
    context = page_context()
    one = replace(context["asked"], rules=found.rules, group="")
    kind, about = opened()
    template, more = taken_apart(content, one, kind, about) or ("reckoning/_about_view.html", {})
    shown = {"view": "frozen", "opened": found, "content": content, "acts": ACTS, "mathml": mathml, "symbol": symbol,
             "written": written, "categories": categories(), "symbols": SYMBOLS, "margin_group": "",
             "communities": people.community_names(g.scope)}  # fmt: skip
    return spread("reckoning/frozen_one.html", template, **shown, **context, **more)


@reckoning.get("/frozen/<int:number>/<block>.<any(csv, xlsx, html):kind>")
def frozen_file(number: int, block: str, kind: str) -> Answer:
    """A table of a frozen reckoning, of what might be published when it was frozen and may be still."""
    found = freezing.open_frozen(g.scope, number)
    try:
        values, audience = freezing.publish_frozen(g.scope, found)
    except Refused as refused:
        abort(422, description=" ".join(refused.errors.values()))
    shown = frozen_blocks(values, (), found.rules, audience=audience).block(block)
    if shown is None or shown.table is None:  # what moved since is of today, and stands in no file
        abort(404)
    kept = found.kept
    notes = [
        rules_sentence(found.rules),
        _("N = %(n)s; frozen %(day)s, seed %(seed)s, %(software)s, fingerprint %(print)s.", n=values["totals"]["N"],
          day=f"{kept['frozen_on']:%-d %B %Y}", seed=kept["seed"], software=kept["software"], print=kept["fingerprint"]),
        _("Of what could be published then: what fewer than %(n)s holders stand behind is left out, and what would tell it.",
          n=audience.minimum),
        _("How often it was told, not how well it works. It is no advice to treat, eat or gather."),
    ]  # fmt: skip
    return table_file(
        replace(shown.table, caption=f"{kept['name']}. {shown.table.caption}", notes=notes), kind, f"frozen-{number}-{block}"
    )


@reckoning.post("/frozen/<int:number>/remove")
def remove_frozen(number: int) -> Response:
    """Let a frozen reckoning go."""
    freezing.remove_frozen(g.scope, number, LedgerForm().seen_version())
    return done(_("The frozen reckoning is let go."), url_for("reckoning.list_frozen"))
