"""Writing with history: every operation is one act, every record it touches one change with before and after."""

import datetime
import uuid
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from typing import Any

from tender_ledger.core.terms import Member
from tender_ledger.storage.database import database
from tender_ledger.storage.models import (
    Act,
    Asking,
    Attestation,
    Change,
    Community,
    Consent,
    Determination,
    Encounter,
    Holder,
    Language,
    LocalName,
    Plant,
    Rules,
    Source,
    UseReport,
)
from tender_ledger.storage.models.base import StudyRecord

Snapshot = dict[str, Any]
ENTITIES: Mapping[str, type[StudyRecord]] = {
    model.ENTITY: model
    for model in (Asking, Attestation, Community, Consent, Determination, Encounter, Holder, Language, LocalName, Plant,
                  Rules, Source, UseReport)
}  # fmt: skip


class StaleVersion(Exception):
    """The record was changed since the version that the writer had seen."""

    def __init__(self, entity: str, record_id: int, current: Snapshot | None) -> None:
        super().__init__(f"{entity} {record_id} was changed meanwhile")
        self.entity, self.record_id, self.current = entity, record_id, current


class ActWriter:
    """Writes records of one study within one act and remembers what was before and after."""

    def __init__(self, member: Member) -> None:
        self.member = member
        self.changes: list[tuple[str, int, int | None, Snapshot | None, Snapshot | None]] = []

    def create(self, model: type[StudyRecord], values: Mapping[str, Any], *, holder_id: int | None = None,
               children: Mapping[str, list[Snapshot]] | None = None) -> int:  # fmt: skip
        """Insert a record with its children; returns its id."""
        record_id = int(model.insert(study_id=self.member.study_id, **values).execute())
        for name, rows in (children or {}).items():
            _write_children(model, name, self.member.study_id, record_id, rows)
        self._keep(model, record_id, holder_id, None)
        return record_id

    def update(self, model: type[StudyRecord], record_id: int, version: int | None, values: Mapping[str, Any], *,
               holder_id: int | None = None, children: Mapping[str, list[Snapshot]] | None = None) -> None:  # fmt: skip
        """Change a record that the writer saw at `version` (None: whatever it is). Raises StaleVersion otherwise."""
        before = self._lock(model, record_id, version)
        columns = {**values, "version": model.version + 1}
        model.update(columns).where(model.id == record_id).execute()
        for name, rows in (children or {}).items():
            _write_children(model, name, self.member.study_id, record_id, rows)
        self._keep(model, record_id, holder_id, before)

    def remove(self, model: type[StudyRecord], record_id: int, version: int | None, *, holder_id: int | None = None) -> None:
        """Hide a record; its number stays taken and the act can be undone."""
        before = self._lock(model, record_id, version)
        model.update(removed_at=_now(), version=model.version + 1).where(model.id == record_id).execute()
        self._keep(model, record_id, holder_id, before)

    def restore(self, entity: str, record_id: int, wanted: Snapshot | None, holder_id: int | None) -> None:
        """Put a record into a state that the history holds; None hides it."""
        model = ENTITIES[entity]
        before = self._lock(model, record_id, None)
        columns = {"removed_at": _now() if wanted is None else None, "version": model.version + 1}
        for child in model.CHILDREN:
            if wanted is not None:
                _write_children(model, child.name, self.member.study_id, record_id, wanted[child.name])
        kept = {key: value for key, value in (wanted or {}).items() if key not in {c.name for c in model.CHILDREN}}
        model.update({**kept, **columns}).where(model.id == record_id).execute()
        self._keep(model, record_id, holder_id, before)

    def _lock(self, model: type[StudyRecord], record_id: int, version: int | None) -> Snapshot | None:
        found = (
            model.select(model.version)
            .where((model.id == record_id) & (model.study_id == self.member.study_id))
            .for_update()
            .tuples()
            .first()
        )
        if found is None:
            raise LookupError(f"{model.ENTITY} {record_id}")
        current = take_snapshot(model, record_id)
        if version is not None and found[0] != version:
            raise StaleVersion(model.ENTITY, record_id, current)
        return current

    def _keep(self, model: type[StudyRecord], record_id: int, holder_id: int | None, before: Snapshot | None) -> None:
        after = take_snapshot(model, record_id)
        if model is Holder:
            holder_id = record_id
        if before != after:
            self.changes.append((model.ENTITY, record_id, holder_id, before, after))


@contextmanager
def act(member: Member, operation: str, *, undoes: int | None = None) -> Iterator[ActWriter]:
    """One transaction that ends by raising the study's revision and writing the act with its changes.

    An act that changed nothing is not written and raises no revision.
    """
    with database.atomic():
        writer = ActWriter(member)
        yield writer
        if not writer.changes:
            return
        revision = database.execute_sql(
            "UPDATE study SET revision = revision + 1 WHERE id = %s RETURNING revision", (member.study_id,)
        ).fetchone()[0]
        act_id = Act.insert(
            study_id=member.study_id,
            person_id=member.person_id,
            operation=operation,
            revision=revision,
            undoes_act_id=undoes,
        ).execute()
        Change.insert_many(
            [(member.study_id, act_id, *change) for change in writer.changes],
            fields=[Change.study_id, Change.act_id, Change.entity, Change.record_id, Change.holder_id, Change.before,
                    Change.after],
        ).execute()  # fmt: skip


def take_snapshot(model: type[StudyRecord], record_id: int) -> Snapshot | None:
    """The record's values and children as JSON values; None where it does not exist or is hidden."""
    columns = [field for name, field in model._meta.fields.items() if name not in model.NOT_KEPT]
    found = model.select(*columns).where((model.id == record_id) & model.removed_at.is_null()).dicts().first()
    if found is None:
        return None
    snapshot = {key: _json(value) for key, value in found.items()}
    for child in model.CHILDREN:
        fields = [getattr(child.model, column) for column in child.columns]
        query = child.model.select(*fields).where(getattr(child.model, child.parent) == record_id)
        snapshot[child.name] = list(query.order_by(getattr(child.model, child.order)).dicts())
    return snapshot


def _write_children(model: type[StudyRecord], name: str, study_id: int, record_id: int, rows: list[Snapshot]) -> None:
    """Bring the child rows to the wanted ones. Rows that stay are not touched, since others may refer to them."""
    child = next(child for child in model.CHILDREN if child.name == name)
    parent = getattr(child.model, child.parent)
    fields = [getattr(child.model, column) for column in child.columns]
    wanted = [{column: row.get(column, getattr(child.model, column).default) for column in child.columns} for row in rows]
    found: Any = child.model.select(*fields).where(parent == record_id).dicts()
    present: list[Snapshot] = list(found)
    for row in present:
        if row not in wanted:
            matches = [getattr(child.model, column) == value if value is not None
                       else getattr(child.model, column).is_null() for column, value in row.items()]  # fmt: skip
            child.model.delete().where(parent == record_id, *matches).execute()
    new = [{**row, child.parent: record_id, "study_id": study_id} for row in wanted if row not in present]
    if new:
        child.model.insert_many(new).execute()


def _json(value: Any) -> Any:
    if isinstance(value, datetime.date | datetime.datetime):
        return value.isoformat()
    return str(value) if isinstance(value, uuid.UUID) else value


def _now() -> datetime.datetime:
    return datetime.datetime.now(datetime.UTC)
