"""Decoding is tested on the clips that ship."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from dovrel.demo.cards import ELSEWHERE


@pytest.fixture(scope="module", autouse=True)
def demo_as_it_ships() -> Iterator[None]:
    with pytest.MonkeyPatch.context() as patch:
        patch.delenv(ELSEWHERE, raising=False)
        yield
