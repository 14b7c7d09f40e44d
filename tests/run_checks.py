"""Every check and test: checks of the code run beside the tests; stops at nothing, fails if one failed."""

from __future__ import annotations

import argparse
import os
import subprocess
import sys
import threading
import time
from dataclasses import dataclass, field
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
BIN = Path(sys.executable).parent
PAGE = ROOT / "frontend"
ONE_THREAD = dict.fromkeys(
    ("NUMBA_NUM_THREADS", "OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "OPENCV_FOR_THREADS_NUM"), "1"
)
"""Every test process computes on one core."""


@dataclass
class Check:
    """A command that succeeds or fails; what it prints is kept until it has ended."""

    name: str
    command: list[str]
    folder: Path = ROOT
    seconds: float = 0.0
    failed: bool = False
    printed: str = field(default="", repr=False)

    def run(self) -> None:
        began = time.monotonic()
        done = subprocess.run(
            self.command, cwd=self.folder, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True
        )
        self.seconds = time.monotonic() - began
        self.failed, self.printed = bool(done.returncode), done.stdout


def checks_of_code() -> list[Check]:
    return [
        Check("lint", [str(BIN / "ruff"), "check", "src", "tests"]),
        Check("format", [str(BIN / "ruff"), "format", "--check", "--quiet", "src", "tests"]),
        Check("imports", [str(BIN / "lint-imports"), "--no-cache"]),
        Check("words", [sys.executable, "-m", "tests.check_words"]),
        Check("generated", [sys.executable, "-m", "tests.check_generated"]),
        Check("page: lint", ["npm", "run", "--silent", "check"], PAGE),
        Check("page: tests", ["npm", "run", "--silent", "test"], PAGE),
        Check(
            "types",
            [str(BIN / "pyrefly"), "check", "--python-interpreter-path", sys.executable, "--output-format", "min-text"],
        ),
    ]


def tests(options: argparse.Namespace, more: list[str]) -> int:
    """Run pytest in one process more than there are cores, since tests of the page often wait for it; its exit code."""
    environment = {**os.environ, **ONE_THREAD}
    command = [
        sys.executable,
        "-m",
        "pytest",
        "-n",
        str((os.cpu_count() or 2) + 1),
        "--dist",
        "loadfile",
        "--no-loadscope-reorder",
        *more,
    ]
    if options.random:
        command += ["-p", "randomly"]
    if options.times:
        command.append("--times")
    if options.thorough:
        command.append("--thorough")
    return subprocess.run(command, cwd=ROOT, env=environment, check=False).returncode


def main(arguments: list[str]) -> int:
    parser = argparse.ArgumentParser(
        "./dovrel test", description="Run every check and test; other options go to pytest."
    )
    parser.add_argument("--times", action="store_true", help="print where the time went")
    parser.add_argument("--thorough", action="store_true", help="also run what is long by nature")
    parser.add_argument("--random", action="store_true", help="run the tests in random order")
    options, more = parser.parse_known_args(arguments)
    began = time.monotonic()
    checks = [] if more else checks_of_code()

    def run_all() -> None:
        for check in checks:
            check.run()

    beside = threading.Thread(target=run_all)
    beside.start()
    failed = ["tests"] if tests(options, more) else []
    beside.join()
    for check in checks:
        print(f"== {check.name} ({check.seconds:.0f} s): {'failed' if check.failed else 'passed'}", flush=True)
        if check.failed:
            print(check.printed, flush=True)
            failed.append(check.name)
    print(
        "failed: " + ", ".join(failed) if failed else "all checks passed",
        f"({(time.monotonic() - began) / 60:.1f} min)",
    )
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
