"""Many people who look round the demo study at once: requests a second, and how long they wait."""

import http.cookiejar
import json
import random
import re
import statistics
import time
import urllib.error
import urllib.parse
import urllib.request
from collections import defaultdict
from concurrent.futures import ThreadPoolExecutor
from itertools import cycle

import click

from tender_ledger.launch.state import StateFolder

_PAGES = (
    "", "people", "people/holders/ONS-02", "people/communities/ONS", "encounters", "encounters/1", "encounters/2", "plants",
    "plants/1", "plants/2", "plants/names", "reports", "reports/5", "reports/5/full", "reports?q=cough", "worklist", "reckoning",
    "reckoning?margin=ci:Sambucus%20nigra", "reckoning?show=categories", "reckoning?show=ladder", "reckoning/indices",
    "reckoning/heard", "reckoning/holders", "reckoning/lists", "reckoning/parts", "give-back", "history",
)  # fmt: skip
_STUDY = "VELDRA"

Waits = list[tuple[str, float]]


@click.command("bench-people")
@click.option("--people", default=20, show_default=True, help="How many look at once.")
@click.option("--seconds", default=60, show_default=True, help="For how long.")
@click.option("--pause", default=1.0, show_default=True, help="Seconds between an answer and the next click.")
def bench_people(people: int, seconds: int, pause: float) -> None:
    """Have many people look round the demo study of the running installation."""
    state = StateFolder.of_project()
    address, sign_ins = state.read("address").rstrip("/"), json.loads(state.read("demo-sign-ins.json") or "{}")
    if not address or not sign_ins:
        raise click.ClickException("Nothing runs here with a demo study. Begin it with ./start.")
    until = time.monotonic() + seconds
    who = zip(range(people), cycle(sign_ins.items()), strict=False)
    with ThreadPoolExecutor(people) as pool:
        looks = [pool.submit(_look, address, email, password, until, pause, at) for at, (email, password) in who]
        waits = [one for look in looks for one in look.result()]
    _say(waits, people, seconds)


def _look(address: str, email: str, password: str, until: float, pause: float, seed: int) -> Waits:
    """One person's clicks: which page, and how long it took; a failed one took for ever."""
    browser = urllib.request.build_opener(
        urllib.request.ProxyHandler({}), urllib.request.HTTPCookieProcessor(http.cookiejar.CookieJar())
    )
    page = browser.open(f"{address}/sign-in").read().decode()
    token = re.search(r'name="csrf_token" value="([^"]+)"', page)
    typed = {"email": email, "password": password, "csrf_token": token[1] if token else ""}
    sent = urllib.parse.urlencode(typed).encode()
    browser.open(urllib.request.Request(f"{address}/sign-in", sent, {"Referer": f"{address}/sign-in"}))  # noqa: S310 - loopback
    rng, waits = random.Random(seed), Waits()  # noqa: S311 - which page is looked at next
    while time.monotonic() < until:
        path, begun = rng.choice(_PAGES), time.monotonic()
        try:
            browser.open(f"{address}/study/{_STUDY}/{path}").read()
            waits.append((path, time.monotonic() - begun))
        except urllib.error.HTTPError as error:
            error.close()
            waits.append((path, time.monotonic() - begun if error.code in (403, 404) else float("inf")))
        except OSError:
            waits.append((path, float("inf")))
        time.sleep(pause * rng.uniform(0.5, 1.5))
    return waits


def _say(waits: Waits, people: int, seconds: int) -> None:
    took = sorted(one for _path, one in waits if one != float("inf"))
    if not took:
        raise click.ClickException("No page was answered.")
    failed = len(waits) - len(took)
    middle, high = statistics.median(took), took[min(int(0.95 * len(took)), len(took) - 1)]
    click.echo(f"{people} people for {seconds} s: {len(waits) / seconds:.1f} requests a second, {failed} failed")
    click.echo(f"half within {1000 * middle:.0f} ms, 95 of 100 within {1000 * high:.0f} ms, the slowest {1000 * took[-1]:.0f} ms")
    by_page = defaultdict(list)
    for path, one in waits:
        by_page[path].append(one)
    for path, found in sorted(by_page.items(), key=lambda item: -statistics.median(item[1])):
        click.echo(f"  {path or 'cover':40} {1000 * statistics.median(found):6.0f} ms  ({len(found)})")
