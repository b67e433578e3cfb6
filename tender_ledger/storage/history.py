"""Writing with history: every operation is one act, every record it touches one change with before and after."""

import datetime
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from functools import cache
from typing import Any

from peewee import Value, fn
from psycopg.types.json import Jsonb

from tender_ledger.core.limits import check_lengths
from tender_ledger.core.terms import Member
from tender_ledger.storage.database import copy_rows, database, new_ids
from tender_ledger.storage.masking import masks, unmasked
from tender_ledger.storage.models import (
    Act,
    Asking,
    Attestation,
    Caution,
    ChoiceOfHolders,
    Community,
    CommunityRestriction,
    Consent,
    Determination,
    Dialect,
    Dispute,
    Encounter,
    Feature,
    Flora,
    FreeList,
    FrozenReckoning,
    Holder,
    ImportBatch,
    Language,
    LocalName,
    Membership,
    Permit,
    Picture,
    Plant,
    PlantLink,
    PropertyClaim,
    PublishingRule,
    Questionnaire,
    QuestionnaireAnswer,
    Rules,
    SignInRule,
    Source,
    Specimen,
    StudyChecklist,
    UseReport,
    UseScore,
    VocabularyTerm,
    WorklistMark,
)
from tender_ledger.storage.models.base import Child, StudyRecord

Snapshot = dict[str, Any]
ENTITIES: Mapping[str, type[StudyRecord]] = {
    model.ENTITY: model
    for model in (Asking, Attestation, Caution, ChoiceOfHolders, Community, CommunityRestriction, Consent, Determination,
                  Dialect, Dispute, Encounter, Feature, Flora, FreeList, FrozenReckoning, Holder, ImportBatch, Language,
                  LocalName, Membership, Permit, Picture, Plant, PlantLink, PropertyClaim, PublishingRule, Questionnaire,
                  QuestionnaireAnswer, Rules, SignInRule, Source,
                  Specimen, StudyChecklist, UseReport, UseScore, VocabularyTerm, WorklistMark)
}  # fmt: skip


def columns_of(entity: str) -> list[str]:
    """What a snapshot of a kind of record holds, in the order of its table: columns, then children."""
    model = ENTITIES[entity]
    return [name for name in model._meta.fields if name not in model.NOT_KEPT] + [child.name for child in model.CHILDREN]


class StaleVersion(Exception):
    """The record was changed since the version that the writer had seen."""

    def __init__(self, entity: str, record_id: int, current: Snapshot | None) -> None:
        super().__init__(f"{entity} {record_id} was changed meanwhile")
        self.entity, self.record_id, self.current = entity, record_id, current


class ActWriter:
    """Writes records of one study within one act and remembers what was before and after."""

    def __init__(self, member: Member, operation: str, undoes: int | None = None) -> None:
        self.member, self.operation, self.undoes = member, operation, undoes
        self.act_id, self.written = 0, 0
        self.changes: list[tuple[str, int, int | None, Snapshot | None, Snapshot | None]] = []

    def create(self, model: type[StudyRecord], values: Mapping[str, Any], *, holder_id: int | None = None,
               children: Mapping[str, list[Snapshot]] | None = None) -> int:  # fmt: skip
        """Insert a record with its children; returns its id. Raises TooLong for a text that its column does not take."""
        check_lengths(values)
        record_id = int(model.insert(study_id=self.member.study_id, **values).execute())
        for name, rows in (children or {}).items():
            _write_children(model, name, self.member.study_id, record_id, rows)
        self._keep(model, record_id, holder_id, None)
        return record_id

    def create_many(self, model: type[StudyRecord], records: Sequence[Mapping[str, Any]], *,
                    holder_ids: Sequence[int | None] | None = None,
                    children: Mapping[str, Sequence[Sequence[Snapshot]]] | None = None) -> list[int]:  # fmt: skip
        """Insert many records of the same columns at once, each with its children; returns their ids in order."""
        if not records:
            return []
        ids = new_ids(model._meta.table_name, len(records))
        for one in records:
            check_lengths(one)
        study_id, columns = self.member.study_id, list(records[0])
        kept = ((number, study_id, *(_stored(one[name]) for name in columns)) for number, one in zip(ids, records, strict=True))
        copy_rows(model._meta.table_name, ["id", "study_id", *columns], kept)
        for child in model.CHILDREN:
            _copy_children(child, study_id, ids, (children or {}).get(child.name, ()))
        self._keep_made(model, ids, ids if model is Holder else holder_ids or [None] * len(ids))
        return ids

    def update(self, model: type[StudyRecord], record_id: int, version: int | None, values: Mapping[str, Any], *,
               holder_id: int | None = None, children: Mapping[str, list[Snapshot]] | None = None) -> None:  # fmt: skip
        """Change a record that the writer saw at `version` (None: whatever it is). Raises StaleVersion otherwise."""
        before = self._lock(model, record_id, version)
        columns = {name: unmasked(typed, (before or {}).get(name)) for name, typed in values.items()}
        check_lengths(columns)
        columns["version"] = model.version + 1
        model.update(columns).where(model.id == record_id).execute()
        for name, rows in (children or {}).items():
            _write_children(model, name, self.member.study_id, record_id, rows)
        self._keep(model, record_id, holder_id, before)

    def update_many(self, model: type[StudyRecord], ids: Sequence[int], values: Mapping[str, Any],
                    holder_ids: Mapping[int, int | None], *, also: Callable[[], None] = lambda: None) -> int:  # fmt: skip
        """Change many records alike, whatever their versions, and with `also` their children; returns how many differ since."""
        check_lengths(values)
        of_study = (model.study_id == self.member.study_id) & _among(model.id, list(ids))
        model.select(model.id).where(of_study).order_by(model.id).for_update().execute()
        before = take_snapshots(model, ids)
        model.update({**values, "version": model.version + 1}).where(of_study & model.removed_at.is_null()).execute()
        also()
        after = take_snapshots(model, ids)
        changed = [one for one in before if before[one] != after[one]]
        self.changes += [(model.ENTITY, one, holder_ids.get(one), before[one], after[one]) for one in changed]
        return len(changed)

    def remove(self, model: type[StudyRecord], record_id: int, version: int | None, *, holder_id: int | None = None) -> None:
        """Hide a record; its number stays taken and the act can be undone."""
        before = self._lock(model, record_id, version)
        model.update(removed_at=_now(), version=model.version + 1).where(model.id == record_id).execute()
        self._keep(model, record_id, holder_id, before)

    def hide_many(self, entity: str, found: Mapping[int, Snapshot | None], holder_ids: Mapping[int, int | None]) -> None:
        """Hide records whose states are known; each is hidden whatever its version."""
        model = ENTITIES[entity]
        self._set_removed(model, list(found), _now())
        self.changes += [(entity, number, holder_ids[number], before, None) for number, before in found.items()]

    def hide_untouched(self, entity: str, made_by: int, ids: Sequence[int], but: Sequence[int]) -> bool:
        """Hide records that are as the act that made them left them, all in the database; whether all were so.

        `but` are further records of the kind that the act made, and that somebody touched since.
        """
        model = ENTITIES[entity]
        as_made = _among(model.id, list(ids)) & (model.version == 1) & model.removed_at.is_null()
        of_study = model.study_id == self.member.study_id
        hidden = model.update(removed_at=_now(), version=model.version + 1).where(of_study & as_made).execute()
        self._write_changes()
        database.execute_sql(
            """INSERT INTO change (study_id, act_id, entity, record_id, holder_id, before)
               SELECT study_id, %s, entity, record_id, holder_id, after FROM change
               WHERE act_id = %s AND entity = %s AND before IS NULL AND record_id <> ALL(%s) ORDER BY id DESC""",
            (self.act_id, made_by, entity, list(but)),
        )
        self.written += len(ids)
        return bool(hidden == len(ids))

    def show_many(self, entity: str, wanted: Mapping[int, Snapshot], holder_ids: Mapping[int, int | None]) -> None:
        """Bring hidden records back into states that the history holds."""
        model = ENTITIES[entity]
        self._set_removed(model, list(wanted), None)
        now = take_snapshots(model, wanted)
        for number, state in wanted.items():
            if now.get(number) == state:
                self.changes.append((entity, number, holder_ids[number], None, state))
            else:
                self.restore(entity, number, state, holder_ids[number])

    def _set_removed(self, model: type[StudyRecord], ids: list[int], moment: datetime.datetime | None) -> None:
        of_study = (model.study_id == self.member.study_id) & _among(model.id, ids)
        model.update(removed_at=moment, version=model.version + 1).where(of_study).execute()

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

    def _keep_made(self, model: type[StudyRecord], ids: Sequence[int], holder_ids: Sequence[int | None]) -> None:
        """Write the changes of many new records without reading them out of the database."""
        self._write_changes()
        sql = f"""INSERT INTO change (study_id, act_id, entity, record_id, holder_id, after)
            SELECT r.study_id, %s, %s, r.id, made.holder_id, {_state(model)}
            FROM unnest(%s::bigint[], %s::bigint[]) WITH ORDINALITY AS made (id, holder_id, place)
            JOIN {model._meta.table_name} r ON r.id = made.id ORDER BY made.place"""
        database.execute_sql(sql, (self.act_id, model.ENTITY, list(ids), list(holder_ids)))
        self.written += len(ids)

    def count_erased(self, records: int) -> None:
        """Let the act say how many records it erased; of what they were nothing is kept."""
        self._write_changes()
        self.written += records

    def _write_changes(self) -> None:
        """Write what gathered so far, after the act itself, which gets its revision when it ends."""
        if not self.act_id:
            found = Act.insert(study_id=self.member.study_id, person_id=self.member.person_id, operation=self.operation,
                               undoes_act_id=self.undoes).execute()  # fmt: skip
            self.act_id = int(found)
        copy_rows(
            "change",
            ("study_id", "act_id", "entity", "record_id", "holder_id", "before", "after"),
            ((self.member.study_id, self.act_id, *change[:3], *map(_stored, change[3:])) for change in self.changes),
        )
        self.written += len(self.changes)
        self.changes = []

    def end(self) -> None:
        """Write what is left and, last of all, raise the study's revision. Nothing is written where nothing changed."""
        if not self.changes and not self.written:
            return
        self._write_changes()
        database.execute_sql(
            """WITH risen AS (UPDATE study SET revision = revision + 1 WHERE id = %s RETURNING revision)
               UPDATE act SET revision = risen.revision, records = %s FROM risen WHERE act.id = %s""",
            (self.member.study_id, self.written, self.act_id),
        )


@contextmanager
def act(member: Member, operation: str, *, undoes: int | None = None) -> Iterator[ActWriter]:
    """One transaction that ends by writing the act with its changes and, last of all, raising the study's revision.

    The study's row is locked by that last statement alone, so that a long act holds up nobody. An act that changed nothing
    is not written and raises no revision.
    """
    with database.atomic():
        writer = ActWriter(member, operation, undoes)
        yield writer
        writer.end()


def untouched(study_id: int, act_id: int) -> dict[str, set[int]]:
    """The records that an act made and that nobody changed or hid since, by kind: their first version stands."""
    kinds = database.execute_sql(
        "SELECT DISTINCT entity FROM change WHERE act_id = %s AND study_id = %s AND before IS NULL", (act_id, study_id)
    ).fetchall()
    return {
        entity: {number for (number,) in database.execute_sql(
            f"""SELECT c.record_id FROM change c JOIN {ENTITIES[entity]._meta.table_name} r ON r.id = c.record_id
                  AND r.study_id = c.study_id AND r.version = 1 AND r.removed_at IS NULL
                WHERE c.act_id = %s AND c.study_id = %s AND c.entity = %s AND c.before IS NULL""",
            (act_id, study_id, entity)).fetchall()}
        for (entity,) in kinds
    }  # fmt: skip


def take_snapshot(model: type[StudyRecord], record_id: int) -> Snapshot | None:
    """The record's values and children as JSON values; None where it does not exist or is hidden."""
    return take_snapshots(model, [record_id]).get(record_id)


def take_snapshots(model: type[StudyRecord], ids: Iterable[int]) -> dict[int, Snapshot]:
    """The values and children of many records as JSON values, by id; those that do not exist or are hidden are not in it."""
    sql = f"SELECT r.id, {_state(model)} FROM {model._meta.table_name} r WHERE r.id = ANY(%s) AND r.removed_at IS NULL"
    return dict(database.execute_sql(sql, (list(ids),)).fetchall())


@cache
def _state(model: type[StudyRecord]) -> str:
    """The SQL of a record `r` as one JSON object: its columns, and its children as a list each.

    The children are looked up record by record, which is quick however little the planner knows of new rows. The text is
    put together first and becomes jsonb once, which takes little more than half the time of nesting jsonb in jsonb.
    """
    parts = [(name, f"r.{field.column_name}") for name, field in model._meta.fields.items() if name not in model.NOT_KEPT]
    for child in model.CHILDREN:
        row = _json_object((name, f"c.{name}") for name in child.columns)
        order = ", ".join(f"c.{name}" for name in dict.fromkeys((child.order, *child.columns)))
        of_record = f"FROM {child.model._meta.table_name} c WHERE c.{child.parent} = r.id"
        parts.append((child.name, f"coalesce((SELECT json_agg({row} ORDER BY {order}) {of_record}), '[]')"))
    return f"({_json_object(parts)})::jsonb"


def _json_object(parts: Iterable[tuple[str, str]]) -> str:
    pairs = ", ".join(f"'{name}', {sql}" for name, sql in parts)
    return f"json_build_object({pairs})"


def _among(column: Any, numbers: list[int]) -> Any:
    """The condition that a column is one of many numbers, as one array however many they are."""
    return column == fn.ANY(Value(numbers, unpack=False))


def _copy_children(child: Child, study_id: int, ids: Sequence[int], of_each: Sequence[Sequence[Snapshot]]) -> None:
    columns = [child.parent, *(["study_id"] if child.of_study else []), *child.columns]
    own = (study_id,) if child.of_study else ()
    for rows in of_each:
        for row in rows:
            check_lengths(row)
    copied = (
        (number, *own, *(row.get(name, getattr(child.model, name).default) for name in child.columns))
        for number, rows in zip(ids, of_each, strict=False)
        for row in rows
    )
    copy_rows(child.model._meta.table_name, columns, copied)


def _write_children(model: type[StudyRecord], name: str, study_id: int, record_id: int, rows: list[Snapshot]) -> None:
    """Bring the child rows to the wanted ones. Rows that stay are not touched, since others may refer to them."""
    child = next(child for child in model.CHILDREN if child.name == name)
    parent = getattr(child.model, child.parent)
    fields = [getattr(child.model, column) for column in child.columns]
    wanted = [{column: row.get(column, getattr(child.model, column).default) for column in child.columns} for row in rows]
    for row in wanted:
        check_lengths(row)
    found: Any = child.model.select(*fields).where(parent == record_id).dicts()
    present: list[Snapshot] = list(found)
    if masks():  # a text that is typed as it was shown stays as it is stored
        wanted = [
            {
                name: next((row[name] for row in present if unmasked(typed, row[name]) != typed), typed)
                for name, typed in one.items()
            }
            for one in wanted
        ]
    for row in present:
        if row not in wanted:
            matches = [getattr(child.model, column) == value if value is not None
                       else getattr(child.model, column).is_null() for column, value in row.items()]  # fmt: skip
            child.model.delete().where(parent == record_id, *matches).execute()
    own = {child.parent: record_id} | ({"study_id": study_id} if child.of_study else {})
    new = [row | own for row in wanted if row not in present]
    if new:
        child.model.insert_many(new).execute()


def _stored(value: Any) -> Any:
    """A value as COPY takes it: JSON columns hold their objects."""
    return Jsonb(value) if isinstance(value, dict) else value


def _now() -> datetime.datetime:
    return datetime.datetime.now(datetime.UTC)
