"""Display codes finished: softened, sharpened, given halation, a vignette, grain; the fast way of :mod:`dovrel.core.steps.finish`."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import lru_cache
from typing import Any

import cv2
import numpy as np

from dovrel.core.colour import codes
from dovrel.core.develop.threads import in_parts
from dovrel.core.steps.chain import Chain, finish_of, limits_of
from dovrel.core.steps.finish import Finish
from dovrel.core.steps.grain import Grain
from dovrel.core.steps.halation import Halation
from dovrel.core.steps.limits import Limits
from dovrel.core.steps.primary import REC709_LUMA
from dovrel.core.steps.sharpen import Sharpen
from dovrel.core.steps.soften import Soften
from dovrel.core.steps.vignette import Vignette
from dovrel.machine.kernels import njit

_BLACK, _SCALE = np.float32(codes.BLACK_CODE), np.float32(codes.SIGNAL_SCALE)
_WHITE = np.float32(codes.WHITE_CODE)
_R, _G, _B = (np.float32(weight) for weight in REC709_LUMA)
_MOST = np.float32(65535)
_HALF = np.float32(0.5)


def finish(display: np.ndarray, chain: Chain) -> np.ndarray:
    """Display codes uint16 (3, H, W), which are written over, under all that finishes them but grain, and the chain's limits.

    They are those of :func:`dovrel.core.develop.program.bake_chain` for a chain without limits.
    """
    for values in finish_of(chain):
        if not isinstance(values, Grain):
            _DONE_BY[type(values)](values, display)
    for values in limits_of(chain):
        table = _limiting(values)
        in_parts(display.shape[1], lambda first, last, table=table: _by_table(display, table, first, last))
    return display


def grained(display: np.ndarray, chain: Chain, frame: int) -> np.ndarray:
    """Display codes uint16 (3, H, W) with a chain's grain at a frame; the same array where it has none."""
    for values in finish_of(chain):
        if isinstance(values, Grain):
            display = _with(values, display, frame, *_ends(limits_of(chain)))
    return display


def _with(grain: Grain, display: np.ndarray, frame: int, low: np.float32, high: np.float32) -> np.ndarray:
    pieces = grain.pieces(frame, *display.shape[1:])
    strengths = np.array(grain.strengths, np.float32) * _SCALE
    shares = np.array(grain.shares, np.float32)
    out = np.empty_like(display)
    in_parts(
        display.shape[1],
        lambda first, last: _with_grain(display, pieces, shares, strengths, low, high, first, last, out),
    )
    return out


def warm_up() -> None:
    """Compile or load every kernel of finishing."""
    chain = (Soften(), Sharpen(), Halation(), Vignette(), Grain(), Limits())
    grained(finish(np.zeros((3, 4, 4), np.uint16), chain), chain, 0)


def _ends(limits: Sequence[Limits]) -> tuple[np.float32, np.float32]:
    """The codes that grain does not pass."""
    low = max((values.low for values in limits), default=-1e3)
    high = min((values.high for values in limits), default=1e3)
    return (
        np.float32(max(codes.BLACK_CODE + low / 100 * codes.SIGNAL_SCALE, 0)),
        np.float32(min(codes.BLACK_CODE + high / 100 * codes.SIGNAL_SCALE, 65535)),
    )


def _soften(values: Soften, display: np.ndarray) -> None:
    amount = np.float32(values.amount)
    sigma = values.size * display.shape[2]
    for plane in display:
        soft = _blurred(plane, sigma)
        in_parts(len(plane), lambda first, last, to=plane, soft=soft: _mix(to, soft, amount, first, last))


def _sharpen(values: Sharpen, display: np.ndarray) -> None:
    grey = _grey(display)
    soft = _blurred(grey, values.size * display.shape[2])
    least = np.float32(values.least / 100 * codes.SIGNAL_SCALE)
    amount = np.float32(values.amount)
    in_parts(len(grey), lambda first, last: _add_detail(display, grey, soft, amount, least, first, last))


def _halation(values: Halation, display: np.ndarray) -> None:
    begins = np.float32(codes.BLACK_CODE + values.begins / 100 * codes.SIGNAL_SCALE)
    bright = np.empty(display.shape[1:], np.float32)
    in_parts(len(bright), lambda first, last: _bright(display, begins, first, last, bright))
    glow = _blurred(bright, values.size * display.shape[2])
    tint = np.array(values.tint, np.float32)
    in_parts(len(bright), lambda first, last: _add_glow(display, glow, tint, first, last))


def _vignette(values: Vignette, display: np.ndarray) -> None:
    gain = _gain(values, *display.shape[1:])
    in_parts(len(gain), lambda first, last: _times(display, gain, first, last))


_DONE_BY: dict[type[Finish], Callable[[Any, np.ndarray], None]] = {
    Soften: _soften,
    Sharpen: _sharpen,
    Halation: _halation,
    Vignette: _vignette,
}

_SMALL_FROM = ((16.0, 4), (6.0, 2))
"""From a deviation in pixels on, how many times smaller a picture is blurred."""


def _blurred(plane: np.ndarray, sigma: float) -> np.ndarray:
    """A plane (H, W) blurred; strongly, at a part of its size, whose own blur is removed."""
    times = next((times for least, times in _SMALL_FROM if sigma >= least), 1)
    if times == 1:
        return cv2.GaussianBlur(plane, (0, 0), sigma, borderType=cv2.BORDER_REFLECT)
    height, width = plane.shape
    small = cv2.resize(plane, (-(-width // times), -(-height // times)), interpolation=cv2.INTER_AREA)
    # Means of squares and straight lines between them blur by so much themselves.
    left = max(sigma**2 - (times**2 - 1) / 12 - times**2 / 6, 0.04)
    small = cv2.GaussianBlur(small, (0, 0), np.sqrt(left) / times, borderType=cv2.BORDER_REFLECT)
    return cv2.resize(small, (width, height), interpolation=cv2.INTER_LINEAR)


def _grey(display: np.ndarray) -> np.ndarray:
    grey = np.empty(display.shape[1:], np.float32)
    in_parts(len(grey), lambda first, last: _luma(display, first, last, grey))
    return grey


@lru_cache(maxsize=4)
def _gain(values: Vignette, height: int, width: int) -> np.ndarray:
    return values.gain(height, width).astype(np.float32)


@lru_cache(maxsize=2)
def _limiting(limits: Limits) -> np.ndarray:
    """What each code becomes."""
    return codes.encode_signal(limits.limited(codes.decode_signal(np.arange(65536, dtype=np.uint16))))


@njit(inline="always")
def _code(value):
    return np.uint16(min(max(value + _HALF, np.float32(0)), _MOST))


@njit(nogil=True, cache=True)
def _by_table(display, table, first, last):
    for channel in range(3):
        for y in range(first, last):
            for x in range(display.shape[2]):
                display[channel, y, x] = table[display[channel, y, x]]


@njit(nogil=True, cache=True)
def _mix(plane, soft, amount, first, last):
    for y in range(first, last):
        for x in range(plane.shape[1]):
            value = np.float32(plane[y, x])
            plane[y, x] = _code(value + amount * (np.float32(soft[y, x]) - value))


@njit(nogil=True, cache=True)
def _luma(display, first, last, grey):
    for y in range(first, last):
        for x in range(display.shape[2]):
            grey[y, x] = (
                _R * np.float32(display[0, y, x])
                + _G * np.float32(display[1, y, x])
                + _B * np.float32(display[2, y, x])
            )


@njit(nogil=True, cache=True)
def _add_detail(display, grey, soft, amount, least, first, last):
    for y in range(first, last):
        for x in range(display.shape[2]):
            detail = grey[y, x] - soft[y, x]
            strong = max(abs(detail) - least, np.float32(0)) * amount
            if detail < 0:
                strong = -strong
            for channel in range(3):
                display[channel, y, x] = _code(np.float32(display[channel, y, x]) + strong)


@njit(nogil=True, cache=True)
def _bright(display, begins, first, last, bright):
    """How far luma lies on the way from `begins` to white, 0..1."""
    scale = np.float32(1) / (_WHITE - begins)
    for y in range(first, last):
        for x in range(display.shape[2]):
            grey = (
                _R * np.float32(display[0, y, x])
                + _G * np.float32(display[1, y, x])
                + _B * np.float32(display[2, y, x])
            )
            bright[y, x] = min(max((grey - begins) * scale, np.float32(0)), np.float32(1))


@njit(nogil=True, cache=True)
def _add_glow(display, glow, tint, first, last):
    for channel in range(3):
        for y in range(first, last):
            for x in range(display.shape[2]):
                value = np.float32(display[channel, y, x])
                display[channel, y, x] = _code(value + tint[channel] * glow[y, x] * max(_WHITE - value, np.float32(0)))


@njit(nogil=True, cache=True)
def _times(display, gain, first, last):
    for channel in range(3):
        for y in range(first, last):
            for x in range(display.shape[2]):
                display[channel, y, x] = _code(_BLACK + (np.float32(display[channel, y, x]) - _BLACK) * gain[y, x])


@njit(nogil=True, cache=True)
def _with_grain(display, pieces, shares, strengths, low, high, first, last, out):
    """`pieces` float32 (1 or 4, H, W), mixed by `shares`; `strengths` at a luma of 0, 0.5 and 1, in codes."""
    own = pieces.shape[0] == 4
    to_part = np.float32(2) / _SCALE
    for y in range(first, last):
        for x in range(display.shape[2]):
            r, g, b = np.float32(display[0, y, x]), np.float32(display[1, y, x]), np.float32(display[2, y, x])
            part = min(max((_R * r + _G * g + _B * b - _BLACK) * to_part, np.float32(0)), np.float32(2))
            if part < np.float32(1):
                strength = strengths[0] + part * (strengths[1] - strengths[0])
            else:
                strength = strengths[1] + (part - np.float32(1)) * (strengths[2] - strengths[1])
            n = pieces[0, y, x]
            nr, ng, nb = n, n, n
            if own:
                n *= shares[0]
                nr, ng, nb = (
                    n + shares[1] * pieces[1, y, x],
                    n + shares[1] * pieces[2, y, x],
                    n + shares[1] * pieces[3, y, x],
                )
            out[0, y, x] = np.uint16(min(max(r + strength * nr + _HALF, low), high))
            out[1, y, x] = np.uint16(min(max(g + strength * ng + _HALF, low), high))
            out[2, y, x] = np.uint16(min(max(b + strength * nb + _HALF, low), high))
