"""Where the time of a run goes: the slowest tests and set-ups, the longest files, and the sum of each folder, for ``./dovrel test --times``."""

from __future__ import annotations

from collections import defaultdict

import pytest

SHOWN = 40


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption(
        "--times",
        action="store_true",
        help="print where the time went: slowest tests, longest files, sum of each folder",
    )


class Times:
    """Seconds of every phase of every test, as the tests' processes report them."""

    def __init__(self) -> None:
        self._phases: list[tuple[float, str, str]] = []

    def pytest_runtest_logreport(self, report: pytest.TestReport) -> None:
        self._phases.append((report.duration, report.when or "", report.nodeid))

    def pytest_terminal_summary(self, terminalreporter: pytest.TerminalReporter) -> None:
        folders: dict[str, list[float]] = defaultdict(lambda: [0.0, 0.0, 0.0])
        files: dict[str, float] = defaultdict(float)
        for seconds, when, test in self._phases:
            file = test.split("::")[0]
            files[file] += seconds
            parts = file.split("/")
            row = folders["/".join(parts[:2]) if len(parts) > 2 else parts[0]]
            row[0] += when == "call"
            row[1 if when == "call" else 2] += seconds
        write = terminalreporter.write_line
        write("\n| folder | tests | calls, s | set-ups, s |\n| --- | ---: | ---: | ---: |")
        for folder, (count, calls, setups) in sorted(folders.items(), key=lambda one: -sum(one[1][1:])):
            write(f"| {folder} | {count:.0f} | {calls:.0f} | {setups:.0f} |")
        write("\nThe longest files (a file is run by one process):")
        for file, seconds in sorted(files.items(), key=lambda one: -one[1])[:SHOWN]:
            write(f"{seconds:7.1f} s  {file}")
        write(f"\nThe slowest {SHOWN} tests and set-ups:")
        for seconds, when, test in sorted(self._phases, reverse=True)[:SHOWN]:
            write(f"{seconds:7.1f} s  {when:8} {test}")


def pytest_configure(config: pytest.Config) -> None:
    if config.getoption("--times") and not hasattr(config, "workerinput"):
        config.pluginmanager.register(Times())
