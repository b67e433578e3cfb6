"""Pictures of plants that the viewer may know of."""

from typing import Any

from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import row, rows
from tender_ledger.storage.queries.plants import hidden_plants

_PICTURES = """SELECT c.id, c.caption, c.width, c.height, c.latitude, c.longitude, c.version, p.number AS plant{more}
    FROM picture c JOIN plant p ON p.id = c.plant_id{join}
    WHERE c.study_id = %(study)s AND c.removed_at IS NULL AND p.removed_at IS NULL
      AND {condition} ORDER BY c.id"""


def pictures_of(scope: Scope, plant_id: int) -> list[dict[str, Any]]:
    """The pictures of a plant. The caller has shown that the plant may be seen."""
    sql = _PICTURES.format(more="", join="", condition="p.id = %(plant)s")
    return rows(sql, study=scope.study_id, plant=plant_id)


def picture(scope: Scope, picture_id: int, *, size: str = "") -> dict[str, Any] | None:
    """A picture, with its bytes as `data` where a size is asked for: whole or small."""
    if size not in ("", "whole", "small"):
        raise ValueError(size)
    more, join = (f", d.{size} AS data", " JOIN picture_data d ON d.picture_id = c.id") if size else ("", "")
    sql = _PICTURES.format(more=more, join=join, condition="c.id = %(picture)s AND NOT p.id = ANY(%(hidden)s)")
    return row(sql, study=scope.study_id, picture=picture_id, hidden=hidden_plants(scope))
