"""Live updates and playing with a look and a finish, and what treating a frame takes once."""

from __future__ import annotations

import contextlib
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from dovrel.core.colour import codes, look_files
from dovrel.core.develop.treating import clean, denoised, steadied
from dovrel.core.develop.whole import look_of
from dovrel.core.steps.chain import Chain
from dovrel.core.steps.denoise import Denoise
from dovrel.core.steps.grain import Grain
from dovrel.core.steps.halation import Halation
from dovrel.core.steps.look import Look
from dovrel.core.steps.primary import Primary
from dovrel.core.steps.sharpen import Sharpen
from dovrel.core.steps.soften import Soften
from dovrel.core.steps.steady_picture import SteadyPicture
from dovrel.core.steps.track import Track
from dovrel.core.steps.vignette import Vignette
from dovrel.formats import cube


@contextlib.contextmanager
def a_look(folder_of_looks: Path | None = None) -> Iterator[Look]:
    """A look whose file is kept while it is used: in a folder of its own, or in that of a running Dovrel's looks."""
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder, "bench.cube")
        nodes = look_of([Primary((1.05, 1.0, 0.97), (-0.02, 0.0, 0.01), saturation=1.1)])
        cube.write(file, nodes, "bench", "takes ACEScct, gives ACEScct")
        look_files.keep_in(folder_of_looks or Path(folder, "looks"))
        try:
            kept = look_files.keep(file, file.name)
            yield Look(kept.digest, kept.name, kept.expected.takes, kept.expected.gives, 0.7)
        finally:
            look_files.keep_in(None)


TOGETHER = "a look, sharpening, a vignette and grain"


def cases_of(look: Look) -> dict[str, Chain]:
    """What comes after the ten numbers that a hand moves."""
    return {
        "a look": (look,),
        "softening": (Soften(),),
        "sharpening": (Sharpen(),),
        "halation": (Halation(),),
        "a vignette": (Vignette(),),
        "grain": (Grain(),),
        TOGETHER: (look, Sharpen(), Vignette(), Grain()),
        "all of a look and a finish": (look, Soften(), Sharpen(), Halation(), Vignette(), Grain()),
    }


def once(packed: np.ndarray) -> dict[str, float]:
    """Milliseconds that a frame takes once, with two frames on either side, and that its kept answer takes to be mixed."""
    beside = [packed] * 2
    path = Track(0, 0, tuple((0.5 + 0.002 * (n % 3), 0.5, 0.1 * (n % 2), 1.0) for n in range(48)), 16 / 9)
    steady = SteadyPicture(path, 0.5)
    found = clean(beside, packed, beside)
    work = {
        "noise found and removed, once a frame": lambda: clean(beside, packed, beside),
        "the same without frames beside it": lambda: clean((), packed, ()),
        "its strength changed": lambda: denoised(Denoise(0.5, 0.8), packed, found),
        "the picture steadied, once a frame": lambda: steadied(steady, 20, packed),
    }
    times: dict[str, list[float]] = {name: [] for name in work}
    for _ in range(5):
        for name, do in work.items():
            started = time.perf_counter()
            do()
            times[name].append(time.perf_counter() - started)
    return {name: float(1000 * np.median(found)) for name, found in times.items()}


def noisy(packed: np.ndarray) -> np.ndarray:
    """A frame with noise that there is something to be found of."""
    noise = np.random.default_rng(2).standard_normal(packed.shape) * 0.01
    return codes.pack(codes.unpack(packed) + noise)
