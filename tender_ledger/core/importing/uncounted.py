"""What of an import would be in no number: rows that the counting rules of the day, or the terms stated, leave out."""

from collections import Counter
from collections.abc import Collection, Mapping
from dataclasses import dataclass

from tender_ledger.core.importing.known import Known, Reference
from tender_ledger.core.importing.landing import ImportPlan, Landing
from tender_ledger.core.rules import CountingRules

_MINOR = ("carrier", "corrective")


@dataclass(frozen=True)
class Uncounted:
    """Rows that would land and be in no number for one reason, and which values of theirs are the cause, with how many."""

    reason: str
    rows: int
    values: Mapping[str, int]


def uncounted(plan: ImportPlan, known: Known, rules: CountingRules, *, may_count: bool) -> list[Uncounted]:
    """The rows that would be in no number by the first reason that leaves each out, most rows first; none of an empty plan.

    `may_count`: whether the terms stated allow counting, which holds for holders with none on file. Rows that say that no use
    was named are no reports; further components of a report are the report's.
    """
    found: dict[str, Counter[str]] = {}
    codes = {
        number: code
        for place, of in known.terms.items()
        if place[0] == "basis"
        for code, number in of.items()
        if code in known.labels.get(place, ())
    }
    counted_scheme = rules.scheme or known.scheme
    undetermined = _undetermined(plan, known, rules)
    for one in plan.landing:
        if one.asking or one.part_of is not None:
            continue
        said = _reason(one, plan, known, rules, codes, counted_scheme, undetermined, may_count=may_count)
        if said:
            found.setdefault(said[0], Counter())[said[1]] += 1
    kinds = [Uncounted(reason, values.total(), dict(values.most_common(8))) for reason, values in found.items()]
    return sorted(kinds, key=lambda kind: -kind.rows)


def _reason(
    one: Landing,
    plan: ImportPlan,
    known: Known,
    rules: CountingRules,
    bases: Mapping[int, str],
    scheme: str,
    undetermined: Collection[Reference],
    *,
    may_count: bool,
) -> tuple[str, str] | None:
    """Why a row would be in no number, and the value that is the cause; None where it would be counted."""
    met, new = known.informants.get(one.informant), plan.informants.get(one.informant)
    is_source = met.is_source if met else bool(new and new.is_source)
    basis = one.values["basis"]
    of_basis = bases.get(basis, "") if isinstance(basis, int) else str(basis[3] if isinstance(basis, tuple) else basis)
    reasons = {
        "source": (is_source and "source" not in rules.informant_kinds, one.informant),
        "terms": (not is_source and not may_count and not (met and met.on_file), one.informant),
        "coded": (one.coding is None, ""),
        "plant": (
            one.plant in undetermined,
            one.cells.get("plant", "") or one.cells.get("local_name", ""),
        ),
        "basis": (of_basis not in rules.basis, of_basis),
        "stance": (one.values["stance"] not in rules.stances, one.values["stance"]),
        "outcome": (one.values["outcome"] not in rules.outcomes, one.values["outcome"]),
        "actor": (one.values["actor"] not in rules.actors, one.values["actor"]),
        "currency": (one.values["currency"] not in rules.currency, one.values["currency"]),
        "role": (
            one.values["role"] in _MINOR and rules.mixtures in ("each", "own_taxon", "share"),
            one.values["role"],
        ),
        "mixture": (
            rules.mixtures == "drop" and bool(one.values["mixture"]),
            one.values["mixture"],
        ),
        "scheme": (
            one.coding is not None and one.coding["scheme"] != scheme,
            one.coding["scheme"] if one.coding else "",
        ),
    }
    return next(((reason, str(value)) for reason, (left_out, value) in reasons.items() if left_out), None)


def _undetermined(plan: ImportPlan, known: Known, rules: CountingRules) -> set[Reference]:
    """The plants that the rules leave out for what they are determined as: those of the study without a name, and new ones."""
    found: set[Reference] = set()
    if rules.undetermined == "drop":
        found |= {one.id for one in known.plants.values() if not one.taxon}
        found |= {one.id for of in known.plants_came.values() for one in of if not one.taxon}
    for came, one in plan.plants.items():
        without = rules.undetermined == "drop" and one.taxon is None
        doubtful = rules.qualified == "drop" and one.qualifier in ("cf", "aff")
        genus = rules.genus_level == "drop" and one.taxon is not None and one.taxon.rank == "genus"
        if without or doubtful or genus:
            found.add(came)
    return found
