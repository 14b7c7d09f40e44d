"""The recorded picture treated: noise measured and reduced on pictures whose clean version is known, shake of a known size removed."""

import cv2
import numpy as np
import pytest
from scipy.ndimage import gaussian_filter1d

from dovrel.core.colour import codes
from dovrel.core.colour.working import from_linear, to_linear
from dovrel.core.develop.frame import develop
from dovrel.core.develop.treating import clean, denoised, steadied, treated
from dovrel.core.measure.noise import noise_of
from dovrel.core.steps import opponent
from dovrel.core.steps.chain import treatment_of
from dovrel.core.steps.correction import Correction, Step, checked
from dovrel.core.steps.denoise import Denoise
from dovrel.core.steps.primary import Primary
from dovrel.core.steps.steady_picture import SteadyPicture
from dovrel.core.steps.track import Track
from dovrel.core.time.camera_path import NothingMoved, camera_path
from dovrel.core.time.run import Frame

NAME = "12A-1"
"""A moving shot, rendered without noise."""


def _noisy(working: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Noise of photons and of reading, as a sensor has it in light, on working values."""
    light = to_linear(working)
    deviation = np.sqrt(7e-4 * np.maximum(light, 0) + 1e-6)
    return from_linear(light + deviation * rng.standard_normal(light.shape)).astype(np.float32)


def _decibels(working: np.ndarray, wanted: np.ndarray) -> float:
    return float(-10 * np.log10(np.mean(np.square(working - wanted))))


@pytest.fixture(scope="module")
def known(demo_frame):
    """Five frames as they are, and with noise."""
    rng = np.random.default_rng(4)
    right = [demo_frame(NAME, index, 640).working for index in range(22, 27)]
    return right, [codes.pack(_noisy(one, rng)) for one in right]


@pytest.fixture(scope="module")
def cleaned(known):
    _, noisy = known
    return {n: clean(noisy[2 - n : 2], noisy[2], noisy[3 : 3 + n]) for n in (0, 2)}


def test_noise_goes_and_more_with_frames_beside_it(known, cleaned):
    right, noisy = known
    before = _decibels(codes.unpack(noisy[2]), right[2])
    within, along = (_decibels(codes.unpack(cleaned[n]), right[2]) for n in (0, 2))
    assert within > before + 5
    assert along > before + 8.5
    assert along > within + 2


def test_detail_is_kept(known, cleaned):
    right, _ = known
    level = right[2] @ opponent.LUMA
    after = codes.unpack(cleaned[2]) @ opponent.LUMA
    edges = [
        cv2.magnitude(*(cv2.Sobel(one, cv2.CV_64F, dx, dy) for dx, dy in ((1, 0), (0, 1)))) for one in (level, after)
    ]
    strong = edges[0] > np.percentile(edges[0], 97)
    assert edges[1][strong].mean() > 0.97 * edges[0][strong].mean()


def test_a_clean_picture_stays_as_it_is(known):
    right, _ = known
    packed = [codes.pack(one) for one in right]
    again = codes.unpack(clean(packed[:2], packed[2], packed[3:]))
    assert _decibels(again, right[2]) > 60


def test_luma_and_chroma_go_each_by_their_part(known, cleaned):
    right, noisy = known
    assert np.array_equal(denoised(Denoise(1, 1), noisy[2], cleaned[2]), cleaned[2])
    colour_alone = codes.unpack(denoised(Denoise(0, 1), noisy[2], cleaned[2]))
    before = codes.unpack(noisy[2])
    assert np.abs((colour_alone - before) @ opponent.LUMA).max() < 1e-4
    plane = [(values - right[2]) @ opponent.PLANE.T for values in (before, colour_alone)]
    assert plane[1].std() < 0.5 * plane[0].std()
    half = codes.unpack(denoised(Denoise(0.5, 0.5), noisy[2], cleaned[2]))
    assert np.abs(half - (before + codes.unpack(cleaned[2])) / 2).max() < 1e-4


def test_what_moves_by_itself_leaves_no_trail(rng):
    """A square that jumps between frames: those beside it are not what it is here."""
    frames = []
    for left in (10, 60, 110):
        light = np.full((90, 160, 3), 0.1)
        light[30:60, left : left + 30] = 0.4
        frames.append(codes.pack(_noisy(from_linear(light), rng)))
    cleaned = codes.unpack(clean(frames[:1], frames[1], frames[2:]))
    there, empty = from_linear(np.array(0.4)), from_linear(np.array(0.1))
    assert cleaned[35:55, 65:85].mean() == pytest.approx(there, abs=0.003)
    assert cleaned[35:55, 15:35].mean() == pytest.approx(empty, abs=0.003)
    assert cleaned[35:55, 115:135].mean() == pytest.approx(empty, abs=0.003)


def test_noise_is_measured_as_it_was_made(table, rng):
    flat = np.full((200, 300, 3), 0.5)
    noise = rng.standard_normal(flat.shape) * 0.02
    display = codes.encode_signal(flat + noise).transpose(2, 0, 1)
    luma, chroma = noise_of(np.ascontiguousarray(display))
    assert luma == pytest.approx(100 * (noise @ [0.2126, 0.7152, 0.0722]).std(), rel=0.03)
    grey = codes.encode_signal(flat + noise[..., :1]).transpose(2, 0, 1)
    assert noise_of(np.ascontiguousarray(grey)) == (pytest.approx(2, rel=0.03), pytest.approx(0, abs=1e-3))
    assert chroma > 0.5
    assert noise_of(np.zeros((3, 20, 20), np.uint16)) == (0, 0)


def test_less_is_measured_where_it_was_taken_down(known, cleaned, table):
    _, noisy = known
    before, after = (noise_of(develop(packed, [], table)) for packed in (noisy[2], cleaned[2]))
    assert after[0] < 0.5 * before[0]
    assert after[1] < 0.5 * before[1]


WIDE, HIGH = 320, 180


def _shaken(rng: np.random.Generator, count: int = 60) -> tuple[list[Frame], np.ndarray]:
    """Frames of a camera that shakes before a still, and where the picture's middle went, pixels."""
    big = cv2.GaussianBlur(rng.uniform(0.15, 0.7, (360, 640, 3)).astype(np.float32), (0, 0), 4)
    big = 0.42 + 6 * (big - big.mean())
    slow = 12 * np.sin(np.linspace(0, np.pi, count))
    way = np.stack([slow, 0.3 * slow], axis=1) + 3 * rng.standard_normal((count, 2))
    way -= way[0]
    frames = []
    for n, (x, y) in enumerate(way):
        moved = np.array([[1, 0, x - 160], [0, 1, y - 90]], np.float32)
        seen = cv2.warpAffine(big, moved, (WIDE, HIGH), flags=cv2.INTER_CUBIC)
        frames.append(Frame(n, codes.pack(seen), np.ones((HIGH, WIDE), bool)))
    return frames, way


def test_the_cameras_way_is_found(rng):
    frames, way = _shaken(rng)
    track = camera_path(frames)
    found = (np.array(track.places)[:, :2] - track.places[0][:2]) * (WIDE, HIGH)
    assert np.abs(found - way).max() < 0.4
    assert track.aspect == pytest.approx(WIDE / HIGH)
    with pytest.raises(NothingMoved, match="too little"):
        camera_path([Frame(n, np.full((90, 160, 3), 20000, np.uint16), np.ones((90, 160), bool)) for n in range(5)])


@pytest.mark.parametrize(("stays", "least"), [(0.0, 8), (0.5, 3)])
def test_shake_goes_and_no_edge_is_seen(rng, stays, least):
    frames, way = _shaken(rng)
    values = SteadyPicture(camera_path(frames), stays)
    steady = [steadied(values, frame.number, frame.packed) for frame in frames]
    after = camera_path([Frame(n, packed, np.ones((HIGH, WIDE), bool)) for n, packed in enumerate(steady)])
    left = (np.array(after.places)[:, :2]) * (WIDE, HIGH)
    jump = np.abs(np.diff(left, axis=0)).mean()
    assert np.abs(np.diff(way, axis=0)).mean() > least * jump
    assert 0 < values.crop < 0.3
    corners = np.array([[0, 0, 1], [WIDE - 1, 0, 1], [0, HIGH - 1, 1], [WIDE - 1, HIGH - 1, 1]]).T
    for frame in frames:
        x, y = values.warp(frame.number, HIGH, WIDE) @ corners
        assert x.min() > -1
        assert y.min() > -1
        assert x.max() < WIDE
        assert y.max() < HIGH


def test_slow_motion_stays_longer_than_shake(rng):
    frames, _ = _shaken(rng)
    path = camera_path(frames)
    rows = [
        np.array([SteadyPicture(path, stays).warp(n, HIGH, WIDE)[:, 2] for n in range(len(frames))])
        for stays in (0.2, 0.9)
    ]
    slow = [np.ptp(gaussian_filter1d(row, 8, axis=0), axis=0).max() for row in rows]
    assert slow[1] < 0.25 * slow[0]
    crops = [SteadyPicture(path, stays).crop for stays in (0.3, 0.9, 1.0)]
    assert crops[0] > crops[1] > crops[2] == 0
    assert SteadyPicture(path, 1.0).is_identity
    assert SteadyPicture(None).is_identity
    some = SteadyPicture(path, 0.4)
    flags = np.zeros((HIGH, WIDE), np.uint8)
    flags[80:100, 150:170] = 3
    assert set(np.unique(steadied(some, 7, flags))) == {0, 3}


def test_a_still_camera_stays_as_it_is():
    path = Track(0, 0, tuple((0.5, 0.5, 0.0, 1.0) for _ in range(30)), 16 / 9)
    values = SteadyPicture(path, 0.2)
    assert values.crop < 1e-6
    picture = np.random.default_rng(1).integers(0, 65535, (90, 160, 3)).astype(np.uint16)
    assert np.abs(steadied(values, 12, picture).astype(int) - picture).max() <= 1


def test_a_turned_camera_is_turned_back():
    places = tuple((0.5, 0.5, 4.0 * (n % 2), 1.0) for n in range(40))
    values = SteadyPicture(Track(0, 0, places, 16 / 9), 0.0)
    turns = [values.warp(n, 90, 160) for n in (20, 21)]
    angles = [np.degrees(np.arctan2(one[1, 0], one[0, 0])) for one in turns]
    assert angles[1] - angles[0] == pytest.approx(4, abs=1e-6)


def test_noise_goes_before_the_picture_is_moved(known):
    _, noisy = known
    path = Track(0, 0, tuple((0.5 + 0.01 * (n % 2), 0.5, 0.0, 1.0) for n in range(40)), 16 / 9)
    chain = [Primary(), SteadyPicture(path, 0.0), Denoise(1, 1, 0)]
    treatment = treatment_of(chain)
    assert [values.kind for values in treatment] == ["denoise", "steady"]
    asked = []

    def cleaned(count: int) -> np.ndarray:
        asked.append(count)
        return noisy[2]

    packed, flags = treated(treatment, 5, noisy[2], np.zeros(noisy[2].shape[:2], np.uint8), cleaned)
    assert asked == [0]
    assert not np.array_equal(packed, noisy[2])
    assert flags.shape == packed.shape[:2]


def test_they_stand_where_a_recording_is():
    noise, path = Step("less noise", Denoise()), Step("steady", SteadyPicture())
    of_shot = Correction((Step("balance", Primary()), noise, path))
    assert checked("shot", of_shot) is of_shot
    of_camera = Correction((Step("trim", Primary()), noise))
    assert checked("camera", of_camera) is of_camera
    with pytest.raises(
        ValueError, match="“steady” treats the recorded picture; that is done for a shot, not for a camera"
    ):
        checked("camera", Correction((Step("trim", Primary()), path)))
    with pytest.raises(ValueError, match="“less noise” treats the recorded picture"):
        checked("show", Correction((Step("finish", Primary()), noise)))
    with pytest.raises(ValueError, match="“frames” lies between 0 and 3"):
        Denoise(frames=9)
