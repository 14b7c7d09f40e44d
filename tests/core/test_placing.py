"""Which shares of which colours are baked for a frame's pixels in areas."""

import numpy as np
import pytest

from dovrel.core.colour import codes
from dovrel.core.develop import lattice
from dovrel.core.develop.placing import SEVERAL, SHARES, place


@pytest.fixture(scope="module")
def located():
    rng = np.random.default_rng(4)
    return lattice.locate(codes.pack(rng.uniform(0.2, 0.6, (40, 60, 3)).astype(np.float32)))


def _block(top, bottom, share):
    mask = np.zeros((40, 60), np.float32)
    mask[top:bottom] = share
    return mask


def test_pixels_wholly_in_areas_share_a_kind_and_need_one_way(located):
    here = place((_block(0, 20, 1), _block(10, 30, 1)), located)
    assert len(np.unique(here.kinds)) == 4
    assert len(here.several) == 0
    assert sorted(map(tuple, np.unique(here.shares.T, axis=0))) == [(0, 0), (0, 1), (1, 0), (1, 1)]


def test_a_part_of_one_area_within_all_of_another_is_a_kind_of_its_own(located):
    here = place((_block(0, 40, 1), _block(10, 20, 0.3)), located)
    assert len(here.several) == 0
    partly = here.shares[1]
    assert set(np.unique(partly * SHARES)) == {0, 2, 3}
    assert np.all(here.shares[0] == 1)


def test_parts_of_two_areas_go_one_by_one_with_their_shares(located):
    here = place((_block(0, 20, 0.5), _block(15, 40, 0.25)), located)
    assert np.array_equal(np.unique(here.several // 60), np.arange(15, 20))
    assert np.all(here.kinds.ravel()[here.several] == SEVERAL)
    assert np.all(here.several_shares == np.array([[0.5], [0.25]]))


def test_a_kind_of_few_pixels_goes_one_by_one(located):
    mask = np.zeros((40, 60), np.float32)
    mask[3, 5:8] = 1
    assert list(place((mask,), located).several) == [185, 186, 187]


def test_more_areas_than_have_kinds_go_one_by_one(located):
    masks = (*(_block(0, 5, 0) for _ in range(9)), _block(0, 20, 1))
    here = place(masks, located)
    assert len(here.several) == 20 * 60
    assert np.all(here.several_shares[9] == 1)
