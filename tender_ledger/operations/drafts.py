"""What somebody had typed and not yet recorded: kept on the server as typed, for that person alone."""

import uuid
from datetime import UTC, datetime

from tender_ledger.core.limits import WORDS
from tender_ledger.core.rights import Right
from tender_ledger.core.terms import Scope
from tender_ledger.storage.models import Draft
from tender_ledger.storage.queries.reports import record_of_key


def draft_place(encounter_number: int) -> str:
    """Where the draft of an encounter's recording form is kept."""
    return f"encounter {encounter_number}"


def keep_draft(scope: Scope, place: str, typed: dict[str, str]) -> None:
    """Keep what was typed at a place, as typed, for this person alone; not when its report was recorded meanwhile."""
    scope.viewer.require(Right.RECORD)
    body = {key: str(value)[:WORDS] for key, value in typed.items()}
    key = body.get("client_key", "")
    if _is_uuid(key) and (record_of_key(scope, key, "use_report") or record_of_key(scope, key, "asking")):
        return
    now = datetime.now(UTC)
    Draft.insert(study_id=scope.study_id, person_id=scope.viewer.person_id, place=place, body=body, updated_at=now).on_conflict(
        conflict_target=[Draft.study_id, Draft.person_id, Draft.place],
        update={Draft.body: body, Draft.updated_at: now},
    ).execute()


def _is_uuid(text: str) -> bool:
    try:
        uuid.UUID(text)
    except ValueError:
        return False
    return True


def clear_draft(scope: Scope, place: str) -> None:
    """Forget what was typed at a place: it was recorded."""
    Draft.delete().where(
        (Draft.study_id == scope.study_id) & (Draft.person_id == scope.viewer.person_id) & (Draft.place == place)
    ).execute()
