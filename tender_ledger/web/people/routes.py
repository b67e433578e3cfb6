"""People: communities and languages, holders with their agreements and protected names, sources."""

from datetime import date
from typing import Any

from flask import abort, current_app, g, render_template, request, url_for
from werkzeug.wrappers import Response

from tender_ledger.core.rights import Right
from tender_ledger.figures.places import Place, place_map
from tender_ledger.formats.languages import find_languages
from tender_ledger.operations import guarding, removing
from tender_ledger.operations import people as operations
from tender_ledger.operations import sources as source_operations
from tender_ledger.operations.errors import Conflict, Refused
from tender_ledger.storage.queries import guarding as guarding_queries
from tender_ledger.storage.queries import people as queries
from tender_ledger.storage.queries import reports as report_queries
from tender_ledger.storage.queries import studies
from tender_ledger.web.people.forms import (
    REFUSALS,
    AgreementForm,
    CommunityForm,
    DialectForm,
    EraseForm,
    HolderForm,
    LanguageForm,
    NameForm,
    ReferencesForm,
    RestrictionForm,
    RevealForm,
    SourceForm,
    WithdrawalForm,
)
from tender_ledger.web.shared.answers import Page, form_page, part_saved, why_not_removed
from tender_ledger.web.shared.looks import LOOKS
from tender_ledger.web.shared.paging import list_page
from tender_ledger.web.shared.spread import done, spread
from tender_ledger.web.shared.study_scope import study_blueprint
from tender_ledger.web.shared.words import gettext as _

_MARGIN_WIDTH = 276  # pixels that the map has in the margin, and on a phone
people = study_blueprint("people", __name__, "/people")


@people.get("")
def list_people() -> str:
    """Everybody by community, with what their terms of today allow."""
    communities, holders = queries.communities(g.scope), queries.holders(g.scope)
    order = {one["id"]: place for place, one in enumerate(communities)}
    holders.sort(key=lambda one: order.get(one["community_id"], len(order)))
    return spread(
        "people/people.html",
        "people/_about.html",
        communities=communities,
        holders=holders,
        listed=list_page(holders, "people.list_people"),
        withheld=queries.withheld_holders(g.scope),
        erased=queries.erased_holders(g.scope) if g.member.may(Right.AGREE) else [],
        sources=queries.sources(g.scope),
        languages=studies.languages(g.scope),
        dialects=studies.dialects(g.scope),
        place_map=place_map(_places(communities), _MARGIN_WIDTH),
    )


def _places(communities: list[dict[str, Any]]) -> list[Place]:
    """The communities that may be placed: those whose position was written down."""
    return [Place(one["code"], one["name"], one["latitude"], one["longitude"], one["parent_code"] or "")
            for one in communities if one["latitude"] is not None]  # fmt: skip


@people.get("/places.svg")
def places() -> Response:
    """The map of the communities as a file of its own."""
    drawn = place_map(_places(queries.communities(g.scope)))
    if drawn is None:
        abort(404)
    body = render_template("people/places_file.svg", place_map=drawn, looks=LOOKS)
    return Response(body, mimetype="image/svg+xml", headers={"Content-Disposition": 'attachment; filename="places.svg"'})


@people.route("/holders/new", methods=["GET", "POST"])
def new_holder() -> Page:
    g.member.require(Right.RECORD)
    form = HolderForm(data={"community_id": request.args.get("community", "")}).offer()
    return form_page(
        "people/holder_form.html",
        form,
        lambda: operations.add_holder(g.scope, form.values(), client_key=form.key()),
        _("The holder is recorded. Next: what did they agree to?"),
        lambda: url_for("people.holder", code=(form.code.data or "").strip().upper()),
        title=_("Record a knowledge-holder"),
    )


@people.get("/holders/<code>")
def holder(code: str) -> Page:
    found = _holder(code)
    return _holder_page(found)


def _holder(code: str) -> dict[str, Any]:
    found = queries.holder(g.scope, code)
    if found is None:
        abort(404)
    return found


def _holder_page(found: dict[str, Any], *, agreement: AgreementForm | None = None, name_form: NameForm | None = None,
                 reveal: RevealForm | None = None, revealed: str = "", erasing: EraseForm | None = None,
                 refused: str = "", status: int = 200) -> Page:  # fmt: skip
    page = spread(
        "people/holder.html",
        "people/_terms_margin.html",
        holder=found,
        refused=refused,
        met=queries.was_met(g.scope, found["id"]),
        shown=found["shown"],
        agreements=_with_limits(queries.agreements(g.scope, holder_id=found["id"])),
        reports=report_queries.reports(g.scope, informant_id=found["informant_id"]) if found["shown"] else [],
        agreement=(agreement or AgreementForm(formdata=None, data={"agreed_on": g.scope.day})).offer(),
        agrees=g.member.may_for(Right.AGREE, found["community_id"]),
        withdrawal=WithdrawalForm(formdata=None, data={"withdrawn_on": g.scope.day}),
        name_form=name_form or NameForm(formdata=None),
        reveal=reveal or RevealForm(formdata=None),
        revealed=revealed,
        erasing=erasing or EraseForm(formdata=None),
    )
    return page, status


@people.route("/holders/<code>/correct", methods=["GET", "POST"])
def correct_holder(code: str) -> Page:
    g.member.require(Right.RECORD)
    found = _holder(code)
    if not found["shown"]:
        abort(404)
    form = HolderForm().offer()
    if request.method == "GET":
        birth = str(found["birth_year"] or "") or (f"{found['birth_decade']}s" if found["birth_decade"] else "")
        form.fill({**found, "birth": birth, "community_id": str(found["community_id"])})
    return form_page(
        "people/holder_form.html",
        form,
        lambda: operations.correct_holder(g.scope, found["id"], form.seen_version(), form.values()),
        _("Corrected."),
        lambda: url_for("people.holder", code=code),
        title=_("Correct %(code)s", code=code),
        fixed_code=code,
    )


@people.post("/holders/<code>/remove")
def remove_holder(code: str) -> Page:
    """Take a holder back who was entered by mistake and never met."""
    found = _holder(code)
    try:
        removing.remove_holder(g.scope, code, HolderForm().seen_version())
    except (Refused, Conflict) as why:
        sentence, status = why_not_removed(why)
        return _holder_page(_holder(code), refused=sentence, status=status)
    return done(_("%(code)s is taken back.", code=found["code"]), url_for("people.list_people"))


@people.post("/holders/<code>/agreements")
def agree(code: str) -> Page:
    """Record what a holder agreed to."""
    found, form = _holder(code), AgreementForm()
    return part_saved(
        form,
        lambda: _record_agreement(form, holder_id=found["id"]),
        _("The agreement is recorded and stands from its day on."),
        url_for("people.holder", code=code),
        lambda: _holder_page(found, agreement=form, status=422),
    )


@people.post("/communities/<code>/agreements")
def agree_for_community(code: str) -> Page:
    """Record what a community agreed to; between it and its holders the stricter terms win."""
    found, form = _community(code), AgreementForm()
    return part_saved(
        form,
        lambda: _record_agreement(form, community_id=found["id"]),
        _("The agreement is recorded and stands from its day on."),
        url_for("people.community", code=code),
        lambda: _community_page(found, form, 422),
    )


def _with_limits(agreements: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """The agreements, each with what it leaves out."""
    found = queries.limits(g.scope, [one["id"] for one in agreements])
    return [{**one, "limits": [limit for limit in found if limit["consent_id"] == one["id"]]} for one in agreements]


def _record_agreement(form: AgreementForm, *, holder_id: int | None = None, community_id: int | None = None) -> None:
    if not form.agreed_on.data:
        raise Refused({"agreed_on": _("Give the day of the agreement, such as 2026-05-12.")})
    operations.record_agreement(
        g.scope,
        agreed_on=form.agreed_on.data,
        form=form.form.data,
        terms=form.values(),
        expires_on=form.expires_on.data,
        wishes=form.values(),
        limits=form.limits.data,
        holder_id=holder_id,
        community_id=community_id,
        client_key=form.key(),
    )


@people.post("/agreements/<int:agreement>/withdraw")
def withdraw(agreement: int) -> Page:
    """Record a withdrawal: from now on nothing of its giver is in any read."""
    form = WithdrawalForm()
    day = form.withdrawn_on.data
    if not isinstance(day, date):
        raise Refused({"withdrawn_on": _("Give the day of the withdrawal, such as 2026-05-12.")})
    operations.withdraw_agreement(g.scope, agreement, form.seen_version(), day)
    return done(_("The withdrawal is recorded; everything its giver told is sealed."), url_for("people.list_people"))


@people.post("/holders/<code>/erase")
def erase(code: str) -> Page:
    """Erase a holder and all that came from them, for good."""
    found, form = _holder(code), EraseForm()
    g.member.require(Right.AGREE)
    try:
        records = operations.erase_holder(g.scope, code, form.typed.data or "")
    except Refused as refused:
        form.show(refused)
        return _holder_page(found, erasing=form, status=422)
    current_app.extensions["erasures"]()
    return done(_("Erased, for good: %(num)s records.", num=records), url_for("people.list_people"))


@people.post("/holders/<code>/name")
def keep_name(code: str) -> Page:
    found, form = _holder(code), NameForm()
    key = current_app.extensions["names_key"]
    return part_saved(
        form,
        lambda: operations.set_real_name(g.scope, found["id"], form.name.data or "", key, form.contact.data or ""),
        _("The name is kept, encrypted."),
        url_for("people.holder", code=code),
        lambda: _holder_page(found, name_form=form, status=422),
    )


@people.post("/holders/<code>/reveal")
def reveal_name(code: str) -> Page:
    """Show a real name once, in the answer to this request alone; that it was shown is kept."""
    found, form = _holder(code), RevealForm()
    try:
        name = operations.reveal_real_name(g.scope, code, form.reason.data or "", current_app.extensions["names_key"])
    except Refused as refused:
        form.show(refused)
        return _holder_page(found, reveal=form, status=422)
    return _holder_page(found, revealed=name)


def _community(code: str) -> dict[str, Any]:
    found = next((one for one in queries.communities(g.scope) if one["code"] == code), None)
    if found is None:
        abort(404)
    return found


@people.get("/communities/<code>")
def community(code: str) -> Page:
    return _community_page(_community(code))


def _community_page(found: dict[str, Any], form: AgreementForm | None = None, status: int = 200, *,
                    restricting: RestrictionForm | None = None) -> Page:  # fmt: skip
    page = spread(
        "people/community.html",
        "people/_terms_margin.html",
        community=found,
        within=[one for one in queries.communities(g.scope) if one["parent_id"] == found["id"]],
        holders=[one for one in queries.holders(g.scope) if one["community_id"] == found["id"]],
        agreements=_with_limits(queries.agreements(g.scope, community_id=found["id"])),
        agreement=(form or AgreementForm(formdata=None, data={"agreed_on": g.scope.day})).offer(),
        agrees=g.member.may_for(Right.AGREE, found["id"]),
        guards=g.member.may_for(Right.RESTRICT, found["id"]),
        restrictions=guarding_queries.restrictions(g.scope, found["id"]),
        restricting=(restricting or RestrictionForm(formdata=None, data={"report": request.args.get("report", "")})).offer(),
        refusals=dict(REFUSALS),
        withdrawal=WithdrawalForm(formdata=None, data={"withdrawn_on": g.scope.day}),
    )
    return page, status


@people.post("/communities/<code>/restrictions")
def restrict(code: str) -> Page:
    """Hold back records of the community that one is guardian of."""
    found, form = _community(code), RestrictionForm()
    return part_saved(
        form,
        lambda: guarding.restrict_records(g.scope, found["id"], **form.values()),
        _("Held back, from today on and everywhere."),
        url_for("people.community", code=code),
        lambda: _community_page(found, status=422, restricting=form),
    )


@people.post("/restrictions/<int:restriction>/release")
def release(restriction: int) -> Page:
    """Release what a guardian held back."""
    guarding.release_records(g.scope, restriction, WithdrawalForm().seen_version())
    back = request.form.get("back", "")
    return done(_("Released; the holders’ own terms stand again."), back if back.startswith(url_for("people.list_people"))
                else url_for("people.list_people"))  # fmt: skip


@people.route("/communities/new", methods=["GET", "POST"])
def new_community() -> Page:
    g.member.require(Right.ADMINISTER)
    form = CommunityForm().offer()
    return form_page(
        "people/community_form.html",
        form,
        lambda: operations.add_community(g.scope, **form.values()),
        _("The community is recorded."),
        lambda: url_for("people.list_people"),
        title=_("Add a community"),
    )


@people.route("/communities/<code>/correct", methods=["GET", "POST"])
def correct_community(code: str) -> Page:
    g.member.require(Right.ADMINISTER)
    found = _community(code)
    form = CommunityForm().offer(found["id"])
    if request.method == "GET":
        chosen = {
            name: [str(one) for one in found[ids]] for name, ids in (("languages", "language_ids"), ("dialects", "dialect_ids"))
        }
        form.fill({**found, **chosen, "parent_id": str(found["parent_id"] or "")})
    return form_page(
        "people/community_form.html",
        form,
        lambda: operations.correct_community(g.scope, found["id"], form.seen_version(), **form.values()),
        _("Corrected."),
        lambda: url_for("people.community", code=code),
        title=_("Correct %(name)s", name=found["name"]),
        fixed_code=code,
    )


@people.route("/languages/new", methods=["GET", "POST"])
def new_language() -> Page:
    g.member.require(Right.ADMINISTER)
    form = LanguageForm(data={"code": request.args.get("code", "")})
    sought = request.args.get("q", "")
    return form_page(
        "people/language_form.html",
        form,
        lambda: operations.add_language(g.scope, **form.values()),
        _("The language is recorded."),
        lambda: url_for("people.list_people"),
        title=_("Add a language"),
        sought=sought,
        found=find_languages(sought),
    )


@people.route("/dialects/new", methods=["GET", "POST"])
def new_dialect() -> Page:
    g.member.require(Right.ADMINISTER)
    form = DialectForm().offer()
    return form_page(
        "people/simple_form.html",
        form,
        lambda: operations.add_dialect(g.scope, language_id=form.language_id.data or "", name=form.name.data or ""),
        _("The dialect is recorded."),
        lambda: url_for("people.list_people"),
        title=_("Add a dialect"),
    )


@people.route("/sources/new", methods=["GET", "POST"])
def new_source() -> Page:
    g.member.require(Right.RECORD)
    form = SourceForm()
    return form_page(
        "people/source_form.html",
        form,
        lambda: source_operations.add_source(g.scope, **form.values()),
        _("The source is recorded."),
        lambda: url_for("people.list_people", _anchor="sources"),
        title=_("Add a source"),
        bringing=ReferencesForm(formdata=None),
    )


@people.route("/sources/<code>/correct", methods=["GET", "POST"])
def correct_source(code: str) -> Page:
    g.member.require(Right.RECORD)
    found = next((one for one in queries.sources(g.scope) if one["code"] == code), None)
    if found is None:
        abort(404)
    form = SourceForm()
    if request.method == "GET":
        form.fill({**found, **source_operations.typed_record(found["csl"])})
    values = {name: value for name, value in form.values().items() if name != "code"}
    return form_page(
        "people/source_form.html",
        form,
        lambda: source_operations.correct_source(g.scope, found["id"], form.seen_version(), **values),
        _("Corrected."),
        lambda: url_for("people.list_people", _anchor="sources"),
        title=_("Correct %(code)s", code=code),
        fixed_code=code,
    )


@people.post("/sources/import")
def import_sources() -> Page:
    """Bring a list of references in as sources."""
    g.member.require(Right.RECORD)
    form = ReferencesForm()
    sent = request.files.get("file")
    data, name = (
        (sent.read(), sent.filename) if sent and sent.filename else ((form.text.data or "").encode(), _("what was pasted"))
    )
    brought = None
    try:
        brought = source_operations.import_references(g.scope, data, name or "")
    except Refused as refused:
        form.show(refused)
    page = render_template("people/source_form.html", form=SourceForm(formdata=None), title=_("Add a source"), bringing=form,
                           brought=brought)  # fmt: skip
    return page, 422 if brought is None else 200
