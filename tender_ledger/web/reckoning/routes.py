"""The reckoning: use values and agreement, the rules they were counted by, and the working of every number."""

from typing import Any

from flask import g, request, url_for
from werkzeug.wrappers import Response

from tender_ledger.core.indices.reckoning import Reckoning
from tender_ledger.core.indices.working import (
    CATEGORY_INDICES,
    MISLEADS,
    NAMES,
    SOURCES,
    SYMBOLS,
    TAXON_INDICES,
    working_of_category,
    working_of_taxon,
)
from tender_ledger.core.rules import BASES, CountingRules
from tender_ledger.operations import reckoning as operations
from tender_ledger.operations import studies as study_operations
from tender_ledger.operations.vocabularies import choices
from tender_ledger.storage.queries import people
from tender_ledger.storage.queries import studies as study_queries
from tender_ledger.web.reckoning.tables import category_rows, taxon_rows
from tender_ledger.web.shared.rules_sentence import BASIS_NAMES, rules_parts
from tender_ledger.web.shared.spread import done, opened, spread
from tender_ledger.web.shared.study_scope import study_blueprint
from tender_ledger.web.shared.words import gettext as _

reckoning = study_blueprint("reckoning", __name__, "/reckoning")
_FIRST = 12  # reports shown behind a number before “all of them”


@reckoning.get("")
def show() -> str:
    """Every index of the study or of one community; the address holds rules tried out, group, order and margin."""
    in_force = study_operations.rules_in_force(g.scope)
    rules = _with(in_force, request.args)
    whole = operations.reckon_study(g.scope, rules)
    group = request.args.get("group", "")
    part = whole.result.by_community.get(group, whole.result)
    group = group if group in whole.result.by_community else ""
    by_category = request.args.get("show") == "categories"
    sort = request.args.get("sort", "")
    context: dict[str, Any] = {
        "r": part,
        "whole": whole.result,
        "group": group,
        "communities": {one["code"]: one["name"] for one in people.communities(g.scope)},
        "rules": rules,
        "rules_words": rules_parts(rules),
        "tried_out": rules != in_force,
        "by_category": by_category,
        "sort": sort or ("nur" if by_category else "ci"),
        "categories": _categories(),
    }
    kind, about = opened()
    return spread(
        "reckoning/reckoning.html",
        *_margin(kind, about, part, rules, group, context),
        **_rows(part, sort, by_category),
        **context,
    )


def _rows(part: Reckoning, sort: str, by_category: bool) -> dict[str, Any]:
    if by_category:
        return {"rows": category_rows(part, sort or "nur")}
    return {"rows": taxon_rows(part, sort or "ci"), "facts": operations.taxon_facts(g.scope)}


def _with(rules: CountingRules, asked: Any) -> CountingRules:
    """The rules with what the address or the form changes in them."""
    changes: dict[str, Any] = {}
    if "unit" in asked:
        changes["unit"] = asked["unit"]
    if "informants" in asked:
        changes["informant_kinds"] = ["holder", "source"] if asked["informants"] == "sources" else ["holder"]
    if "basis" in asked or "tried" in asked:  # a form with no ground ticked is refused, not taken for no change
        changes["basis"] = asked.getlist("basis")
    return rules.with_(**changes)


def _categories() -> dict[str, Any]:
    scheme = study_queries.study(g.scope)["scheme"]
    return {one.code: one for one in choices(g.scope.study_id, "category", scheme)}


def _margin(kind: str, about: str, part: Reckoning, rules: CountingRules, group: str, context: dict[str, Any]) -> tuple[str]:
    """The template of the margin, with what it needs put into the context."""
    if kind == "rules":
        context |= {"bases": BASES, "basis_names": BASIS_NAMES}
        return ("reckoning/_rules.html",)
    if kind == "n":
        counted = [one for one in people.holders(g.scope) if one["may_count"] and one["encounters"]]
        context["counted"] = [one for one in counted if group in ("", one["community_code"])]
        return ("reckoning/_everybody.html",)
    working = working_of_taxon(part, about, kind) if kind in TAXON_INDICES else working_of_category(part, about, kind)
    if working is None:
        return ("reckoning/_about.html",)
    is_taxon = kind in TAXON_INDICES
    context |= {
        "working": working,
        "symbols": SYMBOLS,
        "names": NAMES,
        "sources": SOURCES,
        "misleads": MISLEADS[kind],
        "is_taxon": is_taxon,
    }
    context["behind"] = operations.reports_behind(
        g.scope, rules, taxon=about if is_taxon else "", category="" if is_taxon else about, community=group
    )
    context["first"] = 10_000 if "all" in request.args else _FIRST
    context["is_category_index"] = kind in CATEGORY_INDICES
    return ("reckoning/_working.html",)


@reckoning.post("/rules")
def set_rules() -> Response:
    """Put rules in force for the study."""
    rules = _with(study_operations.rules_in_force(g.scope), request.form)
    study_operations.set_rules(g.scope, rules)
    return done(_("These rules are in force now; every number was counted anew."), url_for("reckoning.show", margin="rules"))
