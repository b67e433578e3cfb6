"""What `./start` runs: database, migrations, demo study, web server; one at a time for a state folder."""

import json
import os
import sys
import time
import urllib.error
import urllib.request

from tender_ledger.demo.load import demo_roles, is_empty, load_demo
from tender_ledger.launch.cluster import Cluster, ClusterError, free_port, own_cluster
from tender_ledger.launch.erasures import LIST, erase_again, read_list, write_list
from tender_ledger.launch.state import AlreadyRunning, StateFolder
from tender_ledger.launch.supervisor import Supervisor
from tender_ledger.operations.names_key import NamesKey
from tender_ledger.operations.vocabularies import load_shipped_vocabularies
from tender_ledger.storage.database import SchemaNotOwned, configure, connected, migrate
from tender_ledger.storage.queries import erasures

_WANTED_PORT = 8460


def main(arguments: list[str]) -> int:
    """Start the application and stay until it is stopped; returns the exit status."""
    if unknown := [word for word in arguments if word != "--empty"]:
        print(f"./start does not know {' '.join(unknown)}. It knows --empty (load no demo study).", file=sys.stderr)
        return 2
    state = StateFolder.of_project()
    try:
        lock = state.lock()
    except AlreadyRunning:
        return _say_where_it_runs(state)
    with lock:
        state.forget("address")
        try:
            return _serve(state, demo="--empty" not in arguments)
        except (ClusterError, ErasuresOpen, SchemaNotOwned) as error:
            print(error, file=sys.stderr)
            return 1
        finally:
            state.forget("address")


class ErasuresOpen(RuntimeError):
    """It is not settled who was erased; nobody is served before it is."""


def _say_where_it_runs(state: StateFolder) -> int:
    deadline = time.monotonic() + 60
    while not (address := state.read("address")) and time.monotonic() < deadline:
        time.sleep(0.3)
    print(f"Tender Ledger is running already: {address}" if address else "Another start is still under way. Try again.")
    return 0 if address else 1


def _serve(state: StateFolder, *, demo: bool) -> int:
    cluster = None if os.environ.get("DATABASE_URL") else _start_cluster(state)
    wanted = int(os.environ.get("TENDER_PORT") or _WANTED_PORT)
    listen = os.environ.get("TENDER_LISTEN") or "127.0.0.1"
    port = free_port(wanted, listen)
    environment = _environment(state, cluster, port)
    configure(environment["DATABASE_URL"])
    applied = migrate(cluster.owner_url() if cluster else os.environ.get("MIGRATIONS_URL", ""))
    if applied:
        print(f"Migrations applied: {', '.join(applied)}.")
    try:
        sign_ins = _prepare(state, environment, demo=demo and cluster is not None)
    except ErasuresOpen:
        if cluster:
            cluster.stop()
        raise
    if port != wanted:
        print(f"Port {wanted} is in use; serving on {port} instead.")
    supervisor = Supervisor(port, lambda: _environment(state, cluster, port), cluster, listen=listen)
    supervisor.when_ready = lambda: _announce(state, f"http://{listen}:{port}/", sign_ins)
    supervisor.run()
    return 0


def _start_cluster(state: StateFolder) -> Cluster:
    cluster, said = own_cluster(state)
    if said:
        print(said)
    cluster.ensure_running()
    return cluster


def _environment(state: StateFolder, cluster: Cluster | None, port: int) -> dict[str, str]:
    """What the web server needs to know; secrets are made once and kept in the state folder."""
    return {
        "TENDER_PUBLIC": os.environ.get("TENDER_PUBLIC") or f"http://127.0.0.1:{port}",
        "DATABASE_URL": cluster.url() if cluster else os.environ["DATABASE_URL"],
        "TENDER_SECRET": os.environ.get("TENDER_SECRET") or state.secret("session"),
        "TENDER_KEY": os.environ.get("TENDER_KEY") or state.secret("names"),
        "TENDER_STATE": str(state.path),
    }


def _prepare(state: StateFolder, environment: dict[str, str], *, demo: bool) -> dict[str, str]:
    """Bring vocabularies and, where wanted and there is no study yet, the demo; returns the demo's sign-ins."""
    with connected():
        load_shipped_vocabularies()
        _settle_erasures(state)
        if demo and is_empty():
            print("Loading the demo study into the empty database.")
            sign_ins = load_demo(NamesKey.from_environment(environment))
            state.write_private("demo-sign-ins.json", json.dumps(sign_ins, indent=1))
    return dict(json.loads(state.read("demo-sign-ins.json") or "{}")) if demo else {}


def _settle_erasures(state: StateFolder) -> None:
    """Erase again whom the list of the state folder names, and add to it whom the database names."""
    file = state.path / LIST
    try:
        if file.exists() and (again := erase_again([read_list(file)])):
            print(f"The database held {again} who had been erased; erased again.")
        if erasures.waits():
            raise ErasuresOpen(
                "This database was restored, and nothing says who was erased since its backup was made. Nobody is "
                "served until that is settled; see ./ledger erasures."
            )
        write_list(state.path, serves=True)
    except ValueError as error:
        raise ErasuresOpen(f"{error} Mend it, or move it away and confirm with ./ledger erasures --confirm.") from error


def _announce(state: StateFolder, address: str, sign_ins: dict[str, str]) -> bool:
    """Say where it is, once it answers; returns whether it does."""
    direct = urllib.request.build_opener(urllib.request.ProxyHandler({}))  # no proxy stands between us and our own machine
    ready = urllib.request.Request(f"{address}ready", headers={"Host": "localhost"})  # noqa: S310 - our own address
    try:
        direct.open(ready, timeout=2).close()
    except (OSError, urllib.error.URLError):
        return False
    state.write_private("address", address)
    print(f"\nTender Ledger is at {address}")
    if sign_ins:
        print("Sign in to the invented demo study as one of")
        roles, width = demo_roles(), max(map(len, sign_ins))
        for email, password in sign_ins.items():
            print(f"  {email:{width}}  {password}  {roles.get(email, '')}".rstrip())
    print("Ctrl-C stops it.", flush=True)
    return True


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
