"""The table of a run of the fuzzer, over all of its rounds."""

from collections import Counter

import pytest


def pytest_terminal_summary(terminalreporter: pytest.TerminalReporter) -> None:
    rounds = [
        outcome
        for kind in ("passed", "failed")
        for report in terminalreporter.stats.get(kind, [])
        for name, outcome in report.user_properties
        if name == "fuzzing"
    ]
    if not rounds:
        return
    statuses = sum((Counter({int(status): times for status, times in one["statuses"].items()}) for one in rounds), Counter())
    terminalreporter.section("hostile requests")
    terminalreporter.write_line(
        f"{sum(one['requests'] for one in rounds)} requests, {sum(one['failed'] for one in rounds)} answered 5xx, "
        f"{sum(one['slow'] for one in rounds)} took over 5 s; slowest {max(one['slowest'] for one in rounds):.2f} s"
    )
    terminalreporter.write_line(", ".join(f"{status}: {times}" for status, times in sorted(statuses.items())))
