"""The real interface in headless Chromium; a page that reports a fault fails its test."""

import threading
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, BrowserContext, Page, sync_playwright
from werkzeug.serving import WSGIRequestHandler, make_server

from tender_ledger.storage.database import disconnect
from tender_ledger.web.app import create_app
from tests.conftest import OWNER, PASSWORD, settings

ARGUMENTS = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
             "--disable-component-update", "--disable-sync"]  # fmt: skip
STUDY = "/study/VELDRA"


@pytest.fixture(scope="session")
def chromium() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=ARGUMENTS)
        yield browser
        browser.close()


class _Quiet(WSGIRequestHandler):
    def log_request(self, *_: Any) -> None:
        """The application writes its own line."""


@pytest.fixture
def address(demo_db: str) -> Iterator[str]:
    """The application on a fresh demo study, on a port of its own."""
    app = create_app(settings(demo_db))
    server = make_server("127.0.0.1", 0, app, threaded=True, request_handler=_Quiet)
    server.daemon_threads = True
    app.config["PUBLIC_ADDRESS"] = f"http://127.0.0.1:{server.server_port}"  # the port is known only now
    thread = threading.Thread(target=server.serve_forever)
    thread.start()
    yield f"http://127.0.0.1:{server.server_port}"
    server.shutdown()
    thread.join()
    server.server_close()
    disconnect()


class Desk:
    """Opens pages as people of the demo, and watches each for faults."""

    def __init__(self, browser: Browser, address: str) -> None:
        self.browser, self.address = browser, address
        self.contexts: list[BrowserContext] = []
        self.faults: list[str] = []
        self.expected: set[int] = set()  # statuses that a test provokes; the browser reports them as errors

    def open(self, path: str = STUDY, email: str = OWNER, *, width: int = 1280, height: int = 800, **options: Any) -> Page:
        """A page of the application, signed in; a context of its own."""
        context = self.browser.new_context(base_url=self.address, viewport={"width": width, "height": height}, **options)
        self.contexts.append(context)
        page = context.new_page()
        self._watch(page)
        page.goto("/sign-in")
        page.fill("[name=email]", email)
        page.fill("[name=password]", PASSWORD)
        page.click("button:text('Sign in')")
        page.wait_for_url("**/study/VELDRA/")
        page.goto(path)
        page.wait_for_load_state("networkidle")
        return page

    def _watch(self, page: Page) -> None:
        page.on("pageerror", lambda error: self.faults.append(f"script: {error}"))
        page.on("requestfailed", lambda request: self._failed(request))
        page.on("response", lambda response: self._answered(response.status, response.url))
        page.on("console", lambda message: self._said(message.type, message.text))

    def _failed(self, request: Any) -> None:
        if request.failure != "net::ERR_ABORTED" and 0 not in self.expected:
            self.faults.append(f"request failed: {request.url} {request.failure}")

    def _answered(self, status: int, url: str) -> None:
        if status >= 400 and status not in self.expected:
            self.faults.append(f"{status}: {url}")

    def _said(self, kind: str, text: str) -> None:
        answered = bool(self.expected) and "Failed to load resource" in text
        provoked = answered or (0 in self.expected and "Failed to fetch" in text)
        if (kind in ("error", "warning") or "Content Security Policy" in text) and not provoked:
            self.faults.append(f"console {kind}: {text}")

    def close(self) -> None:
        for context in self.contexts:
            context.close()
        assert self.faults == []


@pytest.fixture
def desk(chromium: Browser, address: str) -> Iterator[Desk]:
    one = Desk(chromium, address)
    yield one
    one.close()


@pytest.fixture(scope="session")
def axe() -> str:
    return (Path(__file__).parents[1] / "vendor" / "axe.min.js").read_text()


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    for item in items:
        if "journeys" in item.path.parts:
            item.add_marker(pytest.mark.browser)
