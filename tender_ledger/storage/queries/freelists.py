"""Free lists that the viewer may see."""

from typing import Any

from tender_ledger.core.terms import Scope
from tender_ledger.storage.database import row, rows
from tender_ledger.storage.queries.plants import hidden_plants
from tender_ledger.storage.queries.terms import TERMS, allowed, parameters


def _select(scope: Scope, condition: str) -> str:
    """Lists with their items in order; a plant that the viewer may not know of is not named, its words stay the teller's."""
    return f"""SELECT f.id, f.version, f.encounter_id, e.number AS encounter, f.informant_id, h.id AS holder_id,
            coalesce(h.code, s.code) AS informant,
            (SELECT json_agg(json_build_object('position', i.position, 'name', i.name, 'plant', p.number) ORDER BY i.position)
               FROM free_list_item i LEFT JOIN plant p ON p.id = i.plant_id AND NOT p.id = ANY(%(hidden)s)
               WHERE i.free_list_id = f.id) AS items
        FROM free_list f JOIN encounter e ON e.id = f.encounter_id AND e.removed_at IS NULL
        JOIN informant n ON n.id = f.informant_id {TERMS} n.id
        LEFT JOIN holder h ON h.id = n.holder_id LEFT JOIN source s ON s.id = n.source_id
        WHERE f.study_id = %(study)s AND f.removed_at IS NULL AND {allowed(scope, written_by="e.recorded_by")} AND {condition}
        ORDER BY informant, f.id"""


def lists_of(scope: Scope, encounter_id: int) -> list[dict[str, Any]]:
    """The lists of an encounter, by who named them."""
    sql = _select(scope, "f.encounter_id = %(encounter)s")
    return rows(sql, **parameters(scope, encounter=encounter_id, hidden=hidden_plants(scope)))


def free_list(scope: Scope, list_id: int) -> dict[str, Any] | None:
    return row(_select(scope, "f.id = %(list)s"), **parameters(scope, list=list_id, hidden=hidden_plants(scope)))
