"""The worklist: what waits for a decision, why, and what settles it; and the cautions on record."""

from flask import g, request, url_for
from werkzeug.wrappers import Response
from wtforms import SelectField

from tender_ledger.operations import worklist as operations
from tender_ledger.operations.errors import Refused
from tender_ledger.operations.worklist import KINDS, REVIEWED
from tender_ledger.storage.queries import worklist as queries
from tender_ledger.web.shared.answers import Page, part_saved
from tender_ledger.web.shared.forms import LedgerForm, options, text
from tender_ledger.web.shared.past_counts import shows_past_counts
from tender_ledger.web.shared.spread import done, spread
from tender_ledger.web.shared.study_scope import study_blueprint
from tender_ledger.web.shared.words import gettext as _

worklist = study_blueprint("worklist", __name__, "/worklist")
_SHOWN = 50  # items of a rule on the page


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
        "study/worklist.html", "study/_about_worklist.html", lists=found, reviewed=REVIEWED, shown=_SHOWN, refused=refused,
        waits=sum(len(one.items) for one in found), cautions=queries.cautions(g.scope), kinds=KINDS,
        cautioning=cautioning or CautionForm(formdata=None),
    ), status  # fmt: skip


@worklist.post("/settle")
def settle() -> Page:
    return _decided(lambda: operations.settle_item(g.scope, *_item()), _("Settled."))


@worklist.post("/aside")
def set_aside() -> Page:
    reason = request.form.get("reason", "")
    return _decided(lambda: operations.set_item_aside(g.scope, *_item(), reason), _("Set aside; the reason is kept."))


def _item() -> tuple[str, str]:
    return request.form.get("rule", ""), request.form.get("about", "")


def _decided(decide: object, said: str) -> Page:
    try:
        decide()  # type: ignore[operator]
    except Refused as refused:
        return _page(refused=" ".join(refused.errors.values()), status=422)
    return done(said, url_for("worklist.show", _anchor=request.form.get("rule", "")))


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
