"""That the watch over every page can fail: what it exists to see, it sees."""

import pytest

from tests.journeys.conftest import STUDY, Desk

FAULTS = {
    "Content Security Policy": "document.body.insertAdjacentHTML('beforeend', '<p style=\"color: red\">styled</p>')",
    "script:": "setTimeout(() => { throw new Error('broken'); }, 0)",
    "console error": "console.error('said')",
    "404:": "fetch('/study/VELDRA/plants/999')",
    "request failed": "fetch('/health').catch(() => null)",
}


@pytest.mark.parametrize("kind", FAULTS)
def test_a_fault_of_a_page_is_seen(desk: Desk, kind: str):
    page = desk.open(f"{STUDY}/people")
    assert desk.faults == []
    page.context.set_offline(kind == "request failed")
    page.evaluate(f"() => {{ {FAULTS[kind]}; }}")
    page.wait_for_timeout(400)
    assert any(kind in fault for fault in desk.faults), desk.faults
    desk.faults.clear()
