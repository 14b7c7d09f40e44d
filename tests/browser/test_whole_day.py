"""The README's tour over the whole demo day."""

import pytest

from tests.helpers.touring import tour


@pytest.mark.thorough
def test_the_whole_day_is_matched_with_a_few_keys_and_the_wall_tells_of_it(wall, running):
    tour(wall, running)
