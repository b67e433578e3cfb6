"""The worklist: what waits for a decision, why, and what settles it; and the cautions on record."""

from collections import Counter
from collections.abc import Sequence

from flask import flash, g, render_template, request, url_for
from werkzeug.wrappers import Response
from wtforms import SelectField

from tender_ledger.operations import worklist as operations
from tender_ledger.operations.errors import NotFound, Refused
from tender_ledger.operations.worklist import KINDS, REVIEWED
from tender_ledger.storage.queries import worklist as queries
from tender_ledger.web.shared.answers import Page, part_saved
from tender_ledger.web.shared.forms import LedgerForm, options, text
from tender_ledger.web.shared.past_counts import shows_past_counts
from tender_ledger.web.shared.spread import done, is_htmx, spread
from tender_ledger.web.shared.study_scope import study_blueprint
from tender_ledger.web.shared.words import gettext as _

worklist = study_blueprint("worklist", __name__, "/worklist")
_ON_PAGE = 500  # items on the page
_REASONS = 9  # of those used before, each with a digit


class CautionForm(LedgerForm):
    taxon = text(_("Taxon"), _("A species, or a genus for all of its species."))
    kind = SelectField(_("Kind"), choices=options(KINDS.items()), validate_choice=False)
    harm = text(_("What may happen"))
    source = text(_("Who says so"), _("A work, an office, or the teller."))
    part = text(_("Part"), _("Open for all of it."))
    stage = text(_("Plant stage"))
    method = text(_("Made ready"), _("Where it holds for one way of preparing alone."))
    asks = text(_("What takes the harm away"), _("A way of making ready, such as cooked or soaked."))


@worklist.get("")
@shows_past_counts(by_others=True)
def show() -> Page:
    """Everything that waits and may be seen, rule by rule."""
    return _page()


def _page(*, refused: str = "", cautioning: CautionForm | None = None, status: int = 200) -> Page:
    found = operations.read_worklist(g.scope)
    return spread(
        "study/worklist.html", "study/_about_worklist.html", lists=found, reviewed=REVIEWED,
        shown=_shown([len(one.items) for one in found]), refused=refused, reasons=_reasons_used(found),
        waits=sum(len(one.items) for one in found), cautions=queries.cautions(g.scope), kinds=KINDS,
        cautioning=cautioning or CautionForm(formdata=None),
    ), status  # fmt: skip


def _shown(waiting: Sequence[int]) -> int:
    """How many items of each rule stand on the page, by how many of each wait: all, or as many as fit, alike for every rule."""
    most = max(waiting, default=0)
    while sum(min(one, most) for one in waiting) > _ON_PAGE:
        most -= 1
    return max(most, 1)


def _reasons_used(found: Sequence[operations.Waiting]) -> list[str]:
    """The reasons for which items that the viewer may see were set aside, the most used first."""
    used = Counter(mark["reason"] for one in found for _item, mark in one.decided if mark["way"] == "set_aside")
    return [reason for reason, _times in used.most_common(_REASONS)]


@worklist.post("/decide")
def decide() -> Page:
    """Settle the chosen item by the look that was taken, or set it aside for a reason.

    To a script the answer is the notice alone, with its undo; the row is gone from the page by then.
    """
    rule, _mark, about = request.form.get("item", "").partition(":")
    try:
        if request.form.get("way") == "settled":
            operations.settle_item(g.scope, rule, about)
            said = _("Settled.")
        else:
            operations.set_item_aside(g.scope, rule, about, request.form.get("reason", ""))
            said = _("Set aside; the reason is kept.")
    except Refused as refused:
        sentence = " ".join(refused.errors.values())
        return (sentence, 422) if is_htmx() else _page(refused=sentence, status=422)
    except NotFound:
        sentence = _("Choose what is decided; somebody may have decided it meanwhile.")
        return (sentence, 422) if is_htmx() else _page(refused=sentence, status=422)
    if is_htmx():
        flash(said)
        return render_template("shared/_notices.html", back=url_for("worklist.show"))
    return done(said, url_for("worklist.show", _anchor=rule))


@worklist.post("/reopen/<int:mark>")
def reopen(mark: int) -> Response:
    operations.reopen_item(g.scope, mark, LedgerForm().seen_version())
    return done(_("It is on the list again."), url_for("worklist.show"))


@worklist.post("/cautions")
def caution() -> Page:
    """Record a caution."""
    form = CautionForm()
    return part_saved(
        form,
        lambda: operations.record_caution(g.scope, form.values()),
        _("The caution is recorded; reports that meet it are on the list."),
        url_for("worklist.show", _anchor="cautions"),
        lambda: _page(cautioning=form, status=422),
    )


@worklist.post("/cautions/<int:number>/remove")
def remove_caution(number: int) -> Response:
    operations.remove_caution(g.scope, number, LedgerForm().seen_version())
    return done(_("The caution is taken back."), url_for("worklist.show", _anchor="cautions"))
