"""Which tests run, and in what order: long files first, so that no process is left with one at the end."""

from __future__ import annotations

import os

import pytest

from dovrel.demo.cards import ELSEWHERE
from tests.helpers.small_cards import small_cards

LONG_FIRST = (
    "browser/test_whole_day",
    "running/test_night",
    "browser/test_scopes",
    "test_headless",
    "test_along",
    "service/test_along",
    "browser",
    "service",
    "running",
    "test_",
)
"""Beginnings of paths below the tests' folder, longest first; what has none of them comes last."""


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--thorough", action="store_true", help="run what is long by nature, too")


def pytest_configure(config: pytest.Config) -> None:
    """Tests take the demo at half size; with ``--thorough`` as it ships."""
    if not config.getoption("--thorough"):
        os.environ[ELSEWHERE] = str(small_cards())


@pytest.hookimpl(tryfirst=True)
def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    if not config.getoption("--thorough"):
        long = [item for item in items if item.get_closest_marker("thorough")]
        config.hook.pytest_deselected(items=long)
        items[:] = [item for item in items if not item.get_closest_marker("thorough")]
    items.sort(key=_place)


def _place(item: pytest.Item) -> int:
    path = item.nodeid.removeprefix("tests/")
    return next((place for place, start in enumerate(LONG_FIRST) if path.startswith(start)), len(LONG_FIRST))
