"""Compiled kernels: Numba's `njit`, its machine code kept in the user's cache, one folder for each state of the source.

Numba looks only at the file that a kernel stands in. A kernel that calls another file's would go on with the old one after
that was changed, and develop wrong pictures; so would one that took a constant from elsewhere. And it keeps kernels by the
place of their file, so that a second checkout would compile all of them again.
"""

from __future__ import annotations

import hashlib
import platform
import re
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import lru_cache
from pathlib import Path

import numba
import numpy as np
from numba import njit
from numba.core import caching, config, event
from numba.core.dispatcher import Dispatcher

from dovrel.machine.cache import PACKAGE, versioned

__all__ = ["compilations_told", "kernels_of", "njit", "sum_of"]

_IMPORTS = re.compile(rb"^from (dovrel.*)$", re.MULTILINE)
_NAME = re.compile(rb"\w+")


def sum_of(folder: Path) -> str:
    """Digest of all files below a folder that hold kernels, and of those they take names from: constants are compiled in."""
    files = {path: path.read_bytes() for path in sorted(folder.rglob("*.py"))}
    kernels = [path for path, source in files.items() if b"@njit" in source]
    named = {name for path in kernels for line in _IMPORTS.findall(files[path]) for name in _NAME.findall(line)}
    digest = hashlib.sha256(f"{numba.__version__} {np.__version__} {platform.python_version()}".encode())
    for path, source in files.items():
        if path in kernels or path.stem.encode() in named:
            digest.update(path.name.encode())
            digest.update(source)
    return digest.hexdigest()[:16]


@lru_cache(maxsize=1)
def _folder() -> Path:
    return versioned("kernels", sum_of(PACKAGE))


class _SharedLocator(caching.UserProvidedCacheLocator):
    """Finds a kernel's machine code by its file's place in the package, wherever the package lies."""

    def __init__(self, py_func: Callable, py_file: str) -> None:
        super().__init__(py_func, py_file)
        self._cache_path = str(_folder() / Path(py_file).resolve().relative_to(PACKAGE).with_suffix(""))

    @classmethod
    def from_function(cls, py_func: Callable, py_file: str) -> _SharedLocator | None:
        if not Path(py_file).resolve().is_relative_to(PACKAGE):
            return None
        locator = cls(py_func, py_file)
        try:
            locator.ensure_cache_path()
        except OSError:
            return None
        return locator


if not config.CACHE_DIR:
    # A folder that the user named with NUMBA_CACHE_DIR stays.
    caching.CacheImpl._locator_classes.insert(0, _SharedLocator)


def kernels_of(package: str) -> list[Dispatcher]:
    """The kernels of all modules of a package that are imported, each once; those that are compiled into others are left out."""
    found = {
        id(value): value
        for name, module in list(sys.modules.items())
        if name == package or name.startswith(f"{package}.")
        for value in vars(module).values()
        if isinstance(value, Dispatcher) and value._cache.cache_path
    }
    return list(found.values())


class _Listener(event.Listener):
    def __init__(self, compiled: Callable[[], None]) -> None:
        self._compiled = compiled

    def on_start(self, event: event.Event) -> None:
        pass

    def on_end(self, event: event.Event) -> None:
        self._compiled()


@contextmanager
def compilations_told(compiled: Callable[[], None]) -> Iterator[None]:
    """Call `compiled` each time that a kernel was compiled meanwhile; what is read from the cache does not count."""
    with event.install_listener("numba:compile", _Listener(compiled)):
        yield
