"""Scopes against plain counting, closed forms and FFmpeg's own filters."""

import subprocess

import numpy as np
import pytest

from dovrel.core.colour import codes
from dovrel.core.develop.frame import develop
from dovrel.core.measure import limits, signals
from dovrel.core.measure.counting import count, count_cast, count_chroma, count_vector
from dovrel.core.measure.frame import measure
from dovrel.core.measure.readings import readings_of_display
from dovrel.core.measure.signals import luma_codes


def display(picture: np.ndarray) -> np.ndarray:
    """Display codes of a picture (H, W, 3) in 0..1."""
    return np.ascontiguousarray(codes.encode_signal(picture).transpose(2, 0, 1))


@pytest.fixture
def noise() -> np.ndarray:
    return display(np.random.default_rng(5).random((97, 211, 3)))


def test_every_count_is_a_plain_count(noise):
    """Against numpy's histograms of the same codes."""
    scopes = count(noise)
    columns = scopes.waveform.shape[0]
    column = np.broadcast_to(np.arange(211) * columns // 211, (97, 211))
    for channel in range(3):
        expected, *_ = np.histogram2d(
            column.ravel(), (noise[channel] >> 8).ravel(), [np.arange(columns + 1), np.arange(257)]
        )
        assert np.array_equal(scopes.parade[channel], expected)
        fine = np.bincount((noise[channel].ravel().astype(np.int64) * 5) >> 6, minlength=codes.FINE_BINS)
        assert np.array_equal(scopes.fine[channel], fine)
    expected, *_ = np.histogram2d(
        column.ravel(), (luma_codes(noise) >> 8).ravel(), [np.arange(columns + 1), np.arange(257)]
    )
    assert np.array_equal(scopes.waveform, expected)


@pytest.mark.parametrize("size", [(270, 480), (101, 333), (7, 5), (2, 4000), (1, 1)])
def test_every_scope_holds_every_pixel_once(rng, size):
    frame = display(rng.random((*size, 3)))
    pixels = size[0] * size[1]
    scopes = count(frame)
    assert scopes.pixels == pixels
    assert scopes.waveform.sum() == scopes.vector.sum() == pixels
    assert (scopes.parade.sum(axis=(1, 2)) == pixels).all()
    assert (scopes.fine.sum(axis=1) == pixels).all()
    assert (count_chroma(frame).sum(axis=(1, 2)) == pixels).all()
    assert (count_cast(frame).sum(axis=(1, 2)) == pixels).all()


def test_a_mask_counts_just_its_pixels(noise, rng):
    mask = (rng.random((97, 211)) > 0.7).astype(np.uint8)
    scopes, readings = measure(noise, mask)
    assert scopes.pixels == mask.sum() == scopes.vector.sum()
    chosen = codes.decode_signal(noise.transpose(1, 2, 0)[mask != 0])
    assert np.abs(readings - readings_of_display(chosen)).max() < 0.1
    assert (count_cast(noise, mask).sum(axis=(1, 2)) == mask.sum()).all()
    assert (count_chroma(noise, mask).sum(axis=(1, 2)) == mask.sum()).all()


def test_an_empty_mask_is_refused(noise):
    with pytest.raises(ValueError, match="no pixels"):
        measure(noise, np.zeros((97, 211), np.uint8))


def test_a_neutral_ramp_is_one_upright_line(rng):
    ramp = display(np.linspace(0, 1, 512)[None, :, None].repeat(3, axis=2).repeat(8, axis=0))
    cast, chroma = count_cast(ramp), count_chroma(ramp)
    level, difference = np.nonzero(cast[0])
    assert set(difference) == {128}
    assert len(set(level)) > 200
    assert set(np.nonzero(chroma[0])[1]) | set(np.nonzero(chroma[1])[1]) == {128}


def test_a_cast_in_the_highlights_bends_the_head_only():
    ramp = np.linspace(0, 1, 512)[None, :, None].repeat(3, axis=2).repeat(4, axis=0)
    ramp[..., 0] += 0.1 * np.clip(ramp[..., 0] - 0.5, 0, None)
    cast = count_cast(display(ramp))
    middle = (cast[0] * np.arange(256)).sum(axis=1) / np.maximum(cast[0].sum(axis=1), 1)
    low, high = round((0.3 + 0.125) / 1.25 * 256), round((0.95 + 0.125) / 1.25 * 256)
    assert middle[low] == pytest.approx(128, abs=0.6)
    # Red leads luma by (1 − 0.2126) of what was added: 3.6 % at 96 %, 128 bins to 25 %.
    assert middle[high] - 128 == pytest.approx(0.1 * 0.46 * 0.7874 / 0.25 * 128, abs=2)


def test_the_vectorscope_can_be_limited_to_levels(noise):
    luma = codes.decode_signal(luma_codes(noise))
    limited = count_vector(noise, 20, 60)
    assert limited.sum() == pytest.approx(((luma >= 0.2) & (luma <= 0.6)).sum(), abs=6)
    assert count_vector(noise, -12, 112).sum() == count(noise).vector.sum()


def test_saturation_is_the_root_mean_square_chroma(noise):
    _, readings = measure(noise)
    assert readings[9] == pytest.approx(readings_of_display(codes.decode_signal(noise.transpose(1, 2, 0)))[9], abs=0.01)


def _ffmpeg(filters: str, planes: np.ndarray, sent: str, wanted: str) -> np.ndarray:
    height, width = planes.shape[1:]
    command = ["ffmpeg", "-hide_banner", "-loglevel", "error", "-f", "rawvideo", "-pix_fmt", sent,
               "-s", f"{width}x{height}", "-i", "-", "-vf", filters, "-frames:v", "1",
               "-f", "rawvideo", "-pix_fmt", wanted, "-"]  # fmt: skip
    done = subprocess.run(command, input=planes.tobytes(), capture_output=True, check=True)
    return np.frombuffer(done.stdout, np.uint8)


def test_chroma_agrees_with_ffmpegs_vectorscope(demo_frame, table):
    """The same frame as 8-bit Y′CbCr: where FFmpeg's vectorscope lights a cell, our counts lie."""
    frame = develop(demo_frame("22A-1", width=320).packed, [], table)
    shown = codes.decode_signal(frame.transpose(1, 2, 0)).clip(0, 1)
    luma = shown @ [0.2126, 0.7152, 0.0722]
    cb, cr = (shown[..., 2] - luma) / 1.8556, (shown[..., 0] - luma) / 1.5748
    planes = np.stack([16 + 219 * luma, 128 + 224 * cb, 128 + 224 * cr]).round().astype(np.uint8)
    lit = _ffmpeg("vectorscope=mode=gray:intensity=1:envelope=none", planes, "yuv444p", "gray").reshape(256, 256) > 0
    ours = count(display(shown)).vector
    # Our cells are 1.25/256 wide, FFmpeg's 1/224; ours are laid onto theirs and must touch.
    down, across = np.nonzero(ours)
    at_cb = (across + 0.5) * 1.25 / 256 - 0.625
    at_cr = 0.625 - (down + 0.5) * 1.25 / 256
    x, y = (128 + 224 * at_cb).round().astype(int), (255 - (128 + 224 * at_cr)).round().astype(int)
    near = np.zeros_like(lit)
    for dx in (-1, 0, 1):
        for dy in (-1, 0, 1):
            near |= np.roll(lit, (dy, dx), (0, 1))
    weight = ours[down, across]
    assert weight[near[y, x]].sum() >= 0.999 * weight.sum()


def test_fine_counts_agree_with_ffmpegs_histogram(demo_frame, table):
    """FFmpeg's histogram of the 8-bit picture against ours of the same, signal by signal."""
    frame = develop(demo_frame("12A-1", width=320).packed, [], table)
    eight = (codes.decode_signal(frame).clip(0, 1) * 255).round().astype(np.uint8)
    drawn = _ffmpeg(
        "histogram=display_mode=stack:level_height=200:scale_height=0:components=7", eight[[1, 2, 0]], "gbrp", "gbrp"
    )
    bars = drawn.reshape(3, 600, 256)[0].reshape(3, 200, 256)
    ours = count(display(eight.transpose(1, 2, 0) / 255))
    for channel in range(3):
        heights = (bars[channel] > 0).sum(axis=0)
        level = np.arange(256) / 255
        bins = (codes.encode_signal(level).astype(int) * 5) >> 6
        counts = np.array([ours.fine[channel, max(b - 1, 0) : b + 2].sum() for b in bins])
        assert counts.sum() == frame.shape[1] * frame.shape[2]
        assert np.corrcoef(heights, counts)[0, 1] > 0.995


def test_recorded_flags_are_the_extremes_of_the_code_range(rng):
    code = rng.integers(0, 65536, (37, 53, 3)).astype(np.uint16)
    code[3, 4], code[5, 6] = (65535, 30000, 30000), (30000, 0, 30000)
    flags = limits.recorded_flags(code)
    clipped, crushed = codes.encode_signal(np.array([0.99, 0.004]))
    assert np.array_equal((flags & limits.RECORDED_HIGH) != 0, code.max(axis=2) >= clipped)
    assert np.array_equal((flags & limits.RECORDED_LOW) != 0, code.min(axis=2) <= crushed)
    assert flags[3, 4] & limits.RECORDED_HIGH
    assert flags[5, 6] & limits.RECORDED_LOW


def test_integer_luma_and_chroma_are_bt709s(noise):
    """Against the float formulas; kernels and whole-array forms are one."""
    shown = codes.decode_signal(noise)
    luma = np.tensordot((0.2126, 0.7152, 0.0722), shown, 1)
    cb, cr = signals.chroma_codes(noise)
    assert np.abs(codes.decode_signal(signals.luma_codes(noise)) - luma).max() < 4e-5
    assert np.abs(cb / codes.SIGNAL_SCALE - (shown[2] - luma) / 1.8556).max() < 6e-5
    assert np.abs(cr / codes.SIGNAL_SCALE - (shown[0] - luma) / 1.5748).max() < 6e-5
    r, g, b = (int(v) for v in noise[:, 3, 5])
    assert signals.luma_of.py_func(np.int32(r), np.int32(g), np.int32(b)) == signals.luma_codes(noise)[3, 5]
