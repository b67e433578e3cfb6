"""Counts of before the last reports: in a large study a page may show them while a new count is made.

A large study is counted for seconds, and its reports change every few. Where a page allows it, it is given the last count, and
says of when that is, as long as nothing but reports changed since: then nobody sees what the terms of today hide. Whatever
leaves the study, and every page of a small one, is counted anew.
"""

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from datetime import datetime

from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import ask_anew, row

LARGE = 20_000  # reports from which a study is a large one
RECOUNT_AFTER = 60  # seconds that a count is shown, at least, before a new one is begun
RECOUNT_SHARE = 20  # a count that took so long is shown that many times as long
REDRAW_AFTER = 300  # seconds that a page of a large study is shown, at least, before a worker draws it anew
OLDEST = 3600  # seconds after which no count of before is shown any more
# Entities that say nothing of who may see or count what.
WITHOUT_TERMS = frozenset(
    {
        "use_report",
        "asking",
        "attestation",
        "local_name",
        "plant",
        "encounter",
        "determination",
        "picture",
        "specimen",
        "feature",
        "free_list",
        "property_claim",
        "plant_link",
        "worklist_mark",
        "caution",
    }
)


@dataclass
class CountNotes:
    """What counts a page may be given: those of before the last reports, and of these only reports that others wrote, or
    only those made since a time; and what it was given: when the oldest of before was made (None where all stand), whether
    one is still under way, and whether one may change without anything being written."""

    past_allowed: bool = False
    by_others: bool = False
    since: datetime | None = None
    oldest: datetime | None = None
    under_way: bool = False
    may_change: bool = False

    def give_past(self, counted_at: datetime) -> None:
        self.oldest = counted_at if self.oldest is None else min(self.oldest, counted_at)


_notes: ContextVar[CountNotes | None] = ContextVar("notes on counts", default=None)


@contextmanager
def counts_noted(*, past_allowed: bool, by_others: bool = False, since: datetime | None = None) -> Iterator[CountNotes]:
    """Within it what counts are given is noted; counts of before the last reports of a large study are given if allowed."""
    notes = CountNotes(past_allowed, by_others, since)
    token = _notes.set(notes)
    try:
        yield notes
    finally:
        _notes.reset(token)


def past_counts() -> CountNotes | None:
    """Where past counts that are given are to be noted, or None where none may be given."""
    notes = _notes.get()
    return notes if notes is not None and notes.past_allowed else None


def count_notes() -> CountNotes:
    """The notes of the page that is being drawn; elsewhere some that nobody reads."""
    return _notes.get() or CountNotes()


def past_may_be_given(scope: Scope, revision: int, kept_at: datetime, *, own_reports: bool = False) -> bool:
    """Whether a count of a past revision may be given to the page that is being drawn; with `own_reports` also one of before
    the viewer's own last reports, where those of others alone may be missing."""
    past = past_counts()
    if past is None or (past.since is not None and kept_at < past.since):
        return False
    return only_reports_changed(scope, revision, by_others=past.by_others, own_reports=own_reports)


def only_reports_changed(scope: Scope, since: int, *, by_others: bool = False, own_reports: bool = False) -> bool:
    """Whether the study is a large one, and what was written after a revision, or written by others, bears on no terms;
    with `own_reports` the viewer may have written use reports too.

    Marks of the worklist are read anew wherever they are shown, so the viewer's own ones renew nothing.

    Every revision must have its act: what is written otherwise (an erasure, an upgrade) may bear on anything.
    """
    found = row(
        f"""SELECT s.revision - %(since)s AS revisions,
              (SELECT count(DISTINCT a.revision) FROM act a
               WHERE a.study_id = s.id AND a.revision > %(since)s AND a.revision <= s.revision
                 AND EXISTS (SELECT FROM change c WHERE c.act_id = a.id)) AS acts,
              EXISTS (SELECT FROM act a JOIN change c ON c.act_id = a.id
               WHERE a.study_id = s.id AND a.revision > %(since)s AND a.revision <= s.revision
                 AND (c.entity <> ALL(%(free)s) OR
                   %(by_others)s AND a.person_id = %(person)s AND c.entity <> ALL(%(own)s))) AS of_terms,
              (SELECT count(*) FROM (SELECT FROM use_report r WHERE r.study_id = s.id LIMIT {LARGE}) large) AS reports
            FROM study s WHERE s.id = %(study)s""",
        study=scope.study_id,
        since=since,
        free=sorted(WITHOUT_TERMS),
        by_others=by_others,
        own=["worklist_mark", *(["use_report"] if own_reports else [])],
        person=scope.viewer.person_id,
    )
    return found is not None and found["reports"] >= LARGE and found["acts"] == found["revisions"] and not found["of_terms"]


def may_be_kept(scope: Scope, revision: int) -> bool:
    """Whether what was computed at a revision may be kept as of it, within the transaction of the caller.

    It waits for whoever holds the study: what was computed while somebody is erased is of a revision that is past by then.
    """
    held = row("SELECT revision FROM study WHERE id = %(study)s FOR SHARE", study=scope.study_id)
    if held is None:
        return False
    ask_anew()
    return bool(held["revision"] == revision) or only_reports_changed(scope, revision)
