"""The connection that the models use, transactions, and the mapping of constraints to sentences."""

import time
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from errno import ENOSPC
from pathlib import Path
from select import select
from typing import Any

from peewee import DatabaseProxy, DataError, IntegrityError, InterfaceError, OperationalError, ProgrammingError
from playhouse.migrations import Runner
from playhouse.pool import MaxConnectionsExceeded
from playhouse.postgres_ext import PooledPsycopg3Database, Psycopg3Database
from psycopg import DatabaseError
from psycopg.conninfo import conninfo_to_dict, make_conninfo
from psycopg.errors import DiskFull, InsufficientPrivilege

from tender_ledger.storage.masking import mask_rows

MIGRATIONS = Path(__file__).parent / "migrations"
# What a statement raises when the server is gone, or every connection to it is in use.
UNAVAILABLE = (OperationalError, InterfaceError, MaxConnectionsExceeded)
# What a statement raises when the rows it brings do not fit their tables.
ROWS_REFUSED = (DataError, IntegrityError, ProgrammingError)
# A server whose machine is gone says nothing: after so many seconds, or milliseconds, a connection to it has failed.
_GIVEN_UP = {
    "connect_timeout": 5,
    "keepalives_idle": 5,
    "keepalives_interval": 2,
    "keepalives_count": 3,
    "tcp_user_timeout": 10_000,
}
# A statement that came so often is planned for good, and so many of them a connection: planning is half of what most cost.
_PREPARED_AFTER, _PREPARED = 2, 400
_SET = (
    "search_path=public,queue",
    # Every statement is short or touches many rows simply: compiling it would take longer than running it.
    "jit=off",
    "random_page_cost=1.1",
    "plan_cache_mode=force_generic_plan",
    # From this share of the letters in threes words are looked through for a near spelling.
    "pg_trgm.word_similarity_threshold=0.4",
    # The server for its part lets go what a machine that is gone held: its locks would keep everybody waiting for hours.
    "tcp_keepalives_idle=5",
    "tcp_keepalives_interval=2",
    "tcp_keepalives_count=3",
    "tcp_user_timeout=10000",
    "client_connection_check_interval=5000",
)
_LOCK = 7_265_110_411  # any number that nothing else in the database locks


class BrokenReference(IntegrityError):
    """Rows point at what is not there; found by a check of many together, and named as PostgreSQL names it."""

    def __init__(self, table: str, constraint: str, how_many: int) -> None:
        super().__init__(f'{how_many} values written to "{table}" violate foreign key constraint "{constraint}"')
        self.constraint = constraint


class _Pool(PooledPsycopg3Database):  # type: ignore[misc]
    """Connections that wait for the next request. Of several hosts of an address the one that answered last is asked first:
    connecting is one at a time, and each would wait in vain for a host that is gone."""

    def _is_closed(self, connection: Any) -> bool:
        """Asked without asking the server: one that has something to say unasked has ended the connection."""
        return connection.closed or bool(select([connection.pgconn.socket], [], [], 0)[0])

    def execute_sql(self, sql: str, *more: Any, **options: Any) -> Any:
        """Whatever is no read makes the answers of the request so far worthless; so do the models' own writes."""
        if not sql.lstrip().startswith(_READS):
            ask_anew()
        asked, begun = _asked.get(), time.perf_counter()
        try:
            return super().execute_sql(sql, *more, **options)
        finally:
            asked.statements += 1
            asked.seconds += time.perf_counter() - begun

    def _connect(self) -> Any:
        connection = super()._connect()
        connection.prepare_threshold, connection.prepared_max = _PREPARED_AFTER, _PREPARED
        address = {**conninfo_to_dict(self.database), **self.connect_params}
        hosts, ports = (str(address.get(name) or usual).split(",") for name, usual in (("host", ""), ("port", "5432")))
        if connection.info.host in hosts[1:]:
            pairs = list(zip(hosts, ports * len(hosts) if len(ports) == 1 else ports, strict=True))
            pairs.sort(key=lambda pair: pair[0] != connection.info.host)
            self.connect_params["host"] = ",".join(host for host, _port in pairs)
            self.connect_params["port"] = ",".join(port for _host, port in pairs)
        return connection


@dataclass
class Asked:
    """How many statements were asked since counting began, and for how many seconds they were waited for."""

    statements: int = 0
    seconds: float = 0.0


_asked: ContextVar[Asked] = ContextVar("asked of the database", default=Asked())  # noqa: B039 - what nobody reads


def count_asked() -> Asked:
    """Begin to count what this thread asks; the counter goes on until counting begins anew."""
    counter = Asked()
    _asked.set(counter)
    return counter


class SchemaNotOwned(RuntimeError):
    """The schema is to be changed by a role that may not; says what to do."""


# The models need one database object when their classes are made; which server it is, `configure` says.
database: DatabaseProxy = DatabaseProxy()


def configure(url: str, *, max_connections: int = 20) -> None:
    """Say which server the models use. Nothing connects until the first statement; saying the same again changes nothing."""
    if database.obj is not None:
        if database.obj.database == url:
            return
        disconnect()
    database.initialize(
        _Pool(
            url,
            max_connections=max_connections,
            stale_timeout=300,
            timeout=10,
            options=connection_options(url),
            **_GIVEN_UP,
        )
    )


def connection_options(url: str) -> str:
    """What every connection sets, besides the options of the address itself."""
    own = conninfo_to_dict(url).get("options") or ""
    return " ".join((str(own), *(f"-c {one}" for one in _SET))).strip()


def without_password(url: str) -> tuple[str, str]:
    """An address as a program may be given it, and its password apart, which nobody may read from a list of processes."""
    parts = {name: str(value) for name, value in conninfo_to_dict(url).items() if value is not None}
    password = parts.pop("password", "")
    return make_conninfo(**parts), password


def disconnect() -> None:
    """Close every connection of the pool, the idle ones too; the next statement opens a new one."""
    if database.obj is not None:
        close_connection()
        database.obj.close_all()


def open_connection() -> bool:
    """Open this thread's connection, a new one if the server has ended those that waited.

    Returns whether this call opened it, so that only its opener closes it. Raises OperationalError without a server.
    """
    opened: bool = database.connect(reuse_if_open=True)
    return opened


def close_connection() -> None:
    """Give the connection back to the pool; a broken one is dropped."""
    if not database.is_closed():
        database.close()


@contextmanager
def connected() -> Iterator[None]:
    """This thread's connection for a piece of work outside a request."""
    opened = open_connection()
    try:
        yield
    finally:
        if opened:
            close_connection()


def migrate(owner_url: str = "", *, target: str | None = None) -> list[str]:
    """Bring the schema up to date or up to `target`, one caller at a time; returns the names of what was applied.

    `owner_url` is the address of the role that owns the schema, where it is not the models' own. The role that owns the
    database may then read and write the rows of every table, and no more. Raises SchemaNotOwned for a role that may not.
    """
    owner = Psycopg3Database(owner_url) if owner_url else database
    with owner.connection_context():
        owner.execute_sql("SELECT pg_advisory_lock(%s)", (_LOCK,))
        try:
            applied = _apply(Runner(owner, str(MIGRATIONS)), target)
            if owner_url:
                _grant_rows(owner)
            return applied
        finally:
            owner.execute_sql("SELECT pg_advisory_unlock(%s)", (_LOCK,))


def _apply(runner: Runner, target: str | None) -> list[str]:
    """The runner makes its own table even where nothing is to be done, which the application's role may not."""
    if not any(row.path and not row.applied for row in runner.status()):
        return []
    try:
        return list(runner.up(target))
    except ProgrammingError as error:
        if not isinstance(error.__cause__ or error.__context__, InsufficientPrivilege):
            raise
        raise SchemaNotOwned(
            "This database has an older schema, and the role of DATABASE_URL may not change it. Set MIGRATIONS_URL to the "
            "address of the database for the role that may, and start again."
        ) from error


def _grant_rows(owner: Psycopg3Database) -> None:
    asked = "SELECT quote_ident(pg_get_userbyid(datdba)) FROM pg_database WHERE datname = current_database()"
    (application,) = owner.execute_sql(asked).fetchone()
    schemas = ("public", "queue")
    there = owner.execute_sql("SELECT array_agg(nspname::text) FROM pg_namespace WHERE nspname = ANY(%s)", (list(schemas),))
    for schema in there.fetchone()[0]:
        for rights in (
            "USAGE ON SCHEMA {}",
            "SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA {}",
            "USAGE, SELECT, UPDATE ON ALL SEQUENCES IN SCHEMA {}",
        ):
            owner.execute_sql(f"GRANT {rights.format(schema)} TO {application}")
    owner.execute_sql(f"REVOKE INSERT, UPDATE, DELETE ON schema_migration FROM {application}")


def pending_migrations() -> list[str]:
    """Names of the migrations that this program has and the database has not."""
    return [row.name for row in Runner(database, str(MIGRATIONS)).status() if row.path and not row.applied]


def known_migrations() -> list[str]:
    """Names of the migrations that this program has, in order."""
    return sorted(path.stem for path in MIGRATIONS.glob("[0-9]*.py"))


def applied_migrations() -> list[str]:
    """Names of the migrations that the database has, in order."""
    return [one["name"] for one in rows("SELECT name FROM schema_migration ORDER BY id")]


@contextmanager
def exported_snapshot() -> Iterator[str]:
    """One consistent view of the database under a name that another connection can ask for."""
    with database.atomic():
        database.execute_sql("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ READ ONLY")
        yield str(value("SELECT pg_export_snapshot()"))


@contextmanager
def snapshot() -> Iterator[None]:
    """One consistent, read-only view of the database for everything read inside."""
    with database.atomic():
        if database.transaction_depth() == 1:
            database.execute_sql("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ READ ONLY")
            ask_anew()
        yield


class _Answers:
    """What was asked within one request, and the answers; a question is the statement with its values."""

    def __init__(self) -> None:
        self.known: dict[tuple[str, str], tuple[list[str], list[tuple[Any, ...]]]] = {}


_answers: ContextVar[_Answers | None] = ContextVar("answers of this request", default=None)
_READS = ("SELECT", "WITH")
_LONGEST_QUESTION = 500_000  # characters of the values; what is kept of all plants goes along with a question
_LONGEST_ANSWER = 5_000  # rows that are held until the request ends


def ask_once() -> None:
    """From here on in this request the same question is asked of the database once, until something is written."""
    _answers.set(_Answers())


def ask_always() -> None:
    """Every question is asked, as before `ask_once`."""
    _answers.set(None)


def ask_anew() -> None:
    """Forget the answers so far: what is computed and kept from here on is of a state that is read from here on."""
    if (answers := _answers.get()) is not None:
        answers.known.clear()


def rows(sql: str, **parameters: Any) -> list[dict[str, Any]]:
    """The rows of a read as dictionaries, in the order of the statement; see `masking` for texts that name a sealed holder."""
    names, answered = _answer(sql, parameters)
    found = [dict(zip(names, row, strict=True)) for row in answered]
    mask_rows(found)
    return found


def _answer(sql: str, parameters: dict[str, Any]) -> tuple[list[str], list[tuple[Any, ...]]]:
    answers = _answers.get()
    question = (sql, "" if answers is None else repr(sorted(parameters.items())))
    if answers is not None and question in answers.known:
        return answers.known[question]
    cursor = database.execute_sql(sql, parameters)
    answer = [column.name for column in cursor.description], cursor.fetchall()
    short = len(question[1]) <= _LONGEST_QUESTION and len(answer[1]) <= _LONGEST_ANSWER
    if answers is not None and short and sql.lstrip().startswith(_READS):
        answers.known[question] = answer
    return answer


def row(sql: str, **parameters: Any) -> dict[str, Any] | None:
    """The first row of a read, or None."""
    found = rows(sql, **parameters)
    return found[0] if found else None


def value(sql: str, **parameters: Any) -> Any:
    """The single value of a read, or None where there is no row."""
    _names, answered = _answer(sql, parameters)
    return answered[0][0] if answered else None


def run(sql: str, **parameters: Any) -> None:
    """A statement whose answer does not matter."""
    database.execute_sql(sql, parameters)


def like_pattern(text: str) -> str:
    """What LIKE matches with any text that holds this one."""
    escaped = text.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
    return f"%{escaped}%"


def copy_rows(table: str, columns: Sequence[str], values: Iterable[Sequence[Any]]) -> None:
    """Put many rows into a table at once, in the transaction of the caller; the values of identity columns are taken as given.

    It knows neither history nor rights: whoever calls it writes the act.
    """
    cursor = database.connection().cursor()
    with cursor.copy(f"COPY {table} ({', '.join(columns)}) FROM STDIN") as copy:
        for one in values:
            copy.write_row(one)
    if not database.in_transaction():
        database.connection().commit()


def copy_lines(table: str, columns: Sequence[str], lines: Iterable[bytes]) -> None:
    """Put rows that COPY wrote before back into a table, in the transaction of the caller."""
    listed = ", ".join(f'"{name}"' for name in columns)
    try:
        with database.connection().cursor().copy(f'COPY "{table}" ({listed}) FROM STDIN') as copy:
            for line in lines:
                copy.write(line)
    except DatabaseError as error:  # this cursor is not the models', which say it so
        raise ProgrammingError(f"{table}: {error}") from error


def refresh_statistics(*tables: str) -> None:
    """Tell the planner of many new rows at once, in the transaction that brings them; nobody waits for it.

    Without it the first reads after a large import are planned for the few rows that were there before.
    """
    database.execute_sql(f"ANALYZE {', '.join(tables)}")


def look_up_by_index() -> None:
    """Within the caller's transaction, plan every statement and every check of a reference anew, as a look-up by index.

    A table that was small when a check was planned is read from end to end by it, which so many rows later takes minutes.
    """
    database.execute_sql("SET LOCAL enable_seqscan = off")
    database.execute_sql("SET LOCAL enable_bitmapscan = off")
    database.execute_sql("DISCARD PLANS")


def new_ids(table: str, how_many: int) -> list[int]:
    """Identities of so many rows to come, taken from the table's own sequence."""
    sequence = value("SELECT pg_get_serial_sequence(%(table)s, 'id')", table=table)
    found = value("SELECT array_agg(nextval(%(s)s::regclass)) FROM generate_series(1, %(n)s)", s=sequence, n=how_many)
    return list(found or ())


def disk_is_full(error: BaseException | None) -> bool:
    """Whether an error, or what it came of, says that there is no room left on a disk."""
    while error is not None:
        if isinstance(error, DiskFull) or (isinstance(error, OSError) and error.errno == ENOSPC):
            return True
        if "No space left on device" in str(error):  # what a program or a dying server says of it
            return True
        error = error.__cause__ or error.__context__
    return False


def violated_constraint(error: IntegrityError) -> str:
    """The name of the constraint that the database says was violated, or ""."""
    seen: BaseException | None = error
    while seen is not None:
        if isinstance(seen, BrokenReference):
            return seen.constraint
        name = getattr(getattr(seen, "diag", None), "constraint_name", None)
        if name:
            return str(name)
        seen = getattr(seen, "orig", None) or seen.__cause__ or seen.__context__
    return ""


# Constraint -> (field, what is wrong and what to do). A constraint that only a defect of the program can violate is not here.
SENTENCES: Mapping[str, tuple[str, str]] = {
    "person_email_taken": ("email", "Somebody signs in with this address already. Choose another."),
    "study_code_taken": ("code", "Another study has this code. Choose another."),
    "language_code_taken": ("code", "The study has a language with this code already."),
    "language_code_form": ("code", "A language code is three small letters, such as qaa."),
    "community_code_taken": ("code", "The study has a community with this code already. Choose another."),
    "community_latitude_range": ("latitude", "Latitude lies between -90 and 90 degrees."),
    "community_longitude_range": ("longitude", "Longitude lies between -180 and 180 degrees."),
    "community_parent_other": ("parent_id", "A community cannot lie within itself."),
    "dialect_name_taken": ("name", "The language has a dialect of this name already."),
    "permit_kind_known": ("kind", "Choose ethics approval, research permit, or agreement on access and benefits."),
    "permit_expires_after": ("expires_on", "A permit cannot end before the day it was given."),
    "sign_in_rule_once": ("", "Somebody said it meanwhile. Load the page again."),
    "publishing_rule_once": ("minimum_holders", "Somebody set it meanwhile. Load the page again."),
    "publishing_rule_range": ("minimum_holders", "The minimum lies between 3 and 50 holders."),
    "choice_of_holders_once": ("way", "Somebody said it meanwhile. Load the page again."),
    "choice_of_holders_way_known": ("way", "Choose at random, by snowball, on purpose, everybody, or several ways."),
    "community_position_whole": ("longitude", "A position needs both latitude and longitude, or neither."),
    "holder_code_taken": ("code", "The study has a holder with this code already. Choose another."),
    "holder_birth_once": ("birth", "Give the year or the decade of birth, not both."),
    "holder_birth_year_range": ("birth", "The year of birth lies between 1850 and 2100."),
    "holder_birth_decade_form": ("birth", "A decade is written as its first year, such as 1950s."),
    "source_code_taken": ("code", "The study has a source with this code already. Choose another."),
    "consent_withdrawn_after": ("withdrawn_on", "A withdrawal cannot come before the agreement it ends."),
    "consent_expires_after": ("expires_on", "An agreement cannot end before the day it was given."),
    "consent_record_first": ("may_record", "What may not be recorded can be neither counted, shown nor published."),
    "consent_aggregate_before_rows": ("may_publish_rows", "What may not be published in aggregate cannot be row by row."),
    "consent_show_before_quote": ("may_publish_verbatim", "What may not be shown to members cannot be published word for word."),
    "encounter_days_order": ("day", "The last day cannot come before the first."),
    "encounter_came_once": ("event", "The study has this encounter already. Read the table anew."),
    "use_report_harvest_effect_known": ("harvest_effect", "Choose what the harvest does to the plant from the list."),
    "use_report_actor_known": ("actor", "Choose who uses it from the list."),
    "use_report_taker_known": ("taker", "Choose for whom it is from the list."),
    "report_ingredient_role_known": ("ingredients", "An ingredient is the main one, a companion, a carrier or a corrective."),
    "dispute_in_order": ("other", "A report cannot contradict itself."),
    "dispute_once": ("other", "That these two contradict one another is on record already."),
    "property_claim_teller_present": ("informant", "This holder was not present in the encounter. Add the holder to it first."),
    "plant_link_teller_present": ("informant", "This holder was not present in the encounter. Add the holder to it first."),
    "plant_link_of_two": ("other", "Choose two different plants."),
    "plant_link_once": ("other", "This was recorded of the two plants already, as told by this holder here."),
    "plant_link_kind_known": ("kind", "Choose antidote, substitute, vessel, host or look-alike."),
    "caution_kind_known": ("kind", "Choose the kind of caution from the list."),
    "worklist_mark_once": ("", "Somebody decided of this meanwhile. Load the page again."),
    "worklist_mark_reason_said": ("reason", "Say why it is set aside; the reason is kept."),
    "use_report_passage_order": ("end", "A passage cannot end before it begins."),
    "use_report_teller_present": ("informant", "This holder was not present in the encounter. Add the holder to it first."),
    "asking_teller_present": ("informant", "This holder was not present in the encounter. Add the holder to it first."),
    "asking_once": ("plant", "That this holder was asked about this plant and named no use is recorded here already."),
    "local_name_once": ("name", "The plant has this name in this language already."),
    "membership_owner_stays": ("role", "A study needs somebody who owns it. Make another member an owner first."),
    "membership_once": ("role", "This person has the role already."),
    "membership_role_known": ("role", "There are the roles owner, recorder, reviewer, reader and guardian."),
    "membership_guards_one": ("community_id", "A guardian stands for one community; the other roles for none."),
    "invitation_guards_one": ("community_id", "A guardian stands for one community; the other roles for none."),
    "community_restriction_once": ("category", "This is held back already."),
    "consent_limit_once": ("limits", "One limit stands twice. Leave one of them out."),
    "holder_gender_known": ("gender", "Choose woman, man, other, or leave it not stated."),
    "holder_chosen_known": ("chosen", "Choose random, snowball, purposive, all, or leave it not stated."),
    "holder_credit_known": ("credit", "Choose by name, by a pseudonym, or not named."),
    "holder_pseudonym_said": ("pseudonym", "Write the pseudonym to be used, or choose another credit."),
    "holder_years_in_place_range": ("years_in_place", "Years in the place lie between 0 and 120."),
    "source_kind_known": ("kind", "Choose a kind of source from the list."),
    "consent_form_known": ("form", "Choose spoken, recorded, written or witnessed."),
    "encounter_kind_known": ("kind", "Choose interview, plant walk, demonstration, free list, group talk or reading."),
    "encounter_latitude_range": ("latitude", "Latitude lies between -90 and 90 degrees."),
    "encounter_longitude_range": ("longitude", "Longitude lies between -180 and 180 degrees."),
    "encounter_position_whole": ("longitude", "A position needs both latitude and longitude, or neither."),
    "free_list_once": ("informant", "A list of theirs is kept here already. Take it back first, or open another encounter."),
    "free_list_teller_present": ("informant", "This holder was not present in the encounter. Add the holder to it first."),
    "encounter_informant_part": ("informants", "Somebody either told or was present."),
    "plant_origin_known": ("origin", "Choose native, introduced, invasive, or unknown."),
    "plant_management_known": ("management", "Choose wild, tolerated, encouraged, cultivated, bought, or unknown."),
    "specimen_number_taken": ("number", "The study has a specimen of this collector under this number already."),
    "study_checklist_taken": ("title", "The study has a checklist of this title and edition already. Take that one back first."),
    "determination_qualifier_known": ("qualifier", "Choose none, cf., aff., sp. or hybrid."),
    "determination_basis_known": ("basis", "Choose specimen, living plant, photo, description, or leave it not stated."),
    "determination_confidence_known": ("confidence", "Choose sure, likely, doubtful, or leave it not stated."),
    "flora_name_taken": ("name", "The study has a flora of this name already. Choose another."),
    "questionnaire_title_taken": ("title", "The study has a questionnaire of this title already. Choose another."),
    "questionnaire_alternatives": ("alternatives", "Give how many answers there are to choose among: 2 to 50."),
    "questionnaire_answer_once": ("informant", "Somebody entered this holder’s answers meanwhile. Load the page again."),
    "use_score_once": ("score", "Somebody scored this use meanwhile. Load the page again."),
    "use_score_scale": ("score", "Each score is 2 or 1."),
    "frozen_reckoning_name_taken": ("name", "The study has a frozen reckoning of this name already. Choose another."),
    "frozen_reckoning_fingerprint": ("name", "The fingerprint has another form than it should. Freeze once more."),
    "rules_name_taken": ("name", "The study has rules of this name already. Choose another."),
}  # fmt: skip
