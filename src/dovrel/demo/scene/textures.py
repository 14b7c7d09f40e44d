"""Masks (0..1) that mix two spectral materials: grain, bricks, planks, printed sheets."""

from __future__ import annotations

import cv2
import numpy as np


def _noise(shape: tuple[int, int], scale: tuple[float, float], seed: int, octaves: int = 5) -> np.ndarray:
    rng = np.random.default_rng(seed)
    total = np.zeros(shape, np.float32)
    for octave in range(octaves):
        cells = tuple(max(2, int(s * 2**octave)) for s in scale)
        total += cv2.resize(rng.random(cells, np.float32), shape[::-1], interpolation=cv2.INTER_CUBIC) / 2**octave
    return (total - total.min()) / (np.ptp(total) + 1e-6)


def wood(seed: int) -> np.ndarray:
    """Grain along the horizontal."""
    streaks = _noise((512, 512), (28, 2), seed)
    rings = 0.5 + 0.5 * np.sin(24 * _noise((512, 512), (6, 1.5), seed + 1, 3) * 3)
    return np.clip(0.65 * streaks + 0.35 * rings, 0, 1)


def planks(seed: int, count: int = 9) -> np.ndarray:
    image = np.concatenate(
        [np.clip(wood(seed + i)[: 1024 // count] * 0.8 + 0.25 * ((i * 37) % 5) / 5, 0, 1) for i in range(count)]
    )
    image = np.repeat(image, 2, axis=1)
    for i in range(count):
        image[i * (1024 // count) : i * (1024 // count) + 4] = 1.0
    return image


def plaster(seed: int) -> np.ndarray:
    blotches = _noise((768, 768), (3, 3), seed)
    grain = _noise((768, 768), (60, 60), seed + 1, 3)
    return np.clip(0.75 * blotches**1.6 + 0.30 * grain - 0.1, 0, 1)


def bricks(seed: int, rows: int = 44, columns: int = 20) -> tuple[np.ndarray, np.ndarray]:
    """Two masks: mortar (1) against brick (0), and dark brick (1) against light (0)."""
    rng = np.random.default_rng(seed)
    height, width = 1408, 1920
    mortar = np.ones((height, width), np.float32)
    tone = np.zeros((height, width), np.float32)
    row_height, brick_width = height / rows, width / columns
    for row in range(rows):
        shift = 0.5 * brick_width * (row % 2)
        for column in range(-1, columns + 1):
            x0 = int(column * brick_width + shift + 3)
            x1 = int((column + 1) * brick_width + shift - 3)
            y0, y1 = int(row * row_height + 2), int((row + 1) * row_height - 2)
            x0, x1 = max(x0, 0), min(x1, width)
            if x1 > x0:
                mortar[y0:y1, x0:x1] = 0.0
                tone[y0:y1, x0:x1] = rng.random()
    mortar = cv2.GaussianBlur(mortar, (0, 0), 1.2)
    tone = np.clip(0.55 * tone + 0.6 * _noise((height, width), (40, 60), seed + 1, 4) - 0.1, 0, 1)
    return np.clip(mortar + 0.25 * (_noise((height, width), (90, 120), seed + 2, 3) - 0.5), 0, 1), tone


def cobbles(seed: int) -> np.ndarray:
    """Setts in courses with dark joints."""
    rng = np.random.default_rng(seed)
    image = np.full((1024, 1024), 255, np.uint8)
    for row in range(26):
        for column in range(-1, 19):
            x = int((column + 0.5 * (row % 2)) * 56 + rng.integers(-3, 4)) + 28
            y = int(row * 40 + 20 + rng.integers(-3, 4))
            cv2.ellipse(image, (x, y), (24, 16), 0, 0, 360, float(128 * rng.random()), -1, cv2.LINE_AA)
    smooth = cv2.GaussianBlur(image, (0, 0), 2).astype(np.float32) / 255.0
    return np.clip(smooth + 0.3 * _noise((1024, 1024), (70, 70), seed + 3, 3), 0, 1)


def printed_sheet(lines: list[str], seed: int, height: int = 640, width: int = 480) -> np.ndarray:
    """A broadside: large letters and rules in ink (1) on paper (0)."""
    image = np.zeros((height, width), np.uint8)
    cv2.rectangle(image, (18, 18), (width - 19, height - 19), 255, 3)
    y = 40
    for i, line in enumerate(lines):
        (w, h), _ = cv2.getTextSize(line, cv2.FONT_HERSHEY_COMPLEX, 1.0, 3)
        scale = min((width - 80) / w, 3.2)
        h = int(h * scale)
        y += h + 26
        cv2.putText(
            image, line, (int((width - w * scale) / 2), y), cv2.FONT_HERSHEY_COMPLEX, scale, 255,
            max(2, int(3 * scale)), cv2.LINE_AA,
        )  # fmt: skip
        if i % 2:
            cv2.line(image, (60, y + 16), (width - 60, y + 16), 255, 2)
            y += 16
    rng = np.random.default_rng(seed)
    while y + 30 < height - 40:
        y += 18
        cv2.line(image, (60, y), (width - 60 - int(rng.integers(0, 70)), y), 210, 5)
    return image[::-1].astype(np.float32) / 255.0
