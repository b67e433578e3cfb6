"""Frozen reckonings: what was counted, by which rules, when and by what, kept to be cited and to be compared with later ones."""

import hashlib
import json
from dataclasses import dataclass
from typing import Any

import numpy as np

from tender_ledger import __version__
from tender_ledger.core.analysis import Parts
from tender_ledger.core.indices.reckoning import reckon
from tender_ledger.core.resampling.bootstrap import bootstrap
from tender_ledger.core.rights import Right
from tender_ledger.core.rules import CountingRules, parse_rules
from tender_ledger.core.sampling.incidence import incidences
from tender_ledger.core.tally.counting import count
from tender_ledger.core.terms import Purpose, Scope
from tender_ledger.formats.result_document import result_document
from tender_ledger.operations.disclosure.audience import Audience
from tender_ledger.operations.disclosure.publishing import StudyCells, give_out_frozen, of_the_study, read_cells
from tender_ledger.operations.disclosure.splits import counting_scope, minimum_of
from tender_ledger.operations.errors import NotFound, Refused, required
from tender_ledger.operations.saving import saving
from tender_ledger.storage.database import snapshot
from tender_ledger.storage.models import FrozenReckoning
from tender_ledger.storage.queries import acts, reckoned, studies
from tender_ledger.storage.queries.tally import read_table

REPLICATES = 1000
_ATTEMPTS = 3  # what was computed while the study changed is not kept: somebody of it may be erased
PUBLISHED = "published"  # under which a frozen body holds what may leave the study


def freeze_reckoning(scope: Scope, rules: CountingRules, name: str, *, seed: int = 1) -> int:
    """Keep the reckoning as it stands now, with its intervals; returns its number.

    The fingerprint is of rules, seed, software and values: whoever computes the same gets the same.
    """
    scope.viewer.require(Right.SET_RULES)
    said = required(name, "name", "The name of the reckoning")
    for _attempt in range(_ATTEMPTS):
        revision, values = _frozen_values(scope, rules, seed)
        with saving(scope, "freeze_reckoning") as writing:
            if studies.hold_revision(scope) == revision:
                return writing.create(FrozenReckoning, {"name": said, **values})
    raise Refused(
        {
            "name": "The study changed again and again while its reckoning was computed. Nothing was kept; freeze it once "
            "more when fewer people are at work."
        }
    )


def _frozen_values(scope: Scope, rules: CountingRules, seed: int) -> tuple[int, dict[str, Any]]:
    """The revision of the study and what is frozen of it."""
    with snapshot():
        revision = int(studies.study(scope)["revision"])
        found, n, informants, reports = _computed(counting_scope(scope), rules, seed)
        published, _n, *of = _computed(of_the_study(scope), rules, seed)
        cells = read_cells(scope, rules)
    said_of = json.dumps([rules.to_json(), seed, REPLICATES, __version__, found], sort_keys=True, ensure_ascii=False)
    return revision, {
        "frozen_on": scope.day,
        "revision": revision,
        "rules": rules.to_json(),
        "seed": seed,
        "replicates": REPLICATES,
        "software": f"Tender Ledger {__version__}",
        "counted": n,
        "fingerprint": hashlib.sha256(said_of.encode()).hexdigest()[:16],
        "informants": informants,
        "reports": reports,
        "body": {**found, PUBLISHED: {"values": published, "informants": of[0], "reports": of[1], "cells": cells.to_json()}},
    }


def _computed(scope: Scope, rules: CountingRules, seed: int) -> tuple[dict[str, Any], int, list[int], list[int]]:
    """The values with their intervals, N, and the numbers of the informants and the reports they are of."""
    tally = count(read_table(scope, rules, with_ids=True), rules)
    people = tally.table.informants
    informants = reckoned.counted_informants(scope, [people.codes[at] for at in np.flatnonzero(tally.counted)])
    parts = Parts(None, sampling=incidences(tally), uncertainty=bootstrap(tally, replicates=REPLICATES, seed=seed))
    rows = tally.table.row if tally.table.row is not None else np.zeros(0, dtype=np.int64)
    return result_document(reckon(tally), parts), tally.n, informants, sorted({int(one) for one in rows[tally.kept]})


def publish_frozen(scope: Scope, opened: "Opened") -> tuple[dict[str, Any], Audience]:
    """The values of a frozen reckoning that may leave the study, those computed when it was frozen of what could then; and to
    whom they go, whose cells are chosen beside everything that left before and after.

    Refused where anything they are of may not leave the study any more, and for one that was frozen without them.
    """
    scope.viewer.require(Right.EXPORT)
    kept = (opened.body or {}).get(PUBLISHED)
    if kept is None or "cells" not in kept:
        raise Refused({"frozen": "Nothing of this reckoning can be given out. Freeze it anew to have values for publication."})
    if not reckoned.still_published(scope.for_purpose(Purpose.PUBLISHED), kept["informants"], kept["reports"]):
        raise Refused({"frozen": "The terms of somebody it is of do not let it leave the study with you any more."})
    values: dict[str, Any] = kept["values"]
    return values, give_out_frozen(scope, StudyCells.from_json(kept["cells"]), opened.kept["revision"])


def remove_frozen(scope: Scope, number: int, version: int) -> None:
    scope.viewer.require(Right.SET_RULES)
    with saving(scope, "remove_frozen") as writing:
        writing.remove(FrozenReckoning, number, version)


@dataclass(frozen=True)
class Moved:
    """A taxon that differs: UR and CI when it was frozen, and today; None where it was not told."""

    taxon: str
    before: tuple[int, float | None] | None
    after: tuple[int, float | None] | None


@dataclass(frozen=True)
class Opened:
    """A frozen reckoning: what is kept of it for ever, its values while the terms allow them, what moved since, and by what."""

    kept: dict[str, Any]
    rules: CountingRules
    body: dict[str, Any] | None
    moved: tuple[Moved, ...]
    acts: dict[str, int]
    today: int


def open_frozen(scope: Scope, number: int) -> Opened:
    """Open a frozen reckoning. Its values are withheld while the terms of anything it counted do not allow them, and while too
    few of those whom it counts are hidden: beside the rows of the others they would tell what these told."""
    kept = next((one for one in reckoned.frozen(scope) if one["id"] == number), None)
    if kept is None:
        raise NotFound(f"frozen reckoning {number}")
    rules = parse_rules(kept["rules"], own_bases=kept["rules"]["basis"])
    if kept["withheld"] or kept["emptied"] or 0 < kept["hidden"] < minimum_of(scope):
        return Opened(kept, rules, None, (), {}, 0)
    body = reckoned.frozen_body(scope, number)
    with snapshot():
        now = result_document(reckon(count(read_table(counting_scope(scope), rules), rules), communities=False))
    before, after = (body or {})["taxa"], now["taxa"]
    moved = [Moved(taxon, _values(before.get(taxon)), _values(after.get(taxon))) for taxon in sorted({*before, *after})]
    return Opened(kept, rules, body, tuple(one for one in moved if one.before != one.after),
                  acts.acts_since(scope, kept["revision"]), now["totals"]["N"])  # fmt: skip


def _values(found: dict[str, Any] | None) -> tuple[int, float | None] | None:
    return None if found is None else (found["UR"], found["CI"])
