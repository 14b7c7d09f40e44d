"""The README's tour over two families of the demo day."""

import pytest

from tests.helpers.touring import tour

pytestmark = pytest.mark.shots("12A-1", "12A-2", "12B-3", "12C-2", "22A-1", "22B-1")


def test_a_day_is_matched_with_a_few_keys_and_the_wall_tells_of_it(wall, running):
    tour(wall, running)
