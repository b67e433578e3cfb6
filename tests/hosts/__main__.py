"""Two web hosts behind a proxy, a primary and a synchronous standby; twenty people work while a web host and then the primary
die. Nothing that was acknowledged may be lost or stand twice, nobody has to sign in again, and long work is done.

Run as root by `./test --hosts`; needs iproute2, nginx and PostgreSQL of Debian. Each line says what happened when.
"""

import os
import random
import signal
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import IO

from tender_ledger.cli.simulated_person import SimulatedPerson
from tender_ledger.launch.state import PROJECT
from tender_ledger.operations import import_uploads as uploads
from tender_ledger.storage.database import UNAVAILABLE, configure, connected, disconnect, rows, value
from tender_ledger.storage.roles import OWNER
from tests.factories import PASSWORD, SmallStudy
from tests.hosts import network
from tests.hosts.database import Pair
from tests.hosts.network import Host

PROXY, FIRST, SECOND, PRIMARY, STANDBY, DESK = (
    Host(name, number) for number, name in enumerate(("proxy", "web1", "web2", "db1", "db2", "desk"), 10)
)
HOSTS = [PROXY, FIRST, SECOND, PRIMARY, STANDBY, DESK]
PEOPLE = int(os.environ.get("HOSTS_PEOPLE", "20"))
QUIET = 15.0  # seconds of ordinary work before, between and after
ROWS = 15_000
_PAGES = ("people", "encounters/1", "plants", "plants/1", "reports", "worklist", "reckoning")
_REPORT = {"informant": "X-01", "plant": "P-001", "category": "food", "purpose": "tea", "parts": "leaf"}
HEAD = b"informant,community,taxon,category,part,use\n"
_BEGAN = time.monotonic()


def say(text: str) -> None:
    print(f"{time.monotonic() - _BEGAN:6.1f} s  {text}", flush=True)


def main() -> int:
    """Make the hosts, then do the trial from the desk among them."""
    if os.geteuid() != 0:
        print("Networks are made by root alone: run it as root.", file=sys.stderr)
        return 2
    network.connect(HOSTS)
    try:
        at_desk = ["ip", "netns", "exec", DESK.space, sys.executable, "-m", "tests.hosts", "desk"]
        return subprocess.run(at_desk, check=False).returncode
    finally:
        network.disconnect(HOSTS)


def trial() -> int:
    """All of it; returns 0 where everything held."""
    with tempfile.TemporaryDirectory(prefix="tender-hosts-") as made:
        folder = Path(made)
        folder.chmod(0o755)
        out = (folder / "out").open("w")
        (folder / "databases").mkdir()
        pair = Pair(PRIMARY, STANDBY, folder / "databases", out)
        pair.begin()
        synchronous = pair.say("SELECT sync_state FROM pg_stat_replication")
        say(f"PostgreSQL on {PRIMARY.name}, a hot standby on {STANDBY.name}: {synchronous}")
        for host in (FIRST, SECOND):
            _start(host, pair, folder, out)
        _proxy(folder, out)
        say(f"./start on {FIRST.name} and {SECOND.name}, nginx before them")
        configure(pair.url())
        with connected():
            return _days_work(pair)


def _start(host: Host, pair: Pair, folder: Path, out: IO[str]) -> None:
    state = folder / host.name
    environment = {
        "DATABASE_URL": pair.url(), "MIGRATIONS_URL": pair.url(OWNER), "TENDER_STATE": str(state), "TENDER_LISTEN": host.address,
        "TENDER_PUBLIC": f"http://{PROXY.address}", "TENDER_PROXIES": "1", "TENDER_SECRET": "of the trial",
        "TENDER_KEY": "a2tra2tra2tra2tra2tra2tra2tra2tra2tra2tra2s=",
    }  # fmt: skip
    host.begin([str(PROJECT / "start")], out, environment)
    until(lambda: (state / "address").exists(), 90, f"{host.name} did not start")


def _proxy(folder: Path, out: IO[str]) -> None:
    told = (Path(__file__).parent / "nginx.conf").read_text()
    for word, meant in (("FOLDER", str(folder)), ("FIRST", FIRST.address), ("SECOND", SECOND.address), ("PROXY", PROXY.address)):
        told = told.replace(word, meant)
    file = folder / "nginx.conf"
    file.write_text(told)
    PROXY.begin(["nginx", "-c", str(file)], out)


def _days_work(pair: Pair) -> int:
    small = SmallStudy()
    small.encounter(small.holder("X-01"))
    small.plant("Salix caprea")
    people = [_person(small, number) for number in range(PEOPLE)]
    for one in people:
        one.sign_in()
    say(f"{PEOPLE} people signed in through the proxy")
    stop = threading.Event()
    threads = [threading.Thread(target=one.work, args=(stop,)) for one in people]
    for thread in threads:
        thread.start()
    time.sleep(QUIET)
    first = _import(small, "one")
    _kill_web_host(people)
    _until_imported(pair, small, first, "the import that the dead web host was at")
    time.sleep(QUIET)
    second = _import(small, "two")
    until(_is_worked_on, 20, "no worker took the second import")
    _kill_primary(pair, people)
    _until_imported(pair, small, second, "the import that was under way when the primary died")
    time.sleep(QUIET)
    stop.set()
    for thread in threads:
        thread.join()
    return _account(pair, small, people)


def _person(small: SmallStudy, number: int) -> SimulatedPerson:
    small.person("recorder" if number % 4 else "owner")
    email = str(value("SELECT email FROM person ORDER BY id DESC LIMIT 1"))
    return SimulatedPerson(f"http://{PROXY.address}", small.code, email, PASSWORD, number, _PAGES, _sheet)


def _sheet(_chance: random.Random) -> tuple[str, dict[str, str]]:
    return "encounters/1/reports", dict(_REPORT)


def _import(small: SmallStudy, which: str) -> int:
    """A table that takes a worker some seconds, read and then given to be imported."""
    lines = b"".join(b"H-%d,X,Plantago major,food,leaf,%s %d\n" % (at % 50, which.encode(), at) for at in range(ROWS))
    number = uploads.bring_table(small.scope, HEAD + lines, None, terms=("record", "count", "show"), new_codes=False)
    uploads.read_upload(small.scope, number, new_codes=False)
    assert uploads.wait_for(small.scope, number, 120) == "read"
    if which == "one":  # it is to be the worker of the host that dies
        _signal(_worker_of(SECOND), signal.SIGSTOP)
    uploads.import_upload(small.scope, number)
    say(f"an import of {ROWS:,} rows begun")
    return number


def _is_worked_on() -> bool:
    return bool(rows("SELECT FROM procrastinate_jobs WHERE status = 'doing'"))


def _worker_of(host: Host) -> int:
    return next(pid for pid, line in host.processes().items() if "web.worker" in line)


def _signal(pid: int, number: signal.Signals) -> None:
    os.kill(pid, number)


def _kill_web_host(people: list[SimulatedPerson]) -> None:
    until(_is_worked_on, 20, f"{FIRST.name} did not take the import")
    died = time.monotonic()
    FIRST.die()
    _signal(_worker_of(SECOND), signal.SIGCONT)
    say(f"{FIRST.name} is dead, with its worker at the import")
    _say_gap(people, died, "the web host died")


def _kill_primary(pair: Pair, people: list[SimulatedPerson]) -> None:
    died = time.monotonic()
    PRIMARY.die()
    say(f"{PRIMARY.name} is dead, with an import under way")
    time.sleep(2)  # whoever watches it needs that long to be sure
    pair.promote()
    say(f"{STANDBY.name} is promoted")
    _say_gap(people, died, "the primary died")


def _say_gap(people: list[SimulatedPerson], died: float, what: str) -> None:
    """Wait until everybody is answered again."""
    until(lambda: time.monotonic() - max([died, *(at for one in people for at in one.without)]) > 8, 120, "nobody is answered")
    missed = [at - died for one in people for at in one.without if at >= died]
    last = f"the last {max(missed):.1f} s after" if missed else "none"
    say(f"since {what}: {len(missed)} requests had no answer, {last}")


def _until_imported(pair: Pair, small: SmallStudy, number: int, what: str) -> None:
    asked = f"SELECT state FROM import_upload WHERE id = {number}"
    counted = f"SELECT count(*) FROM use_report WHERE study_id = {small.scope.study_id}"
    until(lambda: pair.say(asked) == "imported", 180, f"{what} is not done")
    say(f"{what} is done: {pair.say(counted)} reports")


def _account(pair: Pair, small: SmallStudy, people: list[SimulatedPerson]) -> int:
    """What is there beside what was acknowledged."""
    saved = [key for one in people for key in one.saved]
    disconnect()
    there = pair.say(
        f"SELECT client_key FROM use_report WHERE study_id = {small.scope.study_id} AND plant_id = (SELECT min(id) FROM plant)"
    ).split()
    lost, extra = set(saved) - set(there), set(there) - set(saved)
    twice = len(there) - len(set(there))
    imported = int(pair.say("SELECT count(*) FROM use_report")) - len(there)
    acts = "SELECT count(*) FROM act WHERE operation = 'record_report'"
    whole = int(pair.say(acts)) == len(there)
    waits = sorted(wait for one in people for _path, wait in one.waits)
    signed_out = sum(one.signed_out for one in people)
    say(f"{len(saved)} saves acknowledged, {sum(len(one.without) for one in people)} requests without an answer")
    say(f"lost: {len(lost)}; twice: {twice}; there without having been acknowledged: {len(extra)}; an act for each: {whole}")
    say(f"rows of the two imports: {imported:,} of {2 * ROWS:,}; signed out: {signed_out}")
    half, most = (1000 * waits[int(part * len(waits))] for part in (0.5, 0.95))
    say(f"half of the answers within {half:.0f} ms, 95 of 100 within {most:.0f} ms")
    held = not lost and not twice and not signed_out and whole and imported == 2 * ROWS and len(saved) > PEOPLE
    say("everything held" if held else "NOT everything held")
    return 0 if held else 1


def until(true: Callable[[], bool], seconds: float, otherwise: str) -> None:
    """Wait until something is true; a database that is away is asked again."""
    end = time.monotonic() + seconds
    while True:
        try:
            if true():
                return
        except (*UNAVAILABLE, subprocess.CalledProcessError):
            pass
        if time.monotonic() > end:
            raise SystemExit(f"{otherwise} within {seconds:.0f} seconds")
        time.sleep(0.2)


if __name__ == "__main__":
    sys.exit(trial() if sys.argv[1:] == ["desk"] else main())
