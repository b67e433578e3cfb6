"""Scores of a plant’s uses, from which its cultural significance is computed."""

from collections.abc import Mapping

from tender_ledger.core.indices.composite import cultural_significance_of_citations
from tender_ledger.core.indices.reckoning import Reckoning
from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Scope
from tender_ledger.operations.errors import Refused, required
from tender_ledger.operations.saving import saving
from tender_ledger.storage.models import UseScore
from tender_ledger.storage.queries import reckoned, studies


def score_uses(scope: Scope, taxon: str, given: Mapping[str, tuple[int, int, int]]) -> None:
    """Judge the uses of a taxon by category: how far each is managed, preferred, frequent, each 2 or 1. One act."""
    scope.viewer.require(Right.SETTLE)
    said, scheme = required(taxon, "taxon", "The plant"), str(studies.study(scope)["scheme"])
    numbers = {code: reckoned.category_number(scope, scheme, code) for code in given}
    if not given or None in numbers.values():
        raise Refused({"score": "Score at least one use category of the study, all three scores of it."})
    earlier = {one["category"]: one for one in reckoned.scores(scope) if one["taxon"] == said}
    with saving(scope, "score_use") as writing:
        for code, (management, preference, frequency) in given.items():
            scored = {"management": management, "preference": preference, "frequency": frequency}
            if code in earlier:
                writing.update(UseScore, earlier[code]["id"], earlier[code]["version"], scored)
            else:
                writing.create(UseScore, {"taxon": said, "category_id": numbers[code], **scored})


def cultural_significance(scope: Scope, r: Reckoning) -> dict[str, tuple[float, list[tuple[int, int, int]]]]:
    """CSI of every taxon all of whose told categories were scored, with its scores; the others have no place here."""
    scored: dict[str, dict[str, tuple[int, int, int]]] = {}
    for one in reckoned.scores(scope):
        scored.setdefault(one["taxon"], {})[one["category"]] = (one["management"], one["preference"], one["frequency"])
    most = int(r.fc.max(initial=0))
    found = {}
    for at, taxon in enumerate(r.taxa):
        told = [code for place, code in enumerate(r.categories) if r.counts.ur_by_category[at, place]]
        own = scored.get(taxon, {})
        if told and all(code in own for code in told):
            scores = [own[code] for code in told]
            found[taxon] = (cultural_significance_of_citations(scores, int(r.fc[at]), most), scores)
    return found
