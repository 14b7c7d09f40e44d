"""Readings and scopes against closed forms, sorting, and FFmpeg's own filters."""

import subprocess

import numpy as np
import pytest

from dovrel.core.colour import codes, tables
from dovrel.core.colour.working import MID_GREY
from dovrel.core.develop import threads
from dovrel.core.develop.frame import display_of
from dovrel.core.measure.frame import render
from dovrel.core.measure.meter import WHOLE, Meter
from dovrel.core.measure.point import name_point
from dovrel.core.measure.readings import Percentiles, percentile_of_counts, readings_of_display
from dovrel.core.steps.primary import IDENTITY, Primary


@pytest.fixture(scope="module")
def plain() -> tables.Table:
    """Working values shown as they are."""
    return tables.output_table("plain-video")


def shown(display: np.ndarray, plain: tables.Table, meter: Meter = WHOLE):
    packed = codes.pack(display.astype(np.float32))
    return render(packed, [], plain, meter.mask(packed, plain))


def box(left: float, top: float, right: float, bottom: float) -> Meter:
    return Meter("box", ((left, top), (right, bottom)))


def ramp(width: int = 640, height: int = 64) -> np.ndarray:
    return np.repeat(np.linspace(0, 1, width)[None, :, None], height, axis=0).repeat(3, axis=2)


def test_a_ramp_reads_its_own_percentiles(plain):
    readings = shown(ramp(), plain).readings
    assert np.allclose(readings[:9], [1, 50, 99] * 3, atol=0.1)
    assert readings[9] == pytest.approx(0, abs=0.02)


def test_a_ramp_is_a_diagonal_on_the_waveform(plain):
    scopes = shown(ramp(), plain).scopes
    columns = scopes.waveform.shape[0]
    for column in (0, 80, 160, 319):
        level = np.average(np.arange(256), weights=scopes.waveform[column])
        percent = codes.SIGNAL_LOW + (level + 0.5) / 256 * codes.SIGNAL_SPAN
        assert percent == pytest.approx((column + 0.5) / columns, abs=0.004)


@pytest.mark.parametrize("name,rgb", [("red", (0.75, 0, 0)), ("green", (0, 0.75, 0)), ("cyan", (0, 0.75, 0.75))])
def test_bars_land_on_their_vectorscope_targets(plain, name, rgb):
    picture = np.tile(np.array(rgb), (40, 40, 1))
    measured = shown(picture, plain)
    down, across = np.unravel_index(measured.scopes.vector.argmax(), measured.scopes.vector.shape)
    step = codes.SIGNAL_SPAN / 256
    luma = np.dot(rgb, [0.2126, 0.7152, 0.0722])
    assert (across + 0.5) * step - codes.SIGNAL_SPAN / 2 == pytest.approx((rgb[2] - luma) / 1.8556, abs=step)
    assert codes.SIGNAL_SPAN / 2 - (down + 0.5) * step == pytest.approx((rgb[0] - luma) / 1.5748, abs=step)
    radius = np.hypot((rgb[2] - luma) / 1.8556, (rgb[0] - luma) / 1.5748)
    assert measured.readings[9] == pytest.approx(100 * radius, abs=0.05)


@pytest.mark.parametrize("size", [(270, 480), (101, 333), (7, 5), (2, 1000)])
def test_every_scope_counts_every_pixel_once(plain, rng, size):
    scopes = shown(rng.random((*size, 3)), plain).scopes
    pixels = size[0] * size[1]
    assert scopes.pixels == pixels
    assert (scopes.parade.sum(axis=(1, 2)) == pixels).all()
    assert scopes.waveform.sum() == scopes.vector.sum() == pixels
    assert (scopes.fine.sum(axis=1) == pixels).all()


def test_fine_histogram_percentiles_agree_with_sorting(demo_frame, table):
    for name in ("12A-1", "14A-1", "21C-1"):
        measured = render(demo_frame(name).packed, [IDENTITY], table)
        sorted_readings = readings_of_display(display_of(demo_frame(name).working, [], table))
        assert np.abs(measured.readings - sorted_readings).max() < 0.05


def test_percentile_of_counts_by_hand():
    counts = np.zeros(codes.FINE_BINS, np.int64)
    counts[512] = 3  # 0 %
    counts[512 + 4096] = 1  # 100 %
    assert percentile_of_counts(counts, 0) == pytest.approx(0.0, abs=1 / 4096)
    assert percentile_of_counts(counts, 100) == pytest.approx(1.0, abs=1 / 4096)
    with pytest.raises(ValueError, match="no pixels"):
        percentile_of_counts(np.zeros(codes.FINE_BINS, np.int64), 50)


def test_meter_measures_its_box_only(plain):
    picture = np.zeros((90, 160, 3))
    picture[30:60, 80:120] = 0.5
    metered = shown(picture, plain, box(80 / 160, 30 / 90, 120 / 160, 60 / 90))
    assert metered.scopes.pixels == 30 * 40
    assert np.allclose(metered.readings[:9], 50, atol=0.05)
    assert metered.picture[0, 0, 0] == 0
    assert metered.picture[45, 100, 0] == 128


@pytest.mark.parametrize("edges", [(0.5, 0, 0.5, 1), (-0.1, 0, 1, 1), (0, 0, 1, float("nan")), (0, 0.9, 1, 0.2)])
def test_impossible_meters_are_refused(edges):
    with pytest.raises(ValueError, match="meter"):
        box(*edges)


def test_a_tiny_meter_still_has_a_pixel(plain):
    assert shown(np.ones((9, 9, 3)) * 0.5, plain, box(0.999, 0.999, 1, 1)).scopes.pixels == 1


def test_percentiles_must_rise():
    with pytest.raises(ValueError, match="rise"):
        Percentiles(50, 50, 99)


def test_values_that_are_not_numbers_become_black():
    assert codes.unpack(codes.pack(np.array([np.nan, np.inf, -np.inf], np.float32))) == pytest.approx(
        [0.0, 1.5, -0.1], abs=3e-5
    )


def test_picture_and_readings_do_not_depend_on_threads(demo_frame, table, monkeypatch):
    numbers = Primary((1.05, 1, 0.97), (0.01, 0, 0), (1, 1.1, 1), 1.2)
    two = render(demo_frame("12A-1").packed, [numbers], table)
    monkeypatch.setattr(threads, "THREADS", 1)
    one = render(demo_frame("12A-1").packed, [numbers], table)
    assert np.array_equal(one.picture, two.picture)
    assert np.array_equal(one.scopes.parade, two.scopes.parade)
    assert np.allclose(one.readings, two.readings)


def _ffmpeg(filters: str, frame: np.ndarray, pixel_format: str, shape: tuple[int, ...]) -> np.ndarray:
    height, width = frame.shape[:2]
    out = subprocess.run(
        ["ffmpeg", "-hide_banner", "-loglevel", "error", "-f", "rawvideo", "-pix_fmt", "gbrp", "-s", f"{width}x{height}",
         "-i", "-", "-vf", filters, "-frames:v", "1", "-f", "rawvideo", "-pix_fmt", pixel_format, "-"],
        input=b"".join(np.ascontiguousarray(frame[..., c]).tobytes() for c in (1, 2, 0)), capture_output=True, check=True,
    )  # fmt: skip
    return np.frombuffer(out.stdout, np.uint8).reshape(shape)


def test_parade_agrees_with_ffmpegs_waveform(demo_frame, plain):
    """The same 8-bit picture through FFmpeg's waveform: where it lights a cell, we count pixels."""
    picture = (demo_frame("12A-1", width=320).recorded * 255).round().astype(np.uint8)
    height, width = picture.shape[:2]
    levels = _ffmpeg("waveform=mode=column:components=7:display=stack:intensity=1:mirror=0:filter=lowpass",
                     picture, "gbrp", (3, 768, width))  # fmt: skip
    ours = render(codes.pack(picture / np.float32(255)), [], plain).scopes.parade
    for plane, channel in ((0, 1), (1, 2), (2, 0)):
        lit = levels[plane].reshape(3, 256, width).max(axis=0) > 0
        for column in range(0, width, 17):
            values = picture[:, column, channel]
            assert set(np.flatnonzero(lit[:, column])) == set(values.tolist())
            expected = np.bincount(
                ((values / 255 - codes.SIGNAL_LOW) / codes.SIGNAL_SPAN * 256).astype(int), minlength=256
            )
            assert ours[channel, column].sum() == height
            # A value may fall to either side of a level's edge, never further.
            moved = np.abs(np.cumsum(ours[channel, column].astype(int)) - np.cumsum(expected))
            assert moved.max() <= height * 0.06


def test_a_point_is_named(demo_frame, plain):
    packed = codes.pack(np.full((20, 30, 3), MID_GREY, np.float32))
    point = name_point(packed, 0.5, 0.5, [IDENTITY], plain)
    assert point["red"] == pytest.approx(100 * MID_GREY, abs=0.01)
    assert point["stops"] == pytest.approx(0, abs=0.01)
    assert point["chroma"] == pytest.approx(0, abs=0.01)
    red = name_point(codes.pack(np.tile(np.array([0.75, 0, 0], np.float32), (9, 9, 1))), 0.0, 1.0, [], plain)
    assert red["hue"] == pytest.approx(np.degrees(np.arctan2(0.6 * 0.8338, -0.1146 * 0.75)) % 360, abs=8)
    assert red["chroma"] > 35
