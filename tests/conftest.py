"""What tests share: demo frames, tables, and the whole of Dovrel running on the demo."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import settings

from dovrel.core.colour import tables
from dovrel.demo import cards
from dovrel.media.footage import probe, read_recorded
from dovrel.media.picture import Picture, shrink, to_picture
from dovrel.store import ports
from tests.helpers.days import (  # noqa: F401
    api,
    beginning,
    databases,
    days,
    measured,
    running,
    server_started_first,
    shot_named,
)

pytest_plugins = ["tests.helpers.order", "tests.helpers.times"]

# How long an example takes says more of the machine than of the code.
settings.register_profile("untimed", deadline=None)
settings.load_profile("untimed")


@pytest.fixture(scope="session", autouse=True)
def tables_kept() -> None:
    """Baked tables are taken from the user's cache, as a running Dovrel takes them: one process bakes for all."""
    tables.keep_for_all()


@pytest.fixture(scope="session")
def table() -> tables.Table:
    return tables.output_table()


@pytest.fixture(scope="session")
def demo_frame():
    """A demo shot's frame at a given width, decoded and in the working space."""
    kept: dict[tuple[Path, int, int], Picture] = {}

    def frame(name: str, index: int = 12, width: int = 480) -> Picture:
        clip = cards.find(name)
        key = (clip.path, index, width)
        if key not in kept:
            recorded = read_recorded(clip.path, index, probe(clip.path))
            kept[key] = to_picture(shrink(recorded, width), clip.encoding)
        return kept[key]

    return frame


@pytest.fixture
def free_port() -> int:
    return ports.free_port()


@pytest.fixture
def rng() -> np.random.Generator:
    """The same numbers for each test, whatever ran before it."""
    return np.random.default_rng(20)
