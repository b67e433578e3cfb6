"""Fixtures: a throw-away PostgreSQL, template databases, the application, and people signed in to it."""

import json
import os
import re
import socket
import tempfile
import threading
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

import pytest
from argon2 import PasswordHasher
from flask import Flask
from flask.testing import FlaskClient
from hypothesis import settings as hypothesis_settings
from jinja2 import FileSystemBytecodeCache

from tender_ledger import operations
from tender_ledger.core.terms import Scope
from tender_ledger.demo.load import load_demo
from tender_ledger.launch.cluster import Cluster
from tender_ledger.operations import clock, computations, long_work  # noqa: F401 - computations names its works
from tender_ledger.operations.names_key import NamesKey
from tender_ledger.operations.vocabularies import load_shipped_vocabularies
from tender_ledger.standins.names_service import ChecklistNames
from tender_ledger.storage.database import configure, connected, database, disconnect, migrate, run
from tender_ledger.storage.queries import accounts
from tender_ledger.storage.roles import APPLICATION, prepare_database
from tender_ledger.web.app import create_app

REFERENCE = Path(__file__).parent / "reference"
USUAL_HASHER = operations.accounts.HASHER
KEY = NamesKey(b"k" * 32)
KEY_TEXT = "a2tra2tra2tra2tra2tra2tra2tra2tra2tra2tra2s="
PASSWORD = "a long test password"
OWNER, RECORDER, REVIEWER, READER, GUARDIAN = (f"{who}@veldra.example" for who in ("tarn", "venn", "oskar", "reed", "hale"))

# How long an example takes is the machine’s affair; speed is shown by ./ledger bench.
hypothesis_settings.register_profile("tests", deadline=None)
hypothesis_settings.load_profile("tests")


@pytest.fixture(scope="session", autouse=True)
def quick_hashes() -> None:
    """Tests sign in hundreds of times: their passwords are hashed at little cost. Sign-ins of started servers are as they are."""
    operations.accounts.HASHER = PasswordHasher(time_cost=1, memory_cost=64, parallelism=1)
    operations.accounts.NOBODY = operations.accounts.HASHER.hash("of nobody")


@pytest.fixture(scope="session", autouse=True)
def templates_compiled_once(tmp_path_factory: pytest.TempPathFactory) -> None:
    """Tests make hundreds of applications, each of which would compile every template anew."""
    kept = FileSystemBytecodeCache(str(tmp_path_factory.mktemp("templates")))
    Flask.jinja_options = {**Flask.jinja_options, "bytecode_cache": kept}


class Threads:
    """Does long work on threads, in place of the queue and its worker; what is said of it goes through JSON as there."""

    def __init__(self) -> None:
        self.under_way: list[threading.Thread] = []

    def __call__(self, said: Mapping[str, Any], *, lock: str, after: int = 0, priority: int = 0) -> None:  # noqa: ARG002
        if after:  # what is tried at once before
            return
        text = json.dumps(dict(said))
        thread = threading.Thread(target=lambda: long_work.do(json.loads(text), ChecklistNames()), name=lock, daemon=True)
        self.under_way.append(thread)
        database.after_commit(thread.start)

    def join(self) -> None:
        """Wait for all of it."""
        while self.under_way:
            self.under_way.pop().join()


@pytest.fixture(autouse=True)
def long_works(monkeypatch: pytest.MonkeyPatch) -> Threads:
    """What stands in for the queue and its worker, which tests/launch/test_worker.py tries with a running start."""
    threads = Threads()
    monkeypatch.setattr(long_work, "put", threads)
    return threads


@pytest.fixture(scope="session")
def cluster() -> Iterator[Cluster]:
    """A server of its own for the run, removed afterwards."""
    folder = Path(tempfile.mkdtemp(prefix="tender-tests-"))
    folder.chmod(0o755)
    server = Cluster(folder / "postgres", "test", "test", throw_away=True)
    server.ensure_running()
    yield server
    disconnect()
    server.destroy()
    folder.rmdir()


class Databases:
    """Makes databases from migrated templates; a template is filled once and never connected to again."""

    def __init__(self, cluster: Cluster) -> None:
        self.cluster, self.made = cluster, 0

    def template(self, name: str, fill: object = None, of: str = "template1") -> str:
        self._create(name, of)
        configure(self.cluster.url(name))
        migrate(self.cluster.owner_url(name))
        with connected():
            load_shipped_vocabularies()
            if callable(fill):
                fill()
        disconnect()
        return name

    def fresh(self, template: str) -> str:
        """A new database from the template; its address."""
        self.made += 1
        name = f"test_{self.made}"
        self._create(name, template)
        return self.cluster.url(name)

    def drop(self, url: str) -> None:
        disconnect()
        self._admin(f"DROP DATABASE {url.rsplit('/', 1)[1]} WITH (FORCE)")

    def owner_url(self, url: str) -> str:
        """The address of a database for the role that owns its schema."""
        return self.cluster.owner_url(url.rsplit("/", 1)[1])

    def _create(self, name: str, template: str) -> None:
        self._admin(f"CREATE DATABASE {name} OWNER {APPLICATION} TEMPLATE {template}")
        if template == "template1":  # what is granted within a database is copied with it
            prepare_database(self.cluster.owner_url("postgres"), name, self.cluster.application_password)

    def _admin(self, statement: str) -> None:
        configure(self.cluster.owner_url("postgres"))
        with connected():
            run(statement)
        disconnect()


@pytest.fixture(scope="session")
def databases(cluster: Cluster) -> Databases:
    return Databases(cluster)


@pytest.fixture(scope="session")
def empty_template(databases: Databases) -> str:
    return databases.template("template_empty")


@pytest.fixture(scope="session")
def demo_template(databases: Databases, empty_template: str) -> str:
    return databases.template("template_demo", lambda: load_demo(KEY, lambda: PASSWORD), of=empty_template)


@pytest.fixture
def empty_db(databases: Databases, empty_template: str) -> Iterator[str]:
    """An empty, migrated database for one test, connected in this thread."""
    yield from _connected(databases, empty_template)


@pytest.fixture
def demo_db(databases: Databases, demo_template: str) -> Iterator[str]:
    """The demo study for one test, connected in this thread."""
    yield from _connected(databases, demo_template)


def _connected(databases: Databases, template: str) -> Iterator[str]:
    url = databases.fresh(template)
    configure(url)
    with connected():
        yield url
    databases.drop(url)


def settings(url: str, **more: str) -> dict[str, str]:
    return {"DATABASE_URL": url, "TENDER_SECRET": "only for tests", "TENDER_KEY": KEY_TEXT, **more}


@pytest.fixture
def app(demo_db: str) -> Flask:
    """The application on the demo study; forged-request tokens are tested apart, so they are off here."""
    made = create_app(settings(demo_db))
    made.config.update(TESTING=True, WTF_CSRF_ENABLED=False)
    return made


class SignedIn:
    """A client of the application that can sign in as anybody of the demo."""

    def __init__(self, app: Flask) -> None:
        self.app = app

    def __call__(self, email: str = OWNER) -> FlaskClient:
        client = self.app.test_client()
        answer = client.post("/sign-in", data={"email": email, "password": PASSWORD})
        assert answer.status_code == 303, answer.text
        return client


@pytest.fixture
def sign_in(app: Flask) -> SignedIn:
    return SignedIn(app)


def scope_for(email: str = OWNER, study: str = "VELDRA") -> Scope:
    """The scope of a member of the demo study, today."""
    person = accounts.person_by_email(email)
    assert person is not None
    member = accounts.member_of(person["id"], study)
    assert member is not None
    return clock.scope_of(member)


@pytest.fixture
def scope(demo_db: str) -> Scope:
    return scope_for()


@pytest.fixture(autouse=True)
def no_network(monkeypatch: pytest.MonkeyPatch) -> None:
    """Nothing in a test reaches beyond this machine."""
    connect = socket.socket.connect

    def only_here(self: socket.socket, address: object) -> None:
        assert self.family == socket.AF_UNIX or (isinstance(address, tuple) and re.match(r"127\.|::1$|localhost$", address[0])), (
            address
        )
        connect(self, address)  # type: ignore[arg-type]

    monkeypatch.setattr(socket.socket, "connect", only_here)
    monkeypatch.delenv("DATABASE_URL", raising=False)
    os.environ.setdefault("TZ", "Pacific/Kiritimati")


LONG = (
    "test_whole_encounter.py",
    "test_every_page.py",
    "test_two_databases.py",
    "test_disclosure.py",
    "test_undo_rights.py",
    "test_erasing.py",
    "test_commands.py",
)


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """The longest first, so that at the end of a run on several cores no one test keeps the others waiting."""
    items.sort(key=lambda item: item.path.name not in LONG)


@pytest.fixture
def beside(demo_db: str) -> Iterator[None]:
    """Ends the test only once what it had computed beside its requests is done."""
    yield
    for thread in threading.enumerate():
        if thread.name.startswith("computation"):
            thread.join(60)
