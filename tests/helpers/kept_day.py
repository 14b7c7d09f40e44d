"""The demo day, measured once by a real start of all parts, and kept between runs."""

from __future__ import annotations

import os
import subprocess
from pathlib import Path

from dovrel.bench.demo_run import demo_run
from dovrel.core.colour import tables
from dovrel.core.measure.frame import warm_up
from dovrel.demo.cards import cards_folder
from dovrel.machine.cache import PACKAGE
from tests.helpers.kept import ROOT, digest_of, kept, one_at_a_time

_MEASURED_BY = ("core", "demo", "formats", "jobs", "media", "store")
"""The parts of the package that decide what is measured of a day, and how the database keeps it."""


def kept_day() -> Path:
    """The data folder of a stopped Dovrel with the demo day measured and nothing else done."""
    with one_at_a_time("kernels"):
        # Compiled and baked once, before parts that would all do the same are started.
        tables.keep_for_all()
        warm_up(tables.output_table(), tables.inverse_table())
    made_of = [ROOT / "requirements.lock", *(PACKAGE / part for part in _MEASURED_BY), cards_folder()]
    return kept("day", digest_of(made_of), _measure)


def _measure(folder: Path) -> None:
    with demo_run(workers=os.cpu_count() or 2) as run:
        run.stop()
        run.process = None
        # With owners, so that the database's account finds its own.
        subprocess.run(["cp", "-a", str(run.data), str(folder)], check=True)
