"""The user's cache: a folder for each state of the code, shared by all checkouts; what nobody uses goes."""

import os
import time
from pathlib import Path

import pytest

from dovrel.machine import cache, kernels


@pytest.fixture
def home(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path))
    cache.versioned.cache_clear()
    yield tmp_path / "dovrel"
    cache.versioned.cache_clear()


def test_folders_nobody_used_for_long_are_removed_and_those_in_use_are_not(home):
    for name, days in (("kernels-old", 40), ("kernels-recent", 3), ("tables-old", 40)):
        (home / name).mkdir(parents=True)
        used = time.time() - days * 86400
        os.utime(home / name, (used, used))
    folder = cache.versioned("kernels", "abc")
    assert folder == home / "kernels-abc"
    assert folder.stat().st_mode & 0o077 == 0
    assert sorted(path.name for path in home.iterdir()) == ["kernels-abc", "kernels-recent", "tables-old"]


def test_a_folder_that_is_used_is_marked_as_used(home):
    (home / "tables-abc").mkdir(parents=True)
    os.utime(home / "tables-abc", (0, 0))
    assert cache.versioned("tables", "abc").stat().st_mtime > time.time() - 60


def test_without_a_home_the_cache_lies_beside_the_package(tmp_path, monkeypatch):
    (tmp_path / "file").write_text("")
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "file"))
    assert cache.cache_folder() == cache.PACKAGE / "__pycache__"


def test_machine_code_is_kept_by_the_kernels_place_in_the_package():
    """So a second checkout of the same code finds it."""
    from dovrel.core.measure import counting

    (kernel,) = (one for one in kernels.kernels_of(counting.__name__) if one.py_func.__name__ == "_count")
    path = Path(kernel._cache.cache_path)
    assert path.parts[-4:] == (path.parts[-4], "core", "measure", "counting")
    assert path.parts[-4] == f"kernels-{kernels.sum_of(cache.PACKAGE)}"
    assert kernels._SharedLocator.from_function(lambda: None, __file__) is None
