"""Specimens of plants that the viewer may know of."""

from typing import Any

from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import row, rows
from tender_ledger.storage.queries.plants import hidden_plants

_SPECIMENS = """SELECT s.id, s.collector, s.number, s.day_from, s.day_to, s.approximate, s.place, s.herbarium, s.duplicates,
        s.version, s.stage_id, p.number AS plant,
        (SELECT l.label::text FROM term_label l WHERE l.term_id = s.stage_id AND l.language = 'en') AS stage
    FROM specimen s JOIN plant p ON p.id = s.plant_id
    WHERE s.study_id = %(study)s AND s.removed_at IS NULL AND p.removed_at IS NULL
      AND {condition} ORDER BY s.collector, s.number"""


def specimens_of(scope: Scope, plant_id: int) -> list[dict[str, Any]]:
    """The specimens of a plant. The caller has shown that the plant may be seen."""
    sql = _SPECIMENS.format(condition="p.id = %(plant)s")
    return rows(sql, study=scope.study_id, plant=plant_id)


def specimens(scope: Scope) -> list[dict[str, Any]]:
    """Every specimen of the study, by collector and number."""
    sql = _SPECIMENS.format(condition="NOT p.id = ANY(%(hidden)s)")
    return rows(sql, study=scope.study_id, hidden=hidden_plants(scope))


def specimen(scope: Scope, specimen_id: int) -> dict[str, Any] | None:
    sql = _SPECIMENS.format(condition="s.id = %(specimen)s AND NOT p.id = ANY(%(hidden)s)")
    return row(sql, study=scope.study_id, specimen=specimen_id, hidden=hidden_plants(scope))
