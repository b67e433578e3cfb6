"""The reckoning: use values and agreement, communities side by side, the use ladder, the rules, the working of every number."""

from collections.abc import Mapping
from typing import Any

from flask import Response as Answer
from flask import g, render_template, request, url_for
from werkzeug.wrappers import Response

from tender_ledger.core.indices.catalogue import EXPLAINED
from tender_ledger.core.indices.ranking import PER_INFORMANT
from tender_ledger.core.indices.reckoning import Reckoning
from tender_ledger.core.indices.working import SYMBOLS
from tender_ledger.core.presets import PRESETS
from tender_ledger.core.rights import Right
from tender_ledger.core.rules import BASES, CURRENCIES
from tender_ledger.core.terms import Purpose
from tender_ledger.formats.isolation import isolated
from tender_ledger.formats.printing import print_pdf
from tender_ledger.formats.tables import written
from tender_ledger.operations import analyses
from tender_ledger.operations import reckoning as operations
from tender_ledger.operations import studies as study_operations
from tender_ledger.operations.disclosure.splits import communities_of_shown, minimum_of
from tender_ledger.operations.errors import Refused
from tender_ledger.operations.exclusions import count_exclusions, excluded_reports
from tender_ledger.operations.publishing import publish_ladder
from tender_ledger.storage.queries import people, studies
from tender_ledger.storage.queries.reports import reports_by_id
from tender_ledger.web.reckoning.asked import (
    FILTER,
    KEPT,
    RULE_KEYS,
    Asked,
    asked,
    carried,
    categories,
    families,
    filter_words,
    most_rows,
    with_changes,
)
from tender_ledger.web.reckoning.ladder_files import AboutLadder, ladder_csv, ladder_sheet, ladder_svg
from tender_ledger.web.reckoning.shown import shown_of
from tender_ledger.web.reckoning.views import VIEWS
from tender_ledger.web.reckoning.views.first_tables import first_tables
from tender_ledger.web.reckoning.workings import first_reports, taken_apart, working_of
from tender_ledger.web.shared.answers import Page
from tender_ledger.web.shared.chosen import chosen_words
from tender_ledger.web.shared.fonts import font_files
from tender_ledger.web.shared.forms import LedgerForm
from tender_ledger.web.shared.kept_spread import kept_spread
from tender_ledger.web.shared.mathml import mathml, symbol
from tender_ledger.web.shared.past_counts import shows_past_counts
from tender_ledger.web.shared.rules_sentence import (
    BASIS_NAMES,
    CHOICES,
    LEFT_OUT,
    OUTCOME_NAMES,
    further_choices,
    rules_parts,
    rules_sentence,
)
from tender_ledger.web.shared.spread import done, opened
from tender_ledger.web.shared.study_scope import study_blueprint
from tender_ledger.web.shared.words import gettext as _

reckoning = study_blueprint("reckoning", __name__, "/reckoning")
reckoning.context_processor(lambda: {"most_rows": most_rows})


@reckoning.get("")
@shows_past_counts()
def show() -> str:
    """The values of the study, of one community, or of two side by side; all that is asked for stands in the address."""
    return kept_spread("reckoning/reckoning.html", _values)


def _values() -> tuple[str, dict[str, Any]]:
    """The template of the margin and the context of the first pages."""
    names = people.community_names(g.scope)
    one = asked(request.args, names)
    reckoned = operations.reckon_study(g.scope, one.rules, selection=one.selection, group=one.groups)
    whole = reckoned.result
    one = one.among(whole.by_community)
    part = whole.by_community.get(one.group, whole)
    known = categories()
    context = {
        "asked": one,
        "r": part,
        "whole": whole,
        "communities": names,
        "rules": one.rules,
        "rules_words": rules_parts(one.rules),
        "chosen": chosen_words(studies.choice_of_holders(g.scope)),
        "n_of": reckoned.n_of,
        "shown_alone": communities_of_shown(g.scope),
        "further_words": further_choices(one.rules),
        "left_out": count_exclusions(g.scope, one.rules, community=one.group, counted=reckoned),
        "left_out_words": {reason: words for reason, (words, _why) in LEFT_OUT.items()},
        "views": VIEWS,
        "view": "",
        "carried": carried,
        "categories": known,
        "symbols": SYMBOLS,
        "group": one.group,
        **_filter(one, whole, names, known),
    }
    context |= shown_of(one, part, whole, reckoned.selected)
    kind, about = opened()
    of = request.args.get("of", "") if request.args.get("of", "") in one.groups else one.group
    context["margin_group"] = of
    return _margin(kind, about, whole.by_community.get(of, whole), one, of, context), context


def _filter(one: Asked, whole: Reckoning, names: Mapping[str, str], known: Mapping[str, Any]) -> dict[str, Any]:
    """What the filter offers and says."""
    parts = {row["code"]: row["label"] for row in operations.parts_told(g.scope)}
    told = {code: choice.label for code, choice in known.items() if code in whole.categories}
    offers = {"family": {family: family for family in families(whole)}, "category": told, "part": parts, "community": names}
    return {
        "offers": offers,
        "filter_words": filter_words(one.selection, offers),
        "filter_keys": FILTER,
        "kept_keys": KEPT,
        "here_file": _file_address,
    }


def _file_address(kind: str) -> str:
    """The address of the ladder's file by what this page asks for."""
    kept: dict[str, Any] = {
        name: request.args.getlist(name) for name in KEPT if name in request.args and name not in ("show", "sort")
    }
    return url_for("reckoning.ladder_file", kind=kind, **kept)


def _margin(kind: str, about: str, part: Reckoning, one: Asked, group: str, context: dict[str, Any]) -> str:
    """The template of the margin, with what it needs put into the context."""
    if kind == "rules":
        context |= {"bases": (*BASES, *study_operations.own_bases(g.scope)), "basis_names": BASIS_NAMES,
                    "outcome_names": OUTCOME_NAMES, "choices": CHOICES,
                    "currencies": CURRENCIES, "rule_keys": RULE_KEYS, "schemes": studies.schemes(g.scope),
                    "further": further_choices(one.rules)}  # fmt: skip
        return "reckoning/_rules.html"
    if kind == "n":
        counted = [one for one in people.holders(g.scope) if one["may_count"] and one["encounters"]]
        context |= {
            "counted": [one for one in counted if group in ("", one["community_code"])],
            "of_group": part,
            "minimum": minimum_of(g.scope),
        }
        return "reckoning/_everybody.html"
    if kind == "left" and about in LEFT_OUT:
        numbers = excluded_reports(g.scope, one.rules, about, community=one.group)
        context |= {
            "left_out_reason": about,
            "left_out_help": LEFT_OUT[about][1],
            "left_out_reports": reports_by_id(g.scope, numbers),
            "first_reports": first_reports(),
        }
        return "reckoning/_left_out.html"
    if kind.partition("/")[0] in EXPLAINED:
        bodies = [context[name].body if context.get(name) else None for name in ("sure", "spans")]
        found = taken_apart(first_tables(one, g.scope, context["whole"], *bodies), one, kind, about)
        context |= {"mathml": mathml, "symbol": symbol, "written": written, **(found[1] if found else {})}
        return found[0] if found else "reckoning/_about.html"
    working = working_of(part, kind, about, one.rules, group)
    if working is None:
        return "reckoning/_about.html"
    context |= working
    return "reckoning/_working.html"


@reckoning.get("/ladder.<any(svg, csv, pdf):kind>")
def ladder_file(kind: str) -> Answer:
    """The use ladder as a file, computed within the terms of publication: drawn, or its data."""
    g.member.require(Right.EXPORT)
    names = people.community_names(g.scope)
    one = asked(request.args, names, view="ladder")
    published = publish_ladder(g.scope, one.rules, one.index, group=one.group, selection=one.selection)
    sure = None
    if one.index in PER_INFORMANT and not one.selection:
        sure = analyses.uncertainty(g.scope, one.rules, group=one.group, purpose=Purpose.PUBLISHED).body
    known = categories()
    labels = {
        "family": {},
        "category": {code: choice.label for code, choice in known.items()},
        "part": {row["code"]: row["label"] for row in operations.parts_told(g.scope)},
        "community": names,
    }
    about = AboutLadder(
        counted=rules_sentence(one.rules),
        where=names.get(one.group, ""),
        shown=filter_words(one.selection, labels),
        chosen=chosen_words(studies.choice_of_holders(g.scope)),
        day=g.scope.day,
        authorship={taxon: fact["authorship"] for taxon, fact in operations.taxon_facts(g.scope).items()},
    )
    body = (ladder_csv if kind == "csv" else ladder_svg)(published, known, about, sure)
    if kind == "pdf":
        size = ladder_sheet(published)
        body = isolated(print_pdf, render_template("reckoning/drawing_print.html", svg=body.decode(), drawing=size), font_files())
    media = {"svg": "image/svg+xml", "csv": "text/csv", "pdf": "application/pdf"}[kind]
    return Answer(body, mimetype=media, headers={"Content-Disposition": f'attachment; filename="use-ladder.{kind}"'})


@reckoning.post("/rules")
def set_rules() -> Response:
    """Put rules in force for the study."""
    study_operations.set_rules(g.scope, with_changes(study_operations.rules_in_force(g.scope), request.form))
    return done(_("These rules are in force now; every number was counted anew."), url_for("reckoning.show", margin="rules"))


@reckoning.get("/rules")
def rules_page() -> Page:
    """Rules kept by name, those of the main schools, and what is tried out now."""
    return _rules_page()


def _rules_page(refused: str = "", status: int = 200) -> Page:
    names = people.community_names(g.scope)
    page = render_template(
        "reckoning/rules.html", asked=asked(request.args, names), saved=study_operations.saved_rules(g.scope), presets=PRESETS,
        sentence=rules_sentence, carried=carried, views=VIEWS, view="rules", refused=refused, typed=request.form.get("name", ""),
    )  # fmt: skip
    return page, status


@reckoning.post("/rules/kept")
def save_rules() -> Page:
    """Keep the rules of the address by a name."""
    g.member.require(Right.SET_RULES)
    rules = with_changes(study_operations.rules_in_force(g.scope), request.args)
    try:
        study_operations.save_rules(g.scope, request.form.get("name", ""), rules)
    except Refused as refused:
        return _rules_page(" ".join(refused.errors.values()), 422)
    return done(_("These rules are kept by their name."), url_for("reckoning.rules_page"))


@reckoning.post("/rules/kept/<int:number>/remove")
def remove_rules(number: int) -> Response:
    """Let rules kept by a name go."""
    study_operations.remove_rules(g.scope, number, LedgerForm().seen_version())
    return done(_("The rules are kept no more."), url_for("reckoning.rules_page"))
