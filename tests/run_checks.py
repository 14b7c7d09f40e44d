"""Every check and test; stops at nothing, fails if one failed."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
BIN = Path(sys.executable).parent
TESTS = [sys.executable, "-m", "pytest"]
# Each waits for other things than the other most of the time: run beside each other they end sooner.
IN_THE_BROWSER = ["tests/browser", "tests/running"]


def main(arguments: list[str]) -> int:
    checks: list[tuple[str, list[str], Path]] = [
        ("lint", [str(BIN / "ruff"), "check", "src", "tests"], ROOT),
        ("imports", [str(BIN / "lint-imports"), "--no-cache"], ROOT),
        ("types", [str(BIN / "pyright"), "--pythonpath", sys.executable], ROOT),
        ("page: lint", ["npm", "run", "--silent", "check"], ROOT / "frontend"),
        ("page: tests", ["npm", "run", "--silent", "test"], ROOT / "frontend"),
    ]
    failed = [name for name, command, folder in checks if not passes(name, command, folder)]
    if arguments:
        failed += [] if passes("tests", [*TESTS, *arguments], ROOT) else ["tests"]
    else:
        failed += in_two_parts()
    print("failed: " + ", ".join(failed) if failed else "all checks passed", flush=True)
    return 1 if failed else 0


def passes(name: str, command: list[str], folder: Path) -> bool:
    print(f"== {name}", flush=True)
    return subprocess.run(command, cwd=folder, check=False).returncode == 0


def in_two_parts() -> list[str]:
    """All tests, those of the browser beside the others; the names of the parts that failed."""
    parts = {
        "tests in the browser": IN_THE_BROWSER,
        "tests": ["tests", *(f"--ignore={folder}" for folder in IN_THE_BROWSER)],
    }
    failed, began = [], time.monotonic()
    with tempfile.TemporaryDirectory(prefix="dovrel-checks-") as folder:
        running = []
        for name, arguments in parts.items():
            said = Path(folder) / name
            with said.open("wb") as out:
                process = subprocess.Popen([*TESTS, *arguments], cwd=ROOT, stdout=out, stderr=subprocess.STDOUT)
            running.append((name, process, said))
        for name, process, said in running:
            code = process.wait()
            print(f"== {name}: {(time.monotonic() - began) / 60:.1f} min", flush=True)
            print(said.read_text(errors="replace"), flush=True)
            failed += [name] if code else []
    return failed


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
