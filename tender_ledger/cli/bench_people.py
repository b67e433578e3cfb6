"""Many people who look round and record at once: requests a second, and how long they wait."""

import json
import random
import secrets
import statistics
import threading
from collections import defaultdict
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from itertools import cycle

import click

from tender_ledger.cli.bench_cluster import bench_cluster
from tender_ledger.cli.bench_data import fill_study
from tender_ledger.cli.bench_pages import pages_of
from tender_ledger.cli.bench_server import bench_server
from tender_ledger.cli.simulated_person import SimulatedPerson
from tender_ledger.core.rights import Role
from tender_ledger.launch.state import StateFolder
from tender_ledger.operations import accounts
from tender_ledger.storage.database import connected, run

_HOLDERS, _TAXA = 1_000, 2_000
_ROLES = (Role.OWNER, Role.REVIEWER, *(Role.RECORDER for _ in range(7)), Role.READER)  # of ten people
_DEMO = (
    "people", "people/holders/ONS-02", "people/communities/ONS", "encounters", "encounters/1", "encounters/2", "plants",
    "plants/1", "plants/2", "plants/names", "reports", "reports/5", "reports/5/full", "reports?q=cough", "worklist", "reckoning",
    "reckoning?margin=ci:Sambucus%20nigra", "reckoning?show=categories", "reckoning?show=ladder", "reckoning/indices",
    "reckoning/heard", "reckoning/holders", "reckoning/lists", "reckoning/parts", "give-back", "history",
)  # fmt: skip


@click.command("bench-people")
@click.option("--people", default=20, show_default=True, help="How many look at once.")
@click.option("--seconds", default=60, show_default=True, help="For how long.")
@click.option("--pause", default=1.0, show_default=True, help="Seconds between an answer and the next click.")
@click.option(
    "--reports", default=0, help="Work in an invented study of so many reports on a cluster of its own, and record too."
)
def bench_people(people: int, seconds: int, pause: float, reports: int) -> None:
    """Have many people look round the demo study of the running installation, or record in a large study."""
    with _large_study(people, pause, reports) if reports else _demo_study(people, pause) as those:
        for one in those:
            one.sign_in()
        stop = threading.Event()
        with ThreadPoolExecutor(people) as pool:
            works = [pool.submit(one.work, stop) for one in those]
            stop.wait(seconds)
            stop.set()
        for work in works:
            work.result()
    _say(those, seconds)


@contextmanager
def _demo_study(people: int, pause: float) -> Iterator[list[SimulatedPerson]]:
    """People who look round the demo study of the running installation, and record nothing."""
    state = StateFolder.of_project()
    address, sign_ins = state.read("address").rstrip("/"), json.loads(state.read("demo-sign-ins.json") or "{}")
    if not address or not sign_ins:
        raise click.ClickException("Nothing runs here with a demo study. Begin it with ./start.")
    who = zip(range(people), cycle(sign_ins.items()), strict=False)
    yield [
        SimulatedPerson(address, "VELDRA", email, password, at, _DEMO, _no_sheet, saves=0, pause=pause)
        for at, (email, password) in who
    ]


@contextmanager
def _large_study(people: int, pause: float, reports: int) -> Iterator[list[SimulatedPerson]]:
    """People of every role in an invented study; whoever may records every third time, else all look round all pages."""
    password = secrets.token_urlsafe(12)
    with bench_cluster() as url:
        with connected():
            fill_study(reports, _HOLDERS, _TAXA, code="LISTED")
            roles = [role for _at, role in zip(range(people), cycle(_ROLES), strict=False)]
            emails = [_add_person(at, role, password) for at, role in enumerate(roles)]
            pages = pages_of("LISTED", "H-2", "C1", "C2", "Genus1%20species4")
        with bench_server(url, workers=2, threads=8) as server:
            yield [
                SimulatedPerson(
                    server.address,
                    "LISTED",
                    email,
                    password,
                    at,
                    pages,
                    _sheet,
                    saves=0.0 if role is Role.READER else 0.3,
                    pause=pause,
                )
                for at, (email, role) in enumerate(zip(emails, roles, strict=True))
            ]


def _add_person(at: int, role: Role, password: str) -> str:
    email = f"person{at}@bench.example"
    person = accounts.add_person(email, f"Person {at}", password)
    run(
        "INSERT INTO membership (study_id, person_id, role) SELECT id, %(p)s, %(role)s FROM study WHERE code = 'LISTED'",
        p=person,
        role=str(role),
    )
    return email


def _sheet(chance: random.Random) -> tuple[str, dict[str, str]]:
    """A report of somebody who took part in the encounter; a plant that many tell of."""
    holder = chance.randrange(1, _HOLDERS + 1)
    return f"encounters/{2 * holder - 1}/reports", {
        "informant": f"H-{holder}",
        "plant": f"P-{chance.randrange(1, 100):03d}",
        "category": f"use_{chance.choice('abcdef')}",
        "purpose": f"use {chance.randrange(1, 10)}",
        "parts": "leaf",
    }


def _no_sheet(_chance: random.Random) -> tuple[str, dict[str, str]]:
    raise AssertionError("nobody records in the demo study of a running installation")


def _say(those: Sequence[SimulatedPerson], seconds: int) -> None:
    waits = [one for person in those for one in person.waits]
    if not waits:
        raise click.ClickException("No page was answered.")
    failed, saved = sum(len(one.without) for one in those), sum(len(one.saved) for one in those)
    click.echo(
        f"{len(those)} people for {seconds} s: {len(waits) / seconds:.1f} requests a second, {saved} reports saved, "
        f"{failed} without an answer"
    )
    for what, took in (
        ("pages", [wait for path, wait in waits if path != "a save"]),
        ("saves", [wait for path, wait in waits if path == "a save"]),
    ):
        if took:
            click.echo(f"{what}: {_quantiles(took)}")
    by_page = defaultdict(list)
    for path, wait in waits:
        by_page[path].append(wait)
    for path, took in sorted(by_page.items(), key=lambda item: -_high(item[1])):
        click.echo(f"  {path:44} {1000 * statistics.median(took):6.0f} {1000 * _high(took):6.0f} ms  ({len(took)})")


def _quantiles(took: Sequence[float]) -> str:
    return (
        f"half within {1000 * statistics.median(took):.0f} ms, 95 of 100 within {1000 * _high(took):.0f} ms, "
        f"the slowest {1000 * max(took):.0f} ms"
    )


def _high(took: Sequence[float]) -> float:
    """The wait that 95 of 100 do not exceed."""
    return sorted(took)[min(int(0.95 * len(took)), len(took) - 1)]
