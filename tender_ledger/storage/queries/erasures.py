"""The erasures that a database has heard of, and whether it waits for somebody to say that there were no others."""

from collections.abc import Iterable, Mapping
from typing import Any

from tender_ledger.storage.database import row, rows, run, value

COLUMNS = ("installation", "study_id", "holder_id", "holder_uid", "person_id", "records", "at")


def installation_id() -> str:
    """Which database this is; every copy of it says the same."""
    return str(value("SELECT id FROM installation"))


def known_erasures() -> list[dict[str, Any]]:
    """Every erasure that was heard of, of whatever database: texts and numbers by COLUMNS."""
    return rows(
        """SELECT installation::text, study_id, holder_id, holder_uid::text, person_id, records, at::text FROM known_erasure
           ORDER BY id"""
    )


def remember_erasures(erasures: Iterable[Mapping[str, Any]]) -> None:
    """Add erasures to those that were heard of; none is ever taken away."""
    for one in erasures:
        run(
            """INSERT INTO known_erasure (installation, study_id, holder_id, holder_uid, person_id, records, at)
               VALUES (%(installation)s, %(study_id)s, %(holder_id)s, %(holder_uid)s, %(person_id)s, %(records)s, %(at)s)
               ON CONFLICT ON CONSTRAINT known_erasure_once DO NOTHING""",
            **{name: one.get(name) for name in COLUMNS},
        )


def erased_but_here() -> list[dict[str, Any]]:
    """Holders of this database who were erased in some copy of it: study, holder, the person who erased, records, day.

    A holder is known by the uid. An erasure from before there were any has a number, which means the same person only in
    this database, and only where the holder was recorded before the erasure.
    """
    return rows(
        """SELECT h.study_id, h.id AS holder_id, k.person_id, k.records, k.at FROM known_erasure k JOIN holder h
             ON h.uid = k.holder_uid
             OR (k.holder_uid IS NULL AND k.installation = (SELECT id FROM installation) AND h.study_id = k.study_id
                 AND h.id = k.holder_id AND k.at > (SELECT min(a.at) FROM change c JOIN act a ON a.id = c.act_id
                                                    WHERE c.entity = 'holder' AND c.record_id = h.id))
           ORDER BY h.id"""
    )


def last_known() -> dict[str, Any]:
    """How many erasures this database has heard of in itself and its copies, and the moment of the last."""
    own = "installation = (SELECT id FROM installation)"
    found = row(f"SELECT count(*) AS number, max(at) AS last FROM known_erasure WHERE {own}")
    return found or {"number": 0, "last": None}


def waits() -> bool:
    """Whether it was restored with nothing to say who was erased since, and nobody has confirmed it yet."""
    return bool(value("SELECT waits_since IS NOT NULL FROM installation"))


def wait() -> None:
    run("UPDATE installation SET waits_since = now()")


def confirm() -> None:
    run("UPDATE installation SET waits_since = NULL")
