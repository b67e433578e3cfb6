"""What left the study before, read and remembered: a later file is chosen beside every earlier one."""

import hashlib
import json
from collections.abc import Iterable

from tender_ledger.core.disclosure import Key, Release
from tender_ledger.core.publication import Publication
from tender_ledger.core.terms import Scope
from tender_ledger.storage.queries import releases as queries


def earlier_releases(scope: Scope) -> list[Release]:
    """The releases of the study, the first first."""
    found: dict[int, tuple[dict[Key, dict[int, float]], set[Key], dict[Key, int]]] = {}
    for one in queries.released_cells(scope):
        contributions, shown, erased = found.setdefault(one["release_id"], ({}, set(), {}))
        key = tuple(one["cell"].split("\t"))
        contributions[key] = dict(zip(one["holders"], one["amounts"], strict=True))
        if one["shown"]:
            shown.add(key)
        if one["erased"]:
            erased[key] = one["erased"]
    return [Release(contributions, frozenset(shown), erased) for contributions, shown, erased in found.values()]


def remember(scope: Scope, revision: int, state: str, publication: Publication) -> None:
    """Keep what leaves now, within the caller's transaction; the same as before is not kept twice."""
    digest = digest_of_release(publication)
    if not queries.is_released(scope, digest):
        queries.keep_release(scope, revision, state, digest, _cells(publication))


def digest_of_release(publication: Publication) -> str:
    """What tells one release from another: every cell, who contributed what, and whether it is shown."""
    said = json.dumps([[*cell[:2], list(map(int, cell[2])), cell[3]] for cell in _cells(publication)], ensure_ascii=False)
    return hashlib.sha256(said.encode()).hexdigest()


def _cells(publication: Publication) -> Iterable[tuple[str, bool, list[int], list[float]]]:
    of_all = {**publication.uses.cells.contributions, **publication.holders.cells.contributions}
    for key, of in sorted(of_all.items()):
        holders = sorted(of)
        yield "\t".join(key), publication.shows(key), holders, [float(of[one]) for one in holders]
