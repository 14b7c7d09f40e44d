"""Every check and test, in order; stops at nothing, fails if one failed."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
BIN = Path(sys.executable).parent


def main(arguments: list[str]) -> int:
    checks: list[tuple[str, list[str], Path]] = [
        ("lint", [str(BIN / "ruff"), "check", "src", "tests"], ROOT),
        ("imports", [str(BIN / "lint-imports"), "--no-cache"], ROOT),
        ("types", [str(BIN / "pyright"), "--pythonpath", sys.executable], ROOT),
        ("page: lint", ["npm", "run", "--silent", "check"], ROOT / "frontend"),
        ("page: tests", ["npm", "run", "--silent", "test"], ROOT / "frontend"),
        ("tests", [sys.executable, "-m", "pytest", *arguments], ROOT),
    ]
    failed = []
    for name, command, folder in checks:
        print(f"== {name}", flush=True)
        if subprocess.run(command, cwd=folder, check=False).returncode:
            failed.append(name)
    print("failed: " + ", ".join(failed) if failed else "all checks passed", flush=True)
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
