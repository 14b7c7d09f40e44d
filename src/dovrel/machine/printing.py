"""A page printed to a PDF by a browser of this machine, if it has one that can do so without a window."""

from __future__ import annotations

import os
import shutil
import subprocess
import tempfile
from pathlib import Path

from dovrel.errors import Refused
from dovrel.machine.files import written_aside

BROWSERS = ("chromium-headless-shell", "chromium", "chromium-browser")
SECONDS = 90


def can_print() -> bool:
    return _browser() is not None


def print_page(page: Path, to: Path) -> None:
    """Print an HTML file to a PDF.

    Raises
    ------
    Refused
        If no browser of this machine can, or it does not.
    NoRoom
        If the disc is full.
    """
    browser = _browser()
    if browser is None:
        raise Refused(
            f"{to.name}: there is no {BROWSERS[0]} on this machine to print it; print {page.name} from a browser"
        )
    # Whoever is everything here cannot shut the browser in, and it reads our own page alone.
    shut_in = ["--no-sandbox"] if os.geteuid() == 0 else []
    with tempfile.TemporaryDirectory() as profile, written_aside(to) as aside:
        command = [browser, "--headless", *shut_in, "--disable-gpu", f"--user-data-dir={profile}", "--no-pdf-header-footer",
                   f"--print-to-pdf={aside}", page.resolve().as_uri()]  # fmt: skip
        try:
            done = subprocess.run(command, capture_output=True, text=True, timeout=SECONDS, stdin=subprocess.DEVNULL)
        except subprocess.TimeoutExpired:
            raise Refused(f"{to.name}: printing {page.name} took too long; print it from a browser") from None
        if not aside.is_file() or not aside.stat().st_size:
            said = (done.stderr.strip().splitlines() or ["no reason given"])[-1][:200]
            raise Refused(f"{to.name}: {page.name} could not be printed ({said}); print it from a browser")


def _browser() -> str | None:
    return next((found for name in BROWSERS if (found := shutil.which(name))), None)
